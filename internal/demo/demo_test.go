package demo

import (
	"bytes"
	"slices"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
)

func TestSameBytesEveryTime(t *testing.T) {
	var texts [2]bytes.Buffer
	for i := range texts {
		b, err := Bundle()
		if err != nil {
			t.Fatal(err)
		}
		if err := bundle.Write(&texts[i], b); err != nil {
			t.Fatal(err)
		}
	}
	if !bytes.Equal(texts[0].Bytes(), texts[1].Bytes()) {
		t.Error("two builds of the demo differ")
	}
}

// TestStories checks that the demo has what its readers are to see: without it, the features that it demonstrates would
// have nothing to show.
func TestStories(t *testing.T) {
	b, err := Bundle()
	if err != nil {
		t.Fatal(err)
	}
	list, err := scoring.Newest(b.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	audience, ok := list.Audience("pensioner")
	if !ok {
		t.Fatal("there is no audience pensioner")
	}
	table := scoring.Tabulate(b.Input(list), scoring.Options{})
	cards := table.Scorecards(audience)
	r, err := ranking.Rank(table.Columns(), audience, ranking.By{})
	if err != nil {
		t.Fatal(err)
	}
	for _, p := range r.Ranking {
		t.Logf("%2d %-36s %.2f %v", p.Rank, p.Edition, p.Overall, p.DeadHeat)
	}
	if len(r.Ranking) < 15 {
		t.Errorf("%d editions are ranked; want at least 15", len(r.Ranking))
	}
	if !r.Ranking[0].DeadHeat {
		t.Error("there is no dead heat at the top for pensioners")
	}
	if !slices.ContainsFunc(
		r.Barred, func(b ranking.Barred) bool { return b.Edition == "thistledown/2.7/pebbledash" },
	) {
		t.Errorf("barred: %v", r.Barred)
	}
	if !slices.ContainsFunc(cards, func(c scoring.Scorecard) bool { return len(c.Estimated) > 5 && !c.RigsDiffer }) {
		t.Error("no edition lacks a rig that is estimated for it")
	}
	if len(r.Provisional) == 0 {
		t.Error("nothing is provisional")
	}
	states := map[scoring.State]int{}
	inherited := 0
	for _, c := range cards {
		for _, x := range c.Criteria {
			states[x.State]++
			if x.Lender() != "" {
				inherited++
			}
		}
	}
	if states[scoring.NotTested] == 0 || states[scoring.NotApplicable] == 0 || inherited == 0 {
		t.Errorf("states %v, %d inherited", states, inherited)
	}
}

// TestHistory: the first version of the checklist has its reviews, some of which were carried over, and differences of
// a later release are marked as surprising.
func TestHistory(t *testing.T) {
	b, err := Bundle()
	if err != nil {
		t.Fatal(err)
	}
	editions, readings, carried := map[string]bool{}, 0, 0
	for _, r := range b.Reviews {
		editions[r.Edition] = true
		readings += len(r.Readings)
		if r.Carried != "" {
			carried++
		}
	}
	t.Logf("%d editions reviewed, %d readings", len(editions), readings)
	if len(editions) < 36 || readings < 6000 || readings > 10000 || carried != 5 {
		t.Errorf("%d editions, %d readings, %d reviews carried over", len(editions), readings, carried)
	}
	first, err := scoring.Newest(b.Checklists, "workshop@1")
	if err != nil {
		t.Fatal(err)
	}
	second, err := scoring.Newest(b.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	d := checklist.Differ(first, second)
	sorts := map[string]bool{}
	for _, c := range d.Criteria {
		for _, sort := range c.Sorts {
			sorts[sort] = true
		}
	}
	for _, sort := range []string{checklist.Added, checklist.Dropped, checklist.WeightChanged, checklist.RuleChange, checklist.Wording} {
		if !sorts[sort] {
			t.Errorf("nothing between the two versions is %s", sort)
		}
	}
	in := b.Input(second)
	q := quality.Of(
		scoring.Tabulate(in, scoring.Options{}),
		quality.LinesOf(b.Distributions),
		scoring.Others(in, b.Checklists, scoring.Options{})...)
	confirmed, unsteady := 0, 0
	for _, s := range q.Surprises {
		if s.Confirmed != "" {
			confirmed++
		}
	}
	for _, r := range q.Readings {
		if r.Unsteady {
			unsteady++
		}
	}
	if confirmed == 0 || unsteady == 0 || len(q.Surprises) > 40 {
		t.Errorf("%d surprises, %d confirmed; %d readings unsteady", len(q.Surprises), confirmed, unsteady)
	}
}
