package ranking

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// card is an edition with its overall score and its points in the criteria x, y, … that have no weight; negative
// means none.
type card struct {
	edition string
	overall float64
	points  []float64
}

func of(edition string, overall float64, points ...float64) card {
	return card{edition, overall, points}
}

// columns lays cards out, the overall score as the points of a criterion that
// holds all the weight.
func columns(policy checklist.Policy, cards ...card) *scoring.Columns {
	slices.SortFunc(cards, func(a, b card) int { return strings.Compare(a.edition, b.edition) })
	zero := 0.0
	list := &checklist.Checklist{Key: "desk", Version: 1, Policy: policy, Sections: []checklist.Section{
		{Key: "all", Weight: 1, Criteria: []checklist.Criterion{{Key: "overall", Kind: checklist.Grade, Weight: 1}}},
		{Key: "none", Criteria: []checklist.Criterion{
			{
				Key:  "x",
				Kind: checklist.Grade,
				Gate: &zero,
			}, {Key: "y", Kind: checklist.Grade}, {Key: "note", Kind: checklist.Fact},
		}},
	}}
	var editions []string
	for _, c := range cards {
		editions = append(editions, c.edition)
	}
	out := scoring.NewColumns(list, editions)
	for e, c := range cards {
		for i, p := range append([]float64{c.overall}, c.points...) {
			if p >= 0 {
				out.Set(e, i, scoring.Answered, p)
			}
		}
	}
	return out
}

type place struct {
	edition string
	rank    int
	heat    bool
	by      string
}

func TestRank(t *testing.T) {
	for _, c := range []struct {
		name     string
		cards    []card
		decisive []string
		want     []place
	}{
		{"apart", []card{of("b", 70), of("a", 80)}, nil,
			[]place{{"a", 1, false, ""}, {"b", 2, false, ""}}},
		{"a heat is measured from its first", []card{of("a", 80), of("b", 79.6), of("c", 79.2)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}, {"c", 3, false, ""}}},
		{"exactly the margin joins", []card{of("a", 80), of("b", 79.5)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}}},
		{"equal scores go by key", []card{of("b", 80), of("a", 80)}, nil,
			[]place{{"a", 1, true, ""}, {"b", 1, true, ""}}},
		{"a decisive criterion parts a heat", []card{of("a", 80, 10), of("b", 79.8, 50)}, []string{"x"},
			[]place{{"b", 1, true, ""}, {"a", 2, true, "x"}}},
		{"missing stands last", []card{of("a", 80, -1), of("b", 79.8, 0)}, []string{"x"},
			[]place{{"b", 1, true, ""}, {"a", 2, true, "x"}}},
		{"the second decides what the first left together", []card{of("a", 80, 50, 10), of("b", 79.9, 50.5, 40), of("c", 79.8, 90, 0)}, []string{"x", "y"},
			[]place{{"c", 1, true, ""}, {"b", 2, true, "x"}, {"a", 3, true, "y"}}},
	} {
		r, err := Rank(columns(checklist.Policy{Decisive: c.decisive}, c.cards...), checklist.Audience{}, By{})
		if err != nil {
			t.Fatal(err)
		}
		var got []place
		for _, p := range r.Ranking {
			got = append(got, place{p.Edition, p.Rank, p.DeadHeat, p.DecidedBy})
		}
		if !reflect.DeepEqual(got, c.want) {
			t.Errorf("%s: got %v, want %v", c.name, got, c.want)
		}
	}
}

func TestRankSetsApart(t *testing.T) {
	gate := 60.0
	list := &checklist.Checklist{
		Key:     "desk",
		Version: 1,
		Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: []checklist.Criterion{
			{Key: "wireless", Kind: checklist.Check, Weight: 80}, {Key: "rest", Kind: checklist.Grade, Weight: 20},
		}}},
	}
	points := scoring.NewColumns(list, []string{"blank", "enough", "failed", "passed", "thin"})
	for e, p := range [][2]float64{{-1, -1}, {60, -1}, {59, 100}, {60 - 1e-12, 100}, {-1, 100}} {
		for i, x := range p {
			if x >= 0 {
				points.Set(e, i, scoring.Answered, x)
			}
		}
	}
	r, err := Rank(points, checklist.Audience{Gates: map[string]float64{"wireless": gate}}, By{})
	if err != nil {
		t.Fatal(err)
	}
	if len(r.Ranking) != 2 || r.Ranking[0].Edition != "passed" || r.Ranking[1].Edition != "enough" {
		t.Errorf("ranked: %v", r.Ranking)
	}
	if len(r.Provisional) != 2 || r.Provisional[0].Edition != "thin" || r.Provisional[1].Edition != "blank" ||
		r.Provisional[1].Overall != nil {
		t.Errorf("provisional: %v", r.Provisional)
	}
	if len(r.Barred) != 1 || r.Barred[0].Edition != "failed" || r.Barred[0].Criteria[0] != "wireless" {
		t.Errorf("barred: %v", r.Barred)
	}
}

