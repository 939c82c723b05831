package measure

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/clock"
	"dappertally/internal/numerals"
	"dappertally/internal/survey"
)

// Hash identifies the procedures of a checklist: it differs if a command, a test file or a rule of any of them does.
func Hash(list *checklist.Checklist, criteria []*checklist.Criterion) string {
	sum := sha256.New()
	lines := json.NewEncoder(sum)
	for _, c := range criteria {
		_ = lines.Encode([]any{c.Key, c.Unit, c.Procedure, list.Rules(c.Procedure)}) // a hash accepts everything
		for _, name := range c.Procedure.Kit {
			if i := slices.IndexFunc(list.Kit, func(f checklist.KitFile) bool { return f.Name == name }); i >= 0 {
				_ = lines.Encode(list.Kit[i].SHA256)
			}
		}
	}
	return hex.EncodeToString(sum.Sum(nil))
}

// Task is one criterion to be measured, and its progress.
type Task struct {
	Criterion *checklist.Criterion
	Rules     []checklist.Rule // rules for the conditions of the machine
	Wanted    measuring.Wanted
	Values    []float64 // runs that count, ordered by time
	Boots     []string  // of these
	Walls     []float64 // seconds taken by all runs, whether they count or not
	Discarded int
	Disturbed []string // why runs did not count
	Failures  []string
	GivenUp   string        // why it is not measured any more
	inARow    int           // consecutive failures
	counted   []*Conditions // of the runs that count
}

// mostFailures is how many consecutive runs of a criterion can fail.
const mostFailures = 3

func newTask(list *checklist.Checklist, c *checklist.Criterion) *Task {
	return &Task{Criterion: c, Rules: list.Rules(c.Procedure), Wanted: measuring.Wanted{
		Least: c.LeastRuns(), Most: c.MostRuns(), Precision: c.Procedure.WantedPrecision(),
	}}
}

// addEntry adds a run of the criterion.
func (t *Task) addEntry(e *Entry) {
	if e.Wall > 0 {
		t.Walls = append(t.Walls, e.Wall)
	}
	if e.Failed != "" {
		t.Failures = append(t.Failures, e.Failed)
		if t.inARow++; t.inARow >= mostFailures {
			t.GivenUp = fmt.Sprintf("%d runs in a row failed: %s", t.inARow, e.Failed)
		}
		return
	}
	t.inARow = 0
	switch {
	case e.Discarded:
		t.Discarded++
	case e.Disturbance != "":
		if t.Disturbed = append(t.Disturbed, e.Disturbance); len(t.Disturbed) >= t.Wanted.Most {
			t.GivenUp = numerals.Count(len(t.Disturbed), "run") + " disturbed, the last because " + e.Disturbance
		}
	default:
		t.Values, t.Boots = append(t.Values, e.Value), append(t.Boots, e.Boot)
		if e.Conditions != nil {
			t.counted = append(t.counted, e.Conditions)
		}
	}
}

// Starts returns the number of starts of the machine in the runs that count.
func (t *Task) Starts() int { return len(slices.Compact(slices.Sorted(slices.Values(t.Boots)))) }

// byStart returns the values that count, by start of the machine.
func (t *Task) byStart() [][]float64 {
	return reading.ByBoot([]*reading.Reading{{
		Answer: reading.Answer{Runs: t.Values}, Boots: reading.InBoots(t.Boots),
	}})
}

// usualRestart is how many seconds a restart of the machine takes if none was made yet.
const usualRestart = 90

// Worth proposes over how many starts of the machine to spread the runs of a task, by the spread within and between
// the existing ones. ok is false if they are not enough.
func (b *Bench) Worth(t *Task) (d measuring.Design, ok bool) {
	p := t.Criterion.Procedure
	run := p.SettleTime()
	if len(t.Walls) > 0 {
		run += reading.Median(slices.Clone(t.Walls))
	}
	costs := measuring.Costs{Start: b.restart() + float64(p.Sampling.Discard)*run, Run: run}
	return measuring.Worth(t.byStart(), costs, p.WantedPrecision())
}

// restart returns how many seconds a restart of the machine takes: the shortest time from the last run of a start to
// the first of the next.
func (b *Bench) restart() float64 {
	shortest := math.Inf(1)
	all := b.Journal.Entries
	for i := 1; i < len(all); i++ {
		if all[i].Boot != all[i-1].Boot {
			shortest = min(shortest, all[i].At.Sub(all[i-1].At).Seconds()-all[i-1].Wall)
		}
	}
	if math.IsInf(shortest, 1) || shortest <= 0 {
		return usualRestart
	}
	return shortest
}

