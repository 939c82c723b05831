package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/wholefile"
)

// measureFlags is what is measured and where it goes.
type measureFlags struct {
	review, rig, phase, setup string
	sheet, journal, slip, kit string
	resume, list, yes         bool
	restart, handIn, stream   bool
	bySheet                   bool     // there may be no service
	on                        []string // USER@HOST, or USER@HOST=RIG where they are several
	key, client               string
	started                   string // the start entry that this command was run by; empty: none
	seed                      uint64
	rest                      time.Duration
	machine                   measure.Machine
	cleanUp                   func()
}

func (s *session) measureCommand() *cobra.Command {
	f := measureFlags{cleanUp: func() {}}
	cmd := &cobra.Command{
		Use:   "measure [CRITERION…]",
		Short: "Measure what the checklist says how to, on this machine",
		Long: "Run the procedures of a review's checklist on the machine under review: those that are not measured " +
			"on the rig yet, or the criteria named. " +
			"Every command, test file and need is shown first and confirmed once.\n\n" +
			"Procedures run in turns, in a random order from a seed that is shown, until the median of each is " +
			"precise enough or it has had its most runs. " +
			"A run that something disturbs (other programs, heat, a recorder, an update) is kept, says why, and is " +
			"made again.\n\n" +
			"Every run is written to a journal before the next begins. --resume goes on with it, also after a " +
			"restart: where runs are spread over starts of the machine, the command says when to restart, or restarts by " +
			"itself with --restart: it writes an entry that makes the machine go on after its next start, and removes it " +
			"then. " +
			"At the end the readings are on a slip, for dtally hand-in.\n\n" +
			"Without a network, take a run sheet along: dtally measure pack FILE writes it, --sheet FILE runs it.\n\n" +
			"--on USER@HOST measures another machine from here, by SSH: it carries dtally over, runs it there, brings every " +
			"run back as it is made and leaves nothing behind. Host keys are checked.",
		Example: "  dtally measure --review quaymark/22.1/latchwork --rig bench-old --list\n" +
			"  dtally measure photo-batch --review quaymark/22.1/latchwork --rig bench-old --list --output json",
		RunE: func(cmd *cobra.Command, named []string) error {
			defer func() { f.cleanUp() }()
			return s.measure(cmd, &f, named)
		},
	}
	p := cmd.Flags()
	reviewVar(p, &f.review)
	p.StringVar(&f.rig, "rig", "", "the rig that this machine is (default: as dtally at has set it)")
	p.StringVar(&f.phase, "phase", "", "the phase, where the criterion does not name one")
	p.StringVar(&f.setup, "setup", "", "the setup, where the criterion does not name one")
	p.StringVar(&f.sheet, "sheet", "", "a run sheet, instead of asking the service")
	p.StringVar(
		&f.journal,
		"journal",
		"",
		"the file that every run is written to (default: measure-REVIEW-RIG.journal)",
	)
	p.StringVar(&f.slip, "slip", "", "the slip that the readings are added to (default: beside the journal)")
	p.StringVar(&f.kit, "kit", "kit", "the folder of the test files, which are fetched and verified")
	p.StringVar(
		&f.machine.Scratch,
		"scratch",
		"",
		"the folder in which each run gets one of its own (default: the one for temporary files)",
	)
	p.BoolVar(&f.resume, "resume", false, "go on with the journal")
	p.BoolVar(
		&f.restart,
		"restart",
		false,
		"restart the machine where runs belong to another start, and go on by itself",
	)
	p.BoolVar(&f.handIn, "hand-in", false, "send the slip at the end, without asking")
	p.StringArrayVar(&f.on, "on", nil,
		"measure the machine USER@HOST[:PORT] by SSH; several at once as USER@HOST=RIG, each a rig of its own")
	p.StringVar(&f.key, "key", "", "the file of the private key for --on (default: the agent, then the usual files)")
	p.StringVar(
		&f.client,
		"client",
		"",
		"the dtally to carry over with --on (default: this one, or what the service has)",
	)
	p.BoolVar(&f.stream, "stream", false, "print every run as a line of JSON")
	if err := p.MarkHidden("stream"); err != nil {
		panic(err) // it was defined above
	}
	p.BoolVar(&f.list, "list", false, "only show what would be done, and how long it takes")
	p.BoolVar(&f.yes, "yes", false, "do not ask before running the commands")
	p.DurationVar(
		&f.rest,
		"rest",
		0,
		"how long a run may wait for the machine to come to rest (default: as the rules say)",
	)
	p.StringVar(&f.machine.Root, "root", "/", "the folder below which the kernel's files say how the machine is")
	p.Uint64Var(&f.seed, "seed", 0, "the seed of the order of runs (default: a random one)")
	cmd.AddCommand(s.packCommand())
	return cmd
}

