package ranking

import (
	"slices"

	"dappertally/core/scoring"
)

// tally counts in how many draws each edition came to each rank. A draw that
// several share is split in whole parts, so that sums do not depend on the order in
// which draws are added.
type tally struct {
	ranks [][]int64 // by edition, then rank from 0, in parts of a draw
	ahead [][]int64 // by edition, then edition, in half draws; nil where there are too many
}

// aDraw is how many parts a draw has. A million draws of them stay within an int64.
const aDraw = 1 << 40

func newTally(editions int) *tally {
	t := &tally{ranks: square(editions)}
	if editions <= mostPaired {
		t.ahead = square(editions)
	}
	return t
}

func square(n int) [][]int64 {
	rows := make([][]int64, n)
	for i := range rows {
		rows[i] = make([]int64, n)
	}
	return rows
}

// drawn is an edition's score in one draw.
type drawn struct {
	score   float64
	edition int
}

// count adds one draw. order holds all editions, in any order; it is left sorted, so
// that the next draw finds it nearly so.
func (t *tally) count(scores []float64, order []drawn) {
	for i := range order {
		order[i].score = scores[order[i].edition]
	}
	slices.SortFunc(order, func(a, b drawn) int {
		switch {
		case a.score > b.score:
			return -1
		case a.score < b.score:
			return 1
		}
		return 0
	})
	for first := 0; first < len(order); {
		after := first + 1
		for after < len(order) && order[first].score-order[after].score <= scoring.Slack {
			after++
		}
		part := int64(aDraw)
		if after-first > 1 {
			part /= int64(after - first)
		}
		for _, x := range order[first:after] {
			for rank := first; rank < after; rank++ {
				t.ranks[x.edition][rank] += part
			}
		}
		t.pair(order, first, after)
		first = after
	}
}

// pair notes that those from first to after tie, and are ahead of all behind them.
func (t *tally) pair(order []drawn, first, after int) {
	if t.ahead == nil {
		return
	}
	for i, x := range order[first:after] {
		for _, other := range order[first+i+1 : after] {
			t.ahead[x.edition][other.edition]++
			t.ahead[other.edition][x.edition]++
		}
		for _, behind := range order[after:] {
			t.ahead[x.edition][behind.edition] += 2
		}
	}
}

func (t *tally) add(other *tally) {
	for i := range t.ranks {
		for j := range t.ranks[i] {
			t.ranks[i][j] += other.ranks[i][j]
			if t.ahead != nil {
				t.ahead[i][j] += other.ahead[i][j]
			}
		}
	}
}

func (t *tally) shares(edition, draws int) EditionShares {
	s := EditionShares{Ranks: make([]float64, len(t.ranks))}
	var below float64
	for rank, parts := range t.ranks[edition] {
		share := float64(parts) / aDraw / float64(draws)
		s.Ranks[rank] = share
		below += share
		if s.Low == 0 && below >= 0.05-scoring.Slack {
			s.Low = rank + 1
		}
		if s.High == 0 && below >= 0.95-scoring.Slack {
			s.High = rank + 1
		}
	}
	s.First = s.Ranks[0]
	return s
}

func (t *tally) beats(draws int) [][]*float64 {
	if t.ahead == nil {
		return nil
	}
	rows := make([][]*float64, len(t.ahead))
	for i := range rows {
		rows[i] = make([]*float64, len(t.ahead))
		for j, halves := range t.ahead[i] {
			if i != j {
				share := float64(halves) / 2 / float64(draws)
				rows[i][j] = &share
			}
		}
	}
	return rows
}
