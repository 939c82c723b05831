package e2e

import (
	"encoding/csv"
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

// TestStale checks which answers of the service a change makes out of date.
func TestStale(t *testing.T) {
	ctx := logic(t)
	type change = map[string]any
	const mine, other = "01a22e8a-0000-7000-8000-000000000001", "01a22e8a-0000-7000-8000-000000000002"
	review := func(subject, action string) change {
		return change{"number": 7, "sort": "review", "subject": subject, "action": action}
	}
	for _, c := range []struct {
		key  []any
		of   change
		want bool
	}{
		{[]any{"ranking", 0}, review(mine, "accepted"), true},
		{[]any{"ranking", 0}, review(mine, "withdrawn"), true},
		{[]any{"ranking", 0}, review("*", "imported"), true},
		{[]any{"ranking", 0}, review("*", "carried over"), true},
		{[]any{"ranking", 0}, review(mine, "recorded start"), false},
		{[]any{"ranking", 0}, review(mine, "submitted"), false},
		{[]any{"ranking", 0}, change{"sort": "catalogue"}, true},
		{[]any{"ranking", 0}, change{"sort": "queue"}, false},
		{[]any{"ranking", 0}, change{}, false},
		{[]any{"readings", mine}, review(mine, "recorded start"), true},
		{[]any{"readings", mine}, review(mine, "took back start"), true},
		{[]any{"readings", mine}, review(other, "recorded start"), false},
		{[]any{"readings", mine}, review("*", "imported"), true},
		{[]any{"entries", mine}, review(mine, "wrote a finding"), true},
		{[]any{"entries", mine}, review(other, "dropped a finding"), false},
		{[]any{"review", mine}, review(mine, "submitted"), true},
		{[]any{"reviews", "planned"}, review(mine, "recorded start"), false},
		{[]any{"reviews", "planned"}, review(mine, "planned"), true},
		{[]any{"queue"}, review(mine, "assigned"), true},
		{[]any{"queue"}, change{"sort": "queue"}, true},
		{[]any{"plan", 4}, review(other, "recorded start"), true},
		{[]any{"quality"}, review(other, "recorded start"), true},
		{[]any{"checklistToEdit", "workshop@3"}, change{"sort": "checklist"}, false},
		{[]any{"reportMoved", "fridge"}, review(mine, "accepted"), true},
		{[]any{"report", "fridge"}, review(mine, "accepted"), false},
		{[]any{"session"}, change{"sort": "person"}, false},
		{[]any{"people"}, change{"sort": "person"}, true},
	} {
		if got := computed[bool](t, ctx, "keys.stale", [][]any{{c.key, c.of}})[0]; got != c.want {
			t.Errorf("%v after %v is stale: %v", c.key, c.of, got)
		}
	}
	for source, want := range map[string]bool{"ranking": true, "records": true, "quality": true, "queue": false,
		"attributes": true, "nothing like this": false} {
		if got := computed[bool](t, ctx, "keys.isFigures", [][]any{{[]any{source}}})[0]; got != want {
			t.Errorf("%s is figures: %v", source, got)
		}
	}
}

// TestTimesOfRecordings works out times between frames by hand, with an even rate and with frames missing.
func TestTimesOfRecordings(t *testing.T) {
	ctx := logic(t)
	type timed struct{ Seconds, Resolution float64 }
	near := func(a, b float64) bool { return math.Abs(a-b) < 1e-9 }
	var even []float64
	for i := range 60 {
		even = append(even, float64(i)/20)
	}
	evenly := map[string]any{"begins": even, "end": 3}
	sparse := map[string]any{"begins": []float64{0, 0.1, 0.2, 0.5, 0.6, 1.6}, "end": 1.7}
	for _, c := range []struct {
		frames     map[string]any
		begin, end int
		want       timed
	}{
		{evenly, 10, 50, timed{2, 0.05}},
		{evenly, 0, 59, timed{2.95, 0.05}},
		{evenly, 20, 10, timed{-0.5, 0.05}},
		{sparse, 1, 4, timed{0.5, 0.1}}, // the frame before the end mark lasts from 0.5 to 0.6
		{sparse, 1, 3, timed{0.4, 0.3}}, // the one before lasts from 0.2 to 0.5
		{sparse, 3, 5, timed{1.1, 1}},
	} {
		marks := map[string]int{"begin": c.begin, "end": c.end}
		got := computed[timed](t, ctx, "recording.timed", [][]any{{c.frames, marks}})[0]
		if !near(got.Seconds, c.want.Seconds) || !near(got.Resolution, c.want.Resolution) {
			t.Errorf("frames %d to %d: %+v, want %+v", c.begin, c.end, got, c.want)
		}
	}
	for at, frame := range map[float64]int{-1: 0, 0: 0, 0.05: 0, 0.1: 1, 0.49: 2, 0.5: 3, 1.59: 4, 9: 5} {
		if got := computed[int](t, ctx, "recording.frameAt", [][]any{{sparse, at}})[0]; got != frame {
			t.Errorf("at %v s frame %d is shown, want %d", at, got, frame)
		}
	}
	run := func(seconds, resolution float64) map[string]float64 {
		return map[string]float64{"seconds": seconds, "resolution": resolution}
	}
	type runs = []map[string]float64
	for _, c := range []struct {
		runs runs
		want *timed
	}{
		{runs{}, nil},
		{runs{run(3, 0.05)}, &timed{3, 0.05}},
		{runs{run(3, 0.05), run(1, 0.1), run(2, 0.02)}, &timed{2, 0.1}},
		{runs{run(3, 0.05), run(1, 0.05), run(2, 0.05), run(10, 0.05)}, &timed{2.5, 0.05}},
	} {
		if got := computed[*timed](t, ctx, "recording.summed", [][]any{{c.runs}})[0]; !reflect.DeepEqual(got, c.want) {
			t.Errorf("%v come to %v, want %v", c.runs, got, c.want)
		}
	}
	contender := func(name string, seconds, resolution float64) map[string]any {
		return map[string]any{"of": name, "time": run(seconds, resolution)}
	}
	for _, c := range []struct {
		all  []map[string]any
		want [][]string
	}{
		{nil, [][]string{}},
		{[]map[string]any{contender("b", 2, 0.05), contender("a", 1, 0.05)}, [][]string{{"a"}, {"b"}}},
		{[]map[string]any{contender("a", 1, 0.05), contender("b", 1.04, 0.05), contender("c", 1.08, 0.05)},
			[][]string{{"a", "b"}, {"c"}}}, // c is less than a frame from b, but not from the first of the place
		{[]map[string]any{contender("a", 1, 0.05), contender("b", 1.05, 0.05)}, [][]string{{"a"}, {"b"}}},
		{[]map[string]any{contender("a", 1, 0.05), contender("b", 1.09, 0.1)}, [][]string{{"a", "b"}}},
	} {
		all := c.all
		if all == nil {
			all = []map[string]any{}
		}
		if got := computed[[][]string](t, ctx, "recording.placed", [][]any{{all}})[0]; !reflect.DeepEqual(got, c.want) {
			t.Errorf("%v are placed %v, want %v", all, got, c.want)
		}
	}
	for unit, want := range map[string]float64{"s": 90.5, "ms": 90_500, "min": 90.5 / 60} {
		if got := computed[float64](t, ctx, "recording.inUnit", [][]any{{90.5, unit}})[0]; math.Abs(got-want) > 1e-6 {
			t.Errorf("90.5 s are %v %s, want %v", got, unit, want)
		}
	}
	if got := computed[*float64](t, ctx, "recording.inUnit", [][]any{{90.5, "MiB"}})[0]; got != nil {
		t.Errorf("90.5 s are %v MiB", *got)
	}
}

// TestPagesByName finds pages by words, and offers only those that a person can open.
func TestPagesByName(t *testing.T) {
	ctx := logic(t)
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](
		`logic.found = (words, may) => logic.places.placesFor(words, (what) => may.includes(what)).map((p) => p.to); 0`,
	)); err != nil {
		t.Fatal(err)
	}
	team := []string{"see-work", "edit-checklist", "write-reports", "import-readings", "manage-hooks", "propose-changes"}
	for _, c := range []struct {
		words string
		may   []string
		first string // empty: nothing is found
	}{
		{"ranking", nil, "/"},
		{"RANK", nil, "/"},
		{"steadiness of", nil, "/steadiness"},
		{"how steady", nil, "/steadiness"},
		{"what if", nil, "/weights"},
		{"queue", nil, ""},
		{"queue", team, "/team"},
		{"checklist", nil, "/checklist"},
		{"add checklist", team, "/checklist/new"},
		{"add checklist", []string{"see-work"}, ""},
		{"csv", team, "/team/import"},
		{"anking", nil, ""},
		{"no page has this name", team, ""},
	} {
		got := computed[[]string](t, ctx, "found", [][]any{{c.words, append([]string{}, c.may...)}})[0]
		if (c.first == "") != (len(got) == 0) || (c.first != "" && got[0] != c.first) {
			t.Errorf("%q with the rights %v finds %v, want %s first", c.words, c.may, got, c.first)
		}
	}
	got := computed[[]string](t, ctx, "found", [][]any{{"", []string{}}})[0]
	if len(got) == 0 || slices.Contains(got, "/team") {
		t.Errorf("a reader who has typed nothing is offered %v", got)
	}
}

