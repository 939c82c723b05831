package cli

import (
	"bufio"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"dappertally/core/catalogue"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/prompt"
	"dappertally/internal/slip"
	"dappertally/internal/tables"
)

func (s *session) handInCommand() *cobra.Command {
	var d destination
	var edition string
	var shift time.Duration
	cmd := &cobra.Command{
		Use:   "submit FILE",
		Short: "Send a slip to its review",
		Long: "Send the states and readings of a slip, which survey, clock, frames and record write with " +
			"--slip. What would be sent is shown first, and you are asked. The review is the one that " +
			"you name, or the one of the edition on the slip, or it is found by the name and version " +
			"that the system reports.\n\n" +
			"Sending a slip twice is safe, and so is an interrupted transfer: what was sent is skipped. " +
			"What you corrected on the slip since then replaces what was sent. If anything is refused, " +
			"nothing is sent; a slip is sent completely or not at all.\n\n" +
			"A slip of another system than the one under review is refused: its name, version and " +
			"architecture are compared. --mismatch gives the reason why it belongs there anyway; the " +
			"reason is saved with every reading.",
		Example: "  dtally record smoothness 7.5 --slip quaymark.slip --rig bench-old\n  dtally submit quaymark.slip --review quaymark/22.1/latchwork --dry-run\n  dtally submit quaymark.slip --review quaymark/22.1/latchwork --yes",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			x, err := slip.Load(a[0])
			if err != nil {
				return err
			}
			x.Edition = cmp.Or(edition, x.Edition)
			x.Shift(shift)
			x.Mismatch = cmp.Or(d.mismatch, x.Mismatch)
			d.folder = filepath.Dir(a[0])
			return s.submit(cmd, x, &d)
		},
	}
	f := cmd.Flags()
	f.StringVar(&d.review, "review", "", "id of the review, or its edition if only one is open")
	f.StringVar(&edition, "edition", "", "the edition, instead of the one on the slip")
	f.StringVar(&d.rig, "rig", "", "the rig, if the slip names none")
	f.StringVar(&d.phase, "phase", "", "the phase, if the slip names none")
	f.StringVar(&d.setup, "setup", "", "the setup, if the slip names none")
	f.DurationVar(&shift, "shift", 0, "shift every time on the slip, such as -26h, if the system's clock was wrong")
	f.StringVar(&d.mismatch, "mismatch", "", "reason why a slip of another system belongs to this review")
	f.BoolVar(&d.dryRun, "dry-run", false, "only show what would be sent")
	f.BoolVar(&d.yes, "yes", false, "do not ask")
	return cmd
}

// submitted is what submitting a slip does, or did.
type submitted struct {
	Review  string      `json:"review"`
	Edition string      `json:"edition"`
	Dry     bool        `json:"dryRun,omitempty"`
	Steps   []slip.Step `json:"steps"`
}

// submit shows what a slip changes in its review, asks, and does it.
func (s *session) submit(cmd *cobra.Command, x *slip.Slip, d *destination) error {
	x.Rig, x.Phase, x.Setup = cmp.Or(x.Rig, d.rig), cmp.Or(x.Phase, d.phase), cmp.Or(x.Setup, d.setup)
	c, err := s.connect()
	if err != nil {
		return err
	}
	who, err := c.WhoAmI(cmd.Context())
	if err != nil {
		return err
	}
	if !who.Value.SignedIn {
		return wrongUsage("sending a slip needs an account: dtally login")
	}
	r, err := s.reviewOf(cmd, c, x, d.review)
	if err != nil {
		return err
	}
	if err := s.bear(cmd, x, r.Value.Id); err != nil {
		return err
	}
	if err := s.sameSystem(cmd, c, x, r.Value.Edition); err != nil {
		return err
	}
	there, entries, err := s.there(cmd, c, r.Value.Id, who.Value.Person.Name)
	if err != nil {
		return err
	}
	list, err := s.fetchChecklist(cmd, c, r.Value.Checklist)
	if err != nil {
		return err
	}
	steps := x.Steps(&list.Value, there)
	if err := s.knownRigs(cmd, c, steps); err != nil {
		return err
	}
	if err := s.tryOut(cmd, c, r.Value.Id, steps, entries); err != nil {
		return err
	}
	out := submitted{r.Value.Id, r.Value.Edition, d.dryRun, steps}
	t := stepSheet(&out, name(r.Value.Name))
	if r.Value.State == reading.Accepted {
		t.heading += "\n" +
			"The review is accepted: new readings count when it is reopened and accepted again."
	}
	files := fresh(x.Evidence, entries)
	if len(files) > 0 {
		t.heading += "\n" + numerals.Count(len(files), "file") + " of evidence"
	}
	return s.handOver(cmd, c, d, &out, t, entries, files)
}

