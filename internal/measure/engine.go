// Package measure takes the measures of a checklist automatically: it runs their procedures in turns until each is
// precise enough, watches the machine, and writes every run to a journal.
package measure

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/clock"
	"dappertally/internal/survey"
)

// ErrRestart ends a bench whose runs are spread over more starts of the machine: restart it, and continue.
var ErrRestart = errors.New("the next runs need another start of the machine")

// Stopped means that a rule of the checklist stopped the bench.
type Stopped struct{ Why string }

func (s *Stopped) Error() string {
	return fmt.Sprintf("stopped by the checklist's rules: %s; fix that, and continue with --resume", s.Why)
}

// Bench measures the criteria of a review on one machine.
type Bench struct {
	Tasks []*Task
	// Reference is the criterion that shows whether the machine itself has changed. It runs first in every session;
	// nil: none.
	Reference *checklist.Criterion
	Journal   *Journal
	Machine   Machine
	Kit       string // folder of the test files
	Progress  func(t *Task, e *Entry)
	Waiting   func(why string) // called when a run must wait, with the reason
	Streamed  bool             // called with every run
	Patience  time.Duration    // how long a run waits for a condition to pass; 0: as the rules say
	list      *checklist.Checklist
	boot      string
}

// New prepares to measure criteria of a checklist, all of which have a procedure, and reads their runs from the
// journal.
func New(list *checklist.Checklist, criteria []*checklist.Criterion, j *Journal, m Machine) *Bench {
	b := &Bench{
		Journal: j, Machine: m, boot: m.Boot(), list: list,
		Progress: func(*Task, *Entry) {}, Waiting: func(string) {},
	}
	for _, c := range criteria {
		b.Tasks = append(b.Tasks, newTask(list, c))
	}
	for i := range j.Entries {
		if t := b.task(j.Entries[i].Criterion); t != nil && j.Entries[i].Session == "" {
			t.addEntry(&j.Entries[i])
		}
	}
	return b
}

func (b *Bench) task(criterion string) *Task {
	for _, t := range b.Tasks {
		if t.Criterion.Key == criterion {
			return t
		}
	}
	return nil
}

// Run runs what is left in turns, in an order that depends on the seed and on earlier runs, until nothing is left. It
// returns ErrRestart if the rest belongs to another start of the machine.
func (b *Bench) Run(ctx context.Context) error {
	if err := b.runReference(ctx); err != nil {
		return err
	}
	for {
		turn, elsewhere := b.left()
		if len(turn) == 0 {
			if elsewhere {
				return ErrRestart
			}
			return nil
		}
		order := rand.New(rand.NewPCG(b.Journal.Header.Seed, uint64(len(b.Journal.Entries))))
		order.Shuffle(len(turn), func(i, j int) { turn[i], turn[j] = turn[j], turn[i] })
		for _, t := range turn {
			if err := b.run(ctx, t, ""); err != nil {
				return err
			}
		}
	}
}

// runReference runs the rig's reference if anything else is left to run.
func (b *Bench) runReference(ctx context.Context) error {
	if turn, _ := b.left(); b.Reference == nil || len(turn) == 0 {
		return nil
	}
	t := newTask(b.list, b.Reference)
	session := time.Now().UTC().Format(time.RFC3339)
	for enough := false; !enough && t.GivenUp == ""; enough, _ = t.Wanted.Enough(t.Values) {
		if err := b.run(ctx, t, session); err != nil {
			return err
		}
	}
	return nil
}

// References returns the sessions of the rig's reference, each as a separate task, ordered by time, without those
// whose runs did not count.
func (b *Bench) References() (sessions []string, tasks []*Task) {
	if b.Reference == nil {
		return nil, nil
	}
	for i := range b.Journal.Entries {
		e := &b.Journal.Entries[i]
		if e.Session == "" {
			continue
		}
		if n := len(sessions); n == 0 || sessions[n-1] != e.Session {
			sessions, tasks = append(sessions, e.Session), append(tasks, newTask(b.list, b.Reference))
		}
		tasks[len(tasks)-1].addEntry(e)
	}
	for i := len(tasks) - 1; i >= 0; i-- {
		if len(tasks[i].Values) == 0 {
			sessions, tasks = slices.Delete(sessions, i, i+1), slices.Delete(tasks, i, i+1)
		}
	}
	return sessions, tasks
}

// left returns what to run in this start of the machine, and whether more is left for others.
func (b *Bench) left() (turn []*Task, elsewhere bool) {
	for _, t := range b.Tasks {
		here, measured := t.done(b.boot)
		if !here {
			turn = append(turn, t)
		}
		elsewhere = elsewhere || !measured
	}
	return turn, elsewhere
}

