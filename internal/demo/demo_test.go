package demo

import (
	"bytes"
	"slices"
	"testing"

	"dappertally/core/bundle"
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

// TestStories holds the demo to what its readers are shown: without these the
// features that it stands for would have nothing to show.
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
	if !slices.ContainsFunc(r.Barred, func(b ranking.Barred) bool { return b.Edition == "thistledown/2.7/pebbledash" }) {
		t.Errorf("barred: %v", r.Barred)
	}
	if len(r.Provisional) == 0 {
		t.Error("nothing is provisional")
	}
	states := map[scoring.State]int{}
	inherited := 0
	for _, c := range cards {
		for _, x := range c.Criteria {
			states[x.State]++
			if x.InheritedFrom != "" {
				inherited++
			}
		}
	}
	if states[scoring.NotTested] == 0 || states[scoring.NotApplicable] == 0 || inherited == 0 {
		t.Errorf("states %v, %d inherited", states, inherited)
	}
}
