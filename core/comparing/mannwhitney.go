package comparing

import (
	"cmp"
	"math"
	"slices"
	"sync"

	"gonum.org/v1/gonum/floats"
)

// MannWhitney is the exact two-sided p-value of the Mann–Whitney test for two
// samples, with mid-ranks for ties: twice the smaller tail, at most 1 (Mann &
// Whitney, Annals of Mathematical Statistics 1947; exact under ties by counting
// all splits of the pooled ranks). Samples whose sizes multiply to more than
// exactUpTo are judged by the normal approximation, corrected for ties and
// continuity (Lehmann, Nonparametrics, 1975).
func MannWhitney(a, b []float64) float64 {
	ranks, mine := midRanks(a, b)
	if len(a)*len(b) > exactUpTo {
		return approximate(ranks, mine, float64(len(a)), float64(len(b)))
	}
	var low, high, all float64
	work := splitting.Get().(*[]float64)
	defer splitting.Put(work)
	for s, n := range splits(work, ranks, len(a)) {
		all += n
		if s <= mine {
			low += n
		}
		if s >= mine {
			high += n
		}
	}
	return min(1, 2*min(low, high)/all)
}

// splitting holds the memory of splits between tests: a comparison does many.
var splitting = sync.Pool{New: func() any { return new([]float64) }}

// splits counts the ways in which m of the pooled ranks, which ascend, can be drawn, by their sum; doubled ranks keep
// the sums integral. The result is in the memory given.
func splits(work *[]float64, ranks []int, m int) []float64 {
	sums := make([]int, len(ranks)+1) // of the first ranks, by their number
	for i, r := range ranks {
		sums[i+1] = sums[i] + r
	}
	width := sums[len(ranks)] + 1
	*work = slices.Grow((*work)[:0], (m+1)*width)[:(m+1)*width]
	clear(*work)
	counts := func(k int) []float64 { return (*work)[k*width : (k+1)*width] } // with k drawn, by their sum
	counts(0)[0] = 1
	for i, r := range ranks {
		// With fewer drawn than this, the ranks that follow are not enough.
		for k := min(m, i+1); k > max(0, m-len(ranks)+i); k-- {
			low, high := sums[k-1], sums[i]-sums[i-k+1]+1 // of k-1 among the ranks before
			floats.Add(counts(k)[low+r:high+r], counts(k - 1)[low:high])
		}
	}
	return counts(m)
}

// exactUpTo bounds the work of the exact test, which grows with the fourth power
// of the samples' size.
const exactUpTo = 2500

func approximate(ranks []int, sumA int, m, n float64) float64 {
	ties := 0.0
	for i := 0; i < len(ranks); {
		j := i
		for j < len(ranks) && ranks[j] == ranks[i] {
			j++
		}
		t := float64(j - i)
		ties += t*t*t - t
		i = j
	}
	total := m + n
	variance := m * n / 12 * (total + 1 - ties/(total*(total-1)))
	if variance <= 0 {
		return 1
	}
	u := float64(sumA)/2 - m*(m+1)/2
	z := max(0, math.Abs(u-m*n/2)-0.5) / math.Sqrt(variance)
	return min(1, math.Erfc(z/math.Sqrt2))
}

// midRanks ranks the pooled samples, with the mean rank for ties. It returns twice the ranks, and twice the rank sum
// of a.
func midRanks(a, b []float64) (ranks []int, sumA int) {
	type value struct {
		x    float64
		ofA  bool
		rank int
	}
	pool := make([]value, 0, len(a)+len(b))
	for _, x := range a {
		pool = append(pool, value{x: x, ofA: true})
	}
	for _, x := range b {
		pool = append(pool, value{x: x})
	}
	slices.SortFunc(pool, func(x, y value) int { return cmp.Compare(x.x, y.x) })
	for i := 0; i < len(pool); {
		j := i
		for j < len(pool) && pool[j].x-pool[i].x <= tie {
			j++
		}
		for k := i; k < j; k++ {
			pool[k].rank = i + 1 + j // twice the mean of ranks i+1 … j
			ranks = append(ranks, pool[k].rank)
			if pool[k].ofA {
				sumA += pool[k].rank
			}
		}
		i = j
	}
	return ranks, sumA
}

// tie is the largest difference of computed runs that counts as equal.
const tie = 1e-9
