package api_test

import (
	"fmt"
	"math"
	"net/url"
	"strings"
	"testing"
	"time"

	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/internal/contract"
)

// TestComparing makes all requests that compare, on one service.
func TestComparing(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	for name, test := range map[string]func(*testing.T, *world){
		"ranking": rankingNarrowed, "explanation": explanationAddsUp, "steadiness": steadinessAndPairs, "history": historyHolds, "fits": fits, "baselines": compareBaselines, "components": components, "ground": groundJoins,
	} {
		t.Run(name, func(t *testing.T) {
			w.t = t
			test(t, w)
		})
	}
}

type ranked struct {
	Heading struct {
		Group, Weights, Rigs []string
		Sections             []struct {
			Key   string
			Share float64
		}
	}
	Ranking []struct {
		Edition  string
		Rank     int
		Overall  float64
		RankLow  int
		RankHigh int
		Was      *int
		Gained   *int
		Wins     ranking.Wins
		Unsteady []string
	}
	Winners   ranking.Winners
	Elsewhere []struct{ Edition, Checklist string }
}

func (w *world) rank(query string) ranked {
	w.t.Helper()
	var r ranked
	w.must(200, "", "GET", "/api/v1/ranking?"+query, nil).into(w.t, &r)
	return r
}

func (r *ranked) place(edition string) int {
	for i := range r.Ranking {
		if r.Ranking[i].Edition == edition {
			return i
		}
	}
	return -1
}

// rankingNarrowed requests groups, custom weights, ranges, gains and single rigs.
func rankingNarrowed(t *testing.T, w *world) {
	all := w.rank("ranges=true&since=2026-05-01T00:00:00Z")
	for i, e := range all.Ranking {
		if e.RankLow < 1 || e.RankLow > e.RankHigh || e.RankHigh > len(all.Ranking) {
			t.Errorf("%s keeps between %d and %d", e.Edition, e.RankLow, e.RankHigh)
		}
		if e.Was != nil && *e.Gained != *e.Was-e.Rank {
			t.Errorf("%s was %d, is %d and gained %d", e.Edition, *e.Was, e.Rank, *e.Gained)
		}
		if i > 0 && e.Rank < all.Ranking[i-1].Rank {
			t.Errorf("%s stands out of order", e.Edition)
		}
	}
	// Bramblewick 7.0 was accepted on 20 May; Gullhaven 5.2 before.
	if n := all.place("bramblewick/7.0/hearthside"); all.Ranking[n].Was != nil {
		t.Errorf("bramblewick had rank %d before it was reviewed", *all.Ranking[n].Was)
	}
	if n := all.place("gullhaven/5.2/hearthside"); all.Ranking[n].Was == nil || *all.Ranking[n].Was != 1 {
		t.Errorf("gullhaven led on 1 May: %+v", all.Ranking[n])
	}
	wins := 0
	for _, e := range all.Ranking {
		wins += e.Wins.Alone
	}
	alone := 0
	for _, c := range all.Winners.Criteria {
		if len(c.Editions) == 1 {
			alone++
		}
	}
	if wins != alone || wins == 0 {
		t.Errorf("%d criteria are won alone, %d counted", alone, wins)
	}
	for _, e := range all.Elsewhere {
		if all.place(e.Edition) >= 0 || e.Checklist == "workshop@2" {
			t.Errorf("%+v stands here as well", e)
		}
	}
	if len(all.Elsewhere) == 0 {
		t.Error("nobody stands on the first version alone")
	}
	groupsRanked(t, w, &all)
}

