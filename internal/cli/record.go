package cli

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/tables"
)

// recordFlags are what a reading holds besides its answer.
type recordFlags struct {
	review, rig, system, method, setup, phase, at, id, adjustReason, bound, disturbance, replaces, note, notTested, notApplicable string
	slip                                                                                                                          string
	adjust                                                                                                                        float64
	repeat, confirm                                                                                                               bool
}

func (s *session) recordCommand() *cobra.Command {
	var f recordFlags
	cmd := &cobra.Command{
		Use:   "record CRITERION [ANSWER…]",
		Short: "Record a reading in a review",
		Long: "Record a reading. The answer depends on the kind of criterion:\n" +
			"  grade    a number from 0 to 10, such as 7.5, 7,5 or 7/10\n" +
			"  check    works, workaround or fails\n" +
			"  measure  one number for each run, such as 26.4, 26,4, 30s, 1.5min or 0:30; negative ones " +
			"after --\n" +
			"  count    ITEM=worked, ITEM=workaround, ITEM=failed or ITEM=untried for each item, or K/N\n" +
			"  level    the level's key\n" +
			"  fact     a text, a number, or a list such as '[\"bale\",\"crate\"]'\n" +
			"Without --method, --setup or --phase the reading is made as the criterion asks.",
		Example: "  dtally record cold-start 26.4 25.9 26.0 27.3 25.8 --review quaymark/22.1/latchwork --rig bench-old --adjust 4 --adjust-reason 'the boot menu waits'\n" +
			"  dtally record printing --review quaymark/22.1/latchwork --rig bench-new --not-tested 'no printer at hand'\n" +
			"  dtally record smoothness 7.5 --slip quaymark.slip --rig bench-old",
		Args: args(1, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			if f.slip != "" {
				return f.noteDown(cmd, s, a)
			}
			err := s.record(cmd, &f, a)
			if errors.Is(err, client.ErrUnreachable) {
				return f.outOfReach(cmd, s, a, err)
			}
			return err
		},
	}
	f.define(cmd)
	return cmd
}

// record sends the reading to the service.
func (s *session) record(cmd *cobra.Command, f *recordFlags, a []string) error {
	c, err := s.connect()
	if err != nil {
		return err
	}
	r, b, err := s.atReview(cmd, c, f.review)
	if err != nil {
		return err
	}
	f.readFlags(cmd, &b)
	list, err := s.fetchChecklist(cmd, c, r.Value.Checklist)
	if err != nil {
		return err
	}
	criterion, ok := list.Value.Criterion(a[0])
	if !ok {
		return fmt.Errorf("%w: checklist %s has no criterion %q", errNotFound, r.Value.Checklist, a[0])
	}
	x, err := f.reading(cmd, criterion, a[1:])
	if err == nil {
		var out client.Got[contract.Recorded]
		if out, err = c.Record(cmd.Context(), r.Value.Id, f.id, x); err == nil {
			return s.print(cmd, out.Value, recordedSheet(&out.Value, name(r.Value.Name), criterion))
		}
	}
	var refused *client.Refusal
	var words usage
	if errors.As(err, &words) || (errors.As(err, &refused) && refused.Status == http.StatusUnprocessableEntity) {
		q := question{Criterion: criterion, section: r.Value.Checklist, rig: f.rig}
		q.ask(cmd.ErrOrStderr(), widthOf(cmd.ErrOrStderr()))
	}
	return err
}

// keptSlip is the slip for readings that could not be sent to the service.
const keptSlip = "readings.slip"

// outOfReach offers to keep the reading on a slip.
func (f *recordFlags) outOfReach(cmd *cobra.Command, s *session, words []string, why error) error {
	hint := fmt.Errorf("%w\n"+
		"--slip FILE saves the reading for later", why)
	if f.review != "" || f.replaces != "" {
		return hint
	}
	if err := ask(cmd, fmt.Sprintf("The service cannot be reached. Save the reading in %s, to send it later?", keptSlip)); err != nil {
		return hint
	}
	f.slip = keptSlip
	return f.noteDown(cmd, s, words)
}