// TestRowsAsFiles writes rows of a table as other programs read them, whatever they hold.
func TestRowsAsFiles(t *testing.T) {
	ctx := logic(t)
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](`
		logic.shown = [
			{ key: "name", title: "Name", value: (r) => r.name },
			{ key: "bar", title: "", value: () => 1, figure: true },
			{ key: "score", title: "Score of all", value: (r) => r.score },
		];
		logic.asCSV = (rows) => logic.columns.commaSeparated(logic.shown, rows);
		logic.asTabs = (rows) => logic.columns.tabbed(logic.shown, rows);
		logic.has = (row, words) => logic.columns.says(logic.shown, row, words);
		logic.sorted = (values) => [...values].sort(logic.columns.order);
		logic.width = (rows) => logic.columns.widest(logic.shown[0], rows); 0`)); err != nil {
		t.Fatal(err)
	}
	rows := []any{}
	want := [][]string{{"name", "score"}}
	names := []string{"plain", "a, b", `he said "no"`, "two\nlines", " spaces ", "", "tab\there", "ü 漢字", "=1+1"}
	for i, name := range names {
		rows = append(rows, map[string]any{"name": name, "score": float64(i) / 4})
		want = append(want, []string{name, strings.TrimSuffix(fmt.Sprintf("%g", float64(i)/4), ".0")})
	}
	rows = append(rows, map[string]any{"name": nil})
	want = append(want, []string{"", ""})
	text := computed[string](t, ctx, "asCSV", [][]any{{rows}})[0]
	got, err := csv.NewReader(strings.NewReader(text)).ReadAll()
	if err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%v: %q, want %q", err, got, want)
	}
	lines := strings.Split(computed[string](t, ctx, "asTabs", [][]any{{rows}})[0], "\n")
	if len(lines) != len(want) || lines[0] != "Name\tScore of all" || lines[4] != "two lines\t0.75" ||
		lines[7] != "tab here\t1.5" {
		t.Errorf("as text with tabs: %q", lines)
	}
	for words, want := range map[string]bool{"lines": true, "0.75": true, "1": false, "": true} {
		row := map[string]any{"name": "Two Lines", "score": 0.75}
		if got := computed[bool](t, ctx, "has", [][]any{{row, words}})[0]; got != want {
			t.Errorf("%v has %q: %v", row, words, got)
		}
	}
	for _, c := range []struct{ values, want []any }{
		{[]any{10, 9, 1.5, -2}, []any{-2., 1.5, 9., 10.}},
		{[]any{"release 10", "Release 9", "älter", "alt"}, []any{"alt", "älter", "Release 9", "release 10"}},
	} {
		if got := computed[[]any](t, ctx, "sorted", [][]any{{c.values}})[0]; !reflect.DeepEqual(got, c.want) {
			t.Errorf("%v is ordered %v", c.values, got)
		}
	}
	if got := computed[string](t, ctx, "width", [][]any{{rows}})[0]; got != `he said "no"` {
		t.Errorf("the widest name is %q", got)
	}
	long := []any{map[string]any{"name": strings.Repeat("x", 33)}}
	if got := computed[string](t, ctx, "width", [][]any{{long}})[0]; got != "" {
		t.Errorf("a long text keeps the width of %q", got)
	}
}