func (s *session) packCommand() *cobra.Command {
	var review, kit string
	cmd := &cobra.Command{
		Use:   "pack FILE",
		Short: "Write a run sheet for a machine without a network",
		Long: "Write the checklist, the review and the test files into one file, for a stick. On the machine under " +
			"review, dtally measure --sheet FILE runs it without a network.",
		Example: "  dtally measure pack quaymark.sheet --review quaymark/22.1/latchwork\n" +
			"  dtally measure pack stick/quaymark.sheet --review quaymark/22.1/latchwork --kit stick/kit",
		Args: args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			sheet, _, err := s.onlineSheet(cmd, review, kit)
			if err != nil {
				return err
			}
			if err := wholefile.Write(a[0], func(w io.Writer) error { return sheet.Write(w, kit) }); err != nil {
				return err
			}
			criteria, err := sheet.Criteria(nil, "")
			if err != nil {
				return err
			}
			fmt.Fprintf(
				cmd.ErrOrStderr(),
				"wrote %s: %s of %s, %s\n",
				a[0],
				numerals.Count(
					len(criteria),
					"procedure",
				),
				sheet.Edition,
				numerals.Count(len(sheet.Kit()), "test file"),
			)
			return nil
		},
	}
	reviewVar(cmd.Flags(), &review)
	cmd.Flags().StringVar(&kit, "kit", "kit", "the folder of the test files, which are fetched and verified")
	return cmd
}

// onlineSheet asks the service what is to be measured, and fetches the test files.
func (s *session) onlineSheet(cmd *cobra.Command, review, kit string) (*measure.Sheet, bearings, error) {
	c, err := s.connect()
	if err != nil {
		return nil, bearings{}, err
	}
	r, at, err := s.atReview(cmd, c, review)
	if err != nil {
		return nil, at, err
	}
	list, err := s.fetchChecklist(cmd, c, r.Value.Checklist)
	if err != nil {
		return nil, at, err
	}
	readings, err := c.ListReadings(cmd.Context(), r.Value.Id)
	if err != nil {
		return nil, at, err
	}
	sheet := &measure.Sheet{Review: r.Value.Id, Edition: r.Value.Edition, List: list.Value}
	for _, x := range readings.Value.Readings {
		if len(x.Answer.Runs) > 0 && x.Disturbance == "" {
			sheet.Measured = append(sheet.Measured, measure.Measured{Criterion: x.Criterion, Rig: x.Rig})
		}
	}
	if err := knownTimes(cmd, c, sheet); err != nil {
		return nil, at, err
	}
	return sheet, at, s.fetchTestFiles(cmd, c, sheet, kit)
}