// noteDown adds the reading to a slip. The answer is checked when the slip is submitted: the checklist may be out of
// reach now.
func (f *recordFlags) noteDown(cmd *cobra.Command, s *session, words []string) error {
	if f.review != "" || f.replaces != "" {
		return wrongUsage(
			"--slip saves the reading for later: --review and --replaces need the service; correct a " +
				"slip by hand",
		)
	}
	r := newReading(time.Now())
	if f.at != "" {
		at, err := day(f.at)
		if err != nil {
			return err
		}
		r.At = at
	}
	if f.id != "" {
		r.ID = f.id
	}
	if n := len(words) - 1; (n > 0) == (f.notTested != "" || f.notApplicable != "") {
		return wrongUsage("give either an answer or a reason for having none")
	}
	r.Criterion, r.Answer = words[0], strings.Join(words[1:], " ")
	r.Rig, r.State, r.Method, r.Setup, r.Phase = f.rig, f.system, f.method, f.setup, f.phase
	r.Bound, r.Disturbance, r.Repeat, r.Note, r.NotTested, r.NotApplicable, r.Confirm = f.bound, f.disturbance, f.repeat, f.note, f.notTested, f.notApplicable, f.confirm
	if cmd.Flags().Changed("adjust") {
		r.Adjust = &slip.Adjust{Amount: f.adjust, Reason: f.adjustReason}
	}
	return s.deliver(cmd, &destination{file: f.slip}, &slip.Slip{Readings: []slip.Reading{r}})
}

func (f *recordFlags) define(cmd *cobra.Command) {
	p := cmd.Flags()
	reviewVar(p, &f.review)
	p.StringVar(&f.slip, "slip", "", "add it to this slip, to send it later; no service is needed")
	p.StringVar(&f.rig, "rig", "", "the rig that it was measured on")
	p.StringVar(&f.system, "system", "", "the system state that it was measured in")
	p.StringVar(&f.method, "method", "", "the method, if not the one in the criterion")
	p.StringVar(&f.setup, "setup", "", "the setup, if not the one in the criterion")
	p.StringVar(&f.phase, "phase", "", "the phase, if not the one in the criterion")
	p.StringVar(&f.at, "at", "", "when it was measured, such as 2026-11-20 or 2026-11-20T09:30:00Z (default: now)")
	p.StringVar(&f.id, "id", "", "a UUID for the reading, so that it can be sent twice safely (default: a new one)")
	p.Float64Var(&f.adjust, "adjust", 0, "known offset to subtract from every run")
	p.StringVar(&f.adjustReason, "adjust-reason", "", "why it is subtracted")
	choiceVar(p, &f.bound, "bound", "", "", reading.Bounds[1:])
	p.StringVar(&f.disturbance, "disturbance", "", "why the reading cannot score")
	p.StringVar(&f.replaces, "replaces", "", "id of the reading that this one replaces")
	p.BoolVar(&f.repeat, "repeat", false, "measured again after a restart")
	p.StringVar(&f.note, "note", "", "a remark")
	p.BoolVar(&f.confirm, "confirm", false, "a value outside the plausible range is correct; the note gives the reason")
	p.StringVar(&f.notTested, "not-tested", "", "why it could not be tested, instead of an answer")
	p.StringVar(&f.notApplicable, "not-applicable", "", "why the question does not apply here, instead of an answer")
}

// readFlags adds what dtally at has set and the call does not name.
func (f *recordFlags) readFlags(cmd *cobra.Command, b *bearings) {
	for flag, x := range map[string]struct {
		field *string
		set   string
	}{"rig": {&f.rig, b.Rig}, "system": {&f.system, b.System}, "method": {&f.method, b.Method}, "setup": {&f.setup, b.Setup}, "phase": {&f.phase, b.Phase}} {
		if !cmd.Flags().Changed(flag) {
			*x.field = x.set
		}
	}
}