// handOver sends what is new in a slip, after consent.
func (s *session) handOver(
	cmd *cobra.Command, c *client.Client, d *destination, out *submitted, t *sheet, entries []contract.EntryView,
	files []slip.File,
) error {
	bad := tally(out.Steps, slip.Refused)
	toDo := tally(out.Steps, slip.New) + tally(out.Steps, slip.Replace)
	if d.dryRun || bad > 0 || toDo+len(files) == 0 {
		if err := s.print(cmd, out, t); err != nil {
			return err
		}
		if bad > 0 {
			return refused(
				fmt.Errorf("%d of %d are refused, so nothing is sent: correct the slip", bad, len(out.Steps)),
			)
		}
		return nil
	}
	if !d.yes {
		t.render(cmd.ErrOrStderr())
		if err := ask(cmd, fmt.Sprintf("Send %d to the review of %s?", toDo+len(files), out.Edition)); err != nil {
			return err
		}
	}
	if toDo > 0 {
		if err := s.send(cmd, c, out.Review, out.Steps, entries); err != nil {
			return err
		}
	}
	if err := s.attach(cmd, c, out.Review, d.folder, files); err != nil {
		return fmt.Errorf("the readings are sent, but not all evidence; send the slip again: %w", err)
	}
	return s.print(cmd, out, t)
}

// fresh returns the files of a slip that the review does not have.
func fresh(files []slip.File, entries []contract.EntryView) []slip.File {
	return slices.DeleteFunc(slices.Clone(files), func(f slip.File) bool {
		return slices.ContainsFunc(entries, func(e contract.EntryView) bool {
			return e.Entry.Evidence != nil && e.Entry.Evidence.ID == f.ID
		})
	})
}

// attach uploads files of a slip as evidence.
func (s *session) attach(cmd *cobra.Command, c *client.Client, review, folder string, files []slip.File) error {
	for _, f := range files {
		sum, err := s.upload(cmd, filepath.Join(folder, f.Name))
		if err != nil {
			return err
		}
		e := reading.Entry{Evidence: &reading.Evidence{
			Head: reading.Head{
				ID: f.ID,
				At: f.At.UTC().Truncate(time.Microsecond),
			}, Of: f.Of, SHA256: sum, Name: f.Name, Caption: f.Caption,
		}}
		if _, err := c.PutEntry(cmd.Context(), review, f.ID, contract.PutEntryParams{}, e); err != nil {
			return err
		}
	}
	return nil
}

// sameSystem compares the system of a slip with the edition under review. A difference needs a reason, which every
// state and reading then carries.
func (s *session) sameSystem(cmd *cobra.Command, c *client.Client, x *slip.Slip, edition string) error {
	if x.System == nil {
		return nil
	}
	editions, err := s.matchable(cmd, c)
	if err != nil {
		return err
	}
	i := slices.IndexFunc(editions, func(e slip.Edition) bool { return e.Key == edition })
	if i < 0 {
		return nil // it was just renamed; the service checks the rest
	}
	differs := x.System.Mismatches(editions[i])
	switch {
	case len(differs) == 0:
		return nil
	case strings.TrimSpace(x.Mismatch) == "":
		return refused(
			fmt.Errorf("%s. Name another review, or give a reason with --mismatch", strings.Join(differs, "; ")),
		)
	}
	x.Remark(strings.Join(differs, "; ") + ": " + x.Mismatch)
	return nil
}

