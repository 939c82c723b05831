package ranking

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"slices"
	"sync"

	"gonum.org/v1/gonum/stat/distmv"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// What steadiness varies.
const (
	VaryWeights  = "weights"
	VaryReadings = "readings"
	VaryBoth     = "both"
)

// Variables lists what can be varied.
var Variables = []string{VaryWeights, VaryReadings, VaryBoth}

// Variation is what is varied, how much and how often. The zero value stands for the defaults.
type Variation struct {
	Draws int     // 0: 10,000; at most MostDraws
	Seed  uint64  // the same seed gives the same result
	Kappa float64 // 0: 60; the higher, the closer shares stay to the weights
	Vary  string  // empty: weights
	// Workers is how many goroutines draw; 0: one for each processor. The result does not depend on it.
	Workers int
}

// MostDraws is the highest number of draws.
const MostDraws = 1_000_000

// mostPaired is the largest field for which pairs are compared.
const mostPaired = 50

// Steadiness is how often the order of the ranked editions holds when weights and
// readings are varied.
type Steadiness struct {
	Draws    int             `json:"draws"`
	Kappa    float64         `json:"kappa"`
	Vary     string          `json:"shake"`
	Seed     uint64          `json:"seed"`
	Editions []EditionShares `json:"editions"` // by edition
	// Beats is the probability that the row's edition is ahead of the column's, ties counting half, in the order of
	// Editions; nil on the diagonal. The whole is nil for more than 50 editions.
	Beats [][]*float64 `json:"beats"`
}

// EditionShares is the share of draws in which an edition reached each rank.
type EditionShares struct {
	Edition string    `json:"edition"`
	First   float64   `json:"first"`
	Ranks   []float64 `json:"ranks"` // from rank 1; a draw in which it tied counts in equal parts
	Low     int       `json:"low"`   // 5th percentile of its ranks
	High    int       `json:"high"`  // 95th
}

func (s *Variation) settle() error {
	if s.Draws == 0 {
		s.Draws = 10_000
	}
	if s.Kappa == 0 {
		s.Kappa = 60
	}
	if s.Vary == "" {
		s.Vary = VaryWeights
	}
	switch {
	case s.Draws < 1 || s.Draws > MostDraws:
		return fmt.Errorf("draws must be between 1 and %d, not %d", MostDraws, s.Draws)
	case !(s.Kappa > 0) || s.Kappa > 1e9:
		return fmt.Errorf("kappa must be above 0 and at most a thousand million, not %v", s.Kappa)
	case !slices.Contains(Variables, s.Vary):
		return fmt.Errorf("what is varied must be weights, readings or both, not %.70q", s.Vary)
	}
	return nil
}

// Vary draws the ranking of the ranked editions many times. The shares of the sections come from a Dirichlet
// distribution around the weights, κ times as concentrated as their shares, and likewise the shares of the criteria
// within each section; readings come from drawing runs and reviewers with replacement. Gates and coverage stay as
// they are. After SMAA-2 (Lahdelma & Salminen, Operations Research 2001). The result depends on the seed, not on the
// number of processors.
func Vary(ctx context.Context, t *scoring.Table, a checklist.Audience, r *Ranking, how Variation) (Steadiness, error) {
	sparse, err := VaryColumns(ctx, t.Columns(), t.Varied, a, r, how)
	return sparse.whole(), err
}

// VaryColumns is Vary for points that are already in columns, with a sparse result. varied returns the cells whose
// readings can be drawn; it is called only if readings are varied.
func VaryColumns(
	ctx context.Context,
	columns *scoring.Columns,
	varied func(editions []int) []*scoring.Varied,
	a checklist.Audience,
	r *Ranking,
	how Variation,
) (SparseSteadiness, error) {
	if err := how.settle(); err != nil {
		return SparseSteadiness{}, err
	}
	var ranked []int
	places := r.places()
	for e, edition := range columns.Editions {
		if _, ok := places[edition]; ok {
			ranked = append(ranked, e)
		}
	}
	workers := how.Workers
	if workers < 1 {
		workers = runtime.GOMAXPROCS(0)
	}
	s := SparseSteadiness{
		Draws: how.Draws, Kappa: how.Kappa, Vary: how.Vary, Seed: how.Seed, Editions: make([]EditionRanks, len(ranked)),
	}
	var sharesOf func(edition int) EditionRanks
	if len(ranked) >= largeField {
		none := func([]int) []*scoring.Varied { return nil }
		l := &large{drawer: newDrawer(columns, none, a, ranked, &how), ranked: ranked, varied: varied, workers: workers}
		if err := l.vary(ctx); err != nil {
			return SparseSteadiness{}, err
		}
		sharesOf = l.of
	} else {
		sum, err := varyAll(ctx, columns, varied, a, ranked, &how, workers)
		if err != nil {
			return SparseSteadiness{}, err
		}
		s.Beats = sum.beats(how.Draws)
		sharesOf = func(n int) EditionRanks { return sum.shares(n, how.Draws) }
	}
	err := each(ctx, workers, len(ranked), func() func(n int) {
		return func(n int) {
			edition := columns.Editions[ranked[n]]
			s.Editions[n] = sharesOf(n)
			s.Editions[n].Edition = edition
			if len(ranked) >= largeField && places[edition] >= mostTold {
				s.Editions[n].Shares = nil
			}
		}
	})
	return s, err
}