// groupsRanked requests groups of the ranking, whose members keep their scores.
func groupsRanked(t *testing.T, w *world, all *ranked) {
	for query, fits := range map[string]func(string) bool{
		"desktop=Hearthside": func(e string) bool { return strings.HasSuffix(e, "/hearthside") },
		"desktop=hearthside&desktop=awning": func(e string) bool {
			return !strings.HasSuffix(e, "/pebbledash") && !strings.HasSuffix(e, "/latchwork")
		},
		"distribution=gullhaven":                        func(e string) bool { return strings.HasPrefix(e, "gullhaven/") },
		"only=gullhaven/5.2/hearthside":                 func(e string) bool { return e == "gullhaven/5.2/hearthside" },
		"family=fenbase&newest=true":                    func(e string) bool { return e != "bramblewick/6.1/hearthside" && !strings.HasPrefix(e, "gullhaven/") },
		"releasedFrom=2026-01-01&releasedTo=2026-04-30": func(e string) bool { return e != "bramblewick/6.1/hearthside" },
		"model=fixed&tier=long-term&architecture=amd64": func(e string) bool { return !strings.HasPrefix(e, "cinderfen/") },
	} {
		r := w.rank(query)
		if len(r.Ranking) == 0 || len(r.Ranking) >= len(all.Ranking) || len(r.Heading.Group) == 0 {
			t.Errorf("%s: %d of %d are ranked, %v", query, len(r.Ranking), len(all.Ranking), r.Heading.Group)
		}
		for _, e := range r.Ranking {
			if !fits(e.Edition) {
				t.Errorf("%s: %s does not belong there", query, e.Edition)
			}
			if n := all.place(e.Edition); n >= 0 && math.Abs(all.Ranking[n].Overall-e.Overall) > 1e-9 {
				t.Errorf("%s: %s has %v alone and %v among all", query, e.Edition, e.Overall, all.Ranking[n].Overall)
			}
		}
	}
	own := w.rank(
		"sectionWeight=performance%3D100&sectionWeight=installation%3D0&sectionWeight=software%3D0&sectionWeight=usability%3D0",
	)
	for i, by := range w.rank("section=performance").Ranking {
		if own.Ranking[i].Edition != by.Edition || math.Abs(own.Ranking[i].Overall-by.Overall) > 1e-9 {
			t.Errorf("under performance alone %s comes at %d, ordered by it %s", own.Ranking[i].Edition, i, by.Edition)
		}
	}
	if got := w.rank("rigClass=older"); len(got.Heading.Rigs) != 1 || got.Heading.Rigs[0] != "bench-old" {
		t.Errorf("rigs of class older: %v", got.Heading.Rigs)
	}
	for query, want := range map[string]int{
		"desktop=Lantern": 404, "family=nobody": 404, "distribution=nobody": 404, "only=a/b/c": 404, "rig=none": 404, "rigClass=huge": 404, "releasedFrom=soon": 422,
		"sectionWeight=none%3D3": 404, "criterionWeight=kernel%3D3": 404, "sectionWeight=performance%3Dx": 422, "sectionWeight=performance": 422, "criterionWeight=cold-start%3D1e9": 422,
		"at=2019-01-01T00:00:00Z": 404, "at=then": 422, "newest=perhaps": 422, "audience=nobody&sectionWeight=performance%3D1": 404,
	} {
		w.must(want, "", "GET", "/api/v1/ranking?"+query, nil)
	}
}