// run makes one run of a task and records it. session is when the session of a reference began; empty: it is not a
// reference.
func (b *Bench) run(ctx context.Context, t *Task, session string) error {
	e := Entry{
		Criterion: t.Criterion.Key,
		Session:   session,
		Boot:      b.boot,
		Discarded: t.Discarded < t.Criterion.Procedure.Sampling.Discard,
	}
	stop, err := b.once(ctx, t, &e)
	var failed *clock.Failure
	var unread *unread
	switch {
	case ctx.Err() != nil:
		return ctx.Err()
	case errors.As(err, &failed), errors.As(err, &unread):
		e.Failed = err.Error()
	case err != nil:
		return fmt.Errorf("%s: %w", t.Criterion.Key, err)
	}
	if err := b.Journal.Add(e); err != nil {
		return err
	}
	t.addEntry(&e)
	b.Progress(t, &e)
	if stop != "" {
		return &Stopped{stop}
	}
	return nil
}

// Receive adds a run that was made elsewhere.
func (b *Bench) Receive(e Entry) error {
	if e.Session != "" {
		return b.Journal.Add(e)
	}
	t := b.task(e.Criterion)
	if t == nil {
		return fmt.Errorf("a run of %s, which is not measured here", e.Criterion)
	}
	if err := b.Journal.Add(e); err != nil {
		return err
	}
	t.addEntry(&e)
	b.Progress(t, &e)
	return nil
}

// Told is one line of the stream of a bench elsewhere: a run, or why it waits, or that the rest belongs to another
// start of the machine.
type Told struct {
	Run     *Entry `json:"run,omitempty"`
	Waiting string `json:"waiting,omitempty"`
	Restart bool   `json:"restart,omitempty"`
}

// surveyed returns a fact of the machine that is a number.
func (b *Bench) surveyed(ctx context.Context, key string) (float64, error) {
	taken := survey.Take(ctx, survey.At(b.Machine.Root), time.Now())
	f := taken.Fact(key)
	switch {
	case f == nil:
		return 0, fmt.Errorf("no survey of this machine has %s", key)
	case f.Value == nil:
		return 0, fmt.Errorf("%s cannot be read here: %s", key, f.Unknown)
	case f.Value.Sort != reading.FactNumber:
		return 0, fmt.Errorf("%s is not a number", key)
	}
	return f.Value.Number, nil
}

// aboveFloor fails if a peak cannot be distinguished from the memory that every program started here seems to use.
func aboveFloor(ctx context.Context, peak float64) error {
	overhead, err := clock.MeasureOverhead(ctx)
	if err != nil {
		return err
	}
	if floor := floorMargin * overhead.PeakMiB; peak <= floor {
		return fmt.Errorf(
			"it used less than %.0f MiB of memory, the minimum for programs started here: the exact "+
				"amount cannot be measured",
			floor,
		)
	}
	return nil
}

// floorMargin is how much more memory than a program that does nothing must be used to be distinguishable.
const floorMargin = 1.15

// unread is the error of a run whose figure could not be read.
type unread struct{ error }

func (u *unread) Unwrap() error { return u.error }