func (f *recordFlags) reading(cmd *cobra.Command, c *checklist.Criterion, words []string) (contract.NewReading, error) {
	x := contract.NewReading{
		Criterion: c.Key, Rig: f.rig, System: f.system, Context: c.Context, Bound: contract.NewReadingBound(f.bound), Disturbance: f.disturbance,
		Replaces: f.replaces, Repeat: f.repeat, Note: f.note, Confirm: f.confirm,
	}
	for _, o := range []struct {
		flag  string
		value string
		field *string
	}{{"method", f.method, &x.Context.Method}, {"setup", f.setup, &x.Context.Setup}, {"phase", f.phase, &x.Context.Phase}} {
		if cmd.Flags().Changed(o.flag) || o.value != "" {
			*o.field = o.value
		}
	}
	if f.at != "" {
		at, err := day(f.at)
		if err != nil {
			return x, err
		}
		x.At = at
	}
	if f.id == "" {
		f.id = uuid.Must(uuid.NewV7()).String()
	} else if !reading.ValidID(f.id) {
		return x, wrongUsage("--id %q is not a UUID in lower case", f.id)
	}
	if cmd.Flags().Changed("adjust") {
		x.Adjustment = reading.Adjustment{Amount: f.adjust, Reason: f.adjustReason}
	}
	var err error
	x.Answer, err = f.answer(c, words)
	return x, err
}

func (f *recordFlags) answer(c *checklist.Criterion, words []string) (reading.Answer, error) {
	none := reading.Answer{NotTested: f.notTested, NotApplicable: f.notApplicable}
	switch {
	case !none.Answered() && len(words) > 0:
		return none, wrongUsage("give either an answer or a reason for having none")
	case !none.Answered():
		return none, nil
	case len(words) == 0:
		return none, wrongUsage(
			"%s is a %s and needs an answer; dtally record --help shows how to write it", c.Key, c.Kind,
		)
	}
	a, err := slip.ParseAnswer(c, words)
	if err != nil {
		err = usage{err}
	}
	return a, err
}

var recordedTable = tables.Define("recorded", "a reading that was recorded",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("criterion", "", "its key"),
	tables.Beside("Criterion"),
	tables.Text("answer", "Answer", ""),
	tables.Number("value", "Value", "in the unit"),
	tables.Text("unit", "", ""),
	tables.Points("points", "Points", "0 to 100"),
	tables.Text("remarks", "Remarks", ""),
	tables.Text("id", "Reading", ""),
)

func recordedSheet(r *contract.Recorded, edition string, c *checklist.Criterion) *sheet {
	t := sheetOf(recordedTable)
	value := numerals.Value(r.Value)
	if r.Value != nil {
		value += " " + c.Unit
	}
	t.Add(
		edition,
		c.Key,
		c.Title,
		answerText(&r.Reading.Answer),
		tables.As{Data: r.Value, Text: value},
		c.Unit,
		r.Points,
		list(recordedRemarks(r, c)),
		r.Reading.ID,
	)
	return t
}

func recordedRemarks(r *contract.Recorded, c *checklist.Criterion) []string {
	var remarks []string
	if !r.Fresh {
		remarks = append(remarks, "recorded before")
	}
	if r.Waits {
		remarks = append(remarks, "waiting: the review is accepted; this counts when it is reopened and accepted again")
	}
	if !c.Context.Accepts(r.Reading.Context) {
		remarks = append(remarks, "off context: saved, not scored")
	}
	if r.Scatter.Unsteady {
		remarks = append(
			remarks,
			fmt.Sprintf(
				"unsteady: the runs scatter by %s, the tolerance is %s; measure it again",
				spread(r.Scatter.Spread),
				numerals.Rounded(100*c.Tolerance(), 1)+" %",
			),
		)
	}
	if doubt := (&quality.Scatter{TooFew: r.Scatter.TooFew, Outliers: r.Scatter.Outliers}); doubt.Doubtful() {
		remarks = append(remarks, remarkOn(doubt))
	}
	return slices.Concat(remarks, readingRemarks(&r.Reading))
}