// TestCurrentReadings finds the readings that a criterion's row at the desk shows.
func TestCurrentReadings(t *testing.T) {
	ctx := logic(t)
	type reading = map[string]any
	context := func(method, phase string) map[string]any { return map[string]any{"method": method, "phase": phase} }
	start := func(id, rig, reviewer string, context map[string]any) reading {
		return reading{"id": id, "criterion": "start", "rig": rig, "reviewer": reviewer, "context": context}
	}
	again := start("b", "old", "ines", context("stopwatch", "fresh"))
	again["replaces"] = "a"
	readings := []reading{
		start("a", "old", "ines", context("stopwatch", "fresh")),
		again,
		start("c", "old", "tomas", context("stopwatch", "updated")),
		start("d", "new", "ines", context("stopwatch", "fresh")),
		{"id": "e", "criterion": "feel", "reviewer": "ines"},
		start("f", "old", "tomas", context("log", "fresh")),
	}
	if _, err := chromedp.Run(ctx, chromedp.Evaluate[any](`
		logic.at = (readings, place, asked) =>
			logic.standing.standing(readings, place, asked ?? undefined).map((r) => r.id);
		logic.own = (...of) => logic.standing.mine(...of)?.id ?? ""; 0`)); err != nil {
		t.Fatal(err)
	}
	at := func(criterion, rig string, own map[string]any) map[string]any {
		place := map[string]any{"criterion": criterion, "rig": rig}
		if own != nil {
			place["context"] = own
		}
		return place
	}
	for _, c := range []struct {
		place, asked map[string]any
		want         string
	}{
		{at("start", "old", nil), nil, "b c f"},
		{at("start", "old", nil), context("stopwatch", ""), "b c"},
		{at("start", "old", nil), context("stopwatch", "fresh"), "b"},
		{at("start", "old", context("log", "fresh")), context("stopwatch", "fresh"), "f"}, // the place's own counts
		{at("start", "new", nil), nil, "d"},
		{at("start", "", nil), nil, ""},
		{at("feel", "", nil), nil, "e"},
	} {
		got := computed[[]string](t, ctx, "at", [][]any{{readings, c.place, c.asked}})[0]
		if strings.Join(got, " ") != c.want {
			t.Errorf("at %v, asked in %v: %v, want %s", c.place, c.asked, got, c.want)
		}
	}
	list := map[string]any{"sections": []any{map[string]any{"key": "all", "criteria": []any{
		map[string]any{"key": "start", "context": context("stopwatch", "")}, map[string]any{"key": "feel"}}}}}
	for person, want := range map[string]string{"ines": "b", "tomas": "c", "odile": ""} {
		got := computed[string](t, ctx, "own", [][]any{{readings, person, at("start", "old", nil), list}})[0]
		if got != want {
			t.Errorf("the current reading of %s is %q, want %q", person, got, want)
		}
	}
	states := func(ids ...string) []any {
		all := []any{}
		for _, id := range ids {
			all = append(all, map[string]any{"id": id})
		}
		return all
	}
	for want, of := range map[string][]any{
		"s1": states(), "s2": states("s1"), "s4": states("s3", "s2"), "s3": states("s1", "x"),
	} {
		if got := computed[string](t, ctx, "entries.nextState", [][]any{{of}})[0]; got != want {
			t.Errorf("after %v comes %s, want %s", of, got, want)
		}
	}
}

