// Package measure takes the measures of a checklist by itself: it runs their procedures in turns until each is precise
// enough, watches the machine meanwhile, and writes every run into a journal.
package measure

import (
	"context"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/clock"
	"dappertally/internal/survey"
)

// ErrRestart ends a bench whose runs are to be spread over more starts of the machine: restart it, and go on.
var ErrRestart = errors.New("the next runs belong to another start of the machine")

// ErrBattery ends a bench on a machine that runs on its battery.
var ErrBattery = errors.New("the machine runs on its battery: plug it in and go on with --resume")

// Bench measures the criteria of a review on one machine.
type Bench struct {
	Tasks    []*Task
	Journal  *Journal
	Machine  Machine
	Kit      string // folder of the test files
	Scratch  string // folder in which each run gets one of its own; empty: that for temporary files
	Progress func(t *Task, e *Entry)
	Waiting  func(why string) // is told why a run has to wait
	Rest     time.Duration    // how long a machine may take to come to rest
	boot     string
	floor    float64 // MiB: the memory that any program seems to have held that is started here
}

// New prepares to measure criteria, all of which have a procedure, and takes in what the journal has of them.
func New(criteria []*checklist.Criterion, j *Journal, m Machine) *Bench {
	b := &Bench{
		Journal: j, Machine: m, boot: m.Boot(), Rest: usualRest,
		Progress: func(*Task, *Entry) {}, Waiting: func(string) {},
	}
	for _, c := range criteria {
		b.Tasks = append(b.Tasks, newTask(c))
	}
	for i := range j.Entries {
		if t := b.task(j.Entries[i].Criterion); t != nil {
			t.take(&j.Entries[i])
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

// Run runs what is left in turns, in an order that the seed and what was run before decide, until nothing is left.
// It returns ErrRestart where the rest belongs to another start of the machine.
func (b *Bench) Run(ctx context.Context) error {
	overhead, err := clock.MeasureOverhead(ctx)
	if err != nil {
		return err
	}
	b.floor = overhead.PeakMiB
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
			if err := b.run(ctx, t); err != nil {
				return err
			}
		}
	}
}

// left is what is to be run in this start of the machine, and whether more is to be run in others.
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

// run makes one run of a task and writes it down.
func (b *Bench) run(ctx context.Context, t *Task) error {
	e := Entry{
		Criterion: t.Criterion.Key,
		Boot:      b.boot,
		Discarded: t.Discarded < t.Criterion.Procedure.Sampling.Discard,
	}
	err := b.once(ctx, t.Criterion.Procedure, &e)
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
	t.take(&e)
	b.Progress(t, &e)
	return nil
}

// surveyed is a fact of the machine that is a number.
func (b *Bench) surveyed(ctx context.Context, key string) (float64, error) {
	taken := survey.Take(ctx, survey.At(b.Machine.Root), time.Now())
	f := taken.Fact(key)
	switch {
	case f == nil:
		return 0, fmt.Errorf("no survey of this machine tells %s", key)
	case f.Value == nil:
		return 0, fmt.Errorf("%s cannot be told here: %s", key, f.Unknown)
	case f.Value.Sort != reading.FactNumber:
		return 0, fmt.Errorf("%s is no number", key)
	}
	return f.Value.Number, nil
}

// floorMargin is how much more memory than a program that does nothing one must hold to be told from it.
const floorMargin = 1.15

// unread is a run whose figure could not be read.
type unread struct{ error }

func (u *unread) Unwrap() error { return u.error }

// once runs a procedure in a folder of its own.
func (b *Bench) once(ctx context.Context, p *checklist.Procedure, e *Entry) (err error) {
	folder, err := os.MkdirTemp(b.Scratch, "dtally-measure-")
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, os.RemoveAll(folder)) }()
	for _, name := range p.Kit {
		if err := copyFile(within(b.Kit, name), within(folder, name)); err != nil {
			return fmt.Errorf("laying out %s: %w", name, err)
		}
	}
	out, err := os.CreateTemp("", "dtally-measure-output-")
	if err != nil {
		return err
	}
	defer out.Close()
	if err := os.Remove(out.Name()); err != nil { // it goes when it is closed
		return err
	}
	limit := seconds(p.LimitTime())
	for _, s := range p.Before {
		if _, err := clock.Execute(ctx, command(p, s, folder, limit, nil)); err != nil {
			return fmt.Errorf("before the run, %s: %w", s, err)
		}
	}
	if p.Sampling.Caches == checklist.CachesDropped {
		if err := clock.Drop(); err != nil {
			return err
		}
	}
	if err := b.settle(ctx, seconds(p.SettleTime())); err != nil {
		return err
	}
	return b.measure(ctx, p, e, folder, limit, out)
}

