package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/numerals"
)

// recordFlags is what a reading says besides its answer.
type recordFlags struct {
	review, rig, system, method, setup, phase, at, id, adjustReason, bound, disturbance, replaces, note, notTested, notApplicable string
	adjust                                                                                                                        float64
	repeat                                                                                                                        bool
}

func (s *session) recordCommand() *cobra.Command {
	var f recordFlags
	cmd := &cobra.Command{
		Use:   "record CRITERION [ANSWER…]",
		Short: "Record one reading in a review",
		Long: "Record one reading. The answer is of the criterion's kind:\n" +
			"  grade    a number from 0 to 10\n" +
			"  check    works, workaround or fails\n" +
			"  measure  one number for each run\n" +
			"  count    ITEM=worked, ITEM=workaround, ITEM=failed or ITEM=untried for each item, or K/N\n" +
			"  level    the level's key\n" +
			"  fact     a text\n" +
			"Without --method, --setup or --phase the reading is made as the criterion asks.",
		Example: "  dtally record cold-start 26.4 25.9 26.0 27.3 25.8 --review quaymark/22.1/latchwork --rig bench-old --adjust 4 --adjust-reason 'the boot menu waits'\n" +
			"  dtally record printing --review quaymark/22.1/latchwork --rig bench-new --not-tested 'no printer at hand'",
		Args: args(1, -1),
		RunE: func(cmd *cobra.Command, a []string) error {
			c, err := s.connect()
			if err != nil {
				return err
			}
			r, b, err := s.atReview(cmd, c, f.review)
			if err != nil {
				return err
			}
			f.take(cmd, &b)
			key, version, err := splitChecklist(r.Value.Checklist)
			if err != nil {
				return err
			}
			list, err := client.Read[client.Checklist](c.ShowChecklist(cmd.Context(), key, version))
			if err != nil {
				return err
			}
			criterion, ok := list.Value.Criterion(a[0])
			if !ok {
				return fmt.Errorf("%w: checklist %s has no criterion %q", errNotFound, r.Value.Checklist, a[0])
			}
			x, err := f.reading(cmd, criterion, a[1:])
			if err != nil {
				return err
			}
			out, err := client.Read[client.Recorded](c.Record(cmd.Context(), r.Value.Id, f.id, x))
			if err != nil {
				return err
			}
			return s.print(cmd, out.Value, recordedSheet(&out.Value, name(r.Value.Name), criterion))
		},
	}
	f.define(cmd)
	return cmd
}

func (f *recordFlags) define(cmd *cobra.Command) {
	p := cmd.Flags()
	p.StringVar(&f.review, "review", "", "the review's id, or its edition where only one is open (default: as dtally at has set it)")
	p.StringVar(&f.rig, "rig", "", "the rig that it was made on")
	p.StringVar(&f.system, "system", "", "the system state that it was made in")
	p.StringVar(&f.method, "method", "", "the method, if not the one asked for")
	p.StringVar(&f.setup, "setup", "", "the setup, if not the one asked for")
	p.StringVar(&f.phase, "phase", "", "the phase, if not the one asked for")
	p.StringVar(&f.at, "at", "", "when it was measured (default: now)")
	p.StringVar(&f.id, "id", "", "a UUID for the reading, so that sending it twice does no harm (default: a new one)")
	p.Float64Var(&f.adjust, "adjust", 0, "known offset to take off every run")
	p.StringVar(&f.adjustReason, "adjust-reason", "", "why it is taken off")
	p.StringVar(&f.bound, "bound", "", "about, at-least or at-most")
	p.StringVar(&f.disturbance, "disturbance", "", "why the reading is unfit to score")
	p.StringVar(&f.replaces, "replaces", "", "id of the reading that this one takes the place of")
	p.BoolVar(&f.repeat, "repeat", false, "made again after a restart")
	p.StringVar(&f.note, "note", "", "a remark")
	p.StringVar(&f.notTested, "not-tested", "", "why it could not be tried, instead of an answer")
	p.StringVar(&f.notApplicable, "not-applicable", "", "why the question makes no sense here, instead of an answer")
}

// take fills in what dtally at has set and the call does not say.
func (f *recordFlags) take(cmd *cobra.Command, b *bearings) {
	for flag, x := range map[string]struct {
		field *string
		set   string
	}{"rig": {&f.rig, b.Rig}, "system": {&f.system, b.System}, "method": {&f.method, b.Method}, "setup": {&f.setup, b.Setup}, "phase": {&f.phase, b.Phase}} {
		if !cmd.Flags().Changed(flag) {
			*x.field = x.set
		}
	}
}