// explanationAddsUp checks an explanation by hand from the ranking and the
// scorecards, and that a tipping point is where the lead really changes.
func explanationAddsUp(t *testing.T, w *world) {
	for _, audience := range []string{"", "pensioner", "old-laptop"} {
		r := w.rank("audience=" + audience)
		var v contract.ExplanationView
		w.must(200, "", "GET", "/api/v1/explanation?audience="+audience, nil).into(t, &v)
		e := v.Explanation
		if e.A != r.Ranking[0].Edition || e.B != r.Ranking[1].Edition {
			t.Errorf("%q: %s and %s are explained", audience, e.A, e.B)
		}
		sum, sections := 0.0, 0.0
		for _, c := range e.Criteria {
			sum += c.Adds
		}
		for _, s := range e.Sections {
			sections += s.Adds
		}
		if want := r.Ranking[0].Overall - r.Ranking[1].Overall; math.Abs(sum-want) > 1e-9 ||
			math.Abs(sections-want) > 1e-9 ||
			math.Abs(e.Difference-want) > 1e-9 {
			t.Errorf("%q: the parts sum to %v and %v, the scores are %v apart", audience, sum, sections, want)
		}
		var tips contract.TippingView
		w.must(200, "", "GET", "/api/v1/tipping?audience="+audience, nil).into(t, &tips)
		tried := 0
		for _, p := range tips.Tipping.Sections {
			for _, tip := range []*ranking.Tip{p.Up, p.Down} {
				if tip == nil {
					continue
				}
				tried++
				before, after := w.leader(audience, &r, p.Key, tip.Share-1e-4), w.leader(
					audience, &r, p.Key, tip.Share+1e-4,
				)
				if tip == p.Down {
					before, after = after, before
				}
				if before != tips.Tipping.Leader || after != tip.Leader {
					t.Errorf(
						"%q: %s at %v: %s leads before and %s after, want %s and %s",
						audience,
						p.Key,
						tip.Share,
						before,
						after,
						tips.Tipping.Leader,
						tip.Leader,
					)
				}
			}
		}
		if tried == 0 {
			t.Errorf("%q: nothing turns the lead", audience)
		}
	}
	for query, want := range map[string]int{
		"a=gullhaven/5.2/hearthside": 404, "a=gullhaven/5.2/hearthside&b=gullhaven/5.2/hearthside": 422, "a=x&b=y": 404,
		"a=gullhaven/5.2/hearthside&b=ivybeck/6.0/hearthside&desktop=Awning": 404, "a=gullhaven/5.0/hearthside&b=ivybeck/6.0/hearthside": 404,
	} {
		w.must(want, "", "GET", "/api/v1/explanation?"+query, nil)
	}
}

// leader returns the edition with the highest score if a section has that share.
func (w *world) leader(audience string, r *ranked, section string, share float64) string {
	w.t.Helper()
	q := url.Values{"audience": {audience}}
	var own float64
	for _, s := range r.Heading.Sections {
		if s.Key == section {
			own = s.Share
		}
	}
	for _, s := range r.Heading.Sections {
		weight := share
		if s.Key != section {
			weight = s.Share / (1 - own) * (1 - share)
		}
		q.Add("sectionWeight", fmt.Sprintf("%s=%.12f", s.Key, 100*weight))
	}
	best, edition := -1.0, ""
	for _, e := range w.rank(q.Encode()).Ranking {
		if e.Overall > best {
			best, edition = e.Overall, e.Edition
		}
	}
	return edition
}

func steadinessAndPairs(t *testing.T, w *world) {
	var a, b, c contract.SteadinessView
	w.must(200, "", "GET", "/api/v1/steadiness?draws=500&seed=4&vary=both&newest=true", nil).into(t, &a)
	w.must(200, "", "GET", "/api/v1/steadiness?draws=500&seed=4&vary=both&newest=true", nil).into(t, &b)
	w.must(200, "", "GET", "/api/v1/steadiness?draws=500&seed=5&vary=both&newest=true", nil).into(t, &c)
	if fmt.Sprint(a.Steadiness.Editions) != fmt.Sprint(b.Steadiness.Editions) ||
		fmt.Sprint(a.Steadiness.Editions) == fmt.Sprint(c.Steadiness.Editions) {
		t.Error("the seed does not decide the result")
	}
	for _, query := range []string{"draws=0", "draws=2000000", "kappa=0", "vary=everything", "draws=1000000"} {
		w.must(422, "", "GET", "/api/v1/steadiness?"+query, nil)
	}
	var h contract.HeadToHeadView
	w.must(200, "", "GET", "/api/v1/head-to-head?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside", nil).
		into(t, &h)
	if p := h.HeadToHead.Pairs; len(p) != 1 || p[0].Wins+p[0].Losses+p[0].Ties != len(p[0].Criteria) || p[0].Wins == 0 {
		t.Errorf("head-to-head: %+v", p)
	}
	var g contract.GroupsView
	w.must(200, "", "GET", "/api/v1/groups?attribute=desktop&a=Hearthside&b=Pebbledash&equal=release", nil).into(t, &g)
	sum := 0.0
	for _, p := range g.Groups.Pairs {
		sum += *p.Difference
	}
	if n := len(g.Groups.Pairs); n == 0 || math.Abs(sum/float64(n)-*g.Groups.Overall.Mean) > 1e-9 {
		t.Errorf("groups: %+v", g.Groups.Overall)
	}
	for query, want := range map[string]int{"attribute=desktop&a=Hearthside&b=None": 404, "attribute=colour&a=x&b=y": 422, "attribute=desktop&a=Awning&b=awning": 422, "attribute=desktop&a=Awning": 422} {
		got := w.call("", "GET", "/api/v1/groups?"+query, nil)
		if got.status != want {
			t.Errorf("%s: %d, want %d: %s", query, got.status, want, got.body)
		}
	}
}