// bear adds what dtally at has set for the review, if the slip does not name it.
func (s *session) bear(cmd *cobra.Command, x *slip.Slip, review string) error {
	b, err := s.readBearings()
	if err != nil || b.Review != review {
		return err
	}
	fmt.Fprintln(cmd.ErrOrStderr(), b.String())
	x.Rig, x.Phase, x.Setup = cmp.Or(x.Rig, b.Rig), cmp.Or(x.Phase, b.Phase), cmp.Or(x.Setup, b.Setup)
	return nil
}

// refused returns an error for what the rules refuse, with its exit code.
func refused(err error) error {
	return &client.Refusal{Problem: contract.Problem{Status: 422, Detail: err.Error()}}
}

// ask waits for a yes at the terminal.
func ask(cmd *cobra.Command, question string) error {
	if f, ok := cmd.InOrStdin().(*os.File); !ok || !term.IsTerminal(int(f.Fd())) {
		return wrongUsage("no terminal to answer %q: pass --yes", question)
	}
	fmt.Fprint(cmd.ErrOrStderr(), question+" [y/N] ")
	line, err := prompt.Line(cmd.Context(), bufio.NewReader(cmd.InOrStdin()))
	if answer := strings.ToLower(strings.TrimSpace(line)); err != nil || (answer != "y" && answer != "yes") {
		return fmt.Errorf("nothing was changed")
	}
	return nil
}

// reviewOf finds the review of a slip.
func (s *session) reviewOf(
	cmd *cobra.Command,
	c *client.Client,
	x *slip.Slip,
	named string,
) (client.Got[contract.Review], error) {
	if id := cmp.Or(named, x.Review, x.Edition); id != "" {
		return s.findReview(cmd, c, id)
	}
	b, err := s.readBearings()
	if err != nil {
		return client.Got[contract.Review]{}, err
	}
	if x.System == nil {
		if b.Review == "" {
			return client.Got[contract.Review]{}, wrongUsage(
				"the slip names no edition; name it with --review or --edition",
			)
		}
		return s.findReview(cmd, c, b.Review)
	}
	return s.propose(cmd, c, x.System, b)
}

// propose finds the review of the edition as which a system identifies itself.
func (s *session) propose(
	cmd *cobra.Command,
	c *client.Client,
	system *slip.System,
	b bearings,
) (client.Got[contract.Review], error) {
	none := client.Got[contract.Review]{}
	editions, err := s.matchable(cmd, c)
	if err != nil {
		return none, err
	}
	found := system.Match(editions)
	keys := make([]string, len(found))
	for i, e := range found {
		keys[i] = e.Key
	}
	says := strings.TrimSpace(system.Name + " " + system.Version)
	if len(keys) == 0 {
		return none, fmt.Errorf(
			"%w: no edition in the catalogue has the name %s; name the edition with --edition", errNotFound, says,
		)
	}
	if slices.Contains(keys, b.Edition) {
		keys = []string{b.Edition}
	}
	var open []contract.Review
	for _, key := range keys {
		rs, err := s.reviews(cmd, c, contract.ListReviewsParams{Edition: key})
		if err != nil {
			return none, err
		}
		for _, r := range rs {
			if slices.Contains([]contract.ReviewState{reading.Planned, reading.Underway, reading.Submitted}, r.State) {
				open = append(open, r)
			}
		}
	}
	switch len(open) {
	case 0:
		return none, fmt.Errorf(
			"%w: the system has the name %s, and no review of %s is open; add one with dtally review "+
				"add, or name another with --review",
			errNotFound,
			says,
			strings.Join(keys, " or "),
		)
	case 1:
		fmt.Fprintf(cmd.ErrOrStderr(), "the system has the name %s: using %s\n", says, open[0].Edition)
		return c.ShowReview(cmd.Context(), open[0].Id)
	}
	which := make([]string, len(open))
	for i, r := range open {
		which[i] = r.Edition + " (" + r.Id + ")"
	}
	return none, wrongUsage(
		"the system has the name %s, which can be any of %s; name the review with --review", says, list(which),
	)
}