// done reports whether nothing is left to do in this start of the machine, and whether the criterion is measured.
func (t *Task) done(boot string) (here, measured bool) {
	if t.GivenUp != "" {
		return true, true
	}
	enough, _ := t.Wanted.Enough(t.Values)
	starts := t.Criterion.Procedure.Sampling.Boots
	if starts < 2 || boot == "" {
		return enough, enough
	}
	in, inAll := 0, t.Starts()
	for _, b := range t.Boots {
		if b == boot {
			in++
		}
	}
	if in == 0 {
		inAll++ // including this one
	}
	share := (t.Wanted.Least + starts - 1) / starts
	if inAll >= starts {
		return enough, enough
	}
	return in >= share || len(t.Values) >= t.Wanted.Most, false
}

// Left estimates how many seconds the remaining runs take.
func (t *Task) Left() float64 {
	if t.GivenUp != "" {
		return 0
	}
	one := t.Criterion.Procedure.SettleTime()
	if len(t.Walls) > 0 {
		one += reading.Median(slices.Clone(t.Walls))
	}
	runs := t.Wanted.Left(t.Values) + max(0, t.Criterion.Procedure.Sampling.Discard-t.Discarded)
	return float64(runs) * one
}

// State describes the progress of the criterion in a word.
func (t *Task) State() string {
	enough, precise := t.Wanted.Enough(t.Values)
	switch {
	case t.GivenUp != "":
		return "given up"
	case enough && precise:
		return "precise"
	case enough:
		return "at its maximum of runs"
	case t.inARow > 0:
		return "failing"
	case len(t.Values) == 0:
		return "pending"
	}
	return "in progress"
}

// Unit returns the unit of the task's values.
func (t *Task) Unit() string {
	p := t.Criterion.Procedure
	if p.Read.Figure == checklist.FromSurvey && p.Read.Unit == "" {
		return survey.Unit(p.Read.Fact)
	}
	return p.UnitOf(t.Criterion)
}

// Says summarizes in one sentence how the runs were made, for the note of a reading.
func (t *Task) Says() string {
	says := []string{fmt.Sprintf("%s over %d starts of the machine", numerals.Count(len(t.Values), "run"), t.Starts())}
	if t.Starts() == 1 {
		says[0] = numerals.Count(len(t.Values), "run") + " within one start of the machine"
	}
	if p, ok := measuring.Precision(t.Values); ok {
		says = append(says, fmt.Sprintf("median within ±%.1f %% (95 %%)", 100*p))
	} else {
		says = append(says, "too few runs to know how precise the median is")
	}
	switch measuring.Trend(t.Values) {
	case 1:
		says = append(says, "the values rise from run to run")
	case -1:
		says = append(says, "the values fall from run to run")
	}
	if n := len(measuring.Outliers(t.Values)); n > 0 {
		says = append(says, numerals.Count(n, "run")+" are outliers")
	}
	if n := len(t.Disturbed); n > 0 {
		says = append(says, fmt.Sprintf("%s disturbed and repeated (%s)", numerals.Count(n, "run"), t.Disturbed[n-1]))
	}
	if n := len(t.Failures); n > 0 {
		says = append(says, numerals.Count(n, "run")+" failed")
	}
	if how := Says(t.counted); how != "" {
		says = append(says, how)
	}
	return strings.Join(says, "; ")
}

// Unmet returns what a procedure of a checklist needs and the machine lacks; empty: nothing. kit is the folder of the
// test files, each of which must be the one in the checklist.
func Unmet(list *checklist.Checklist, p *checklist.Procedure, m Machine, kit string) string {
	if p.Requires(checklist.NeedsRoot) && os.Geteuid() != 0 {
		return "it needs root: run this with sudo"
	}
	if p.Sampling.Caches == checklist.CachesDropped {
		if err := clock.MayDrop(); err != nil {
			return err.Error()
		}
	}
	if p.Requires(checklist.NeedsGraphics) && cmp.Or(os.Getenv("WAYLAND_DISPLAY"), os.Getenv("DISPLAY")) == "" {
		return "it needs a graphical session: run this in a terminal window"
	}
	if p.Read.Figure == checklist.Energy {
		if _, ok := m.Joules(); !ok {
			return "the energy counters of the processor cannot be read; they may need root"
		}
	}
	for _, name := range p.Kit {
		if err := verifyTestFile(list, name, kit); errors.Is(err, os.ErrNotExist) {
			return fmt.Sprintf("the test file %s is not in %s", name, kit)
		} else if err != nil {
			return fmt.Sprintf("the test file %s %v", name, err)
		}
	}
	return ""
}

// verifyTestFile compares a test file with the checklist.
func verifyTestFile(list *checklist.Checklist, name, kit string) error {
	i := slices.IndexFunc(list.Kit, func(f checklist.KitFile) bool { return f.Name == name })
	if i < 0 {
		return errors.New("is not named by the checklist")
	}
	f, err := os.Open(within(kit, name))
	if err != nil {
		return err
	}
	defer f.Close()
	return verified(io.Discard, f, list.Kit[i])
}
