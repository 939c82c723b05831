package core_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// rolled are bundles made from the golden ones by changing rules and readings at random, from a seed.
const rolled = 150

// TestAgainstReference compares results for random records with a line-by-line implementation of the rules:
// scorecards, rankings, comparisons, pairs, explanations and tipping points.
func TestAgainstReference(t *testing.T) {
	files, _ := filepath.Glob("testdata/golden/*.bundle.json")
	files = slices.DeleteFunc(
		files, func(f string) bool { return strings.Contains(f, "large") },
	) // slow, and nothing in it is new
	if len(files) == 0 {
		t.Fatal("no golden cases")
	}
	told := map[string]int{}
	for seed := range uint64(rolled) {
		random := rand.New(rand.NewPCG(seed, 1))
		file := files[random.IntN(len(files))]
		b := parse(t, file)
		roll(random, b)
		if err := b.Validate().Err(); err != nil {
			t.Fatalf("seed %d makes a bundle that is not sound: %v", seed, err)
		}
		list, err := scoring.Newest(b.Checklists, "")
		if err != nil {
			t.Fatal(err)
		}
		opts := options(random, b, list)
		t.Run(fmt.Sprintf("%d %s", seed, strings.TrimSuffix(filepath.Base(file), ".bundle.json")), func(t *testing.T) {
			h := held{t, referenceOf(b, list, opts), scoring.Tabulate(b.Input(list), opts), told}
			h.all()
		})
	}
	for what, least := range map[string]int{"ranked": 300, "barred": 20, "provisional": 50, "better": 300, "too close": 100, "not comparable": 20, "pairs": 500, "splits": 10, "explained": 20, "tips": 50} {
		if told[what] < least {
			t.Errorf("only %d of %s were held against each other: the random records hardly have any", told[what], what)
		}
	}
}

func options(random *rand.Rand, b *bundle.Bundle, list *checklist.Checklist) (o scoring.Options) {
	if n := random.IntN(len(list.Audiences) + 1); n > 0 {
		o.Audience = list.Audiences[n-1].Key
	}
	if random.IntN(3) == 0 {
		r := &b.Reviews[random.IntN(len(b.Reviews))]
		if len(r.Readings) > 0 {
			o.At = &r.Readings[random.IntN(len(r.Readings))].At
		}
	}
	if random.IntN(3) == 0 {
		o.RigWeights = map[string]float64{b.Rigs[0].Key: float64(random.IntN(4))}
	}
	o.CommonRigs = random.IntN(3) == 0
	return o
}

// roll changes policies, rules and readings, each with a small chance.
func roll(random *rand.Rand, b *bundle.Bundle) {
	chance := func(p float64) bool { return random.Float64() < p }
	oneOf := func(values ...float64) *float64 { return &values[random.IntN(len(values))] }
	for i := range b.Checklists {
		list := &b.Checklists[i]
		p := &list.Policy
		if chance(0.4) {
			p.Balance = oneOf(1, 1, 0, -1, 0.5, -10)
		}
		if chance(0.5) {
			p.DeadHeat = oneOf(0, 0.5, 2, 6, 20)
		}
		if chance(0.5) {
			p.MinCoverage = oneOf(0, 0.3, 0.8, 0.95)
		}
		p.Reviewers = []string{"mean", "median"}[random.IntN(2)]
		if chance(0.3) {
			p.Rigs = "adjusted"
		}
		p.Decisive = nil
		for s := range list.Sections {
			section := &list.Sections[s]
			if chance(0.08) && s > 0 {
				section.Weight = 0
			}
			for j := range section.Criteria {
				c := &section.Criteria[j]
				if c.Kind == checklist.Fact {
					continue
				}
				rollCriterion(chance, oneOf, random, c)
				if len(p.Decisive) < 3 && chance(0.06) {
					p.Decisive = append(p.Decisive, c.Key)
				}
			}
			if weightless := !slices.ContainsFunc(section.Criteria, func(c checklist.Criterion) bool { return c.Scored() && c.Weight > 0 }); weightless {
				section.Weight = 0 // one with a weight needs something with a weight inside
			}
		}
		list.Sections[0].Weight = max(list.Sections[0].Weight, 1)
		list.Sections[0].Criteria[0].Weight = max(list.Sections[0].Criteria[0].Weight, 1)
	}
	for i := range b.Rigs {
		if chance(0.15) {
			b.Rigs[i].Weight = oneOf(0, 0.5, 2)
		}
	}
	for i := range b.Reviews {
		rollReview(chance, random, &b.Reviews[i])
	}
	b.DropStrays()
	b.Sort()
}