// groundJoins ranks the editions of two versions together, with the scores that their lines have on common ground.
func groundJoins(t *testing.T, w *world) {
	var apart, joined contract.Ranking
	w.must(200, "", "GET", "/api/v1/ranking?audience=pensioner", nil).into(t, &apart)
	w.must(200, "", "GET", "/api/v1/ranking?audience=pensioner&ground=true", nil).into(t, &joined)
	count := func(r *contract.Ranking) int { return len(r.Ranking) + len(r.Provisional) + len(r.Barred) }
	if n := len(apart.Elsewhere); n == 0 || count(&joined) != count(&apart)+n || len(joined.Elsewhere) != 0 {
		t.Errorf(
			"%d stand here and %d elsewhere; %d are ranked together and %d still elsewhere",
			count(&apart),
			n,
			count(&joined),
			len(joined.Elsewhere),
		)
	}
	h := joined.Heading
	if strings.Join(h.Ground, " ") != "workshop@2 workshop@1" || h.GroundCriteria == 0 ||
		h.GroundCriteria >= h.GroundOf ||
		apart.Heading.Ground != nil {
		t.Errorf("the ground is %v, %d of %d criteria", h.Ground, h.GroundCriteria, h.GroundOf)
	}
	on := map[string]contract.RankingEntry{}
	for _, e := range joined.Ranking {
		on[e.Edition] = e
	}
	compared := 0
	for _, line := range []string{"kestrelby/pebbledash", "gullhaven/hearthside"} {
		var v contract.HistoryView
		w.must(200, "", "GET", "/api/v1/lines/"+line+"?audience=pensioner", nil).into(t, &v)
		for _, s := range v.Successions {
			if s.Ground == nil {
				continue // one version, on which they are compared as a whole
			}
			for _, side := range []comparing.Stand{s.Older, s.Newer} {
				if e, ok := on[side.Edition]; ok && (side.Ground == nil || math.Abs(*side.Ground-*e.Overall) > 1e-9) {
					t.Errorf("%s has %v in the ranking and %v on its line", side.Edition, *e.Overall, side.Ground)
				} else if ok {
					compared++
				}
			}
		}
	}
	if compared == 0 {
		t.Error("no line has a score on common ground that the ranking has too")
	}
	if e := on["kestrelby/2.9/pebbledash"]; e.Checklist != "workshop@1" ||
		on["kestrelby/3.1/pebbledash"].Checklist != "" {
		t.Errorf(
			"the older release stands on %q, the newer on %q", e.Checklist, on["kestrelby/3.1/pebbledash"].Checklist,
		)
	}
	var v contract.ExplanationView
	w.must(200, "", "GET", "/api/v1/explanation?audience=pensioner&ground=true&a=gullhaven/5.2/hearthside&b=gullhaven/5.0/hearthside", nil).
		into(t, &v)
	sum := 0.0
	for _, c := range v.Explanation.Criteria {
		sum += c.Adds
	}
	if want := *on["gullhaven/5.2/hearthside"].Overall - *on["gullhaven/5.0/hearthside"].Overall; math.Abs(
		sum-want,
	) > 1e-9 {
		t.Errorf("across versions the parts sum to %v, the scores are %v apart", sum, want)
	}
	newest := w.rank("ground=true&newest=true&distribution=gullhaven")
	if newest.place("gullhaven/5.0/hearthside") >= 0 || newest.place("gullhaven/5.2/hearthside") < 0 {
		t.Errorf("of the newest of each line: %+v", newest.Ranking)
	}
	rows := func(query string) int {
		return strings.Count(
			string(w.must(200, "", "GET", "/api/v1/exports/ranking?form=csv&audience=pensioner"+query, nil).body), "\n",
		) - 1
	}
	if alone, together := rows(""), rows("&ground=true"); alone != count(&apart) || together != count(&joined) {
		t.Errorf("exported are %d and %d editions, not %d and %d", alone, together, count(&apart), count(&joined))
	}
	w.must(422, "", "GET", "/api/v1/ranking?ground=true&commonRigs=true", nil)
	w.must(
		422,
		"",
		"GET",
		"/api/v1/comparison?ground=true&edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside",
		nil,
	)
	w.must(404, "", "GET", "/api/v1/ranking?ground=true&criterionWeight=disc-writing%3D2", nil)
	w.must(200, "", "GET", "/api/v1/steadiness?ground=true&draws=200&vary=both", nil)
}

