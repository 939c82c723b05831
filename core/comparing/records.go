package comparing

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Records is the history of the best value of a measure on one rig in one context.
type Records struct {
	Criterion string   `json:"criterion"`
	Rig       string   `json:"rig"`
	Method    string   `json:"method"`
	Setup     string   `json:"setup"`
	Phase     string   `json:"phase"`
	Unit      string   `json:"unit"`    // of the values; another unit has its own records
	Better    string   `json:"better"`  // lower or higher
	Records   []Record `json:"records"` // each better than all before it, oldest first
}

// Record is a value that was better than all before it.
type Record struct {
	At      time.Time `json:"at"`
	Value   float64   `json:"value"` // adjusted and summarized, in the criterion's unit
	Edition string    `json:"edition"`
}

// Newest returns the current record.
func (r *Records) Newest() Record { return r.Records[len(r.Records)-1] }

// RecordsOf walks the readings of measures of all accepted reviews, ordered by time, then id, on any checklist
// version and in any context: those that are not replaced, not disturbed and not only a bound. The rule is section 4
// of our scoring page. Only readings measured by the moment at, in reviews accepted by then, count; nil stands for
// now. The result is ordered by criterion, rig, method, setup and phase.
func RecordsOf(lists []checklist.Checklist, in scoring.Input, at *time.Time) []Records {
	byName := map[string]*checklist.Checklist{}
	for i := range lists {
		byName[lists[i].Name()] = &lists[i]
	}
	gone := replacedLater(&in, at)
	fronts := make([]map[place]*front, in.Workers())
	for i := range fronts {
		fronts[i] = map[place]*front{}
	}
	in.Each(func(worker int, r *reading.Review, readings []reading.Reading) {
		list := byName[r.Checklist]
		if list == nil || !acceptedBy(r, at) {
			return
		}
		here := replacedIn(readings, at)
		for i := range readings {
			x := &readings[i]
			if gone[x.ID] || here[x.ID] || (at != nil && x.At.After(*at)) {
				continue
			}
			if p, ok := placeOf(x, list); ok {
				c, _ := list.Criterion(x.Criterion)
				addCandidate(fronts[worker], p, candidate{Record{x.At, reading.Value(x, c), r.Edition}, x.ID})
			}
		}
	})
	all := fronts[0]
	for _, other := range fronts[1:] {
		for p, f := range other {
			for _, c := range f.candidates {
				addCandidate(all, p, c)
			}
		}
	}
	out := make([]Records, 0, len(all))
	for p, f := range all {
		out = append(out, f.records(p))
	}
	slices.SortFunc(out, byPlace)
	return out
}

func acceptedBy(r *reading.Review, at *time.Time) bool {
	return r.State == reading.Accepted && r.Accepted != nil && (at == nil || !r.Accepted.After(*at))
}

// replacedIn returns the ids of readings that other readings of the review replace; nil if there are none.
func replacedIn(readings []reading.Reading, at *time.Time) map[string]bool {
	var gone map[string]bool
	for i := range readings {
		if x := &readings[i]; x.Replaces != "" && (at == nil || !x.At.After(*at)) {
			if gone == nil {
				gone = map[string]bool{}
			}
			gone[x.Replaces] = true
		}
	}
	return gone
}

// replacedLater returns the ids of readings that are replaced in a review which continues theirs.
func replacedLater(in *scoring.Input, at *time.Time) map[string]bool {
	later := *in
	later.Reviews = slices.DeleteFunc(slices.Clone(in.Reviews), func(r reading.Review) bool {
		return r.Continues == "" || !acceptedBy(&r, at)
	})
	gone := make([]map[string]bool, later.Workers())
	for i := range gone {
		gone[i] = map[string]bool{}
	}
	later.Each(func(worker int, _ *reading.Review, readings []reading.Reading) {
		maps.Copy(gone[worker], replacedIn(readings, at))
	})
	for _, other := range gone[1:] {
		maps.Copy(gone[0], other)
	}
	return gone[0]
}

// place is where values are comparable with each other.
type place struct{ criterion, rig, method, setup, phase, unit, better string }

// placeOf returns the place in which a reading may be a record; ok is false if it cannot be a record.
func placeOf(x *reading.Reading, list *checklist.Checklist) (p place, ok bool) {
	if len(x.Answer.Runs) == 0 || x.Disturbance != "" || x.Bound != "" {
		return p, false
	}
	c, ok := list.Criterion(x.Criterion)
	if !ok || !c.Measured() {
		return p, false
	}
	return place{x.Criterion, x.Rig, x.Context.Method, x.Context.Setup, x.Context.Phase, c.Unit, c.Better}, true
}

// candidate is a reading that may be a record.
type candidate struct {
	Record
	id string
}

func inTime(a, b candidate) int { return cmp.Or(a.At.Compare(b.At), strings.Compare(a.id, b.id)) }

// front holds the candidates of one place that no other candidate dominates (measured earlier and at least as good).
// A dominated value can never be a record, and a front stays short however many values there are.
type front struct {
	lower      bool
	candidates []candidate // by time, each better than the one before
}

func addCandidate(fronts map[place]*front, p place, c candidate) {
	f := fronts[p]
	if f == nil {
		f = &front{lower: p.better == "lower"}
		fronts[p] = f
	}
	f.add(c)
}

func (f *front) add(c candidate) {
	at, _ := slices.BinarySearchFunc(f.candidates, c, inTime)
	if at > 0 && !f.better(c, f.candidates[at-1]) {
		return
	}
	behind := at
	for behind < len(f.candidates) && !f.better(f.candidates[behind], c) {
		behind++
	}
	f.candidates = slices.Replace(f.candidates, at, behind, c)
}

func (f *front) better(a, b candidate) bool {
	if f.lower {
		return a.Value < b.Value
	}
	return a.Value > b.Value
}

// records returns the candidates that beat all before them.
func (f *front) records(p place) Records {
	r := Records{
		Criterion: p.criterion, Rig: p.rig, Method: p.method, Setup: p.setup, Phase: p.phase, Unit: p.unit,
		Better: p.better,
	}
	for _, c := range f.candidates {
		if len(r.Records) == 0 || beats(c.Value, r.Newest().Value, f.lower) {
			r.Records = append(r.Records, c.Record)
		}
	}
	return r
}

func byPlace(a, b Records) int {
	return cmp.Or(
		strings.Compare(a.Criterion, b.Criterion),
		strings.Compare(a.Rig, b.Rig),
		strings.Compare(a.Method, b.Method),
		strings.Compare(a.Setup, b.Setup),
		strings.Compare(a.Phase, b.Phase),
		strings.Compare(a.Unit, b.Unit),
		strings.Compare(a.Better, b.Better),
	)
}

func beats(x, record float64, lower bool) bool {
	if lower {
		return x < record-tie
	}
	return x > record+tie
}
