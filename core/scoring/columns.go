package scoring

import (
	"math"
	"math/bits"
	"sync/atomic"

	"gonum.org/v1/gonum/floats"

	"dappertally/core/checklist"
)

// Columns is the points of many editions laid out by column, so that scores with other weights cost little more than
// one pass over the points. It holds what a ranking needs, without the origin of the points.
type Columns struct {
	Checklist *checklist.Checklist
	Criteria  []*checklist.Criterion
	Editions  []string // in the order of their keys

	points    [][]float64 // by criterion, then edition; 0 where there are none
	section   []int       // of each criterion
	index     map[string]int
	onRigs    map[int][][]rigPoints // of decisive criteria with estimated rigs, by edition: the measured points
	estimated [][]bool              // by criterion, then edition; nil if nothing is estimated

	// Which criteria are answered, and which are asked (answered or not tested), one bit each: stride bytes per
	// edition, with each section starting at a byte of its own. Sums of weights are then a few lookups, eight
	// criteria at a time.
	answered, asked []uint8
	stride          int
	bit             []int // the position of each criterion's bit
	lanes           []int // where each section's bytes begin, and the end

	summed *atomic.Pointer[Sums] // the sums last asked for
}

// NewColumns allocates columns for these editions, which must be ordered by key. At first nothing is tested.
func NewColumns(list *checklist.Checklist, editions []string) *Columns {
	t := newTable(list)
	c := &Columns{
		Checklist: list,
		Criteria:  t.Criteria,
		Editions:  editions,
		section:   t.Sections,
		index:     t.index,
		lanes:     []int{0},
		summed:    &atomic.Pointer[Sums]{},
	}
	c.bit = make([]int, len(c.Criteria))
	i := 0
	for s := range list.Sections {
		for n := range list.Sections[s].Criteria {
			c.bit[i] = 8*c.stride + n
			i++
		}
		c.stride += (len(list.Sections[s].Criteria) + 7) / 8
		c.lanes = append(c.lanes, c.stride)
	}
	c.points = make([][]float64, len(c.Criteria))
	for i, criterion := range c.Criteria {
		if criterion.Scored() {
			c.points[i] = make([]float64, len(editions))
		}
	}
	c.answered = make([]uint8, len(editions)*c.stride)
	c.asked = make([]uint8, len(editions)*c.stride)
	for e := range editions {
		for i := range c.Criteria {
			c.Set(e, i, NotTested, 0)
		}
	}
	return c
}

// Set stores what is known of criterion i for edition e.
func (c *Columns) Set(e, i int, state State, points float64) {
	if !c.Criteria[i].Scored() {
		return
	}
	if c.summed.Load() != nil {
		c.summed.Store(nil)
	}
	at, mask := e*c.stride+c.bit[i]/8, uint8(1)<<(c.bit[i]%8)
	c.answered[at] &^= mask
	c.asked[at] &^= mask
	c.points[i][e] = 0
	switch state {
	case Answered:
		c.answered[at] |= mask
		c.asked[at] |= mask
		c.points[i][e] = points
	case NotTested:
		c.asked[at] |= mask
	}
}

// copyFrom copies criterion i from other columns, for their edition at.
func (c *Columns) copyFrom(e, i int, from *Columns, at int) {
	points, answered := from.Points(i, at)
	switch {
	case answered:
		c.Set(e, i, Answered, points)
	case from.Asked(i, at):
		c.Set(e, i, NotTested, 0)
	default:
		c.Set(e, i, NotApplicable, 0)
	}
	if from.Estimated(i, at) {
		c.markEstimated(e, i)
	}
	if rigs := from.onRigs[i]; rigs != nil {
		c.onRigs[i][e] = rigs[at]
	}
}

// Columns returns the table's points laid out by column. They are shared: do not modify them.
func (t *Table) Columns() *Columns {
	t.weighed.Do(t.weigh)
	return t.columns
}

// Points returns the points of a criterion for edition e, and whether it has any.
func (c *Columns) Points(i, e int) (float64, bool) {
	return c.points[i][e], c.has(c.answered, i, e)
}

// Section returns the index of criterion i's section in the checklist.
func (c *Columns) Section(i int) int { return c.section[i] }

// Asked reports whether criterion i is answered or not tested for edition e.
func (c *Columns) Asked(i, e int) bool { return c.has(c.asked, i, e) }

func (c *Columns) has(of []uint8, i, e int) bool {
	return of[e*c.stride+c.bit[i]/8]>>(c.bit[i]%8)&1 == 1
}

// Index returns the index of a criterion among the columns, and whether it has one.
func (c *Columns) Index(criterion string) (int, bool) {
	i, ok := c.index[criterion]
	return i, ok
}

// Scores holds the scores by which editions are ordered, in the order of the columns' editions. NaN means that there
// is none.
type Scores struct {
	Overall  []float64
	Sections [][]float64 // by section; nil unless they were asked for
	Coverage []float64   // nil: not asked for
}