func rollCriterion(
	chance func(float64) bool,
	oneOf func(...float64) *float64,
	random *rand.Rand,
	c *checklist.Criterion,
) {
	if chance(0.1) {
		c.Weight = 0
	}
	if chance(0.15) {
		c.Scope = []checklist.Scope{checklist.ScopeRelease, checklist.ScopeDistribution}[random.IntN(2)]
	}
	if chance(0.1) {
		c.Gate = oneOf(10, 50, 60)
	}
	if c.Kind == checklist.Measure {
		if chance(0.2) {
			*[]*string{&c.Context.Method, &c.Context.Setup, &c.Context.Phase}[random.IntN(3)] = ""
		}
		if chance(0.2) {
			c.Runs.Summary = []string{"median", "mean", "best"}[random.IntN(3)]
		}
		if chance(0.2) {
			c.Runs.Tolerance = oneOf(0, 0.01, 0.1, 0.3)
		}
		if chance(0.12) {
			c.Curve, c.Across = &checklist.Curve{Shape: checklist.Field}, ""
		}
	}
	if (c.Curve == nil || c.Curve.Shape != checklist.Field) && chance(0.12) {
		c.Across = "worst"
	}
}

func rollReview(chance func(float64) bool, random *rand.Rand, r *reading.Review) {
	drop := []float64{0, 0, 0.05, 0.2}[random.IntN(4)]
	r.Readings = slices.DeleteFunc(r.Readings, func(reading.Reading) bool { return chance(drop) })
	contexts := map[string][]checklist.Context{}
	for i := range r.Readings {
		x := &r.Readings[i]
		contexts[x.Criterion] = append(contexts[x.Criterion], x.Context)
	}
	for i := range r.Readings {
		x := &r.Readings[i]
		switch {
		case chance(0.03):
			x.Bound = reading.Bounds[1+random.IntN(3)]
		case chance(0.03):
			x.Disturbance = "a recorder was running"
		case chance(0.02):
			x.Answer, x.Adjustment, x.Bound = reading.Answer{NotTested: "nobody was there"}, nil, ""
		case chance(0.02):
			x.Answer, x.Adjustment, x.Bound = reading.Answer{NotApplicable: "there is none"}, nil, ""
		case chance(0.03):
			x.At = r.Readings[random.IntN(len(r.Readings))].At
		case chance(0.05):
			x.Context = contexts[x.Criterion][random.IntN(len(contexts[x.Criterion]))]
		case len(x.Answer.Runs) > 0 && chance(0.03):
			x.Adjustment = &reading.Adjustment{
				Amount: x.Answer.Runs[0] * []float64{0.1, 0.2, 1.5}[random.IntN(3)],
				Reason: "a menu waits",
			}
		}
	}
	for i := range r.Readings {
		if x := &r.Readings[i]; chance(0.5) {
			var ids []string
			for range x.Answer.Runs {
				ids = append(ids, string(rune('a'+random.IntN(8))))
			}
			x.Boots = reading.InBoots(ids)
		}
	}
	if r.Accepted != nil && chance(0.1) {
		at := r.Accepted.Add(time.Duration(random.IntN(200)-100) * time.Hour)
		r.Accepted = &at
	}
}

// held compares the two implementations.
type held struct {
	t     *testing.T
	plain *reference
	table *scoring.Table
	told  map[string]int
}

