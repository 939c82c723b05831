package scoring

import (
	"math"
	"slices"

	"dappertally/core/checklist"
)

// Between is the range of a stay's overall score over several moments.
type Between struct {
	Low, High float64
	Ranked    bool // in the field and ranked at all of them
}

// Bounds returns the ranges of the overall scores of stays, for an audience, over all moments from one on and before
// another at which they are in the field. Low is NaN for a stay that is never ranked.
func (c *Course) Bounds(from, to int, stays []int, a checklist.Audience) []Between {
	b := bounder{Course: c, from: from, to: to, audience: a, weights: weigh(c.base.Checklist, c.base.Criteria, a)}
	b.look()
	all := make([]Between, len(stays))
	for n, s := range stays {
		all[n] = b.overall(s)
	}
	return all
}

// bounder computes bounds of scores over a range of moments.
type bounder struct {
	*Course
	from, to int
	audience checklist.Audience
	weights  weights
	effects  []effects               // by criterion whose rigs are estimated
	best     []map[string][2]float64 // by criterion: the lowest and highest of the range
	sections []sectionBounds
}

// effects are the effects of rigs over a range of moments.
type effects struct {
	low, high []float64
	connected [][]int // number of fits in which two rigs are connected; for a rig with itself: of all
}

// sectionBounds is one section's sums, and bounds of what may be answered in addition.
type sectionBounds struct {
	low, high, answered, asked float64
	maybe                      bool
	maybeLow, maybeHigh        float64
}

// pointsBounds is the bounds of a criterion's points; maybe: it can also be not tested.
type pointsBounds struct {
	state     State
	low, high float64
	maybe     bool
}

// look collects what the field was over the range.
func (b *bounder) look() {
	n := len(b.base.Criteria)
	b.effects, b.best = make([]effects, n), make([]map[string][2]float64, n)
	for i := range b.base.Criteria {
		if b.fits[i] != nil {
			b.effects[i] = b.effectsOf(i)
		}
		if b.Course.best[i] == nil {
			continue
		}
		b.best[i] = map[string][2]float64{}
		for m := b.from; m < b.to; m++ {
			for rig, x := range b.Course.best[i][m] {
				old, there := b.best[i][rig]
				if !there {
					old = [2]float64{x, x}
				}
				b.best[i][rig] = [2]float64{min(old[0], x), max(old[1], x)}
			}
		}
	}
}

func (b *bounder) effectsOf(i int) effects {
	n := len(b.rigs[i])
	e := effects{low: make([]float64, n), high: make([]float64, n), connected: make([][]int, n)}
	for r := range n {
		e.low[r], e.high[r], e.connected[r] = math.Inf(1), math.Inf(-1), make([]int, n)
	}
	var last *fit
	for m := b.from; m < b.to; m++ {
		f := b.fits[i][m]
		if f == last {
			continue
		}
		last = f
		for r := range n {
			e.low[r], e.high[r] = min(e.low[r], f.effect[r]), max(e.high[r], f.effect[r])
			for s := range n {
				if f.part[r] == f.part[s] {
					e.connected[r][s]++
				}
			}
		}
	}
	return e
}

// overall returns the bounds of one stay.
func (b *bounder) overall(stay int) Between {
	s := &b.stays[stay]
	if b.sections == nil {
		b.sections = make([]sectionBounds, len(b.weights.section))
	}
	clear(b.sections)
	sure := s.From <= b.from && s.To >= b.to
	for i, c := range b.base.Criteria {
		if !c.Scored() {
			continue
		}
		section, w := &b.sections[b.base.Sections[i]], b.weights.criterion[i]
		gate, gated := b.audience.Gate(c)
		if w == 0 && !gated {
			continue
		}
		p := b.points(s.Row, i)
		if gated && p.state == Answered {
			if p.high < gate-2*Slack && !p.maybe {
				return never
			}
			sure = sure && p.low >= gate
		}
		section.add(p, w)
		sure = sure && !p.maybe
	}
	return b.sum(sure)
}

// never is the result for a stay that is not ranked.
var never = Between{math.NaN(), math.NaN(), false}

func (s *sectionBounds) add(p pointsBounds, w float64) {
	switch {
	case w == 0:
	case p.maybe:
		s.asked += w
		if !s.maybe {
			s.maybeLow, s.maybeHigh = p.low, p.high
		}
		s.maybe = true
		s.maybeLow, s.maybeHigh = min(s.maybeLow, p.low), max(s.maybeHigh, p.high)
	case p.state == Answered:
		s.asked += w
		s.answered += w
		s.low += w * p.low
		s.high += w * p.high
	case p.state == NotTested:
		s.asked += w
	}
}

// score returns the bounds of a section's score: with what may be answered in addition, it is between the score
// without that and that. sure is false if the section may have no score, and ok is false if it has none.
func (s *sectionBounds) score() (low, high float64, sure, ok bool) {
	if s.answered == 0 {
		return s.maybeLow, s.maybeHigh, false, s.maybe
	}
	low, high = s.low/s.answered, s.high/s.answered
	if s.maybe {
		low, high = min(low, s.maybeLow), max(high, s.maybeHigh)
	}
	return low, high, true, true
}