// block is how many editions are summed at a time: few enough for the sums to stay in a processor cache while the
// columns stream by, and enough to read each piece of a column at full memory speed.
const block = 4096

// Score computes the overall score and the coverage of every edition with an audience's weights, and the scores of
// the sections if wanted. It uses all processors; the result does not depend on their number.
func (c *Columns) Score(a checklist.Audience, sections bool) Scores {
	n := len(c.Editions)
	s := Scores{Overall: make([]float64, n), Coverage: make([]float64, n)}
	if sections {
		s.Sections = make([][]float64, len(c.Checklist.Sections))
		for i := range s.Sections {
			s.Sections[i] = make([]float64, n)
		}
	}
	w := weigh(c.Checklist, c.Criteria, a)
	tables := c.tables(w)
	c.eachBlock(func(x *blockSums, low, high int) { c.score(x, w, tables, low, high, &s) })
	return s
}

// eachBlock processes the editions on all processors, block by block, each with sums of its own.
func (c *Columns) eachBlock(do func(x *blockSums, low, high int)) {
	inBlocks(len(c.Editions), func() func(low, high int) {
		x := newBlockSums(len(c.Checklist.Sections))
		return func(low, high int) { do(x, low, high) }
	})
}

// table holds, for one byte of bits, the total weight of the criteria set in each of its 256 patterns.
type table [256]float64

func (c *Columns) tables(w weights) []table {
	tables := make([]table, c.stride)
	c.fill(tables, w.criterion)
	return tables
}

// fill computes each pattern's weight from that of the pattern without its lowest bit.
func (c *Columns) fill(tables []table, weight []float64) {
	var lane [8]float64
	i := 0
	for l := range tables {
		clear(lane[:])
		for ; i < len(c.bit) && c.bit[i]/8 == l; i++ {
			lane[c.bit[i]%8] = weight[i]
		}
		t := &tables[l]
		for pattern := 1; pattern < len(t); pattern++ {
			t[pattern] = t[pattern&(pattern-1)] + lane[bits.TrailingZeros(uint(pattern))]
		}
	}
}

// blockSums holds, for a block of editions and by section, the weighted points, the weights answered and the weights
// asked.
type blockSums struct{ points, answered, asked [][]float64 }

func newBlockSums(sections int) *blockSums {
	x := &blockSums{}
	for _, sums := range []*[][]float64{&x.points, &x.answered, &x.asked} {
		*sums = make([][]float64, sections)
		for s := range *sums {
			(*sums)[s] = make([]float64, block)
		}
	}
	return x
}

// sum adds up the criteria of each section for a block of editions; the weights asked only if wanted.
func (c *Columns) sum(x *blockSums, w weights, tables []table, low, high int, asked bool) {
	for s := range x.points {
		clear(x.points[s])
		c.weigh(x.answered[s], c.answered, tables, s, low, high)
		if asked {
			c.weigh(x.asked[s], c.asked, tables, s, low, high)
		}
	}
	for i, column := range c.points {
		if weight := w.criterion[i]; weight > 0 {
			floats.AddScaled(x.points[c.section[i]][:high-low], weight, column[low:high])
		}
	}
}

func (c *Columns) score(x *blockSums, w weights, tables []table, low, high int, out *Scores) {
	c.sum(x, w, tables, low, high, out.Coverage != nil)
	r := c.Checklist.Policy.Exponent()
	for e := low; e < high; e++ {
		out.Overall[e] = x.overall(w.section, e-low, r)
		if out.Coverage != nil {
			out.Coverage[e] = x.coverage(w.section, e-low)
		}
	}
	for s := range out.Sections {
		for e := low; e < high; e++ {
			out.Sections[s][e] = math.NaN()
			if weight := x.answered[s][e-low]; weight > 0 {
				out.Sections[s][e] = x.points[s][e-low] / weight
			}
		}
	}
}

// weigh adds up the weights of the criteria of section s whose bits are set.
func (c *Columns) weigh(sums []float64, of []uint8, tables []table, s, low, high int) {
	from, to := c.lanes[s], c.lanes[s+1]
	for e := low; e < high; e++ {
		var sum float64
		for lane, pattern := range of[e*c.stride+from : e*c.stride+to] {
			sum += tables[from+lane][pattern]
		}
		sums[e-low] = sum
	}
}

// overall returns the overall score of the edition at index e of the block; NaN means none.
func (x *blockSums) overall(section []float64, e int, r float64) float64 {
	var total, sum float64
	for s, w := range section {
		if answered := x.answered[s][e]; w > 0 && answered > 0 {
			total += w
			sum += w * powered(x.points[s][e]/answered, r)
		}
	}
	if total == 0 {
		return math.NaN()
	}
	return unpowered(sum/total, r)
}

func (x *blockSums) coverage(section []float64, e int) float64 {
	var countable, covered float64
	for s, w := range section {
		if asked := x.asked[s][e]; w > 0 && asked > 0 {
			countable += w
			covered += w * (x.answered[s][e] / asked)
		}
	}
	if countable == 0 {
		return 0
	}
	return covered / countable
}