// TestSharesMove moves one share: all of them still sum to one, and the others keep their proportions.
func TestSharesMove(t *testing.T) {
	ctx := logic(t)
	type shares = map[string]float64
	chance := rand.New(rand.NewPCG(11, 12))
	for range 200 {
		weights := []any{}
		for i := range 1 + chance.IntN(6) {
			weights = append(weights, []any{fmt.Sprintf("s%d", i), chance.IntN(5)})
		}
		before := computed[shares](t, ctx, "weights.sharesOf", [][]any{{weights}})[0]
		to := 1.4*chance.Float64() - 0.2
		after := computed[shares](t, ctx, "weights.moved", [][]any{{before, "s0", to}})[0]
		if want := min(max(to, 0), 1); after["s0"] != want {
			t.Errorf("%v moved to %v is %v", before, to, after["s0"])
		}
		sum, rest := 0.0, 0.0
		for key, share := range before {
			if key != "s0" {
				rest += share
			}
		}
		for key, share := range after {
			sum += share
			if key != "s0" && rest > 1e-6 && math.Abs(share*rest-before[key]*(1-after["s0"])) > 1e-9 {
				t.Errorf("%v moved to %v: %s has %v", before, to, key, share)
			}
		}
		if len(after) > 1 && math.Abs(sum-1) > 1e-9 {
			t.Errorf("%v moved to %v sums to %v", before, to, sum)
		}
		held := computed[[]string](t, ctx, "weights.pairs", [][]any{{after}})[0]
		for _, pair := range held {
			key, weight, _ := strings.Cut(pair, "=")
			var x float64
			if _, err := fmt.Sscan(weight, &x); err != nil || math.Abs(x/100-after[key]) > 1e-6 {
				t.Errorf("the address holds %s for %v (%v)", pair, after[key], err)
			}
		}
	}
}

