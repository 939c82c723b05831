package comparing

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Records is the history of the best value of a measure on one rig in one context.
type Records struct {
	Criterion string   `json:"criterion"`
	Rig       string   `json:"rig"`
	Method    string   `json:"method"`
	Setup     string   `json:"setup"`
	Phase     string   `json:"phase"`
	Unit      string   `json:"unit"`    // of the values; versions with another unit have records of their own
	Better    string   `json:"better"`  // lower or higher
	Records   []Record `json:"records"` // each beats all before it, oldest first
}

// Record is a value that beat all before it.
type Record struct {
	At      time.Time `json:"at"`
	Value   float64   `json:"value"` // adjusted and summed up, in the criterion's unit
	Edition string    `json:"edition"`
}

// Newest is the record that stands.
func (r *Records) Newest() Record { return r.Records[len(r.Records)-1] }

// candidate is a reading that may be a record.
type candidate struct {
	place Records // without its records
	lower bool
	id    string
	value Record
}

// RecordsOf walks the readings of measures of all accepted reviews by time, then
// id, on any checklist version and in any context: those that are not replaced,
// not disturbed and not only a bound. The rule is section 4 of our scoring page.
// Only readings measured by the moment at count, and reviews accepted by then;
// nil is everything. The answer is by criterion, rig, method, setup and phase.
func RecordsOf(lists []checklist.Checklist, reviews []reading.Review, at *time.Time) []Records {
	byName := map[string]*checklist.Checklist{}
	for i := range lists {
		byName[lists[i].Name()] = &lists[i]
	}
	gone := replacedIn(reviews, at)
	var all []candidate
	for i := range reviews {
		r := &reviews[i]
		list := byName[r.Checklist]
		if list == nil || !acceptedBy(r, at) {
			continue
		}
		for j := range r.Readings {
			if x := &r.Readings[j]; !gone[x.ID] && (at == nil || !x.At.After(*at)) {
				if c, ok := candidateOf(x, list, r.Edition); ok {
					all = append(all, c)
				}
			}
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int {
		return cmp.Or(byPlace(&a.place, &b.place), a.value.At.Compare(b.value.At), strings.Compare(a.id, b.id))
	})
	out := []Records{}
	for _, c := range all {
		if n := len(out); n == 0 || byPlace(&out[n-1], &c.place) != 0 {
			c.place.Records = []Record{c.value}
			out = append(out, c.place)
		} else if beats(c.value.Value, out[n-1].Newest().Value, c.lower) {
			out[n-1].Records = append(out[n-1].Records, c.value)
		}
	}
	return out
}

func acceptedBy(r *reading.Review, at *time.Time) bool {
	return r.State == reading.Accepted && r.Accepted != nil && (at == nil || !r.Accepted.After(*at))
}

// replacedIn is the ids of readings that another reading of an accepted review
// replaces.
func replacedIn(reviews []reading.Review, at *time.Time) map[string]bool {
	gone := map[string]bool{}
	for i := range reviews {
		if !acceptedBy(&reviews[i], at) {
			continue
		}
		for _, x := range reviews[i].Readings {
			if x.Replaces != "" && (at == nil || !x.At.After(*at)) {
				gone[x.Replaces] = true
			}
		}
	}
	return gone
}

func candidateOf(x *reading.Reading, list *checklist.Checklist, edition string) (candidate, bool) {
	c, ok := list.Criterion(x.Criterion)
	if !ok || !c.Measured() || len(x.Answer.Runs) == 0 || x.Disturbance != "" || x.Bound != "" {
		return candidate{}, false
	}
	return candidate{
		place: Records{
			Criterion: x.Criterion,
			Rig:       x.Rig,
			Method:    x.Context.Method,
			Setup:     x.Context.Setup,
			Phase:     x.Context.Phase,
			Unit:      c.Unit,
			Better:    c.Better,
		},
		lower: c.LowerIsBetter(), id: x.ID, value: Record{x.At, reading.Value(x, c), edition},
	}, true
}

func byPlace(a, b *Records) int {
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