func (b *Bench) measure(
	ctx context.Context, p *checklist.Procedure, e *Entry, folder string, limit time.Duration, out *os.File,
) error {
	var run clock.Run
	before := b.Machine.look()
	e.At = before.at.UTC().Round(0)
	for _, s := range p.Steps {
		one, err := clock.Execute(ctx, command(p, s, folder, limit, out))
		if err != nil {
			return fmt.Errorf("%s: %w", s, err)
		}
		run.Wall, run.User, run.System = run.Wall+one.Wall, run.User+one.User, run.System+one.System
		run.PeakMiB = max(run.PeakMiB, one.PeakMiB)
	}
	after := b.Machine.look()
	e.Wall = run.Wall
	c := between(before, after, run.User+run.System)
	e.Conditions, e.Disturbance = &c, c.Disturbance()
	switch p.Read.Figure {
	case checklist.WallTime:
		e.Value = run.Wall
	case checklist.UserTime:
		e.Value = run.User
	case checklist.SystemTime:
		e.Value = run.System
	case checklist.PeakMemory:
		if e.Value = run.PeakMiB; e.Value <= floorMargin*b.floor {
			return &unread{fmt.Errorf(
				"it held less memory than %.0f MiB, with which every program begins that is started here: how much cannot be told",
				floorMargin*b.floor,
			)}
		}
	case checklist.Energy:
		if e.Value = after.joules - before.joules; e.Value < 0 {
			e.Value += b.Machine.wraps()
		}
	case checklist.FromSurvey:
		x, err := b.surveyed(ctx, p.Read.Fact)
		if err != nil {
			return &unread{err}
		}
		e.Value = x
	case checklist.LastNumber, checklist.ByPattern, checklist.ByPointer:
		text, err := output(&p.Read, folder, out)
		if err == nil {
			e.Value, err = printed(&p.Read, text)
		}
		if err != nil {
			return &unread{err}
		}
	}
	return nil
}

// settle waits until the machine is at rest: for as long as the procedure says, and longer where something disturbs.
// A machine that does not come to rest is measured all the same, and its runs say so.
func (b *Bench) settle(ctx context.Context, pause time.Duration) error {
	pause = max(pause, 100*time.Millisecond)
	until := time.Now().Add(b.Rest)
	for {
		before := b.Machine.look()
		if before.battery {
			return ErrBattery
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(pause):
		}
		why := b.Machine.atRest(before, b.Machine.look())
		if why == "" || time.Now().After(until) {
			return nil
		}
		b.Waiting(why)
	}
}

// command is a step as it is run.
func command(p *checklist.Procedure, s checklist.Step, folder string, limit time.Duration, out *os.File) clock.Command {
	args := s.Run
	if s.Shell != "" {
		args = []string{"sh", "-c", s.Shell}
	}
	c := clock.Command{Args: args, Folder: folder, Environment: []string{}, Limit: limit, Output: out}
	for name, value := range p.Environment {
		c.Environment = append(c.Environment, name+"="+value)
	}
	return c
}

func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// within is a file of a folder; its name is local, as a checklist's rules have it.
func within(folder, name string) string { return filepath.Join(folder, filepath.Base(name)) }

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}
