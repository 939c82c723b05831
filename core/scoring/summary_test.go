package scoring_test

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// A summary equals the scorecard without its criteria to the last bit, and a measure is unsteady if the runs of a
// reading that counts scatter.
func TestSummary(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 6))
	estimated, unsteady := 0, 0
	for round := range 150 {
		in := anyField(random, 1+random.IntN(12))
		in.Checklist.Sections[1].Criteria[0].Gate = number(float64(10 * random.IntN(10)))
		tables := map[string]*scoring.Table{
			"plain":       scoring.Tabulate(in, scoring.Options{}),
			"common rigs": scoring.Tabulate(in, scoring.Options{CommonRigs: true}),
			"two rigs":    scoring.Tabulate(in, scoring.Options{Rigs: []string{"a", "c"}}),
			"the desk":    scoring.Tabulate(in, scoring.Options{}).Desk(anyReview(random, in, random.IntN(14), "on the desk")),
		}
		weighted := checklist.Audience{Sections: map[string]float64{"ease": float64(random.IntN(4))}}
		for what, table := range tables {
			for e, edition := range table.Editions {
				for _, audience := range []checklist.Audience{{}, weighted} {
					want := table.Scorecard(e, audience)
					want.Criteria = nil
					if got := table.Summary(e, audience); !reflect.DeepEqual(got, want) {
						t.Fatalf("round %d, %s: %s is\n%s, want\n%s", round, what, edition, shown(got), shown(want))
					}
					estimated += len(want.Estimated)
				}
				for i, c := range table.Criteria {
					want := c.Measured() && scatters(table.Cell(e, i), c)
					if got := table.Unsteady(e, i); got != want {
						t.Fatalf("round %d, %s: %s of %s is unsteady: %v", round, what, c.Key, edition, got)
					}
					if want {
						unsteady++
					}
				}
			}
		}
	}
	if estimated == 0 || unsteady == 0 {
		t.Errorf("%d estimated and %d unsteady: nothing was compared", estimated, unsteady)
	}
}

func scatters(cell *scoring.Cell, c *checklist.Criterion) bool {
	return slices.ContainsFunc(cell.Rigs, func(on scoring.OnRig) bool {
		return slices.ContainsFunc(on.Used(), func(r *reading.Reading) bool {
			spread, ok := reading.Spread(reading.Adjusted(r))
			return ok && scoring.Scatters(spread, c)
		})
	})
}

func shown(card scoring.Scorecard) string {
	overall := "none"
	if card.Overall != nil {
		overall = fmt.Sprint(*card.Overall)
	}
	return fmt.Sprintf("%s %+v", overall, card)
}