// knownTimes adds to a run sheet how long runs take at least, by the records of criteria that are times.
func knownTimes(cmd *cobra.Command, c *client.Client, sheet *measure.Sheet) error {
	book, err := c.ListRecords(cmd.Context(), contract.ListRecordsParams{})
	if err != nil {
		return err
	}
	for i := range book.Value.Records {
		r := &book.Value.Records[i]
		of, ok := sheet.List.Criterion(r.Criterion)
		if !ok || of.Procedure == nil || r.Unit == "" || r.Better != "lower" || of.Procedure.UnitOf(of) != r.Unit ||
			(checklist.Context{Method: r.Method, Setup: r.Setup, Phase: r.Phase}) != of.Context {
			continue
		}
		seconds, err := slip.Convert([]float64{r.Newest().Value}, r.Unit, "s")
		if err != nil {
			continue // it is no time
		}
		sheet.Known = append(
			sheet.Known, measure.KnownTime{Criterion: r.Criterion, Rig: r.Rig, Seconds: seconds[0]})
	}
	return nil
}

func (s *session) fetchTestFiles(cmd *cobra.Command, c *client.Client, sheet *measure.Sheet, kit string) error {
	files := sheet.Kit()
	if len(files) == 0 {
		return nil
	}
	root, err := below(kit)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, f := range files {
		state, err := fetchFile(cmd, c, root, f)
		if err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
		if state != kitFetched && state != kitThere {
			fmt.Fprintf(cmd.ErrOrStderr(), "%s %s\n", f.Name, state)
		}
	}
	return nil
}

// load finds out what is to be measured: from a run sheet, or from the service.
func (f *measureFlags) load(s *session, cmd *cobra.Command) (*measure.Sheet, error) {
	if f.sheet == "" {
		sheet, at, err := s.onlineSheet(cmd, f.review, f.kit)
		f.rig, f.phase, f.setup = cmp.Or(f.rig, at.Rig), cmp.Or(f.phase, at.Phase), cmp.Or(f.setup, at.Setup)
		return sheet, err
	}
	f.bySheet = true
	folder, err := os.MkdirTemp("", "dtally-kit-")
	if err != nil {
		return nil, err
	}
	f.kit, f.cleanUp = folder, func() { _ = os.RemoveAll(folder) }
	return measure.OpenSheet(f.sheet, folder)
}

func (s *session) measure(cmd *cobra.Command, f *measureFlags, named []string) error {
	if !f.list {
		started, err := f.entry().Remove()
		if err != nil {
			return fmt.Errorf("removing the entry that this was started by: %w", err)
		}
		f.started = started
	}
	sheet, err := f.load(s, cmd)
	if err != nil {
		return err
	}
	if len(f.on) > 0 {
		return s.measureElsewhere(cmd, f, sheet, named)
	}
	if f.rig == "" {
		return wrongUsage("say with --rig which rig this machine is: figures compare on the same machine alone")
	}
	criteria, err := sheet.Criteria(named, f.rig)
	if err != nil {
		return err
	}
	able, lacking := f.able(&sheet.List, criteria)
	reference := f.reference(sheet, criteria)
	if f.list {
		return s.print(cmd, planned(able, lacking, reference), planSheet(sheet, f.rig, able, lacking, reference))
	}
	for _, x := range lacking {
		fmt.Fprintf(cmd.ErrOrStderr(), "%s is left out: %s\n", x.criterion.Key, x.why)
	}
	if len(able) == 0 {
		return errors.New("nothing is left to measure here; --list says why")
	}
	if err := f.agree(cmd, sheet, able, lacking, reference); err != nil {
		return err
	}
	b, err := f.bench(cmd, sheet, able, reference)
	if err != nil {
		return err
	}
	defer b.Journal.Close()
	return s.runBench(cmd, f, sheet, b)
}

// lacking is a criterion that cannot be measured here, and why.
type lacking struct {
	criterion *checklist.Criterion
	why       string
}

// able tells the criteria that can be measured on this machine from the others.
func (f *measureFlags) able(
	list *checklist.Checklist, criteria []*checklist.Criterion,
) (able []*checklist.Criterion, not []lacking) {
	for _, c := range criteria {
		if why := measure.Unmet(list, c.Procedure, f.machine, f.kit); why != "" {
			not = append(not, lacking{c, why})
		} else {
			able = append(able, c)
		}
	}
	return able, not
}

