package ranking

import (
	"context"
	"encoding/binary"
	"math/rand/v2"
	"slices"
	"sync"
	"sync/atomic"

	"dappertally/core/scoring"
)

const (
	// largeField is from how many editions on variation uses a method that needs little memory: the readings of one
	// edition at a time, and only the ranks of each draw.
	largeField = 1000
	// mostTold is for how many editions of a large field, from the first rank on, the shares of ranks are kept.
	mostTold = 500
)

// large varies a large field.
type large struct {
	*drawer
	ranked  []int // indexes into the columns
	varied  func(editions []int) []*scoring.Varied
	workers int
	section [][]float64 // weights, by draw
	weight  [][]float64
	ranks   [][]int32 // by draw, then edition: rank from 0; editions that tie share the first of their ranks
	ties    []map[int32]int32
}

// vary makes all draws. Weights are drawn as in a small field; the readings of each edition use their own stream of
// random numbers.
func (l *large) vary(ctx context.Context) error {
	for n := range l.how.Draws {
		if n%drawsInBatch == 0 {
			l.seed(n / drawsInBatch)
		}
		for i := range l.shares {
			l.shares[i].draw()
		}
		l.section = append(l.section, slices.Clone(l.drawer.section))
		l.weight = append(l.weight, slices.Clone(l.drawer.weight))
	}
	l.ranks, l.ties = make([][]int32, l.how.Draws), make([]map[int32]int32, l.how.Draws)
	if l.how.Vary == VaryWeights {
		return l.byDraw(ctx)
	}
	return l.byEdition(ctx)
}

// byDraw scores all editions in each draw.
func (l *large) byDraw(ctx context.Context) error {
	return each(ctx, l.workers, l.how.Draws, func() func(n int) {
		scorer := l.columns.Scorer(l.ranked)
		order := slices.Clone(l.order)
		return func(draw int) { l.rank(draw, scorer.Overall(l.section[draw], l.weight[draw]), order) }
	})
}

// byEdition scores each edition in all draws.
func (l *large) byEdition(ctx context.Context) error {
	scores := make([][]float64, l.how.Draws) // by draw, then edition
	for n := range scores {
		scores[n] = make([]float64, len(l.ranked))
	}
	err := each(ctx, l.workers, len(l.ranked), func() func(n int) {
		source := rand.NewChaCha8([32]byte{})
		random := rand.New(source)
		one := l.columns.One()
		return func(n int) {
			one.Take(l.ranked[n])
			cells := l.varied(l.ranked[n : n+1])
			var key [32]byte
			binary.LittleEndian.PutUint64(key[:], l.how.Seed)
			binary.LittleEndian.PutUint64(key[16:], uint64(n)+1) // not in any batch
			source.Seed(key)
			for draw := range scores {
				for _, s := range cells {
					one.Move(s.Criterion, s.Draw(random))
				}
				scores[draw][n] = one.Overall(l.section[draw], l.weight[draw])
			}
		}
	})
	if err != nil {
		return err
	}
	return each(ctx, l.workers, l.how.Draws, func() func(n int) {
		order := slices.Clone(l.order)
		return func(draw int) { l.rank(draw, scores[draw], order) }
	})
}

// each calls f for n indexes in parallel; begin makes the state of each worker.
func each(ctx context.Context, workers, n int, begin func() func(n int)) error {
	var next atomic.Int64
	var all sync.WaitGroup
	for range workers {
		all.Go(func() {
			do := begin()
			for ctx.Err() == nil {
				at := int(next.Add(1)) - 1
				if at >= n {
					return
				}
				do(at)
			}
		})
	}
	all.Wait()
	return ctx.Err()
}

// rank stores the ranks of one draw.
func (l *large) rank(draw int, scores []float64, order []drawn) {
	ranks := make([]int32, len(l.ranked))
	inOrder(scores, order, func(first, after int) {
		for _, x := range order[first:after] {
			ranks[x.edition] = int32(first)
		}
		if after-first > 1 {
			if l.ties[draw] == nil {
				l.ties[draw] = map[int32]int32{}
			}
			l.ties[draw][int32(first)] = int32(after - first)
		}
	})
	l.ranks[draw] = ranks
}

// of returns the ranks of an edition.
func (l *large) of(edition int) EditionRanks {
	var w window
	for draw, ranks := range l.ranks {
		first, n := int(ranks[edition]), max(int(l.ties[draw][ranks[edition]]), 1)
		for rank := first; rank < first+n; rank++ {
			w.add(rank, aDraw/int64(n), len(l.ranked))
		}
	}
	return w.shares(l.how.Draws)
}