// TestKeysOfTitles makes keys of titles, and collects lists page by page.
func TestKeysOfTitles(t *testing.T) {
	ctx := logic(t)
	for title, want := range map[string]string{
		"Cold start to desktop": "cold-start-to-desktop", "  Ärger, über alles! ": "arger-uber-alles", "漢字": "",
		"5 GHz Wi-Fi": "5-ghz-wi-fi", "---": "",
		strings.Repeat("long title ", 9): strings.Repeat("long-title-", 5) + "long",
	} {
		if got := computed[string](t, ctx, "slug.keyOf", [][]any{{title}})[0]; got != want {
			t.Errorf("%q gets the key %q, want %q", title, got, want)
		}
	}
	for _, pages := range [][][]int{{{}}, {{1, 2, 3}}, {{1, 2}, {3, 4}, {5}}, {{}, {1}}} {
		got, err := chromedp.Run(ctx, chromedp.Evaluate[[]int](fmt.Sprintf(`logic.lists.everything((cursor) => {
			const i = Number(cursor ?? 0);
			const pages = %s;
			return Promise.resolve({ items: pages[i], next: i + 1 < pages.length ? String(i + 1) : undefined });
		})`, textOf(t, pages)), chromedp.EvalAwaitPromise))
		if err != nil || !slices.Equal(got, slices.Concat(pages...)) {
			t.Errorf("pages %v come to %v, %v", pages, got, err)
		}
	}
}

// What is kept for when there is no network is all that was fetched, by other tabs too, also where asking again failed.
func TestKept(t *testing.T) {
	t.Parallel()
	got, err := chromedp.Run(logic(t), chromedp.Evaluate[[]string](`(() => {
		const day = 24 * 3600_000, now = 100 * day;
		const queries = new logic.QueryClient();
		const set = (key, data, at) => queries.setQueryData(key, data, { updatedAt: at });
		set(["desk", "a"], "new", now - day);
		set(["desk", "b"], "older than before", now - 3 * day);
		set(["ranking"], "not kept", now);
		set(["session"], "ines", now);
		queries.getQueryCache().find({ queryKey: ["session"] }).setState({ status: "error", error: new Error("away") });
		const was = (key, data, at) => ({
			queryKey: key, queryHash: JSON.stringify(key), state: { data, dataUpdatedAt: at, status: "success" } });
		const before = { mutations: [], queries: [was(["desk", "a"], "old", now - 2 * day), was(["desk", "b"], "newer", now - day),
			was(["desk", "c"], "of another tab", now - 5 * day), was(["desk", "d"], "too old", now - 15 * day)] };
		return logic.known.toKeep(queries, before, now).queries
			.map((q) => [...q.queryKey, q.state.data, q.state.status, q.state.error ?? "fine"].join(" ")).sort();
	})()`))
	if err != nil {
		t.Fatal(err)
	}
	want := []string{
		"desk a new success fine", "desk b newer success fine", "desk c of another tab success fine",
		"session ines success fine",
	}
	if !slices.Equal(got, want) {
		t.Errorf("%q, want %q", got, want)
	}
}

// TestKeptOfOnePerson signs somebody out while the browser is about to keep what was fetched: nothing of a visitor is
// kept as theirs, and who is signed in is asked again when what is kept comes back.
func TestKeptOfOnePerson(t *testing.T) {
	t.Parallel()
	got, err := chromedp.Run(logic(t), chromedp.Evaluate[[]string](`(async () => {
		const { remember, recall } = logic.known, wait = (ms) => new Promise((done) => setTimeout(done, ms));
		const queries = new logic.QueryClient(), is = (data) => queries.setQueryData(["session"], data);
		const kept = async () => {
			const again = new logic.QueryClient();
			await recall(again);
			const found = again.getQueryCache().find({ queryKey: ["session"] })?.state;
			return found ? (found.data.person?.name ?? "a visitor") + (found.isInvalidated ? ", to be asked" : "") : "nothing";
		};
		is({ signedIn: true, person: { name: "ines" } });
		const end = remember("ines", queries), all = [];
		is({ signedIn: false });
		await wait(1500);
		all.push(await kept());
		is({ signedIn: true, person: { name: "ines" } });
		await wait(1500);
		all.push(await kept());
		end();
		return all;
	})()`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	if want := []string{"nothing", "ines, to be asked"}; !slices.Equal(got, want) {
		t.Errorf("kept are %q, want %q", got, want)
	}
}
