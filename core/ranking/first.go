package ranking

import (
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Top is the first editions of a ranking, and how many are ranked in all.
type Top struct {
	Ranking                     []Place
	Ranked, Provisional, Barred int
}

// First returns the first editions, at most so many, of the ranking that Rank returns by overall score, for an audience
// with the weights of the sums. It walks the sums once and sorts only the editions near the top.
func First(sums *scoring.Sums, a checklist.Audience, most int) Top {
	points := sums.Columns()
	policy := points.Checklist.Policy
	f := field{points: points, scores: sums.Covered(a, policy.CoverageNeeded()-scoring.Slack)}
	top := Top{Ranking: []Place{}}
	bars := barred(points, a)
	for e := range bars {
		f.scores[e] = math.NaN()
	}
	first := newHighest(most)
	for _, score := range f.scores {
		if !math.IsNaN(score) {
			top.Ranked++
			first.see(score)
		}
	}
	top.Barred = len(bars)
	top.Provisional = len(points.Editions) - top.Ranked - top.Barred
	if top.Ranked == 0 || most < 1 {
		return top
	}
	// Any edition in a heat with the last of the first is at most a margin behind it.
	from := first.least() - policy.Margin() - scoring.Slack
	for e, score := range f.scores {
		if score >= from {
			f.order = append(f.order, e)
		}
	}
	f.inOrder()
	r := Ranking{Ranking: make([]Place, 0, len(f.order))}
	for _, heat := range parts(f.order, f.scores, policy.Margin()) {
		if len(r.Ranking) >= most {
			break
		}
		r.place(&f, heat, policy.Decisive)
	}
	top.Ranking = r.Ranking[:min(most, len(r.Ranking))]
	return top
}

// highest keeps the highest scores seen so far, up to a limit.
type highest struct {
	scores []float64 // up to twice the limit; the lowest of the best is at the limit
	most   int
	limit  float64 // lower scores are not among the best
}

func newHighest(most int) *highest {
	return &highest{make([]float64, 0, 2*max(most, 1)), max(most, 1), math.Inf(-1)}
}

func (h *highest) see(score float64) {
	if score < h.limit {
		return
	}
	h.scores = append(h.scores, score)
	if len(h.scores) == cap(h.scores) {
		h.cut()
	}
}

func (h *highest) cut() {
	if len(h.scores) <= h.most {
		return
	}
	slices.Sort(h.scores)
	h.scores = h.scores[:copy(h.scores, h.scores[len(h.scores)-h.most:])]
	h.limit = h.scores[0]
}

// least returns the lowest of the best; there must be one.
func (h *highest) least() float64 {
	h.cut()
	return slices.Min(h.scores)
}