// once runs a procedure in a folder of its own. stop is why the bench stops after it.
func (b *Bench) once(ctx context.Context, t *Task, e *Entry) (stop string, err error) {
	p := t.Criterion.Procedure
	folder, err := os.MkdirTemp(b.Machine.Scratch, "dtally-measure-")
	if err != nil {
		return "", err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	for _, name := range p.Kit {
		if err := copyFile(within(b.Kit, name), within(folder, name)); err != nil {
			return "", fmt.Errorf("copying %s: %w", name, err)
		}
	}
	out, err := os.CreateTemp("", "dtally-measure-output-")
	if err != nil {
		return "", err
	}
	defer out.Close()
	if err := os.Remove(out.Name()); err != nil { // it is deleted when it is closed
		return "", err
	}
	r := run{p: p, folder: folder, limit: seconds(p.LimitTime()), out: out}
	for _, s := range p.Before {
		if _, err := clock.Execute(ctx, r.command(s, false)); err != nil {
			return "", fmt.Errorf("before the run, %s: %w", s, err)
		}
	}
	if p.Sampling.Caches == checklist.CachesDropped {
		if err := clock.Drop(); err != nil {
			return "", err
		}
	}
	if err := b.settle(ctx, seconds(p.SettleTime()), t.Rules); err != nil {
		return "", err
	}
	return b.measure(ctx, t, e, &r)
}

// run is one run of a procedure.
type run struct {
	p      *checklist.Procedure
	folder string
	limit  time.Duration
	out    *os.File // its output
	clock.Run
}

func (b *Bench) measure(ctx context.Context, t *Task, e *Entry, r *run) (stop string, err error) {
	before := b.Machine.look()
	e.At = before.at.UTC().Round(0)
	if err := r.steps(ctx); err != nil {
		return "", err
	}
	after := b.Machine.look()
	e.Wall = r.Wall
	c := between(before, after, r.User+r.System)
	e.Disturbance, stop = c.judge(t.Rules)
	e.Conditions = &c
	e.Value, err = b.figure(ctx, r, before, after)
	if err != nil {
		return stop, &unread{err}
	}
	return stop, nil
}

// steps runs the steps of a procedure; if a window is awaited, the last one runs until it appears.
func (r *run) steps(ctx context.Context) error {
	for i, s := range r.p.Steps {
		var one clock.Run
		var err error
		if i == len(r.p.Steps)-1 && r.p.Read.Figure == checklist.WindowTime {
			one, err = r.untilWindow(ctx, s)
			r.Wall = 0 // what is before the program does not belong to it
		} else {
			one, err = clock.Execute(ctx, r.command(s, true))
		}
		if err != nil {
			return fmt.Errorf("%s: %w", s, err)
		}
		r.Wall, r.User, r.System = r.Wall+one.Wall, r.User+one.User, r.System+one.System
		r.PeakMiB = max(r.PeakMiB, one.PeakMiB)
	}
	return nil
}

func (r *run) untilWindow(ctx context.Context, s checklist.Step) (clock.Run, error) {
	w, err := watchWindows()
	if err != nil {
		return clock.Run{}, &unread{err}
	}
	defer w.close()
	one, err := clock.ExecuteUntil(ctx, r.command(s, true), func(group int) { go w.follow(group) }, w.reached)
	var failed *clock.Failure
	if errors.As(err, &failed) {
		return one, &unread{fmt.Errorf("%w: %w", errNoWindow, failed)}
	}
	return one, err
}

// figure returns what is read from a run.
func (b *Bench) figure(ctx context.Context, r *run, before, after look) (float64, error) {
	switch r.p.Read.Figure {
	case checklist.WallTime, checklist.WindowTime:
		return r.Wall, nil
	case checklist.UserTime:
		return r.User, nil
	case checklist.SystemTime:
		return r.System, nil
	case checklist.PeakMemory:
		return r.PeakMiB, aboveFloor(ctx, r.PeakMiB)
	case checklist.Energy:
		x := after.joules - before.joules
		if x < 0 {
			x += b.Machine.wraps()
		}
		return x, nil
	case checklist.FromSurvey:
		return b.surveyed(ctx, r.p.Read.Fact)
	case checklist.FromFrames:
		return frameRate(&r.p.Read, r.folder, r.out)
	case checklist.LastNumber, checklist.ByPattern, checklist.ByPointer:
		text, err := output(&r.p.Read, r.folder, r.out)
		if err != nil {
			return 0, err
		}
		return printed(&r.p.Read, text)
	}
	return 0, fmt.Errorf("this program cannot read %s; a newer version may", r.p.Read.Figure)
}

// settle waits until the machine is at rest: as long as the procedure says, and longer if there is a disturbance that
// will pass. A machine that does not come to rest is measured anyway, and its runs say so.
func (b *Bench) settle(ctx context.Context, pause time.Duration, rules []checklist.Rule) error {
	pause = max(pause, 100*time.Millisecond)
	began := time.Now()
	for {
		before := b.Machine.look()
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(pause):
		}
		c := between(before, b.Machine.look(), 0)
		if _, stop := c.judge(rules); stop != "" {
			return &Stopped{stop}
		}
		why := b.unrest(&c, rules, time.Since(began))
		if why == "" {
			return nil
		}
		b.Waiting(why)
	}
}

// unrest returns what a run still has to wait for, after it has waited so long; empty: nothing.
func (b *Bench) unrest(c *Conditions, rules []checklist.Rule, waited time.Duration) string {
	var found []string
	for i := range rules {
		r := &rules[i]
		patience := b.Patience
		if patience == 0 {
			patience = seconds(r.Patience())
		}
		if says := c.breaks(r); says != "" && r.Do == checklist.Await && waited < patience {
			found = append(found, says)
		}
	}
	return strings.Join(found, "; ")
}

// command returns a step as a command, with its output kept or not.
func (r *run) command(s checklist.Step, kept bool) clock.Command {
	args := s.Run
	if s.Shell != "" {
		args = []string{"sh", "-c", s.Shell}
	}
	c := clock.Command{Args: args, Folder: r.folder, Environment: []string{}, Limit: r.limit}
	if kept {
		c.Output = r.out
	}
	for name, value := range r.p.Environment {
		c.Environment = append(c.Environment, name+"="+value)
	}
	return c
}

func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// within returns the path of a file in a folder; a checklist's rules ensure that its name is local.
func within(folder, name string) string { return filepath.Join(folder, filepath.Base(name)) }

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o755) // some are programs
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}