// historyHolds compares lines, records and leaders with the rankings of their days.
func historyHolds(t *testing.T, w *world) {
	var lines contract.LineList
	w.must(200, "", "GET", "/api/v1/lines", nil).into(t, &lines)
	if len(lines.Lines) < 10 {
		t.Errorf("%d lines", len(lines.Lines))
	}
	for _, l := range lines.Lines {
		var v contract.HistoryView
		w.must(200, "", "GET", "/api/v1/lines/"+l.Distribution+"/"+l.Line, nil).into(t, &v)
		if len(v.Successions) != max(len(v.Points)-1, 0) {
			t.Errorf(
				"%s/%s: %d points and %d steps between them", l.Distribution, l.Line, len(v.Points), len(v.Successions),
			)
		}
		for i, s := range v.Successions {
			if s.Older.Edition != v.Points[i].Edition || s.Newer.Edition != v.Points[i+1].Edition ||
				s.Advice.Advice == "" ||
				len(s.Advice.Reasons) == 0 {
				t.Errorf("%s/%s: %s to %s: %+v", l.Distribution, l.Line, s.Older.Edition, s.Newer.Edition, s.Advice)
			}
			if (s.Older.Checklist == s.Newer.Checklist) != (s.Ground == nil) {
				t.Errorf(
					"%s on %s and %s: common ground of %d",
					s.Newer.Edition,
					s.Older.Checklist,
					s.Newer.Checklist,
					len(s.Ground),
				)
			}
			total := 0
			for _, n := range s.Counts {
				total += n
			}
			if total != len(s.Criteria) {
				t.Errorf("%s: %d criteria, %d counted", s.Newer.Edition, len(s.Criteria), total)
			}
		}
	}
	w.must(404, "", "GET", "/api/v1/lines/gullhaven/nothing", nil)

	var records, early contract.RecordList
	w.must(200, "", "GET", "/api/v1/records", nil).into(t, &records)
	w.must(200, "", "GET", "/api/v1/records?at=2025-06-01T00:00:00Z", nil).into(t, &early)
	if len(early.Records) == 0 || len(early.Records) > len(records.Records) {
		t.Errorf("%d records then, %d now", len(early.Records), len(records.Records))
	}
	for _, r := range early.Records {
		for _, x := range r.Records {
			if x.At.After(time.Date(2025, 6, 1, 0, 0, 0, 0, time.UTC)) {
				t.Errorf("%s: a record of %s was known in June 2025", r.Criterion, x.At)
			}
		}
	}
	w.must(200, "", "GET", "/api/v1/records?criterion=cold-start", nil).into(t, &early)
	for _, r := range early.Records {
		if r.Criterion != "cold-start" {
			t.Errorf("asked for cold-start, got %s", r.Criterion)
		}
	}

	var leaders contract.LeaderList
	w.must(200, "", "GET", "/api/v1/leaders?audience=pensioner", nil).into(t, &leaders)
	if len(leaders.Reigns) < 4 {
		t.Fatalf("leaders: %+v", leaders.Reigns)
	}
	for i, r := range leaders.Reigns {
		then := w.rank("audience=pensioner&at=" + url.QueryEscape(r.From.Format(time.RFC3339)))
		if then.Ranking[0].Edition != r.Edition {
			t.Errorf(
				"from %s %s led, and the ranking of that moment has %s", r.From, r.Edition, then.Ranking[0].Edition,
			)
		}
		if i > 0 && !r.To.Equal(leaders.Reigns[i-1].From) {
			t.Errorf("%s led to %s, the next from %s", r.Edition, r.To, leaders.Reigns[i-1].From)
		}
	}
	if !leaders.Reigns[0].To.IsZero() {
		t.Errorf("the last reign is over: %+v", leaders.Reigns[0])
	}
	w.must(404, "", "GET", "/api/v1/leaders?audience=nobody", nil)
}