// varyAll counts the ranks of all draws of a small field.
func varyAll(
	ctx context.Context,
	columns *scoring.Columns,
	varied func(editions []int) []*scoring.Varied,
	a checklist.Audience,
	ranked []int,
	how *Variation,
	workers int,
) (*tally, error) {
	var mutex sync.Mutex
	var tallies []*tally // one of each worker
	batches := (how.Draws + drawsInBatch - 1) / drawsInBatch
	err := each(ctx, workers, batches, func() func(n int) {
		d := newDrawer(columns, varied, a, ranked, how)
		mutex.Lock()
		defer mutex.Unlock()
		tallies = append(tallies, d.tally)
		return func(batch int) { d.batch(batch, min(drawsInBatch, how.Draws-batch*drawsInBatch)) }
	})
	if err != nil {
		return nil, err
	}
	sum := tallies[0]
	for _, other := range tallies[1:] {
		sum.add(other)
	}
	return sum, nil
}

// drawsInBatch is how many draws share one stream of random numbers.
const drawsInBatch = 100

// drawer makes draws; each worker has one.
type drawer struct {
	how      *Variation
	columns  *scoring.Columns
	source   *rand.ChaCha8
	random   *rand.Rand
	scorer   *scoring.Scorer
	section  []float64
	weight   []float64
	shares   []shares
	readings []*scoring.Varied
	place    map[int]int // position of an edition of the table among the ranked
	order    []drawn
	tally    *tally
}

// shares draws a group of weights from their distribution.
type shares struct {
	from   *distmv.Dirichlet
	into   []float64 // the weights; those at places are drawn
	places []int
	drawn  []float64
}

func newDrawer(
	columns *scoring.Columns,
	varied func([]int) []*scoring.Varied,
	a checklist.Audience,
	ranked []int,
	how *Variation,
) *drawer {
	d := &drawer{
		how:     how,
		columns: columns,
		source:  rand.NewChaCha8([32]byte{}),
		scorer:  columns.Scorer(ranked),
		place:   map[int]int{},
		tally:   newTally(len(ranked)),
	}
	d.random = rand.New(d.source)
	d.section, d.weight = columns.Weights(a)
	for n, e := range ranked {
		d.place[e] = n
		d.order = append(d.order, drawn{edition: n})
	}
	if how.Vary != VaryReadings {
		within := make([][]int, len(d.section))
		for i := range columns.Criteria {
			within[columns.Section(i)] = append(within[columns.Section(i)], i)
		}
		all := make([]int, len(d.section))
		for s := range d.section {
			all[s] = s
			d.share(d.weight, within[s])
		}
		d.share(d.section, all)
	}
	if how.Vary != VaryWeights {
		d.readings = varied(ranked)
	}
	return d
}

// share replaces the weights at these places by drawn ones; weights of 0 stay 0.
func (d *drawer) share(weights []float64, places []int) {
	s := shares{into: weights}
	var sum float64
	for _, i := range places {
		if weights[i] > 0 {
			s.places = append(s.places, i)
			sum += weights[i]
		}
	}
	if len(s.places) < 2 {
		return
	}
	alpha := make([]float64, len(s.places))
	for n, i := range s.places {
		alpha[n] = d.how.Kappa * weights[i] / sum
	}
	s.from, s.drawn = distmv.NewDirichlet(alpha, d.source), make([]float64, len(alpha))
	d.shares = append(d.shares, s)
}

func (s *shares) draw() {
	s.from.Rand(s.drawn)
	if math.IsNaN(s.drawn[0]) { // shares so small that all were rounded to 0
		s.from.Mean(s.drawn)
	}
	for n, i := range s.places {
		s.into[i] = s.drawn[n]
	}
}

// seed starts the stream of random numbers of a batch.
func (d *drawer) seed(batch int) {
	var key [32]byte
	binary.LittleEndian.PutUint64(key[:], d.how.Seed)
	binary.LittleEndian.PutUint64(key[8:], uint64(batch))
	d.source.Seed(key)
}

// batch makes the draws of one batch from its own stream of random numbers, so that the result does not depend on
// which worker makes it.
func (d *drawer) batch(number, draws int) {
	d.seed(number)
	for range draws {
		for i := range d.shares {
			d.shares[i].draw()
		}
		for _, s := range d.readings {
			d.scorer.Move(d.place[s.Edition], s.Criterion, s.Draw(d.random))
		}
		d.tally.count(d.scorer.Overall(d.section, d.weight), d.order)
	}
}
