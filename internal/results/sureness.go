package results

import (
	"cmp"
	"math"
	"slices"

	"dappertally/core/ranking"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var steadiness = tables.Define("steadiness", "how often an edition takes a rank when the weights are varied",
	tables.Text("audience", "", "key of the audience; empty: the checklist's own weights"),
	tables.Text("edition", "", "its key"),
	tables.Integer("rank", "", "1 is best; with more than 500 editions, only the ranks that it takes"),
	tables.Share("share", "", "share of the draws in which it has this rank; a shared rank counts in parts"),
	tables.Share("first", "", "share of the draws in which it leads"),
	tables.Integer("low", "", "5th percentile of its ranks"),
	tables.Integer("high", "", "95th percentile of its ranks"),
)

// wholeRanks is the size of a field up to which ranks that an edition never reaches have rows too.
const wholeRanks = 500

// Steadiness is a table with a row for each edition and rank.
func Steadiness(audience string, editions []ranking.EditionRanks) *tables.Table {
	t := steadiness.Table()
	AddSteadiness(t, audience, editions)
	return t
}

// AddSteadiness adds another audience's rows.
func AddSteadiness(t *tables.Table, audience string, editions []ranking.EditionRanks) {
	for i := range editions {
		e := &editions[i]
		if len(editions) > wholeRanks {
			for _, x := range e.Shares {
				t.Add(audience, e.Edition, x.Rank, x.Share, e.First, e.Low, e.High)
			}
			continue
		}
		shares := make([]float64, len(editions))
		for _, x := range e.Shares {
			shares[x.Rank-1] = x.Share
		}
		for rank, share := range shares {
			t.Add(audience, e.Edition, rank+1, share, e.First, e.Low, e.High)
		}
	}
}

var explanation = tables.Define("explanation", "contribution of a criterion to the difference between two editions",
	tables.Text("a", "", "key of the first edition"),
	tables.Text("b", "", "key of the second edition"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Number("adds", "Adds", "points that it contributes to a's lead; together they add up to the difference"),
	tables.Points("pointsA", "Points A", "0 to 100"),
	tables.Points("pointsB", "Points B", "0 to 100"),
	tables.Share("weightA", "Weight A", "its share of a's score").To(1).Yields(),
	tables.Share("weightB", "Weight B", "its share of b's score").To(1).Yields(),
	tables.Text("comesOf", "Due to", "points, weight or both, or which of the two has no answer").Yields(),
)

// Explanation is a table with a row for each criterion, the largest contributions first.
func Explanation(e *ranking.Explanation) *tables.Table {
	t := explanation.Table()
	bySize := func(a, b ranking.Contribution) int { return cmp.Compare(math.Abs(b.Adds), math.Abs(a.Adds)) }
	for _, x := range slices.SortedStableFunc(slices.Values(e.Criteria), bySize) {
		adds := tables.As{Data: x.Adds, Text: numerals.Plus(x.Adds)}
		t.Add(e.A, e.B, x.Key, adds, x.PointsA, x.PointsB, x.WeightA, x.WeightB, comesOf(&x))
	}
	return t
}

func comesOf(x *ranking.Contribution) string {
	switch {
	case math.Abs(x.Adds) < 0.005:
		return ""
	case x.PointsA == nil:
		return "A has no answer"
	case x.PointsB == nil:
		return "B has no answer"
	case x.FromWeight():
		return "weight"
	case math.Abs(*x.ByWeight) >= 0.05*math.Abs(x.Adds):
		return "points and weight"
	}
	return "points"
}
