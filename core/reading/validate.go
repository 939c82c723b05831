package reading

import (
	"math"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

var uuid = regexp.MustCompile(`^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$`)

// ValidID reports whether s is a UUID in its usual form and in lower case.
func ValidID(s string) bool { return uuid.MatchString(s) }

// ValidateReview reports the faults of a review itself, without its readings.
func ValidateReview(r *Review, book *fault.Book) {
	id(book, "id", r.ID)
	if !slices.Contains(ReviewStates, r.State) {
		book.Field("state", "must be one of %s, not %.70q", strings.Join(ReviewStates, ", "), r.State)
	}
	if r.State == Accepted && r.Accepted == nil {
		book.Field("accepted", "is missing: an accepted review has a time")
	}
}

// Validate reports the faults of a reading against the checklist version of its review.
func Validate(x *Reading, list *checklist.Checklist, book *fault.Book) {
	id(book, "id", x.ID)
	if x.Reviewer == "" {
		book.Field("reviewer", "is missing")
	}
	if !slices.Contains(Bounds, x.Bound) {
		book.Field("bound", "must be about, at-least, at-most or empty, not %.70q", x.Bound)
	}
	if x.Replaces == x.ID {
		book.Field("replaces", "a reading cannot replace itself")
	}
	voc := list.Vocabulary
	book.In("context", func() {
		registered(book, "method", x.Context.Method, voc.Methods)
		registered(book, "setup", x.Context.Setup, voc.Setups)
		registered(book, "phase", x.Context.Phase, voc.Phases)
	})
	if a := x.Adjustment; a != nil {
		book.In("adjustment", func() {
			if x.Answer.Runs == nil {
				book.Add("only runs can be adjusted")
			}
			if !finite(a.Amount) {
				book.Field("amount", "must be a number")
			}
		})
	}
	validateBoots(x, book)
	c, ok := list.Criterion(x.Criterion)
	if !ok {
		book.Field("criterion", "checklist %s has no criterion %.70q", list.Name(), x.Criterion)
		return
	}
	book.In("answer", func() { validateAnswer(&x.Answer, c, book) })
}

// ValidateValue reports a measure's value that is not on the criterion's curve. It applies to new readings; older
// readings stay on record.
func ValidateValue(x *Reading, list *checklist.Checklist, book *fault.Book) {
	c, ok := list.Criterion(x.Criterion)
	if !ok || !c.Measured() || len(x.Answer.Runs) == 0 || !c.Curve.NeedsPositive() {
		return
	}
	if v := Value(x, c); v <= 0 {
		book.In("answer", func() {
			book.Field("runs", "the runs are %v %s after adjustment; this criterion needs values above 0", v, c.Unit)
		})
	}
}

// ValidatePlausible reports runs that cannot be a measurement in the criterion's unit and, unless they are confirmed,
// runs outside the plausible range. It applies to new readings; older readings stay on record.
func ValidatePlausible(x *Reading, list *checklist.Checklist, confirmed bool, book *fault.Book) {
	c, ok := list.Criterion(x.Criterion)
	if !ok || !c.Measured() {
		return
	}
	believable := c.PlausibleRange()
	book.In("answer", func() {
		book.In("runs", func() {
			for i, run := range x.Answer.Runs {
				book.In(i, func() {
					switch {
					case !checklist.Possible(run, c.Unit):
						book.Add("%v %s is not possible as a measurement", run, c.Unit)
					case !confirmed && !believable.Holds(run):
						book.Add(
							"%v %s is outside the plausible range of %s; if it is correct, confirm it and give the "+
								"reason in the note",
							run,
							c.Unit,
							believable.In(c.Unit),
						)
					}
				})
			}
		})
	})
}

func validateAnswer(a *Answer, c *checklist.Criterion, book *fault.Book) {
	set := a.Fields()
	wanted := c.Kind.Of().Answer
	if len(set) != 1 {
		book.Add("must have exactly one of %s, notApplicable (a reason) or notTested (a reason); it has %s",
			wanted, orNothing(set))
		return
	}
	if set[0] != wanted && a.Answered() {
		book.Field(set[0], "%s is a %s: its answer is %s", c.Key, c.Kind, wanted)
		return
	}
	switch set[0] {
	case "grade":
		if !(*a.Grade >= 0 && *a.Grade <= 10) {
			book.Field("grade", "must be between 0 and 10, not %v", *a.Grade)
		}
	case "check":
		if _, ok := c.Choice(a.Check); !ok {
			book.Field("check", "must be works, workaround or fails, not %.70q", a.Check)
		}
	case "runs":
		book.In("runs", func() { validateRuns(a.Runs, book) })
	case "count":
		book.In("count", func() { validateCount(a.Count, c, book) })
	case "level":
		if _, ok := c.Choice(a.Level); !ok {
			book.Field("level", "%s has no level %.70q; it has %s", c.Key, a.Level, strings.Join(levels(c), ", "))
		}
	}
}

// maxRuns is the highest number of runs of one reading.
const maxRuns = 10000

func validateRuns(runs []float64, book *fault.Book) {
	if len(runs) == 0 {
		book.Add("needs at least one run")
	}
	if len(runs) > maxRuns {
		book.Add("has %d runs; at most %d", len(runs), maxRuns)
	}
	for i, x := range runs {
		if !finite(x) || math.Abs(x) > 1e15 {
			book.In(i, func() { book.Add("must be a number between -1e15 and 1e15") })
		}
	}
}

func validateCount(n *Count, c *checklist.Criterion, book *fault.Book) {
	if len(c.Items) == 0 {
		if n.K == nil || n.N == nil || n.Worked != nil || n.Workaround != nil || n.Failed != nil || n.NotTested != nil {
			book.Add("%s lists no items: answer with k of n", c.Key)
			return
		}
		if *n.N < 1 || *n.K < 0 || *n.K > *n.N {
			book.Add("%d of %d is not a count: n must be 1 or more, k between 0 and n", *n.K, *n.N)
		}
		return
	}
	if n.K != nil || n.N != nil {
		book.Add("%s lists items: answer with the items that worked, not with a number", c.Key)
		return
	}
	seen := map[string]string{}
	for _, l := range []struct {
		name string
		keys []string
	}{{"worked", n.Worked}, {"workaround", n.Workaround}, {"failed", n.Failed}, {"notTested", n.NotTested}} {
		book.In(l.name, func() {
			for i, k := range l.keys {
				if _, ok := c.ItemWeight(k); !ok {
					book.In(i, func() { book.Add("%s has no item %.70q", c.Key, k) })
				} else if seen[k] != "" {
					book.In(i, func() { book.Add("%q is already under %s", k, seen[k]) })
				}
				seen[k] = l.name
			}
		})
	}
	tried := 0.0
	for _, keys := range [][]string{n.Worked, n.Workaround, n.Failed} {
		for _, k := range keys {
			w, _ := c.ItemWeight(k)
			tried += w
		}
	}
	if tried == 0 {
		book.Add("nothing was tested; use notTested with the reason instead")
	}
}

func id(book *fault.Book, field, s string) {
	if !ValidID(s) {
		book.Field(field, "%.70q is not a UUID in lower case", s)
	}
}

func registered(book *fault.Book, field, key string, known []checklist.Named) {
	if !checklist.Registered(key, known) {
		keys := make([]string, len(known))
		for i, n := range known {
			keys[i] = n.Key
		}
		book.Field(field, "%.70q is not in the checklist's vocabulary: %s", key, strings.Join(keys, ", "))
	}
}

func levels(c *checklist.Criterion) []string {
	keys := make([]string, len(c.Levels))
	for i, l := range c.Levels {
		keys[i] = l.Key
	}
	return keys
}

func orNothing(set []string) string {
	if len(set) == 0 {
		return "nothing"
	}
	return strings.Join(set, " and ")
}

func finite(x float64) bool { return !math.IsNaN(x) && !math.IsInf(x, 0) }
