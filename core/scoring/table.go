package scoring

import (
	"fmt"
	"math"
	"slices"

	"gonum.org/v1/gonum/stat"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// State is what is known of one criterion for one edition.
type State string

// The states of a cell.
const (
	Answered      State = "answered"
	NotApplicable State = "not-applicable"
	NotTested     State = "not-tested"
)

// OnRig is what one rig says of a criterion.
type OnRig struct {
	Rig      string   `json:"rig"` // empty: no rig
	Value    *float64 `json:"value"`
	Points   float64  `json:"points"`
	Bounded  bool     `json:"bounded,omitempty"`
	Readings []string `json:"readings"`
	trials   []trial
}

// Context is the context that all readings used agree in; same is false where
// they do not, and then values of this rig compare with nothing.
func (r *OnRig) Context() (context checklist.Context, same bool) {
	context = r.trials[0].Context
	for _, t := range r.trials[1:] {
		if t.Context != context {
			return context, false
		}
	}
	return context, true
}

// Mean is the mean over reviewers of a measure's values on this rig.
func (r *OnRig) Mean() float64 { return stat.Mean(values(r.trials), nil) }

// Runs is the adjusted runs of all reviewers on this rig.
func (r *OnRig) Runs() []float64 {
	var runs []float64
	for _, t := range r.trials {
		runs = append(runs, reading.Adjusted(t.Reading)...)
	}
	return runs
}

// Bounds is the bounds of the readings used, without the empty one.
func (r *OnRig) Bounds() []string {
	var bounds []string
	for _, t := range r.trials {
		if t.Bound != "" {
			bounds = append(bounds, t.Bound)
		}
	}
	return bounds
}

// Cell is one criterion of one edition, before any audience looks at it.
type Cell struct {
	State         State
	Points        float64 // 0–100; only where answered and scored
	Rigs          []OnRig
	Fact          *reading.Fact // of a fact, the newest
	Reason        string        // why not tested or not applicable
	InheritedFrom string        // the edition whose readings stand in
	LeftOut       []string      // readings whose value has no place on the curve
}

// Table is the points of all standing editions on one checklist version.
type Table struct {
	Checklist *checklist.Checklist
	Criteria  []*checklist.Criterion
	Sections  []int // the section of each criterion
	Editions  []string
	Reviews   []string // the review that each edition stands with
	Cells     [][]Cell // by edition, then criterion
	weight    func(rig string) float64
	index     map[string]int
}

// Tabulate computes the points of every edition that stands on the input's
// checklist version. The audience of opts plays no part in it.
func Tabulate(in Input, opts Options) *Table {
	t := newTable(in.Checklist)
	t.weight = in.rigWeight(&opts)
	byID := make(map[string]*reading.Review, len(in.Reviews))
	for i := range in.Reviews {
		byID[in.Reviews[i].ID] = &in.Reviews[i]
	}
	var owns []own
	for _, r := range standing(&in, opts.At) {
		owns = append(owns, gather(r, byID, t.index, opts.At))
		t.Editions = append(t.Editions, r.Edition)
		t.Reviews = append(t.Reviews, r.ID)
	}
	t.fill(owns, opts.CommonRigs)
	return t
}

// Desk computes the points of one review as it stands on the desk, accepted or
// not, beside the editions that stand; the review takes its edition's place.
func Desk(in Input, review string, opts Options) (*Table, error) {
	reviews := slices.Clone(in.Reviews)
	at := slices.IndexFunc(reviews, func(r reading.Review) bool { return r.ID == review })
	if at < 0 {
		return nil, fmt.Errorf("there is no review %s", review)
	}
	edition, name := reviews[at].Edition, reviews[at].Checklist
	for i := range reviews {
		r := &reviews[i]
		if i != at && r.Edition == edition && r.Checklist == name && r.State == reading.Accepted {
			r.State = reading.Withdrawn
		}
	}
	on := &reviews[at]
	on.State = reading.Accepted
	if on.Accepted == nil {
		on.Accepted = opts.At
	}
	if on.Accepted == nil {
		on.Accepted = newestReading(on)
	}
	in.Reviews = reviews
	return Tabulate(in, opts), nil
}

func newTable(c *checklist.Checklist) *Table {
	t := &Table{Checklist: c, index: map[string]int{}}
	for s := range c.Sections {
		for i := range c.Sections[s].Criteria {
			criterion := &c.Sections[s].Criteria[i]
			t.index[criterion.Key] = len(t.Criteria)
			t.Criteria = append(t.Criteria, criterion)
			t.Sections = append(t.Sections, s)
		}
	}
	return t
}

// Index is the place of a criterion in the table, and whether it has one.
func (t *Table) Index(criterion string) (int, bool) {
	i, ok := t.index[criterion]
	return i, ok
}

func (t *Table) fill(owns []own, common bool) {
	t.Cells = make([][]Cell, len(owns))
	for e := range t.Cells {
		t.Cells[e] = make([]Cell, len(t.Criteria))
	}
	for i, c := range t.Criteria {
		usable, from := whose(owns, i, c.Scope)
		trials := make([][]trial, len(owns))
		for e := range owns {
			cell := &t.Cells[e][i]
			cell.InheritedFrom = from[e]
			trials[e], cell.LeftOut = scoring(usable[e], c)
			cell.State, cell.Reason = state(usable[e], len(trials[e]) > 0)
			if c.Kind == checklist.Fact && len(trials[e]) > 0 {
				cell.Fact = newestFact(trials[e])
			}
		}
		best := fieldBest(trials, c)
		for e := range owns {
			t.Cells[e][i].Rigs = onRigs(trials[e], c, t.Checklist.Policy.Reviewers, func(rig string) float64 { return best[rig] })
		}
		if c.Scored() {
			t.weigh(i, common)
		}
	}
}

// whose finds the usable readings of criterion i for every edition, its own or
// those of the edition that lends to it.
func whose(owns []own, i int, scope checklist.Scope) (usable [][]*reading.Reading, from []string) {
	usable = make([][]*reading.Reading, len(owns))
	from = make([]string, len(owns))
	wide := scope == checklist.ScopeRelease || scope == checklist.ScopeDistribution
	var lend map[string]*own
	if wide {
		lend = lenders(owns, i, scope)
	}
	for e := range owns {
		usable[e] = owns[e].readings[i]
		if wide && len(usable[e]) == 0 {
			if l := lend[scopeKey(owns[e].edition, scope)]; l != nil {
				usable[e], from[e] = l.readings[i], l.edition
			}
		}
	}
	return usable, from
}

// state tells a criterion's state, with the newest reason where it is not
// answered.
func state(usable []*reading.Reading, answered bool) (State, string) {
	if answered {
		return Answered, ""
	}
	var na, nt *reading.Reading
	for _, x := range usable {
		if x.Answer.NotApplicable != "" && (na == nil || later(x, na)) {
			na = x
		}
		if x.Answer.NotTested != "" && (nt == nil || later(x, nt)) {
			nt = x
		}
	}
	switch {
	case na != nil:
		return NotApplicable, na.Answer.NotApplicable
	case nt != nil:
		return NotTested, nt.Answer.NotTested
	}
	return NotTested, ""
}

func newestFact(trials []trial) *reading.Fact {
	newest := trials[0]
	for _, t := range trials[1:] {
		if later(t.Reading, newest.Reading) {
			newest = t
		}
	}
	return newest.Answer.Fact
}

// fieldBest is the best value on each rig of all editions, for a field curve.
func fieldBest(trials [][]trial, c *checklist.Criterion) map[string]float64 {
	if c.Kind != checklist.Measure || c.Curve.Shape != checklist.Field {
		return nil
	}
	best := map[string]float64{}
	for _, ts := range trials {
		for _, r := range onRigs(ts, c, "", func(string) float64 { return math.NaN() }) {
			old, ok := best[r.Rig]
			if !ok || (c.LowerIsBetter() && *r.Value < old) || (!c.LowerIsBetter() && *r.Value > old) {
				best[r.Rig] = *r.Value
			}
		}
	}
	return best
}

// weigh turns the points on rigs into the points of criterion i, over all rigs
// or over those only that every edition which answered has.
func (t *Table) weigh(i int, common bool) {
	shared := func(string) bool { return true }
	if common {
		shared = t.sharedRigs(i)
	}
	for e := range t.Cells {
		cell := &t.Cells[e][i]
		if cell.State != Answered {
			continue
		}
		var sum, total float64
		for _, r := range cell.Rigs {
			if shared(r.Rig) {
				w := t.weight(r.Rig)
				sum += w * r.Points
				total += w
			}
		}
		if total == 0 {
			cell.State, cell.Reason = NotTested, "no rig that counts"
			continue
		}
		cell.Points = sum / total
	}
}

func (t *Table) sharedRigs(i int) func(string) bool {
	has := map[string]int{}
	answered := 0
	for e := range t.Cells {
		if cell := &t.Cells[e][i]; cell.State == Answered {
			answered++
			for _, r := range cell.Rigs {
				has[r.Rig]++
			}
		}
	}
	return func(rig string) bool { return has[rig] == answered }
}

// RigsDiffer reports, for each edition, whether for some weighted measure it
// lacks a rig that another edition was measured on.
func (t *Table) RigsDiffer(a checklist.Audience) []bool {
	differ := make([]bool, len(t.Editions))
	for i, c := range t.Criteria {
		s := &t.Checklist.Sections[t.Sections[i]]
		if c.Kind != checklist.Measure || a.CriterionWeight(c) == 0 || a.SectionWeight(s) == 0 {
			continue
		}
		all := map[string]bool{}
		counting := func(e int) (n int) {
			for _, r := range t.Cells[e][i].Rigs {
				if t.weight(r.Rig) > 0 {
					all[r.Rig] = true
					n++
				}
			}
			return n
		}
		rigs := make([]int, len(t.Editions))
		for e := range t.Editions {
			rigs[e] = counting(e)
		}
		for e := range t.Editions {
			differ[e] = differ[e] || (t.Cells[e][i].State == Answered && rigs[e] < len(all))
		}
	}
	return differ
}