// reference is the criterion that shows whether this machine has changed, where it can be measured here and is none of
// those that are measured anyway; else nil.
func (f *measureFlags) reference(sheet *measure.Sheet, criteria []*checklist.Criterion) *checklist.Criterion {
	r := sheet.List.ReferenceCriterion()
	if r == nil || slices.Contains(criteria, r) || measure.Unmet(&sheet.List, r.Procedure, f.machine, f.kit) != "" {
		return nil
	}
	return r
}

// withReference is what is run: the criteria, and the reference of the rig where there is one.
func withReference(able []*checklist.Criterion, reference *checklist.Criterion) []*checklist.Criterion {
	if reference == nil {
		return able
	}
	return append([]*checklist.Criterion{reference}, able...)
}

// bench opens the journal.
func (f *measureFlags) bench(
	cmd *cobra.Command,
	sheet *measure.Sheet,
	able []*checklist.Criterion,
	reference *checklist.Criterion,
) (*measure.Bench, error) {
	short, _, _ := strings.Cut(sheet.Review[len(sheet.Review)-min(12, len(sheet.Review)):], "/")
	f.journal = cmp.Or(f.journal, fmt.Sprintf("measure-%s-%s.journal", short, f.rig))
	f.slip = cmp.Or(f.slip, f.beside(".slip"))
	hash := measure.Hash(&sheet.List, withReference(able, reference))
	var j *measure.Journal
	var err error
	if f.resume {
		j, err = measure.Resume(f.journal)
		if err == nil {
			err = f.fits(&j.Header, sheet, hash)
		}
	} else {
		for f.seed == 0 {
			f.seed = rand.Uint64() >> 32 // short enough to be typed
		}
		j, err = measure.Create(f.journal, measure.Header{
			Review: sheet.Review, Edition: sheet.Edition, Checklist: sheet.List.Name(), Hash: hash,
			Rig: f.rig, Phase: f.phase, Setup: f.setup, Seed: f.seed, Began: time.Now().UTC().Truncate(time.Second),
		})
	}
	if err != nil {
		return nil, err
	}
	f.phase, f.setup = j.Header.Phase, j.Header.Setup
	fmt.Fprintf(cmd.ErrOrStderr(), "seed %d, journal %s\n", j.Header.Seed, f.journal)
	b := measure.New(&sheet.List, able, j, f.machine)
	b.Kit, b.Patience, b.Reference = f.kit, f.rest, reference
	return b, nil
}

// fits refuses a journal of something else.
func (f *measureFlags) fits(h *measure.Header, sheet *measure.Sheet, hash string) error {
	switch {
	case h.Review != sheet.Review:
		return fmt.Errorf("%s is of another review, of %s", f.journal, h.Edition)
	case h.Rig != f.rig:
		return fmt.Errorf("%s was made on %s, and this machine is %s", f.journal, h.Rig, f.rig)
	case h.Hash != hash:
		return fmt.Errorf(
			"the procedures are not those of %s any more: what was run before does not compare; begin anew with "+
				"another --journal, "+
				"or name the same criteria as before",
			f.journal,
		)
	}
	return nil
}

// reporting tells the service of a bench, unless there is none at hand. The context that it returns ends when somebody
// stops the bench in the console; end is called when the bench has ended.
func (s *session) reporting(ctx context.Context, f *measureFlags, b *measure.Bench) (_ context.Context, end func()) {
	c, err := s.plainly()
	if f.bySheet || err != nil {
		return ctx, func() {}
	}
	return report(ctx, c, b)
}