// matchable lists the catalogue's editions with the attributes that a system states.
func (s *session) matchable(cmd *cobra.Command, c *client.Client) ([]slip.Edition, error) {
	names := map[string]string{}
	ds, err := s.distributions(cmd, c, contract.ListDistributionsParams{})
	if err != nil {
		return nil, err
	}
	for _, d := range ds {
		names[d.Key] = d.Name
	}
	es, err := s.editions(cmd, c, contract.ListEditionsParams{})
	if err != nil {
		return nil, err
	}
	var out []slip.Edition
	for _, e := range es {
		out = append(out, slip.Edition{
			Key: catalogue.EditionKey(
				e.Distribution, e.Release, e.Key,
			), Distribution: e.Distribution, Name: names[e.Distribution], Version: e.Release,
			Variant: e.Key, Line: e.Line, Desktop: e.Desktop, Architecture: e.Architecture,
		})
	}
	return out, nil
}

// there reads what the review holds, and its entries with their revisions.
func (s *session) there(
	cmd *cobra.Command,
	c *client.Client,
	review, reviewer string,
) (slip.There, []contract.EntryView, error) {
	there := slip.There{Reviewer: reviewer}
	rs, err := c.ListReadings(cmd.Context(), review)
	if err != nil {
		return there, nil, err
	}
	there.Readings = rs.Value.Readings
	es, err := c.ListEntries(cmd.Context(), review)
	if err != nil {
		return there, nil, err
	}
	for _, e := range es.Value.Entries {
		if e.Entry.System != nil {
			there.States = append(there.States, *e.Entry.System)
		}
	}
	return there, es.Value.Entries, nil
}

// knownRigs refuses steps on unknown rigs.
func (s *session) knownRigs(cmd *cobra.Command, c *client.Client, steps []slip.Step) error {
	rigs, err := s.rigs(cmd, c)
	if err != nil {
		return err
	}
	known := map[string]bool{"": true}
	var keys []string
	for _, r := range rigs {
		known[r.Key] = true
		keys = append(keys, r.Key)
	}
	for i := range steps {
		x := &steps[i]
		if r := x.Reading; r != nil && !known[r.Rig] && x.Fate != slip.Same {
			x.Fate, x.Why = slip.Refused, fmt.Sprintf("there is no rig %q; the rigs are %s", r.Rig, list(keys))
		}
		if st := x.State; st != nil && !known[st.Rig] && x.Fate != slip.Same {
			x.Fate, x.Why = slip.Refused, fmt.Sprintf("there is no rig %q; the rigs are %s", st.Rig, list(keys))
		}
	}
	return nil
}

func tally(steps []slip.Step, fate slip.Fate) (n int) {
	for _, x := range steps {
		if x.Fate == fate {
			n++
		}
	}
	return n
}

var stepsTable = tables.Define("steps", "what happens to an entry of a slip",
	tables.Text("fate", "What happens", ""),
	tables.Text("subject", "To", "criterion or system state"),
	tables.Text("rig", "Rig", "its key"),
	tables.Text("context", "Context", "method, setup, phase"),
	tables.Text("answer", "Answer", ""),
	tables.Text("remarks", "Remarks", ""),
)