func TestRankBy(t *testing.T) {
	points := columns(checklist.Policy{}, of("a", 90, 10), of("b", 50, 80))
	for _, c := range []struct {
		by    By
		first string
	}{{By{}, "a"}, {By{Section: "all"}, "a"}, {By{Criterion: "x"}, "b"}} {
		r, err := Rank(points, checklist.Audience{}, c.by)
		if err != nil || r.Ranking[0].Edition != c.first {
			t.Errorf("by %v: %v, %v", c.by, r.Ranking, err)
		}
	}
	for _, by := range []By{{Section: "nothing"}, {Criterion: "nothing"}, {Criterion: "note"}} {
		if _, err := Rank(points, checklist.Audience{}, by); err == nil {
			t.Errorf("by %v: no error", by)
		}
	}
}

// many is the points of many editions, a tenth of them missing.
func many(editions int) (*scoring.Columns, []float64) {
	list := &checklist.Checklist{Key: "bench", Version: 1, State: checklist.InForce}
	for s := range 4 {
		section := checklist.Section{Key: fmt.Sprint("s", s), Weight: float64(10 + 10*s)}
		for i := range 30 {
			section.Criteria = append(
				section.Criteria,
				checklist.Criterion{Key: fmt.Sprintf("s%d-%d", s, i), Kind: checklist.Grade, Weight: float64(1 + i%4)},
			)
		}
		list.Sections = append(list.Sections, section)
	}
	keys := make([]string, editions)
	for e := range keys {
		keys[e] = fmt.Sprintf("d%06d/1/e", e)
	}
	points := scoring.NewColumns(list, keys)
	random := rand.New(rand.NewPCG(1, 2))
	plain := make([]float64, editions*120)
	for e := range keys {
		for i := range 120 {
			if p := 100 * random.Float64(); random.Float64() > 0.1 {
				points.Set(e, i, scoring.Answered, p)
				plain[i*editions+e] = p
			}
		}
	}
	return points, plain
}

// added keeps its sum in a register, unlike the loop of a benchmark.
func added(points []float64) (sum float64) {
	for _, p := range points {
		sum += p
	}
	return sum
}

// BenchmarkRank ranks 100,000 editions of 120 criteria with new weights each time, and reports the ratio to adding
// the points up once.
func BenchmarkRank(b *testing.B) {
	points, plain := many(100_000)
	var ranking, adding time.Duration
	weight := 20.0
	sum := 0.0
	for b.Loop() {
		weight++
		start := time.Now()
		if _, err := Rank(points, checklist.Audience{Sections: map[string]float64{"s0": weight}}, By{}); err != nil {
			b.Fatal(err)
		}
		ranked := time.Now()
		sum += added(plain)
		ranking += ranked.Sub(start)
		adding += time.Since(ranked)
	}
	if sum == 0 {
		b.Fatal("nothing was added up")
	}
	b.ReportMetric(ranking.Seconds()*1000/float64(b.N), "ms/ranking")
	b.ReportMetric(float64(ranking)/float64(adding), "x/plain-pass")
}

// BenchmarkFirst ranks the first 25 of 100,000 editions with new section weights each time.
func BenchmarkFirst(b *testing.B) {
	points, _ := many(100_000)
	weight := 20.0
	sums := points.Sums(checklist.Audience{})
	for b.Loop() {
		weight++
		if top := First(sums, checklist.Audience{Sections: map[string]float64{"s0": weight}}, 25); len(top.Ranking) != 25 {
			b.Fatal("too few")
		}
	}
	b.ReportMetric(b.Elapsed().Seconds()*1000/float64(b.N), "ms/ranking")
}