// sum returns the bounds of the overall score from those of the sections, with a margin for rounding.
func (b *bounder) sum(sure bool) Between {
	r := b.base.Checklist.Policy.Exponent()
	var total, low, high, countable, covered float64
	least, most := math.Inf(1), math.Inf(-1) // of sections that may have no score
	maybe := false
	for s, w := range b.weights.section {
		x := &b.sections[s]
		if w == 0 {
			continue
		}
		maybe = maybe || x.maybe
		if x.asked > 0 {
			countable += w
			covered += w * x.answered / x.asked
		}
		l, h, always, ok := x.score()
		switch {
		case !ok:
		case always:
			total += w
			low += w * powered(l, r)
			high += w * powered(h, r)
		default:
			least, most = min(least, l), max(most, h)
		}
	}
	if !maybe && (countable == 0 || covered/countable < b.base.Checklist.Policy.CoverageNeeded()-2*Slack) {
		return never
	}
	if total > 0 {
		least, most = min(least, unpowered(low/total, r)), max(most, unpowered(high/total, r))
	}
	if least > most {
		return never
	}
	sure = sure && covered/countable >= b.base.Checklist.Policy.CoverageNeeded()
	return Between{least - roundings, most + roundings, sure}
}

// roundings is more than sums of points can differ when added in another order.
const roundings = 1e-6

// points returns the bounds of the points of criterion i of a row.
func (b *bounder) points(row *Row, i int) pointsBounds {
	c := b.base.Criteria[i]
	if b.lending[i] != nil {
		if _, own := row.lendsAt(i); !own {
			return b.borrowed(row, i)
		}
	}
	x, rigs := row.at(i)
	if states[x.state] != Answered {
		return pointsBounds{state: states[x.state]}
	}
	var total, low, high float64
	for k := range rigs {
		w := b.base.weight(row.rigs[rigs[k].rig])
		l, h := rigs[k].points, rigs[k].points
		if b.best[i] != nil && c.Across != "worst" {
			l, h = b.relative(i, rigs[k].value, row.rigs[rigs[k].rig])
		}
		total += w
		low += w * l
		high += w * h
	}
	if b.fits[i] == nil {
		if total == 0 {
			return pointsBounds{state: NotTested}
		}
		return pointsBounds{state: Answered, low: low / total, high: high / total}
	}
	return b.withEstimates(row, i, rigs, total, low, high)
}

// relative returns the bounds of the points of a value relative to the best of the field.
func (b *bounder) relative(i int, value float64, rig string) (low, high float64) {
	c, best := b.base.Criteria[i], b.best[i][rig]
	x, y := c.Curve.At(value, best[0], c.Better), c.Curve.At(value, best[1], c.Better)
	return min(x, y), max(x, y)
}

// withEstimates adds the rigs that a row lacks and that are connected with its own, at some moments or at all.
func (b *bounder) withEstimates(row *Row, i int, rigs []rigBrief, total, low, high float64) pointsBounds {
	e := &b.effects[i]
	f := fit{rigs: b.rigs[i], logs: true}
	own := f.row(row, rigs)
	var levelLow, levelHigh float64
	for k, r := range own.rigs {
		levelLow += (own.y[k] - e.high[r]) / float64(len(own.y))
		levelHigh += (own.y[k] - e.low[r]) / float64(len(own.y))
	}
	first := own.rigs[0]
	least, most, maybe := math.Inf(1), math.Inf(-1), false // of rigs that are connected at some moments
	for r, rig := range b.rigs[i] {
		w := b.base.weight(rig)
		if w == 0 || slices.Contains(own.rigs, r) || e.connected[first][r] == 0 {
			continue
		}
		l, h := b.between(i, math.Exp(levelLow+e.low[r]), math.Exp(levelHigh+e.high[r]), rig)
		if e.connected[first][r] == e.connected[first][first] {
			total += w
			low += w * l
			high += w * h
			continue
		}
		maybe = true
		least, most = min(least, l), max(most, h)
	}
	p := pointsBounds{state: Answered, low: least, high: most, maybe: maybe && total == 0}
	if total > 0 {
		p.low, p.high = min(least, low/total), max(most, high/total)
	} else if !maybe {
		return pointsBounds{state: NotTested}
	}
	return p
}

// between returns the bounds of the points of an estimated value between two.
func (b *bounder) between(i int, from, to float64, rig string) (low, high float64) {
	c := b.base.Criteria[i]
	low, high = math.Inf(1), math.Inf(-1)
	at := func(x float64) {
		l := c.Curve.At(x, 0, c.Better)
		h := l
		if b.best[i] != nil {
			l, h = b.relative(i, x, rig)
		}
		if math.IsNaN(l) || math.IsNaN(h) || math.IsInf(x, 0) { // the result is outside the range of numbers
			l, h = 0, 100
		}
		low, high = min(low, l), max(high, h)
	}
	at(from)
	at(to)
	for _, p := range c.Curve.Points {
		if p[0] > from && p[0] < to {
			at(p[0])
		}
	}
	return min(max(low, 0), 100), min(max(high, 0), 100)
}

// borrowed returns the bounds of a criterion that others answer for a row.
func (b *bounder) borrowed(row *Row, i int) pointsBounds {
	out := pointsBounds{state: NotTested, low: math.Inf(1), high: math.Inf(-1)}
	always, lends := false, false
	for _, n := range b.lending[i][scopeKey(row.edition, b.base.Criteria[i].Scope)] {
		s := &b.stays[n]
		if s.From >= b.to || s.To <= b.from {
			continue
		}
		p := b.points(s.Row, i)
		lends = true
		if p.state != Answered { // what it lends is why there is no answer
			out.maybe = true
			continue
		}
		out.state = Answered
		out.low, out.high = min(out.low, p.low), max(out.high, p.high)
		out.maybe = out.maybe || p.maybe
		always = always || s.From <= b.from && s.To >= b.to
	}
	if !lends {
		return pointsBounds{state: NotTested}
	}
	if out.state != Answered {
		return pointsBounds{state: Answered, low: 0, high: 100, maybe: true} // not tested, or not applicable
	}
	out.maybe = out.maybe || !always
	return out
}