func fits(t *testing.T, w *world) {
	var v struct {
		Nearest struct{ Rig string }
		Fits    []struct {
			Edition string
			Fits    bool
			Reasons []string
		}
		Ranking ranked
	}
	w.must(200, "", "GET", "/api/v1/fits?memoryMiB=2048&cores=2", nil).into(t, &v)
	if v.Nearest.Rig != "bench-old" {
		t.Errorf("nearest: %+v", v.Nearest)
	}
	fit := map[string]bool{}
	for _, f := range v.Fits {
		fit[f.Edition] = f.Fits
		if !f.Fits && len(f.Reasons) == 0 {
			t.Errorf("%s does not fit, for no reason", f.Edition)
		}
	}
	for _, e := range v.Ranking.Ranking {
		if !fit[e.Edition] {
			t.Errorf("%s is ranked and does not fit", e.Edition)
		}
	}
	if len(v.Ranking.Ranking) == 0 || len(v.Ranking.Ranking) == len(v.Fits) {
		t.Errorf("%d of %d are ranked", len(v.Ranking.Ranking), len(v.Fits))
	}
	w.must(200, "", "GET", "/api/v1/fits?memoryMiB=1", nil).into(t, &v)
	if len(v.Ranking.Ranking) != 0 {
		t.Errorf("%d fit into 1 MiB", len(v.Ranking.Ranking))
	}
	w.must(422, "", "GET", "/api/v1/fits?memoryMiB=-1", nil)
	w.must(422, "", "GET", "/api/v1/fits?cores=many", nil)
}

