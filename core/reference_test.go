package core_test

import (
	"cmp"
	"math"
	"slices"
	"strings"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// reference is an independent implementation of the scoring rules, sections 1 and 2, written line by line without
// regard to speed. It shares only the types of the input with the packages under test.
type reference struct {
	bundle   *bundle.Bundle
	list     *checklist.Checklist
	audience checklist.Audience
	opts     scoring.Options
	editions []string
	stands   map[string]*reading.Review
	cells    map[string]map[string]*plainCell // by edition, then criterion
	cards    map[string]*plainCard
}

// plainCell is what is known of a criterion for an edition.
type plainCell struct {
	state  scoring.State
	groups []*reading.Reading // one for each reviewer and rig, or context too
	rigs   map[string]*plainRig
	points float64
}

type plainRig struct {
	readings []*reading.Reading
	value    float64
	points   float64
}

type plainCard struct {
	overall, low, high *float64
	coverage, measured float64
	sections           map[string]float64
	weights            map[string]float64 // effective, by criterion
	barred, open       []string
}

const slack = 1e-9

func referenceOf(b *bundle.Bundle, list *checklist.Checklist, opts scoring.Options) *reference {
	t := &reference{
		bundle: b,
		list:   list,
		opts:   opts,
		stands: map[string]*reading.Review{},
		cells:  map[string]map[string]*plainCell{},
		cards:  map[string]*plainCard{},
	}
	for _, a := range list.Audiences {
		if a.Key == opts.Audience {
			t.audience = a
		}
	}
	for i := range b.Reviews {
		r := &b.Reviews[i]
		if r.Checklist != list.Name() || r.State != "accepted" || r.Accepted == nil ||
			(opts.At != nil && r.Accepted.After(*opts.At)) {
			continue
		}
		if old := t.stands[r.Edition]; old == nil || r.Accepted.After(*old.Accepted) ||
			(r.Accepted.Equal(*old.Accepted) && r.ID > old.ID) {
			t.stands[r.Edition] = r
		}
	}
	for e := range t.stands {
		t.editions = append(t.editions, e)
	}
	slices.Sort(t.editions)
	for _, e := range t.editions {
		t.cells[e] = map[string]*plainCell{}
		t.each(func(c *checklist.Criterion) { t.cells[e][c.Key] = t.cell(e, c) })
	}
	t.each(t.score)
	for _, e := range t.editions {
		t.cards[e] = t.card(e)
	}
	return t
}

func (t *reference) each(do func(*checklist.Criterion)) {
	for s := range t.list.Sections {
		for i := range t.list.Sections[s].Criteria {
			do(&t.list.Sections[s].Criteria[i])
		}
	}
}

// usable is rules 0 and 1 without lending: the readings of the edition's review and of
// those that it continues, that were there by then and that none of them replaced.
func (t *reference) usable(edition, criterion string) []*reading.Reading {
	var all []*reading.Reading
	gone := map[string]bool{}
	seen := map[string]bool{}
	for r := t.stands[edition]; r != nil && !seen[r.ID]; {
		seen[r.ID] = true
		for i := range r.Readings {
			x := &r.Readings[i]
			if t.opts.At == nil || !x.At.After(*t.opts.At) {
				all = append(all, x)
				gone[x.Replaces] = true
			}
		}
		next := r.Continues
		r = nil
		for i := range t.bundle.Reviews {
			if next != "" && t.bundle.Reviews[i].ID == next {
				r = &t.bundle.Reviews[i]
			}
		}
	}
	return slices.DeleteFunc(all, func(x *reading.Reading) bool { return gone[x.ID] || x.Criterion != criterion })
}

// of is rule 0: an edition's own readings, or those that another lends it.
func (t *reference) of(edition string, c *checklist.Criterion) []*reading.Reading {
	own := t.usable(edition, c.Key)
	if len(own) > 0 || (c.Scope != "release" && c.Scope != "distribution") {
		return own
	}
	mine := strings.Split(edition, "/")
	var lent []*reading.Reading
	for _, other := range t.editions {
		theirs := strings.Split(other, "/")
		if other == edition || theirs[0] != mine[0] || (c.Scope == "release" && theirs[1] != mine[1]) {
			continue
		}
		if found := t.usable(other, c.Key); len(found) > 0 &&
			(lent == nil || newestOf(found).At.After(newestOf(lent).At)) {
			lent = found
		}
	}
	return lent
}

func newestOf(all []*reading.Reading) *reading.Reading {
	return slices.MaxFunc(all, func(a, b *reading.Reading) int { return a.At.Compare(b.At) })
}

// cell is rules 2 to 4.
func (t *reference) cell(edition string, c *checklist.Criterion) *plainCell {
	cell := &plainCell{state: scoring.NotTested, rigs: map[string]*plainRig{}}
	type key struct {
		reviewer, rig string
		context       checklist.Context
	}
	latest := map[key]*reading.Reading{}
	for _, x := range t.of(edition, c) {
		if x.Answer.NotApplicable != "" {
			cell.state = scoring.NotApplicable
		}
		if x.Answer.NotApplicable != "" || x.Answer.NotTested != "" || x.Disturbance != "" ||
			!accepts(c.Context.Method, x.Context.Method) ||
			!accepts(c.Context.Setup, x.Context.Setup) ||
			!accepts(c.Context.Phase, x.Context.Phase) {
			continue
		}
		if c.Kind == "measure" && (c.Curve.Shape == "ratio" || c.Curve.Shape == "field") && plainValue(x, c) <= 0 {
			continue
		}
		k := key{reviewer: x.Reviewer, rig: x.Rig}
		if c.Across == "worst" {
			k.context = x.Context
		}
		if old := latest[k]; old == nil || x.At.After(old.At) || (x.At.Equal(old.At) && x.ID > old.ID) {
			latest[k] = x
		}
	}
	for _, x := range latest {
		cell.groups = append(cell.groups, x)
	}
	slices.SortFunc(cell.groups, func(a, b *reading.Reading) int { return strings.Compare(a.ID, b.ID) })
	if len(cell.groups) > 0 {
		cell.state = scoring.Answered
	}
	return cell
}

func accepts(rule, is string) bool { return rule == "" || rule == is }

func plainRuns(x *reading.Reading) []float64 {
	runs := slices.Clone(x.Answer.Runs)
	for i := range runs {
		if x.Adjustment != nil {
			runs[i] -= x.Adjustment.Amount
		}
	}
	return runs
}

func plainValue(x *reading.Reading, c *checklist.Criterion) float64 {
	runs := plainRuns(x)
	switch {
	case c.Runs.Summary == "mean":
		return plainMean(runs)
	case c.Runs.Summary == "best" && c.Better == "lower":
		return slices.Min(runs)
	case c.Runs.Summary == "best":
		return slices.Max(runs)
	}
	return plainMedian(runs)
}

func plainMean(x []float64) (sum float64) {
	for _, v := range x {
		sum += v
	}
	return sum / float64(len(x))
}

func plainMedian(x []float64) float64 {
	x = slices.Sorted(slices.Values(x))
	n := len(x)
	return (x[(n-1)/2] + x[n/2]) / 2
}

func plainCurve(c *checklist.Criterion, x, best float64) float64 {
	clamp := func(v float64) float64 { return 100 * math.Max(0, math.Min(1, v)) }
	switch c.Curve.Shape {
	case "span":
		return clamp((x - c.Curve.Poor) / (c.Curve.Ideal - c.Curve.Poor))
	case "ratio":
		return clamp(math.Log(x/c.Curve.Poor) / math.Log(c.Curve.Ideal/c.Curve.Poor))
	case "field":
		if c.Better == "lower" {
			return 100 * best / x
		}
		return 100 * x / best
	}
	p := c.Curve.Points
	if x <= p[0][0] {
		return p[0][1]
	}
	for i := 1; i < len(p); i++ {
		if x <= p[i][0] {
			return p[i-1][1] + (p[i][1]-p[i-1][1])*(x-p[i-1][0])/(p[i][0]-p[i-1][0])
		}
	}
	return p[len(p)-1][1]
}

// plainPoints is the points of a reading of any other kind.
func plainPoints(x *reading.Reading, c *checklist.Criterion) float64 {
	or := func(x *float64, standard float64) float64 {
		if x == nil {
			return standard
		}
		return *x
	}
	switch c.Kind {
	case "grade":
		return 10 * *x.Answer.Grade
	case "check":
		return map[string]float64{"works": 100, "workaround": or(c.WorkaroundPoints, 60), "fails": 0}[x.Answer.Check]
	case "level":
		for _, l := range c.Levels {
			if l.Key == x.Answer.Level {
				return l.Points
			}
		}
	}
	n := x.Answer.Count
	if n.N != nil {
		return 100 * float64(*n.K) / float64(*n.N)
	}
	sum := func(keys []string) (total float64) {
		for _, i := range c.Items {
			if slices.Contains(keys, i.Key) {
				total += or(i.Weight, 1)
			}
		}
		return total
	}
	worked, around, failed := sum(n.Worked), sum(n.Workaround), sum(n.Failed)
	return 100 * (worked + or(c.WorkaroundShare, 0.6)*around) / (worked + around + failed)
}

// score is rules 5 and 6 of one criterion, for all editions.
func (t *reference) score(c *checklist.Criterion) {
	if c.Kind == "fact" {
		return
	}
	best := map[string]float64{}
	for _, e := range t.editions {
		cell := t.cells[e][c.Key]
		for _, x := range cell.groups {
			r := cell.rigs[x.Rig]
			if r == nil {
				r = &plainRig{}
				cell.rigs[x.Rig] = r
			}
			r.readings = append(r.readings, x)
		}
		if c.Kind != "measure" {
			continue
		}
		for rig, r := range cell.rigs {
			for _, x := range r.readings {
				r.value += plainValue(x, c) / float64(len(r.readings))
			}
			old, ok := best[rig]
			if !ok || (c.Better == "lower" && r.value < old) || (c.Better != "lower" && r.value > old) {
				best[rig] = r.value
			}
		}
	}
	shared := map[string]int{}
	answered := 0
	for _, e := range t.editions {
		cell := t.cells[e][c.Key]
		if cell.state == scoring.Answered {
			answered++
		}
		for rig, r := range cell.rigs {
			r.points = t.onRig(c, r, best[rig])
			shared[rig]++
		}
	}
	estimates := map[string]map[string]float64{}
	if t.list.Policy.Rigs == "adjusted" && !t.opts.CommonRigs && c.Kind == "measure" && c.Across == "" {
		estimates = t.estimates(c, best)
	}
	for _, e := range t.editions {
		cell := t.cells[e][c.Key]
		if cell.state != scoring.Answered {
			continue
		}
		sum, total := 0.0, 0.0
		for rig, points := range estimates[e] {
			w := t.rigWeight(rig)
			sum, total = sum+w*points, total+w
		}
		for rig, r := range cell.rigs {
			if t.opts.CommonRigs && shared[rig] < answered {
				delete(cell.rigs, rig)
				continue
			}
			w := t.rigWeight(rig)
			sum, total = sum+w*r.points, total+w
		}
		if total == 0 {
			cell.state = scoring.NotTested
			continue
		}
		cell.points = sum / total
	}
}

// onRig is the points of a rig: of a measure from the mean of its values, of anything
// else, and where the worst context counts, reviewer by reviewer.
func (t *reference) onRig(c *checklist.Criterion, r *plainRig, best float64) float64 {
	if c.Kind == "measure" && c.Across != "worst" {
		return plainCurve(c, r.value, best)
	}
	least := map[string]float64{}
	for _, x := range r.readings {
		p := 0.0
		if c.Kind == "measure" {
			p = plainCurve(c, plainValue(x, c), best)
		} else {
			p = plainPoints(x, c)
		}
		if old, ok := least[x.Reviewer]; !ok || p < old {
			least[x.Reviewer] = p
		}
	}
	var points []float64
	for _, p := range least {
		points = append(points, p)
	}
	if c.Kind != "measure" && t.list.Policy.Reviewers == "median" {
		return plainMedian(points)
	}
	return plainMean(points)
}

func (t *reference) rigWeight(rig string) float64 {
	if w, ok := t.opts.RigWeights[rig]; ok {
		return w
	}
	for _, r := range t.bundle.Rigs {
		if r.Key == rig && r.Weight != nil {
			return *r.Weight
		}
	}
	return 1
}

func (t *reference) sectionWeight(s *checklist.Section) float64 {
	if w, ok := t.audience.Sections[s.Key]; ok {
		return w
	}
	return s.Weight
}

func (t *reference) weight(c *checklist.Criterion) float64 {
	if w, ok := t.audience.Criteria[c.Key]; ok {
		return w
	}
	return c.Weight
}

// within sums the weights, and the weighted points, of what has points in a section;
// what is not tested has those that untested gives it, none where that is negative.
func (t *reference) within(edition string, s *checklist.Section, untested float64) (weights, points float64) {
	for i := range s.Criteria {
		c := &s.Criteria[i]
		cell := t.cells[edition][c.Key]
		p := cell.points
		switch {
		case c.Kind == "fact" || cell.state == scoring.NotApplicable:
			continue
		case cell.state == scoring.NotTested && untested < 0:
			continue
		case cell.state == scoring.NotTested:
			p = untested
		}
		weights += t.weight(c)
		points += t.weight(c) * p
	}
	return weights, points
}

// overall is the power mean of the sections that have a score.
func (t *reference) overall(edition string, untested float64) *float64 {
	r := 1.0
	if t.list.Policy.Balance != nil {
		r = *t.list.Policy.Balance
	}
	total, sum := 0.0, 0.0
	for i := range t.list.Sections {
		s := &t.list.Sections[i]
		weights, points := t.within(edition, s, untested)
		W := t.sectionWeight(s)
		if weights == 0 || W == 0 {
			continue
		}
		total += W
		switch P := points / weights; r {
		case 1:
			sum += W * P
		case 0:
			sum += W * math.Log(math.Max(P, 1))
		default:
			sum += W * math.Pow(math.Max(P, 1), r)
		}
	}
	if total == 0 {
		return nil
	}
	mean := sum / total
	switch r {
	case 1:
	case 0:
		mean = math.Exp(mean)
	default:
		mean = math.Pow(mean, 1/r)
	}
	return &mean
}

// card is section 2.
func (t *reference) card(edition string) *plainCard {
	card := &plainCard{
		overall:  t.overall(edition, -1),
		low:      t.overall(edition, 0),
		high:     t.overall(edition, 100),
		sections: map[string]float64{},
		weights:  map[string]float64{},
	}
	asked, scored := 0.0, 0.0
	for i := range t.list.Sections {
		s := &t.list.Sections[i]
		answered, points := t.within(edition, s, -1)
		all, _ := t.within(edition, s, 0)
		W := t.sectionWeight(s)
		if all > 0 {
			asked += W
			card.coverage += W * answered / all
		}
		if answered > 0 {
			card.sections[s.Key] = points / answered
			scored += W
		}
	}
	if asked > 0 {
		card.coverage /= asked
	}
	for i := range t.list.Sections {
		s := &t.list.Sections[i]
		answered, _ := t.within(edition, s, -1)
		for j := range s.Criteria {
			c := &s.Criteria[j]
			cell := t.cells[edition][c.Key]
			if cell.state == scoring.Answered && c.Kind != "fact" && answered > 0 && scored > 0 {
				g := t.sectionWeight(s) / scored * t.weight(c) / answered
				card.weights[c.Key] = g
				if c.Kind != "grade" {
					card.measured += g
				}
			}
			gate, ok := t.audience.Gates[c.Key]
			if !ok && c.Gate != nil {
				gate, ok = *c.Gate, true
			}
			if ok && c.Kind != "fact" {
				if cell.state == scoring.Answered && cell.points < gate-slack {
					card.barred = append(card.barred, c.Key)
				}
				if cell.state == scoring.NotTested {
					card.open = append(card.open, c.Key)
				}
			}
		}
	}
	return card
}

// compareScores puts the highest first and those without a score last.
func compareScores(a, b *float64) int {
	switch {
	case a == nil || b == nil:
		return cmp.Compare(btoi(a == nil), btoi(b == nil))
	}
	return cmp.Compare(*b, *a)
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}
