package answers

import (
	"context"
	"time"

	"dappertally/core/ranking"
	"dappertally/internal/problem"
	"dappertally/internal/turns"
)

// The longest processor time of one request, and the lowest number of draws if the request does not say how many. The
// answer states the number.
const (
	mostDrawing = 2 * time.Second
	leastDraws  = 5
)

// bound sets the number of draws if it was not requested, and refuses what would take too long.
func bound(r *Result, how *ranking.Variation) error {
	ranked := make([]int, 0, len(r.Ranking.Ranking))
	for _, p := range r.Ranking.Ranking {
		ranked = append(ranked, r.Table.Row(p.Edition))
	}
	runs := 0
	if how.Vary == ranking.VaryReadings || how.Vary == ranking.VaryBoth {
		runs = r.Table.Runs(ranked)
	}
	each := ranking.DrawTime(len(ranked), len(r.Table.Criteria), runs, how.Vary)
	most := int((mostDrawing - ranking.Preparing(len(ranked), how.Vary)) / each)
	if how.Draws == 0 && most >= leastDraws {
		how.Draws = min(drawsIn(len(ranked), wholeDraws, fewestDraws), most)
	}
	switch {
	case how.Draws == 0:
		return problem.Field("vary", "%d editions are too many for readers to vary their readings; filter the group, vary only "+
			"the weights, or use dtally compute with a bundle", len(ranked))
	case how.Draws > most && how.Draws <= ranking.MostDraws:
		return problem.Field("draws", "%d draws of %d editions are too many for readers; use at most %d, or use dtally compute "+
			"with a bundle", how.Draws, len(ranked), most)
	}
	return nil
}

// workers returns how many goroutines one answer can use: one for a reader, who shares the service with the team; 0,
// as many as there are processors, for everybody else.
func workers(ctx context.Context) int {
	if turns.Waits(ctx) {
		return 1
	}
	return 0
}

// inTurn computes in turn what nobody is likely to request again.
func inTurn[T any](ctx context.Context, compute func(ctx context.Context) (T, error)) (T, error) {
	done, err := turns.Take(ctx)
	if err != nil {
		var none T
		return none, err
	}
	defer done()
	return compute(ctx)
}