// compareBaselines compares with baselines other than a chosen edition.
func compareBaselines(t *testing.T, w *world) {
	compare := func(query string) (c contract.Comparison) {
		t.Helper()
		w.must(200, "", "GET", "/api/v1/comparison?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside"+query, nil).
			into(t, &c)
		return c
	}
	if c := compare("&baseline=previous"); c.Against["gullhaven/5.2/hearthside"] != "gullhaven/5.1/hearthside" ||
		c.Against["mossgate/12/hearthside"] != "mossgate/11/hearthside" ||
		len(c.Editions) != 2 {
		t.Errorf("previous: %v", c.Against)
	}
	if c := compare("&baseline=leader"); c.Baseline != "bramblewick/7.0/hearthside" || len(c.Editions) != 3 ||
		c.Editions[0].Scorecard.Edition != c.Baseline {
		t.Errorf("leader: %s of %d", c.Baseline, len(c.Editions))
	}
	c := compare("&baseline=record")
	better := 0
	for _, r := range c.Rows {
		if r.Verdict == comparing.Better {
			better++
		}
	}
	if better > 0 || len(c.Rows) == 0 {
		t.Errorf("%d of %d rows beat the record", better, len(c.Rows))
	}
	if c := compare("&baseline=based-on"); len(c.Without) != 2 || len(c.Rows) != 0 {
		t.Errorf("based-on: without %v", c.Without)
	}
	c = compare("&baseline=bramblewick/7.0/hearthside")
	for _, r := range c.Criteria {
		for _, cell := range r.Cells {
			if cell.Edition == c.Baseline && cell.Verdict != "" {
				t.Errorf("%s: the baseline is %s than itself", r.Criterion, cell.Verdict)
			}
		}
		if r.Close && r.Differs {
			t.Errorf("%s is too close and differs", r.Criterion)
		}
	}
	if len(c.FactRows) == 0 || len(c.HeadToHead.Pairs) != 3 {
		t.Errorf("%d facts, %d pairs", len(c.FactRows), len(c.HeadToHead.Pairs))
	}
	for query, want := range map[string]int{"&baseline=nobody": 404, "&baseline=gullhaven/5.0/hearthside": 404, "&edition=gullhaven/5.2/hearthside": 422} {
		w.must(
			want,
			"",
			"GET",
			"/api/v1/comparison?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside"+query,
			nil,
		)
	}
}

// components adds versions of a component, and checks how far behind editions were.
func components(t *testing.T, w *world) {
	rules := func(components ...map[string]any) map[string]any {
		return map[string]any{"secondReviewer": "advised", "retestDays": 120, "components": components}
	}
	version := func(v, date string) map[string]any { return map[string]any{"version": v, "date": date} }
	for _, wrong := range []map[string]any{
		rules(map[string]any{"fact": "kernel", "versions": []any{version("six", "2026-01-01")}}),
		rules(map[string]any{"fact": "kernel", "versions": []any{version("6.1", "soon")}}),
		rules(map[string]any{"fact": "kernel", "versions": []any{version("6.1", "2026-01-01"), version("6.1", "2026-02-01")}}),
		rules(map[string]any{"fact": "kernel", "versions": []any{}}, map[string]any{"fact": "kernel", "versions": []any{}}),
	} {
		w.must(422, "marit", "PUT", "/api/v1/policy", wrong, "If-Match", `"1"`)
	}
	w.must(
		200,
		"marit",
		"PUT",
		"/api/v1/policy",
		rules(
			map[string]any{
				"fact":     "kernel",
				"versions": []any{version("6.99", "2026-01-01"), version("6.1", "2025-01-01")},
			},
		),
		"If-Match",
		`"1"`,
	)
	var c contract.Comparison
	w.must(200, "", "GET", "/api/v1/comparison?edition=gullhaven/5.2/hearthside&edition=mossgate/12/hearthside", nil).
		into(t, &c)
	found := false
	for _, row := range c.FactRows {
		if row.Criterion == "kernel" {
			b := row.Cells[0].Behind
			found = b != nil && b.Newest == "6.99" && b.Versions == 1 && b.Days > 60
		}
	}
	if !found {
		t.Errorf("facts: %+v", c.FactRows)
	}
	// Rules that do not name components leave them unchanged.
	w.must(
		200,
		"marit",
		"PUT",
		"/api/v1/policy",
		map[string]any{"secondReviewer": "required", "retestDays": 90},
		"If-Match",
		`"2"`,
	)
	var p contract.Policy
	w.must(200, "marit", "GET", "/api/v1/policy", nil).into(t, &p)
	if len(*p.Components) != 1 || (*p.Components)[0].Versions[0].Version != "6.1" {
		t.Errorf("components: %+v", p.Components)
	}
}
