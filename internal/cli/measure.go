package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
)

// measureFlags are what is measured and where it goes.
type measureFlags struct {
	review, rig, phase, setup string
	sheet, journal, slip, kit string
	resume, list, yes         bool
	restart, submit, stream   bool
	on                        []string // USER@HOST, or USER@HOST=RIG for several
	key, client               string
	started                   string // the start entry that started this command; empty: none
	seed                      uint64
	rest                      time.Duration
	machine                   measure.Machine
	cleanUp                   func()
}

func (s *session) measureCommand() *cobra.Command {
	f := measureFlags{cleanUp: func() {}}
	cmd := &cobra.Command{
		Use:   "measure [CRITERION…]",
		Short: "Run the checklist's automatic measurements on this machine",
		Long: "Run the procedures of a review's checklist on the machine under review: those that are not " +
			"measured on the rig yet, or the criteria that you name. All commands, test files and needs " +
			"are shown first, and you confirm once.\n\n" +
			"Procedures run in turns, in a random order from a seed that is shown, until the median of " +
			"each is precise enough or its maximum of runs is reached. A run that is disturbed (by other " +
			"programs, heat, a recorder, an update) is saved with the reason and repeated.\n\n" +
			"Every run is written to a journal before the next begins. --resume continues it, also after " +
			"a restart. If runs are spread over starts of the machine, the command shows when to " +
			"restart, or restarts by itself with --restart: it adds an entry that continues after the " +
			"next start, and removes the entry then. At the end the readings are on a slip, for dtally " +
			"submit.\n\n" +
			"Without a network, take a run sheet along: dtally measure pack FILE writes it, --sheet FILE " +
			"runs it.\n\n" +
			"--on USER@HOST measures another machine over SSH: it copies dtally there, runs it, brings " +
			"back every run as it is made and leaves nothing behind. Host keys are checked.",
		Example: "  dtally measure --review quaymark/22.1/latchwork --rig bench-old --list\n" +
			"  dtally measure photo-batch --review quaymark/22.1/latchwork --rig bench-old --list --output json",
		RunE: func(cmd *cobra.Command, named []string) error {
			defer func() { f.cleanUp() }()
			return s.measure(cmd, &f, named)
		},
	}
	p := cmd.Flags()
	reviewVar(p, &f.review)
	p.StringVar(&f.rig, "rig", "", "the rig of this machine (default: set with dtally at)")
	p.StringVar(&f.phase, "phase", "", "the phase, if the criterion names none")
	p.StringVar(&f.setup, "setup", "", "the setup, if the criterion names none")
	p.StringVar(&f.sheet, "sheet", "", "a run sheet, instead of the service")
	p.StringVar(
		&f.journal,
		"journal",
		"",
		"file that every run is written to (default: measure-REVIEW-RIG.journal)",
	)
	p.StringVar(&f.slip, "slip", "", "slip for the readings (default: beside the journal)")
	p.StringVar(&f.kit, "test-files", "test-files", "folder for the test files, which are downloaded and verified")
	p.StringVar(
		&f.machine.Scratch,
		"scratch",
		"",
		"folder in which each run gets its own folder (default: the temporary folder)",
	)
	p.BoolVar(&f.resume, "resume", false, "continue with the journal")
	p.BoolVar(
		&f.restart,
		"restart",
		false,
		"restart the machine when needed, and continue automatically",
	)
	p.BoolVar(&f.submit, "submit", false, "send the slip at the end, without asking")
	p.StringArrayVar(&f.on, "on", nil,
		"measure the machine USER@HOST[:PORT] over SSH; several at once as USER@HOST=RIG, each with "+
			"its own rig")
	p.StringVar(&f.key, "key", "", "private key file for --on (default: the agent, then the usual files)")
	p.StringVar(
		&f.client,
		"client",
		"",
		"the dtally to copy with --on (default: this one, or the service's)",
	)
	p.BoolVar(&f.stream, "stream", false, "print every run as a line of JSON")
	if err := p.MarkHidden("stream"); err != nil {
		panic(err) // it was defined above
	}
	p.BoolVar(&f.list, "list", false, "only show what would run, and how long it takes")
	p.BoolVar(&f.yes, "yes", false, "do not ask before running the commands")
	p.DurationVar(
		&f.rest,
		"rest",
		0,
		"how long a run can wait for the machine to become idle (default: as in the rules)",
	)
	p.StringVar(&f.machine.Root, "root", "/", "folder with the kernel's files on the state of the machine")
	p.Uint64Var(&f.seed, "seed", 0, "seed of the run order (default: random)")
	cmd.AddCommand(s.packCommand())
	return cmd
}