func (h *held) all() {
	t, p := h.t, h.plain
	if !slices.Equal(p.editions, h.table.Editions) {
		t.Fatalf("the editions are %v, not %v", h.table.Editions, p.editions)
	}
	if len(p.editions) == 0 {
		return
	}
	cards := h.table.Scorecards(p.audience)
	for i := range cards {
		h.card(&cards[i])
	}
	r, err := ranking.Rank(h.table.Columns(), p.audience, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	h.ranking(&r)
	h.comparison()
	h.pairs()
	if p.list.Policy.Exponent() == 1 && len(r.Ranking) > 1 {
		h.explanation(cards, &r)
		h.tipping(&r)
	}
}

func (h *held) number(what string, got, want *float64) {
	h.t.Helper()
	if (got == nil) != (want == nil) || (got != nil && math.Abs(*got-*want) > 1e-9*math.Max(1, math.Abs(*want))) {
		h.t.Errorf("%s: %s, not %s", what, shown(got), shown(want))
	}
}

func shown(x *float64) string {
	if x == nil {
		return "none"
	}
	return fmt.Sprint(*x)
}

func (h *held) card(got *scoring.Scorecard) {
	t, want := h.t, h.plain.cards[got.Edition]
	h.number(got.Edition, got.Overall, want.overall)
	h.number(got.Edition+" at least", got.Low, want.low)
	h.number(got.Edition+" at most", got.High, want.high)
	h.number(got.Edition+" coverage", &got.Coverage, &want.coverage)
	h.number(got.Edition+" measured share", &got.MeasuredShare, &want.measured)
	for i, s := range got.Sections {
		var score *float64
		if x, ok := want.sections[s.Key]; ok {
			score = &x
		}
		h.number(got.Edition+" "+s.Key, s.Score, score)
		for filled, bound := range map[float64]*float64{0: s.Low, 100: s.High} {
			var want *float64
			if weights, points := h.plain.within(got.Edition, &h.plain.list.Sections[i], filled); weights > 0 {
				x := points / weights
				want = &x
			}
			h.number(got.Edition+" "+s.Key+" filled in", bound, want)
		}
	}
	for _, c := range got.Criteria {
		cell := h.plain.cells[got.Edition][c.Key]
		if c.State != cell.state {
			t.Errorf("%s %s is %s, not %s", got.Edition, c.Key, c.State, cell.state)
		}
		if cell.state == scoring.Answered {
			h.number(got.Edition+" "+c.Key, c.Points, &cell.points)
		}
		weight := want.weights[c.Key]
		h.number(got.Edition+" weight of "+c.Key, &c.Weight, &weight)
	}
	var barred []string
	for _, b := range got.Barred {
		barred = append(barred, b.Criterion)
	}
	if !slices.Equal(barred, want.barred) || !slices.Equal(got.GatesOpen, want.open) {
		t.Errorf(
			"%s is barred by %v, with %v open; not by %v, with %v",
			got.Edition,
			barred,
			got.GatesOpen,
			want.barred,
			want.open,
		)
	}
}

func (h *held) ranking(got *ranking.Ranking) {
	ranked, provisional, barred := h.plain.ranking()
	h.told["ranked"] += len(ranked)
	h.told["provisional"] += len(provisional)
	h.told["barred"] += len(barred)
	var places []plainPlace
	for _, p := range got.Ranking {
		places = append(places, plainPlace{p.Edition, p.Rank, p.DeadHeat, p.DecidedBy})
	}
	if !slices.Equal(places, ranked) {
		h.t.Errorf("ranked are %v, not %v", places, ranked)
	}
	var left, out []string
	for _, p := range got.Provisional {
		left = append(left, p.Edition)
	}
	for _, p := range got.Barred {
		out = append(out, p.Edition)
	}
	if !slices.Equal(left, provisional) || !slices.Equal(out, barred) {
		h.t.Errorf("provisional are %v and barred %v, not %v and %v", left, out, provisional, barred)
	}
}

func (h *held) comparison() {
	t, p := h.t, h.plain
	base := p.editions[0]
	got, err := comparing.Compare(h.table, base, nil)
	if err != nil {
		t.Fatal(err)
	}
	rows := map[[3]string]comparing.Row{}
	for _, r := range got.Rows {
		rows[[3]string{r.Edition, r.Criterion, r.Rig}] = r
	}
	expected := 0
	for _, e := range p.editions[1:] {
		logs, over := 0.0, 0
		p.each(func(c *checklist.Criterion) {
			if c.Kind != checklist.Measure {
				return
			}
			for rig, x := range p.cells[e][c.Key].rigs {
				b := p.cells[base][c.Key].rigs[rig]
				if b == nil {
					continue
				}
				expected++
				row := rows[[3]string{e, c.Key, rig}]
				want, comparable := verdict(c, x, b)
				if !comparable {
					want = "not comparable"
				}
				h.told[want]++
				if string(row.Verdict) != want {
					t.Errorf("%s against %s, %s on %q: %q, not %q", e, base, c.Key, rig, row.Verdict, want)
				}
				if !comparable {
					continue
				}
				d := x.value - b.value
				h.number("difference in "+c.Key, row.Difference, &d)
				if b.value != 0 {
					percent := 100 * d / math.Abs(b.value)
					h.number("percent in "+c.Key, row.Percent, &percent)
				}
				if x.value > 0 && b.value > 0 {
					ratio := math.Log(x.value / b.value)
					if c.Better == "lower" {
						ratio = -ratio
					}
					logs, over = logs+ratio, over+1
				}
			}
		})
		i := slices.IndexFunc(got.GeometricMeans, func(m comparing.Means) bool { return m.Edition == e })
		if i < 0 || got.GeometricMeans[i].Over != over {
			t.Errorf("%s: the mean is over %v, not %d", e, got.GeometricMeans, over)
		} else if over > 0 {
			mean := math.Exp(logs / float64(over))
			h.number("mean of ratios of "+e, got.GeometricMeans[i].Ratio, &mean)
		}
	}
	if len(got.Rows) != expected {
		t.Errorf("%d rows, not %d", len(got.Rows), expected)
	}
}

func (h *held) pairs() {
	t := h.t
	got := comparing.MatchUp(h.table, nil, nil)
	flips := 0
	for _, g := range got.Pairs {
		want, turned := h.plain.pair(g.A, g.B)
		h.told["pairs"]++
		h.told["splits"] += want.splits
		flips += len(turned)
		if is := (plainPair{g.Wins, g.Losses, g.Ties, g.Splits}); is != want {
			t.Errorf("%s against %s: %+v, not %+v", g.A, g.B, is, want)
		}
		for _, c := range turned {
			if !slices.ContainsFunc(
				got.DependsOnMachine,
				func(f comparing.Flip) bool { return f.A == g.A && f.B == g.B && f.Criterion == c },
			) {
				t.Errorf("%s against %s in %s depends on the machine", g.A, g.B, c)
			}
		}
	}
	if n := len(h.plain.editions); len(got.Pairs) != n*(n-1)/2 || len(got.DependsOnMachine) != flips {
		t.Errorf(
			"%d pairs of %d editions, %d that depend on the machine, not %d",
			len(got.Pairs),
			n,
			len(got.DependsOnMachine),
			flips,
		)
	}
}

func (h *held) explanation(cards []scoring.Scorecard, r *ranking.Ranking) {
	t, p := h.t, h.plain
	h.told["explained"]++
	a, b := r.Ranking[0].Edition, r.Ranking[1].Edition
	got, err := ranking.Explain(p.list, card(t, cards, a), card(t, cards, b), r)
	if err != nil {
		t.Fatal(err)
	}
	middle := (*p.cards[a].overall + *p.cards[b].overall) / 2
	sum := 0.0
	for _, c := range got.Criteria {
		want := p.cards[a].weights[c.Key]*(p.cells[a][c.Key].points-middle) - p.cards[b].weights[c.Key]*(p.cells[b][c.Key].points-middle)
		h.number("what "+c.Key+" adds", &c.Adds, &want)
		sum += c.Adds
	}
	apart := *p.cards[a].overall - *p.cards[b].overall
	h.number("the sum of what is added", &sum, &apart)
}

func (h *held) tipping(r *ranking.Ranking) {
	t, p := h.t, h.plain
	got, err := ranking.TippingPoints(h.table.Columns(), p.audience, r)
	if err != nil {
		t.Fatal(err)
	}
	var ranked []string
	for _, place := range r.Ranking {
		ranked = append(ranked, place.Edition)
	}
	slices.Sort(ranked)
	leader := slices.MaxFunc(
		ranked, func(a, b string) int { return compareScores(p.cards[b].overall, p.cards[a].overall) },
	)
	if got.Leader != leader {
		t.Fatalf("%s leads, not %s", got.Leader, leader)
	}
	for _, s := range got.Sections {
		up, down := p.turns(ranked, leader, s.Key)
		for _, side := range []struct {
			name string
			got  *ranking.Tip
			want *crossing
		}{{"up", s.Up, up}, {"down", s.Down, down}} {
			if side.want != nil {
				h.told["tips"]++
			}
			if (side.got == nil) != (side.want == nil) ||
				(side.got != nil && (math.Abs(side.got.Share-side.want.share) > 1e-6 || side.got.Leader != side.want.leader)) {
				t.Errorf("%s %s: %+v, not %+v", s.Key, side.name, side.got, side.want)
			}
		}
	}
}
