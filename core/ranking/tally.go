package ranking

import (
	"slices"

	"dappertally/core/scoring"
)

// tally counts in how many draws each edition reached each rank. A draw with a tie is split into integer parts, so
// that sums do not depend on the order of adding.
type tally struct {
	ranks []window  // by edition, of ranks from 0, in parts of a draw
	ahead [][]int64 // by edition, then edition, in half draws; nil if there are too many
}

// window holds counts from an index on: editions stay near their rank, so the rest is not stored.
type window struct {
	from   int
	counts []int64
}

// add adds to the count of an index below limit.
func (w *window) add(at int, parts int64, limit int) {
	if i := at - w.from; i < 0 || i >= len(w.counts) {
		w.reach(at, limit)
	}
	w.counts[at-w.from] += parts
}

// reach extends the window to include an index, and by half of its size, so that this is rare.
func (w *window) reach(at, limit int) {
	from, to := w.from, w.from+len(w.counts)
	if len(w.counts) == 0 {
		from, to = at, at
	}
	spare := 4 + len(w.counts)/2
	if at < from {
		from = max(at-spare, 0)
	}
	if at >= to {
		to = min(at+1+spare, limit)
	}
	counts := make([]int64, to-from)
	copy(counts[max(w.from-from, 0):], w.counts)
	w.from, w.counts = from, counts
}

// aDraw is how many parts a draw has. The parts of a million draws fit into an int64.
const aDraw = 1 << 40

func newTally(editions int) *tally {
	t := &tally{ranks: make([]window, editions)}
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

// count adds one draw. order holds all editions, in any order; it is left sorted, so that the next draw finds it
// nearly sorted.
func (t *tally) count(scores []float64, order []drawn) {
	inOrder(scores, order, func(first, after int) {
		part := int64(aDraw / (after - first))
		for _, x := range order[first:after] {
			for rank := first; rank < after; rank++ {
				t.ranks[x.edition].add(rank, part, len(t.ranks))
			}
		}
		t.pair(order, first, after)
	})
}

// inOrder sorts a draw and calls visit for each group of ties, the best first: the editions of the order from first
// to after, which may be a single one.
func inOrder(scores []float64, order []drawn, visit func(first, after int)) {
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
		visit(first, after)
		first = after
	}
}

// pair records that those from first to after tie, and are ahead of all behind them.
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
		for n, parts := range other.ranks[i].counts {
			t.ranks[i].add(other.ranks[i].from+n, parts, len(t.ranks))
		}
		if t.ahead != nil {
			for j, halves := range other.ahead[i] {
				t.ahead[i][j] += halves
			}
		}
	}
}

// shares returns the shares of the ranks that an edition reached.
func (t *tally) shares(edition, draws int) EditionRanks { return t.ranks[edition].shares(draws) }

func (w *window) shares(draws int) EditionRanks {
	r := EditionRanks{Shares: []RankShare{}}
	var below float64
	for n, parts := range w.counts {
		rank, share := w.from+n+1, float64(parts)/aDraw/float64(draws)
		below += share
		if r.Low == 0 && below >= 0.05-scoring.Slack {
			r.Low = rank
		}
		if r.High == 0 && below >= 0.95-scoring.Slack {
			r.High = rank
		}
		if parts > 0 {
			r.Shares = append(r.Shares, RankShare{rank, share})
			r.Mean += float64(rank) * share
		}
	}
	if len(r.Shares) > 0 && r.Shares[0].Rank == 1 {
		r.First = r.Shares[0].Share
	}
	return r
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