// runBench runs, and puts what was measured on the slip.
func (s *session) runBench(cmd *cobra.Command, f *measureFlags, sheet *measure.Sheet, b *measure.Bench) error {
	shown := f.watch(cmd, b)
	ctx, told := s.reporting(cmd.Context(), f, b)
	err := b.Run(ctx)
	told()
	shown.end()
	switch {
	case cmd.Context().Err() == nil && ctx.Err() != nil && errors.Is(err, ctx.Err()):
		return fmt.Errorf(
			"%w after %s; go on with --resume",
			context.Cause(ctx),
			numerals.Count(len(b.Journal.Entries), "run"),
		)
	case errors.Is(err, measure.ErrRestart) && f.stream:
		return json.NewEncoder(cmd.OutOrStdout()).Encode(measure.Told{Restart: true})
	case errors.Is(err, measure.ErrRestart) && f.restart:
		if err := f.goOnAfterRestart(cmd, sheet, b); err != nil {
			return err
		}
		return s.printMeasured(cmd, b)
	case errors.Is(err, measure.ErrRestart):
		fmt.Fprintf(
			cmd.ErrOrStderr(),
			"Restart the machine now, and go on with: dtally measure --resume --journal %s, and the other flags as before\n",
			f.journal,
		)
		return s.printMeasured(cmd, b)
	case cmd.Context().Err() == context.Canceled:
		return fmt.Errorf("stopped after %s; go on with --resume", numerals.Count(len(b.Journal.Entries), "run"))
	case err != nil:
		return err
	}
	return s.finish(cmd, f, sheet, b)
}

// finish puts what was measured on the slip, and sends it where that is wanted.
func (s *session) finish(cmd *cobra.Command, f *measureFlags, sheet *measure.Sheet, b *measure.Bench) error {
	if f.stream {
		return nil // whoever reads the stream has the journal
	}
	x := f.readings(sheet, b)
	if err := dropKnown(f.slip, x); err != nil {
		return err
	}
	if len(x.Readings) > 0 {
		if err := f.enclose(x, b.Journal); err != nil {
			return err
		}
		f.tellOfEntry(x, b.Journal)
		if err := slip.Append(f.slip, x); err != nil {
			return err
		}
		fmt.Fprintf(cmd.ErrOrStderr(), "added %s to %s; send them with: dtally hand-in %s\n",
			numerals.Count(len(x.Readings), "reading"), f.slip, f.slip)
	}
	if f.restart && f.sheet == f.beside(".sheet") {
		if err := os.Remove(f.sheet); err != nil {
			return err
		}
	}
	if f.handIn {
		return s.handInMeasured(cmd, f, b)
	}
	return s.printMeasured(cmd, b)
}

// handInMeasured sends the slip of a bench.
func (s *session) handInMeasured(cmd *cobra.Command, f *measureFlags, b *measure.Bench) error {
	h := &b.Journal.Header
	resultSheet(h.Edition, h.Rig, measuredOf(b)).render(cmd.ErrOrStderr())
	x, err := slip.Load(f.slip)
	if errors.Is(err, os.ErrNotExist) {
		return errors.New("nothing was measured, so nothing is sent")
	}
	if err != nil {
		return err
	}
	return s.handIn(cmd, x, &destination{review: h.Review, yes: true, folder: filepath.Dir(f.slip)})
}

// printMeasured prints what the bench has measured so far.
func (s *session) printMeasured(cmd *cobra.Command, b *measure.Bench) error {
	if b.Streamed {
		return nil
	}
	results, h := measuredOf(b), &b.Journal.Header
	return s.print(cmd, results, resultSheet(h.Edition, h.Rig, results))
}

// readingSpace makes the ids of readings that are measured, so that a bench that is ended twice adds them once.
var readingSpace = uuid.MustParse("6f3d5a0e-8d0c-4a58-9a55-2f0b7c1d9e41")

