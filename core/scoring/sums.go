package scoring

import (
	"math"
	"runtime"
	"slices"
	"sync"

	"dappertally/core/checklist"
)

// Sums is the sums of the criteria of each section for every edition, with one set of criteria weights. While only
// section weights change, scores need one pass over the sums, not over all points. It is immutable.
type Sums struct {
	columns  *Columns
	criteria []float64 // the weights of the criteria
	// values holds for each edition and section the section's score to the power of the policy's exponent, then for
	// each section its answered share; NaN if nothing of it is answered, or asked.
	values []float64
}

// Sums adds up the criteria of each section with an audience's weights. The columns keep the last sums.
func (c *Columns) Sums(a checklist.Audience) *Sums {
	w := weigh(c.Checklist, c.Criteria, a)
	if s := c.summed.Load(); s != nil && slices.Equal(s.criteria, w.criterion) {
		return s
	}
	sections := len(w.section)
	s := &Sums{c, w.criterion, make([]float64, 2*sections*len(c.Editions))}
	tables := c.tables(w)
	r := c.Checklist.Policy.Exponent()
	c.eachBlock(func(x *blockSums, low, high int) {
		c.sum(x, w, tables, low, high, true)
		for e := low; e < high; e++ {
			of := s.values[2*sections*e:]
			for i := range sections {
				of[i], of[sections+i] = math.NaN(), math.NaN()
				if answered := x.answered[i][e-low]; answered > 0 {
					of[i] = powered(x.points[i][e-low]/answered, r)
				}
				if asked := x.asked[i][e-low]; asked > 0 {
					of[sections+i] = x.answered[i][e-low] / asked
				}
			}
		}
	})
	c.summed.Store(s)
	return s
}

// Columns returns the columns that were added up.
func (s *Sums) Columns() *Columns { return s.columns }

// Covered returns the overall score of every edition for an audience with the same criteria weights, as Columns.Score
// does; NaN if there is none, or if the coverage is less than needed.
func (s *Sums) Covered(a checklist.Audience, needed float64) []float64 {
	overall := make([]float64, len(s.columns.Editions))
	list := s.columns.Checklist
	weight := make([]float64, len(list.Sections))
	for i := range weight {
		weight[i] = a.SectionWeight(&list.Sections[i])
	}
	r := list.Policy.Exponent()
	width := 2 * len(weight)
	inBlocks(len(overall), func() func(low, high int) {
		return func(low, high int) {
			for e := low; e < high; e++ {
				var coverage float64
				overall[e], coverage = combine(s.values[e*width:(e+1)*width], weight, r)
				if coverage < needed {
					overall[e] = math.NaN()
				}
			}
		}
	})
	return overall
}

// combine returns the overall score and the coverage of an edition from the values of its sections.
func combine(of, weight []float64, r float64) (overall, coverage float64) {
	var total, sum, countable, covered float64
	share := of[len(weight):]
	for i, w := range weight {
		if w == 0 {
			continue
		}
		if p := of[i]; p == p { // not NaN
			total += w
			sum += w * p
		}
		if c := share[i]; c == c {
			countable += w
			covered += w * c
		}
	}
	overall = math.NaN()
	if total > 0 {
		overall = unpowered(sum/total, r)
	}
	if countable > 0 {
		coverage = covered / countable
	}
	return overall, coverage
}

// inBlocks processes blocks of n editions on all processors, each with a worker of its own.
func inBlocks(n int, worker func() func(low, high int)) {
	blocks := make(chan int)
	var workers sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), (n+block-1)/block) {
		workers.Go(func() {
			work := worker()
			for low := range blocks {
				work(low, min(low+block, n))
			}
		})
	}
	for low := 0; low < n; low += block {
		blocks <- low
	}
	close(blocks)
	workers.Wait()
}
