package scoring

import (
	"fmt"
	"maps"
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
	Rig     string   `json:"rig"` // empty: no rig
	Value   *float64 `json:"value"`
	Points  float64  `json:"points"`
	Bounded bool     `json:"bounded,omitempty"`
	trials  []trial
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
func (r *OnRig) Mean() float64 {
	var sum float64
	for i := range r.trials {
		sum += r.trials[i].value
	}
	return sum / float64(len(r.trials))
}

// Used is the readings that count on this rig.
func (r *OnRig) Used() []*reading.Reading {
	used := make([]*reading.Reading, len(r.trials))
	for i, t := range r.trials {
		used[i] = t.Reading
	}
	return used
}

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

// Cell is what is known of one criterion for one edition, before any audience
// looks at it.
type Cell struct {
	Key           string        `json:"key"`
	State         State         `json:"state"`
	Points        *float64      `json:"points"` // 0–100; only where answered and scored
	Rigs          []OnRig       `json:"rigs"`
	Reason        string        `json:"reason,omitempty"`        // why not tested or not applicable
	InheritedFrom string        `json:"inheritedFrom,omitempty"` // the edition whose readings stand in
	LeftOut       []string      `json:"leftOut,omitempty"`       // readings whose value has no place on the curve
	Fact          *reading.Fact `json:"-"`                       // of a fact, the newest
}

// Graded is the mean of one reviewer's grades, 0–10, over the rigs.
type Graded struct {
	Reviewer string
	Grade    float64
}

// Grades is the reviewers' grades of a graded criterion, by reviewer. On a rig
// where the worst context counts, that is the reviewer's.
func (c *Cell) Grades() []Graded {
	sums := map[string][]float64{}
	for i := range c.Rigs {
		least := map[string]float64{}
		for _, t := range c.Rigs[i].trials {
			if old, ok := least[t.Reviewer]; !ok || t.value < old {
				least[t.Reviewer] = t.value
			}
		}
		for reviewer, points := range least {
			sums[reviewer] = append(sums[reviewer], points/10)
		}
	}
	graded := make([]Graded, 0, len(sums))
	for _, reviewer := range slices.Sorted(maps.Keys(sums)) {
		graded = append(graded, Graded{reviewer, stat.Mean(sums[reviewer], nil)})
	}
	return graded
}

// Table is the points of all standing editions on one checklist version.
type Table struct {
	Checklist *checklist.Checklist
	Criteria  []*checklist.Criterion
	Sections  []int // the section of each criterion
	Editions  []string
	Reviews   []string // the review that each edition stands with
	Cells     [][]Cell // by edition, then criterion
	Owns      []Own    // what each edition has of its own
	weight    func(rig string) float64
	index     map[string]int
	rigs      [][]string // that measures were answered on, by criterion
	rigCount  []int32    // how many of them, by edition and criterion
}

// Tabulate computes the points of every edition that stands on the input's
// checklist version. The audience of opts plays no part in it.
func Tabulate(in Input, opts Options) *Table {
	t := newTable(in.Checklist)
	t.weight = in.rigWeight(&opts)
	g := gatherer{reviews: in.byID(), index: t.index, at: opts.At, ignored: in.Ignored}
	for _, r := range standing(&in, opts.At) {
		t.Owns = append(t.Owns, g.gather(r))
		t.Editions = append(t.Editions, r.Edition)
		t.Reviews = append(t.Reviews, r.ID)
	}
	t.fill(opts.CommonRigs)
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

// fill computes the cells edition by edition, and then what needs all editions:
// field curves and common rigs.
func (t *Table) fill(common bool) {
	owns := t.Owns
	n := len(t.Criteria)
	cells := make([]Cell, len(owns)*n)
	t.Cells = make([][]Cell, len(owns))
	lend := make([]map[string]*Own, n)
	field := map[int][][]trial{}
	for i, c := range t.Criteria {
		lend[i] = lenders(owns, i, c.Scope)
		if c.Kind == checklist.Measure && c.Curve.Shape == checklist.Field {
			field[i] = make([][]trial, len(owns))
		}
	}
	t.rigs, t.rigCount = make([][]string, n), make([]int32, len(owns)*n)
	var work tabler
	for e := range owns {
		t.Cells[e] = cells[e*n : (e+1)*n : (e+1)*n]
		for i, c := range t.Criteria {
			usable, from := owns[e].usable(i, lend[i], c.Scope)
			trials := work.cell(&t.Cells[e][i], c, usable, from)
			if wide, ok := field[i]; ok {
				wide[e] = trials
				continue
			}
			t.Cells[e][i].Rigs = work.onRigs(trials, c, t.Checklist.Policy.Reviewers, nil)
			if c.Scored() && !common {
				t.Cells[e][i].weigh(t.weight, nil, &work.values)
			}
			if c.Kind == checklist.Measure && !common {
				t.countRigs(e, i)
			}
		}
	}
	for i, c := range t.Criteria {
		if wide, ok := field[i]; ok {
			best := fieldBest(wide, c)
			for e := range owns {
				t.Cells[e][i].Rigs = work.onRigs(wide[e], c, t.Checklist.Policy.Reviewers, best)
			}
		}
		var shared map[string]bool
		if common {
			shared = t.sharedRigs(i)
		}
		if _, ok := field[i]; c.Scored() && (ok || common) {
			for e := range owns {
				t.Cells[e][i].weigh(t.weight, shared, &work.values)
				if c.Kind == checklist.Measure {
					t.countRigs(e, i)
				}
			}
		}
	}
}

// usable is the readings of criterion i that an edition goes by, its own or
// those of the edition that lends to it.
func (o *Own) usable(i int, lend map[string]*Own, scope checklist.Scope) (usable []*reading.Reading, from string) {
	usable = o.Of(i)
	if len(usable) == 0 && lend != nil {
		if l := lend[scopeKey(o.Edition, scope)]; l != nil {
			return l.Of(i), l.Edition
		}
	}
	return usable, ""
}

func (t *tabler) cell(cell *Cell, c *checklist.Criterion, usable []*reading.Reading, from string) []trial {
	cell.Key, cell.InheritedFrom = c.Key, from
	trials, leftOut := t.scoring(usable, c)
	cell.LeftOut = leftOut
	cell.State, cell.Reason = state(usable, len(trials) > 0)
	if c.Kind == checklist.Fact && len(trials) > 0 {
		cell.Fact = newestFact(trials)
	}
	return trials
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
		for len(ts) > 0 {
			n := 1
			for n < len(ts) && ts[n].Rig == ts[0].Rig {
				n++
			}
			rig := OnRig{Rig: ts[0].Rig, trials: ts[:n]}
			value := rig.Mean()
			old, ok := best[rig.Rig]
			if !ok || (c.LowerIsBetter() && value < old) || (!c.LowerIsBetter() && value > old) {
				best[rig.Rig] = value
			}
			ts = ts[n:]
		}
	}
	return best
}

// weigh turns the points on rigs into the criterion's points, over all rigs or,
// where shared is not nil, over those alone.
func (c *Cell) weigh(weight func(rig string) float64, shared map[string]bool, values *pool[float64]) {
	if c.State != Answered {
		return
	}
	var sum, total float64
	for i := range c.Rigs {
		if r := &c.Rigs[i]; shared == nil || shared[r.Rig] {
			w := weight(r.Rig)
			sum += w * r.Points
			total += w
		}
	}
	if total == 0 {
		c.State, c.Reason = NotTested, "no rig that counts"
		return
	}
	c.Points = values.one(sum / total)
}

// sharedRigs names the rigs that every edition which answered criterion i has.
func (t *Table) sharedRigs(i int) map[string]bool {
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
	shared := map[string]bool{}
	for rig, n := range has {
		shared[rig] = n == answered
	}
	return shared
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
		all := int32(len(t.rigs[i]))
		for e := range differ {
			if n := t.rigCount[e*len(t.Criteria)+i]; n > 0 && n < all {
				differ[e] = true
			}
		}
	}
	return differ
}

// countRigs notes on which rigs that weigh something a measure was answered.
func (t *Table) countRigs(e, i int) {
	cell := &t.Cells[e][i]
	if cell.State != Answered {
		return
	}
	for r := range cell.Rigs {
		rig := cell.Rigs[r].Rig
		if t.weight(rig) == 0 {
			continue
		}
		t.rigCount[e*len(t.Criteria)+i]++
		if !slices.Contains(t.rigs[i], rig) {
			t.rigs[i] = append(t.rigs[i], rig)
		}
	}
}