func (f *recordFlags) reading(cmd *cobra.Command, c *checklist.Criterion, words []string) (client.NewReading, error) {
	x := client.NewReading{
		Criterion: c.Key, Rig: f.rig, System: f.system, Context: c.Context, Bound: client.NewReadingBound(f.bound), Disturbance: f.disturbance,
		Replaces: f.replaces, Repeat: f.repeat, Note: f.note,
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
		at, err := time.Parse(time.RFC3339, f.at)
		if err != nil {
			return x, wrongUsage("--at %q is not a time such as 2026-11-20T09:30:00Z", f.at)
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
		return none, wrongUsage("give an answer or a reason for none, not both")
	case !none.Answered():
		return none, nil
	case len(words) == 0:
		return none, wrongUsage("%s is a %s and needs an answer; dtally record --help says how to write it", c.Key, c.Kind)
	}
	return parseAnswer(c, words)
}

// parseAnswer reads an answer of the criterion's kind. What the words mean is
// checked here; whether they fit is the service's to say.
func parseAnswer(c *checklist.Criterion, words []string) (reading.Answer, error) {
	single := func() (string, error) {
		if len(words) != 1 {
			return "", wrongUsage("%s is a %s and takes one answer, not %d", c.Key, c.Kind, len(words))
		}
		return words[0], nil
	}
	switch c.Kind {
	case checklist.Grade:
		word, err := single()
		if err != nil {
			return reading.Answer{}, err
		}
		g, err := number(word)
		return reading.Answer{Grade: &g}, err
	case checklist.Check:
		word, err := single()
		return reading.Answer{Check: word}, err
	case checklist.Level:
		word, err := single()
		return reading.Answer{Level: word}, err
	case checklist.Fact:
		return reading.Answer{Fact: &reading.Fact{Text: strings.Join(words, " ")}}, nil
	case checklist.Count:
		return parseCount(words)
	}
	runs := make([]float64, len(words))
	for i, w := range words {
		x, err := number(w)
		if err != nil {
			return reading.Answer{}, err
		}
		runs[i] = x
	}
	return reading.Answer{Runs: runs}, nil
}

// number reads a finite number; a comma stands for the point.
func number(word string) (float64, error) {
	x, err := strconv.ParseFloat(strings.Replace(word, ",", ".", 1), 64)
	if err != nil || x != x || x > 1e300 || x < -1e300 {
		return 0, wrongUsage("%q is not a number", word)
	}
	return x, nil
}

func parseCount(words []string) (reading.Answer, error) {
	var n reading.Count
	if k, of, ok := strings.Cut(words[0], "/"); ok && len(words) == 1 {
		kk, errK := strconv.Atoi(k)
		nn, errN := strconv.Atoi(of)
		if errK != nil || errN != nil {
			return reading.Answer{}, wrongUsage("%q is not a count such as 14/20", words[0])
		}
		n.K, n.N = &kk, &nn
		return reading.Answer{Count: &n}, nil
	}
	fates := map[string]*[]string{"worked": &n.Worked, "workaround": &n.Workaround, "failed": &n.Failed, "untried": &n.NotTested}
	for _, w := range words {
		item, fate, _ := strings.Cut(w, "=")
		into := fates[fate]
		if into == nil {
			return reading.Answer{}, wrongUsage("%q is not ITEM=worked, ITEM=workaround, ITEM=failed or ITEM=untried", w)
		}
		*into = append(*into, item)
	}
	return reading.Answer{Count: &n}, nil
}

func recordedSheet(r *client.Recorded, edition string, c *checklist.Criterion) *sheet {
	t := &sheet{columns: []string{"Edition", "Criterion", "Answer", ">Value", ">Points", "Remarks", "Reading"}}
	var remarks []string
	if !r.Fresh {
		remarks = append(remarks, "was recorded before")
	}
	if r.Waits {
		remarks = append(remarks, "waits: the review is accepted, this counts once it is reopened and accepted again")
	}
	if !c.Context.Accepts(r.Reading.Context) {
		remarks = append(remarks, "off context: kept, not scored")
	}
	if r.Scatter.Unsteady {
		remarks = append(remarks, fmt.Sprintf("unsteady: the runs scatter by %s, %s is tolerated; measure it again", spread(r.Scatter.Spread), numerals.Rounded(100*c.Tolerance(), 1)+" %"))
	}
	if doubt := (&quality.Scatter{TooFew: r.Scatter.TooFew, Outliers: r.Scatter.Outliers}); doubt.Doubtful() {
		remarks = append(remarks, doubts(doubt))
	}
	remarks = slices.Concat(remarks, readingRemarks(&r.Reading))
	value := numerals.Value(r.Value)
	if r.Value != nil {
		value += " " + c.Unit
	}
	t.add(edition, c.Title, answerText(&r.Reading.Answer), value, numerals.Score(r.Points), list(remarks), r.Reading.ID)
	return t
}