// readings are what was measured, for a slip.
func (f *measureFlags) readings(sheet *measure.Sheet, b *measure.Bench) *slip.Slip {
	x := &slip.Slip{Review: sheet.Review, Edition: sheet.Edition}
	h := &b.Journal.Header
	for _, t := range b.Tasks {
		if len(t.Values) > 0 {
			of := fmt.Appendf(
				nil,
				"%s %s %s %d %s %d",
				h.Review,
				t.Criterion.Key,
				h.Rig,
				h.Seed,
				h.Began,
				len(t.Values),
			)
			x.Readings = append(x.Readings, measuredReading(t, h, lastOf(b.Journal, t.Criterion.Key), of))
		}
	}
	sessions, tasks := b.References()
	for i, t := range tasks {
		at, err := time.Parse(time.RFC3339, sessions[i])
		if err != nil {
			continue // somebody has written into the journal
		}
		of := fmt.Appendf(nil, "%s %s %s %d %s", h.Review, t.Criterion.Key, h.Rig, h.Seed, sessions[i])
		x.Readings = append(x.Readings, measuredReading(t, h, at, of))
	}
	return x
}

// measuredReading is what a task has measured. Its id follows from what it is of.
func measuredReading(t *measure.Task, h *measure.Header, at time.Time, of []byte) slip.Reading {
	c := t.Criterion
	r := newReading(at)
	r.ID = uuid.NewSHA1(readingSpace, of).String()
	r.Criterion, r.Rig = c.Key, h.Rig
	r.Method, r.Phase = c.Context.Method, cmp.Or(c.Context.Phase, h.Phase)
	r.Setup = cmp.Or(c.Context.Setup, h.Setup)
	r.Answer, r.Unit = words(shortened(t.Values)), t.Unit()
	r.Boots = slipBoots(t.Boots)
	r.Note = "measured by its procedure: " + t.Says()
	return r
}

// slipBoots are the starts of the machine that runs were made in, one id for each run, as a slip has them.
func slipBoots(ids []string) []slip.Boot {
	var boots []slip.Boot
	for _, b := range reading.InBoots(ids) {
		boots = append(boots, slip.Boot(b))
	}
	return boots
}

// enclose lays the runs and their conditions beside the slip, as evidence of its readings. What follows later in the
// journal is no part of it.
func (f *measureFlags) enclose(x *slip.Slip, j *measure.Journal) error {
	text, err := os.ReadFile(f.journal)
	if err != nil {
		return err
	}
	id := uuid.NewSHA1(readingSpace, text).String()
	name := fmt.Sprintf("runs-%s.txt", id[:8])
	if err := wholefile.Write(filepath.Join(filepath.Dir(f.slip), name), func(w io.Writer) error {
		_, err := w.Write(text)
		return err
	}); err != nil {
		return err
	}
	last := j.Entries[len(j.Entries)-1].At.Truncate(time.Second)
	x.Evidence = []slip.File{{
		ID: id, At: last, Name: name, Caption: fmt.Sprintf("Every run of dtally measure on %s, with how the machine "+
			"was", j.Header.Rig),
	}}
	return nil
}

// dropKnown leaves out the readings that a slip has already.
func dropKnown(file string, x *slip.Slip) error {
	there, err := slip.Load(file)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	x.Readings = slices.DeleteFunc(x.Readings, func(r slip.Reading) bool {
		return slices.ContainsFunc(there.Readings, func(old slip.Reading) bool { return old.ID == r.ID })
	})
	return nil
}

// shortened is values without digits that nobody measured.
func shortened(values []float64) []float64 {
	const digits = 1e6
	out := make([]float64, len(values))
	for i, x := range values {
		out[i] = math.Round(digits*x) / digits
	}
	return out
}

// lastOf is when the last run of a criterion began.
func lastOf(j *measure.Journal, criterion string) time.Time {
	var at time.Time
	for i := range j.Entries {
		if e := &j.Entries[i]; e.Criterion == criterion && e.Counts() {
			at = e.At
		}
	}
	return at
}