func stepSheet(out *submitted, edition string) *sheet {
	t := sheetOf(stepsTable)
	t.heading = fmt.Sprintf("%s, review %s", edition, out.Review)
	for _, x := range out.Steps {
		var rig, where, answer string
		remarks := []string{}
		if x.Why != "" {
			remarks = append(remarks, x.Why)
		}
		if r := x.Reading; r != nil {
			rig, answer = r.Rig, answerText(&r.Answer)
			where = strings.Join(
				slices.DeleteFunc(
					[]string{r.Context.Method, r.Context.Setup, r.Context.Phase},
					func(s string) bool { return s == "" },
				),
				", ",
			)
			remarks = append(remarks, readingRemarks(r)...)
		}
		if x.State != nil {
			rig, answer = x.State.Rig, fmt.Sprintf("system state with %d facts", len(x.State.Facts))
		}
		t.Add(string(x.Fate), x.Subject, rig, where, answer, list(remarks))
	}
	var says []string
	for _, fate := range []slip.Fate{slip.New, slip.Replace, slip.Same, slip.Left, slip.Refused} {
		if n := tally(out.Steps, fate); n > 0 {
			says = append(says, fmt.Sprintf("%d %s", n, fate))
		}
	}
	t.note = list(says)
	if len(says) == 0 {
		t.note = "The slip is empty."
	}
	return t
}

// batch is what the steps write, with the step of each part.
func batch(steps []slip.Step, entries []contract.EntryView) (b contract.Batch, states, readings []int, err error) {
	for i, x := range steps {
		switch {
		case x.Fate != slip.New && x.Fate != slip.Replace:
		case x.State != nil:
			one := contract.BatchState{System: *x.State}
			for _, e := range entries {
				if e.Entry.System != nil && e.Entry.System.ID == x.State.ID {
					one.Revision = e.Revision
				}
			}
			b.States, states = append(b.States, one), append(states, i)
		default:
			one := contract.BatchReading{Id: x.Reading.ID}
			if err := retake(x.Reading, &one.Reading); err != nil {
				return b, nil, nil, err
			}
			one.Reading.Confirm = x.Confirm
			b.Readings, readings = append(b.Readings, one), append(readings, i)
		}
	}
	return b, states, readings, nil
}

// tryOut lets the service check what would be written, and marks what it refuses.
func (s *session) tryOut(
	cmd *cobra.Command,
	c *client.Client,
	review string,
	steps []slip.Step,
	entries []contract.EntryView,
) error {
	b, states, readings, err := batch(steps, entries)
	if err != nil || len(states)+len(readings) == 0 {
		return err
	}
	b.Trial = true
	_, err = c.RecordBatch(cmd.Context(), review, b)
	var no *client.Refusal
	if !errors.As(err, &no) || len(no.Errors) == 0 {
		return err
	}
	for _, e := range no.Errors {
		var n int
		var of []int
		if _, scanned := fmt.Sscanf(e.Pointer, "/states/%d", &n); scanned == nil {
			of = states
		} else if _, scanned := fmt.Sscanf(e.Pointer, "/readings/%d", &n); scanned == nil {
			of = readings
		}
		if n >= len(of) {
			return err
		}
		x := &steps[of[n]]
		x.Why = strings.TrimPrefix(
			cmp.Or(map[bool]string{true: x.Why + "; "}[x.Fate == slip.Refused], "")+partOf(e.Pointer)+e.Detail, "; ",
		)
		x.Fate = slip.Refused
	}
	return nil
}

// partOf returns the field in a batch to which a pointer leads, with a space; empty if it leads to a whole part.
func partOf(pointer string) string {
	parts := strings.SplitN(strings.TrimPrefix(pointer, "/"), "/", 3)
	if len(parts) < 3 {
		return ""
	}
	return strings.TrimPrefix(strings.TrimPrefix(parts[2], "system/"), "reading/") + " "
}

// send executes the steps, all or none.
func (s *session) send(
	cmd *cobra.Command,
	c *client.Client,
	review string,
	steps []slip.Step,
	entries []contract.EntryView,
) error {
	b, _, _, err := batch(steps, entries)
	if err != nil {
		return err
	}
	_, err = c.RecordBatch(cmd.Context(), review, b)
	if err != nil {
		return fmt.Errorf("nothing was sent: %w", err)
	}
	return nil
}

// retake copies the fields that two types name in the same way.
func retake(from *reading.Reading, to *contract.NewReading) error {
	data, err := json.Marshal(from)
	if err != nil {
		return err
	}
	return json.Unmarshal(data, to)
}