// load determines what to measure: from a run sheet, or from the service.
func (f *measureFlags) load(s *session, cmd *cobra.Command) (*measure.Sheet, error) {
	if f.sheet == "" {
		sheet, at, err := s.onlineSheet(cmd, f.review, f.kit)
		f.rig, f.phase, f.setup = cmp.Or(f.rig, at.Rig), cmp.Or(f.phase, at.Phase), cmp.Or(f.setup, at.Setup)
		return sheet, err
	}
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
			return fmt.Errorf("removing the entry that started this: %w", err)
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
		return wrongUsage("name the rig of this machine with --rig: values compare only on the same machine")
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
		fmt.Fprintf(cmd.ErrOrStderr(), "%s is skipped: %s\n", x.criterion.Key, x.why)
	}
	if len(able) == 0 {
		return errors.New("there is nothing to measure here; --list shows why")
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

// lacking is a criterion that cannot be measured here, and the reason.
type lacking struct {
	criterion *checklist.Criterion
	why       string
}

// able separates the criteria that can be measured on this machine from the others.
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

// reference returns the criterion that shows whether this machine has changed, if it can be measured here and is not
// measured anyway; otherwise nil.
func (f *measureFlags) reference(sheet *measure.Sheet, criteria []*checklist.Criterion) *checklist.Criterion {
	r := sheet.List.ReferenceCriterion()
	if r == nil || slices.Contains(criteria, r) || measure.Unmet(&sheet.List, r.Procedure, f.machine, f.kit) != "" {
		return nil
	}
	return r
}

// withReference returns what is run: the criteria, and the reference of the rig if there is one.
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
			f.seed = rand.Uint64() >> 32 // short enough to type
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

// fits refuses a journal of another measurement.
func (f *measureFlags) fits(h *measure.Header, sheet *measure.Sheet, hash string) error {
	switch {
	case h.Review != sheet.Review:
		return fmt.Errorf("%s belongs to another review, of %s", f.journal, h.Edition)
	case h.Rig != f.rig:
		return fmt.Errorf("%s was made on %s; this machine is %s", f.journal, h.Rig, f.rig)
	case h.Hash != hash:
		return fmt.Errorf(
			"the procedures of %s changed: earlier runs do not compare with new ones; start again with "+
				"another --journal, or name the same criteria as before",
			f.journal,
		)
	}
	return nil
}

// reporting sends the progress of a bench to the service, if somebody is signed in here. The returned context ends
// when somebody stops the bench in the console; the caller calls end when the bench has ended. A bench whose runs are
// streamed to another machine is reported from there.
func (s *session) reporting(ctx context.Context, f *measureFlags, b *measure.Bench) (_ context.Context, end func()) {
	c, err := s.plainly()
	if err != nil || !c.HasToken() || f.stream {
		return ctx, func() {}
	}
	return report(ctx, c, b)
}

// runBench runs, and adds the results to the slip.
func (s *session) runBench(cmd *cobra.Command, f *measureFlags, sheet *measure.Sheet, b *measure.Bench) error {
	shown := f.watch(cmd, b)
	ctx, told := s.reporting(cmd.Context(), f, b)
	err := b.Run(ctx)
	told()
	shown.end()
	switch {
	case cmd.Context().Err() == nil && ctx.Err() != nil && errors.Is(err, ctx.Err()):
		return fmt.Errorf(
			"%w after %s; continue with --resume",
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
			"Restart the machine now, and continue with: dtally measure --resume --journal %s, and the "+
				"same other flags\n",
			f.journal,
		)
		return s.printMeasured(cmd, b)
	case cmd.Context().Err() == context.Canceled:
		return fmt.Errorf("stopped after %s; continue with --resume", numerals.Count(len(b.Journal.Entries), "run"))
	case err != nil:
		return err
	}
	return s.finish(cmd, f, sheet, b)
}
