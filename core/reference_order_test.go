package core_test

import (
	"cmp"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// plainPlace is a line of a ranking by the rules of section 3.
type plainPlace struct {
	edition   string
	rank      int
	heat      bool
	decidedBy string
}

// ranking is section 3: who is ranked and where, who is provisional, who is barred.
func (t *reference) ranking() (ranked []plainPlace, provisional, barred []string) {
	needed, margin := 0.8, 0.5
	if p := t.list.Policy.MinCoverage; p != nil {
		needed = *p
	}
	if p := t.list.Policy.DeadHeat; p != nil {
		margin = *p
	}
	var rest []string
	for _, e := range t.editions {
		switch card := t.cards[e]; {
		case len(card.barred) > 0:
			barred = append(barred, e)
		case card.overall == nil || card.coverage < needed-slack:
			provisional = append(provisional, e)
		default:
			rest = append(rest, e)
		}
	}
	byScore := func(a, b string) int {
		return cmp.Or(compareScores(t.cards[a].overall, t.cards[b].overall), cmp.Compare(a, b))
	}
	slices.SortFunc(provisional, byScore)
	slices.SortFunc(rest, byScore)
	for _, heat := range walk(rest, margin, func(e string) *float64 { return t.cards[e].overall }) {
		type part struct {
			editions []string
			by       string
		}
		parts := []part{{heat, ""}}
		for _, d := range t.list.Policy.Decisive {
			var split []part
			for _, p := range parts {
				points, ok := t.contest(d, p.editions)
				if !ok {
					split = append(split, p)
					continue
				}
				sorted := slices.Clone(p.editions)
				slices.SortStableFunc(sorted, func(a, b string) int { return compareScores(points(a), points(b)) })
				for i, some := range walk(sorted, 1, points) {
					slices.SortFunc(some, byScore)
					by := p.by
					if i > 0 {
						by = d
					}
					split = append(split, part{some, by})
				}
			}
			parts = split
		}
		for _, p := range parts {
			rank := len(ranked) + 1
			for _, e := range p.editions {
				ranked = append(ranked, plainPlace{e, rank, len(heat) > 1, p.by})
			}
		}
	}
	return ranked, provisional, barred
}

// walk goes down a list, the highest first, and joins what lies within the margin of
// the first of its heat. Those without a score are a heat of their own.
func walk(sorted []string, margin float64, score func(string) *float64) [][]string {
	var heats [][]string
	for _, e := range sorted {
		if n := len(heats); n > 0 {
			first, mine := score(heats[n-1][0]), score(e)
			if (first == nil && mine == nil) || (first != nil && mine != nil && *first-*mine <= margin+slack) {
				heats[n-1] = append(heats[n-1], e)
				continue
			}
		}
		heats = append(heats, []string{e})
	}
	return heats
}

// verdict is section 4 for one measure on one rig; comparable is false where contexts
// differ that the rule leaves open.
func verdict(c *checklist.Criterion, x, base *plainRig) (verdict string, comparable bool) {
	contexts := map[checklist.Context]bool{}
	for _, side := range []*plainRig{x, base} {
		for _, r := range side.readings {
			context := r.Context
			for rule, field := range map[string]*string{"m" + c.Context.Method: &context.Method, "s" + c.Context.Setup: &context.Setup, "p" + c.Context.Phase: &context.Phase} {
				if len(rule) > 1 {
					*field = "" // fixed by the rule, and so the same
				}
			}
			contexts[context] = true
		}
	}
	if len(contexts) > 1 {
		return "", false
	}
	tolerance := 0.05
	if c.Runs.Tolerance != nil {
		tolerance = *c.Runs.Tolerance
	}
	d := x.value - base.value
	close := math.Abs(d) <= tolerance*math.Max(math.Abs(x.value), math.Abs(base.value))+slack
	var mine, theirs []float64
	for _, r := range x.readings {
		mine = append(mine, plainRuns(r)...)
	}
	for _, r := range base.readings {
		theirs = append(theirs, plainRuns(r)...)
	}
	if a, b := plainBoots(x.readings), plainBoots(base.readings); len(a) >= 4 && len(b) >= 4 {
		mine, theirs = a, b
	}
	if len(mine) >= 4 && len(theirs) >= 4 && plainMannWhitney(mine, theirs) >= 0.05-slack {
		close = true
	}
	low, high := x, base
	if d > 0 {
		low, high = base, x
	}
	for _, r := range low.readings {
		close = close || r.Bound == "at-least"
	}
	for _, r := range high.readings {
		close = close || r.Bound == "at-most"
	}
	switch {
	case close:
		return "too close", true
	case (d < 0) == (c.Better == "lower"):
		return "better", true
	}
	return "worse", true
}

// plainBoots is the medians of the starts of the machine, where all readings say in which their runs were made.
func plainBoots(readings []*reading.Reading) (medians []float64) {
	of := map[string][]float64{}
	for _, r := range readings {
		runs := plainRuns(r)
		if len(r.Boots) == 0 {
			return nil
		}
		for _, b := range r.Boots {
			for range b.Runs {
				of[b.ID] = append(of[b.ID], runs[0])
				runs = runs[1:]
			}
		}
	}
	for _, runs := range of {
		medians = append(medians, plainMedian(runs))
	}
	return medians
}

// plainMannWhitney draws every possible sample, by counting sums of doubled mid-ranks:
// twice the smaller tail, at most 1.
func plainMannWhitney(a, b []float64) float64 {
	pooled := slices.Sorted(slices.Values(append(slices.Clone(a), b...)))
	rank := func(v float64) int { // doubled
		below, same := 0, 0
		for _, x := range pooled {
			switch {
			case math.Abs(x-v) <= slack:
				same++
			case x < v:
				below++
			}
		}
		return 2*below + same + 1
	}
	observed := 0
	for _, v := range a {
		observed += rank(v)
	}
	ways := map[[2]int]float64{{0, 0}: 1} // by how many are drawn and their sum
	for _, v := range pooled {
		next := map[[2]int]float64{}
		for k, n := range ways {
			next[k] += n
			if k[0] < len(a) {
				next[[2]int{k[0] + 1, k[1] + rank(v)}] += n
			}
		}
		ways = next
	}
	var low, high, all float64
	for k, n := range ways {
		if k[0] != len(a) {
			continue
		}
		all += n
		if k[1] <= observed {
			low += n
		}
		if k[1] >= observed {
			high += n
		}
	}
	return math.Min(1, 2*math.Min(low, high)/all)
}

// plainPair counts a head-to-head.
type plainPair struct{ wins, losses, ties, splits int }

func (t *reference) pair(a, b string) (p plainPair, flips []string) {
	t.each(func(c *checklist.Criterion) {
		x, y := t.cells[a][c.Key], t.cells[b][c.Key]
		if c.Kind == "fact" || x.state != scoring.Answered || y.state != scoring.Answered {
			return
		}
		won := 0
		if c.Kind == "measure" {
			better, worse, compared := 0, 0, 0
			for rig := range x.rigs {
				if y.rigs[rig] == nil {
					continue
				}
				v, ok := verdict(c, x.rigs[rig], y.rigs[rig])
				compared += btoi(ok)
				better += btoi(v == "better")
				worse += btoi(v == "worse")
			}
			if compared == 0 {
				return
			}
			won = better - worse
			if better > 0 && worse > 0 {
				flips = append(flips, c.Key)
			}
			if won == 0 && better > 0 {
				p.splits++
			}
		} else {
			won = t.aheadIn(c, x, y)
		}
		p.wins += btoi(won > 0)
		p.losses += btoi(won < 0)
		p.ties += btoi(won == 0)
	})
	return p, flips
}

// aheadIn is who is ahead in a criterion that is no measure: 1, −1, or 0 for a tie.
func (t *reference) aheadIn(c *checklist.Criterion, x, y *plainCell) int {
	margin := slack
	if c.Kind == "grade" {
		margin += 5
	}
	d := x.points - y.points
	bounded := func(cell *plainCell, bound string) bool {
		for _, r := range cell.rigs {
			for _, one := range r.readings {
				if one.Bound == bound {
					return true
				}
			}
		}
		return false
	}
	switch {
	case d > margin && !bounded(x, "at-most") && !bounded(y, "at-least"):
		return 1
	case d < -margin && !bounded(x, "at-least") && !bounded(y, "at-most"):
		return -1
	}
	return 0
}

// crossing is where a section's share turns the lead, looked for step by step.
type crossing struct {
	share  float64
	leader string
}

// turns finds the nearest crossings of the leader's line with any other's, above and
// below the section's share, by trying every share and halving where the sign changes.
func (t *reference) turns(ranked []string, leader, section string) (up, down *crossing) {
	whole := 0.0
	for i := range t.list.Sections {
		whole += t.sectionWeight(&t.list.Sections[i])
	}
	own := 0.0
	for i := range t.list.Sections {
		if s := &t.list.Sections[i]; s.Key == section {
			own = t.sectionWeight(s)
		}
	}
	if own == whole {
		return nil, nil // a single section has none
	}
	score := func(edition string, share float64) float64 {
		sum, weight := 0.0, 0.0
		for i := range t.list.Sections {
			s := &t.list.Sections[i]
			p, ok := t.cards[edition].sections[s.Key]
			w := share
			if s.Key != section {
				w = (1 - share) * t.sectionWeight(s) / (whole - own)
			}
			if ok && w > 0 {
				sum, weight = sum+w*p, weight+w
			}
		}
		return sum / weight
	}
	now := own / whole
	const steps = 2000
	for _, other := range ranked {
		if other == leader {
			continue
		}
		apart := func(share float64) float64 { return score(leader, share) - score(other, share) }
		for i := 1; i < steps-1; i++ {
			a, b := float64(i)/steps, float64(i+1)/steps
			if math.Abs(apart(a)) < slack && math.Abs(apart(b)) < slack {
				break // the same line
			}
			if apart(a)*apart(b) > 0 {
				continue
			}
			for range 60 {
				if m := (a + b) / 2; apart(a)*apart(m) <= 0 {
					b = m
				} else {
					a = m
				}
			}
			at := &crossing{(a + b) / 2, other}
			if at.share >= now-slack && (up == nil || at.share < up.share-1e-7) {
				up = at
			}
			if at.share <= now+slack && (down == nil || at.share > down.share+1e-7) {
				down = at
			}
		}
	}
	return up, down
}
