package api_test

import (
	"fmt"
	"net/url"
	"reflect"
	"slices"
	"testing"

	"dappertally/internal/contract"
)

// TestFinding searches as people who can see the results and as people who cannot.
func TestFinding(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.must(201, "marit", "POST", "/api/v1/reports", map[string]any{"key": "radio-winter", "spec": map[string]any{
		"title": "Radio in winter", "group": map[string]any{"newest": true},
		"parts": []map[string]any{{"id": "caveats", "kind": "caveats"}},
	}})
	find := func(who, query string) (found []contract.Found) {
		t.Helper()
		var list contract.FoundList
		w.must(200, who, "GET", "/api/v1/search?"+query, nil).into(t, &list)
		return list.Found
	}
	for _, c := range []struct{ who, query, sort, key, address string }{
		{"", "find=bramble+7+pebble", "edition", "bramblewick/7.0/pebbledash", "/edition/bramblewick/7.0/pebbledash"},
		{"", "find=bramblewick&sort=distribution", "distribution", "bramblewick", "/catalogue/bramblewick"},
		{"", "find=cold+start&sort=criterion", "criterion", "cold-start", "/checklist#cold-start"},
		{"", "find=old+dual", "rig", "bench-old", "/rigs/bench-old"},
		{"marit", "find=winter&sort=report", "report", "radio-winter", "/reports/radio-winter/edit"},
		{"marit", "find=ivybeck+5.4&sort=review", "review", review, "/desk/" + review},
		{"marit", "find=tomas&sort=person", "person", "tomas", "/team/people/tomas"},
	} {
		found := find(c.who, c.query)
		if len(found) == 0 || string(found[0].Sort) != c.sort || found[0].Key != c.key || found[0].Address != c.address {
			t.Errorf("%s as %q: %+v, want %s %s at %q first", c.query, c.who, found, c.sort, c.key, c.address)
		}
	}
	for _, query := range []string{"find=tomas", "find=ivybeck+5.4&sort=review", "find=winter&sort=report"} {
		if found := find("", query); len(found) != 0 {
			t.Errorf("a reader finds the team's work by %s: %+v", query, found)
		}
	}
	if found := find("", "find=e&limit=3"); len(found) != 3 {
		t.Errorf("%d found, not 3", len(found))
	}
	for _, x := range find("", "find=5.4&reviewed=true&sort=edition") {
		if x.Address != "/edition/"+x.Key {
			t.Errorf("%+v has no current review", x)
		}
	}
	w.must(422, "", "GET", "/api/v1/search", nil)
	w.must(422, "", "GET", "/api/v1/search?find=a&sort=secret", nil)
	w.must(422, "", "GET", "/api/v1/search?find="+url.QueryEscape(fmt.Sprintf("%300d", 1)), nil)
}

// TestRankingInPages puts the pages of a ranking together, and looks for names in it.
func TestRankingInPages(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	rank := func(query string) (r contract.Ranking) {
		t.Helper()
		w.must(200, "", "GET", "/api/v1/ranking?"+query, nil).into(t, &r)
		return r
	}
	all := rank("ranges=true")
	counts := contract.StandingCounts{
		Ranked: len(all.Ranking), Provisional: len(all.Provisional), Barred: len(all.Barred), Elsewhere: len(all.Elsewhere),
	}
	if all.Counts != counts || counts.Ranked < 10 || counts.Provisional == 0 || counts.Elsewhere == 0 {
		t.Fatalf("counts %+v, entries %+v", all.Counts, counts)
	}
	var together []contract.RankingEntry
	for offset := 0; offset < counts.Ranked; offset += 4 {
		page := rank(fmt.Sprintf("ranges=true&limit=4&offset=%d&standing=ranked", offset))
		if page.Counts != counts || len(page.Provisional)+len(page.Barred)+len(page.Elsewhere) > 0 {
			t.Errorf("the page from %d: %+v", offset, page.Counts)
		}
		together = append(together, page.Ranking...)
	}
	if !reflect.DeepEqual(together, all.Ranking) {
		t.Errorf("the pages together are not the ranking")
	}
	if beyond := rank("limit=4&offset=1000"); len(beyond.Ranking) != 0 || beyond.Counts != counts {
		t.Errorf("beyond the end: %+v", beyond.Ranking)
	}
	if one := rank("limit=1&standing=elsewhere"); len(one.Ranking) != 0 || len(one.Elsewhere) != 1 {
		t.Errorf("elsewhere alone: %+v", one)
	}
	first := rank("limit=1")
	for i, x := range first.Winners.Criteria {
		whole := all.Winners.Criteria[i]
		if x.Count != len(whole.Editions) || len(x.Editions) > 3 ||
			!slices.Equal(x.Editions, whole.Editions[:len(x.Editions)]) {
			t.Errorf("winners of %s: %+v of %+v", x.Key, x, whole)
		}
		for _, edition := range x.Editions {
			if first.Names[edition].Distribution == "" {
				t.Errorf("%s, a winner of %s, has no name", edition, x.Key)
			}
		}
	}
	found := rank("find=GULL+5.2")
	if found.Counts.Ranked == 0 || len(found.Ranking) != found.Counts.Ranked {
		t.Fatalf("found: %+v", found.Counts)
	}
	for _, e := range found.Ranking {
		i := slices.IndexFunc(all.Ranking, func(x contract.RankingEntry) bool { return x.Edition == e.Edition })
		if e.Rank != all.Ranking[i].Rank || e.Name.Distribution != "Gullhaven" {
			t.Errorf("%s has rank %d when it is looked for, %d otherwise", e.Edition, e.Rank, all.Ranking[i].Rank)
		}
	}
	for _, query := range []string{"limit=0", "limit=-1", "limit=1001", "offset=-1", "standing=best"} {
		w.must(422, "", "GET", "/api/v1/ranking?"+query, nil)
	}
}

// TestAttributes counts what editions have.
func TestAttributes(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	var list contract.AttributeList
	w.must(200, "", "GET", "/api/v1/attributes", nil).into(t, &list)
	for _, a := range list.Attributes {
		for _, v := range a.Values {
			if v.Value == "" || v.Editions == 0 || v.Reviewed > v.Editions {
				t.Errorf("%s: %+v", a.Key, v)
			}
		}
	}
	i := slices.IndexFunc(list.Attributes, func(a contract.Attribute) bool { return a.Key == "desktop" })
	if i < 0 || !slices.ContainsFunc(list.Attributes[i].Values, func(v contract.AttributeValue) bool {
		return v.Value == "Hearthside" && v.Reviewed > 3
	}) {
		t.Errorf("no desktop is Hearthside: %+v", list)
	}
}
