package api_test

import (
	"slices"
	"strings"
	"testing"
)

// ranked returns the editions of the ranking, in its order.
func (w *world) ranked() []string {
	w.t.Helper()
	var r struct{ Ranking []struct{ Edition string } }
	w.must(200, "", "GET", "/api/v1/ranking", nil).into(w.t, &r)
	var out []string
	for _, x := range r.Ranking {
		out = append(out, x.Edition)
	}
	return out
}

func TestRename(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	before := w.ranked()
	rename := func(status int, who, sort, key, to string) *reply {
		return w.must(status, who, "POST", "/api/v1/renamed", map[string]any{"sort": sort, "key": key, "to": to})
	}
	rename(403, "ines", "distribution", "mossgate", "mossgrove")
	rename(404, "marit", "distribution", "nowhere", "mossgrove")
	rename(422, "marit", "distribution", "mossgate", "Moss Grove")
	rename(409, "marit", "distribution", "mossgate", "gullhaven")
	rename(200, "marit", "distribution", "mossgate", "mossgrove")
	rename(200, "marit", "release", "mossgate/12", "12.0") // by its older key
	rename(200, "marit", "edition", "mossgrove/12.0/hearthside", "hearth")
	rename(200, "marit", "rig", "bench-old", "bench-oldest")

	after := w.ranked()
	for i, e := range before {
		if e == "mossgate/12/hearthside" {
			before[i] = "mossgrove/12.0/hearth"
		} else if rest, ok := strings.CutPrefix(e, "mossgate/12/"); ok {
			before[i] = "mossgrove/12.0/" + rest
		} else if rest, ok := strings.CutPrefix(e, "mossgate/"); ok {
			before[i] = "mossgrove/" + rest
		}
	}
	slices.Sort(before)
	slices.Sort(after)
	if !slices.Equal(before, after) {
		t.Errorf("after the renaming the ranking holds\n%v, want\n%v", after, before)
	}
	for _, path := range []string{
		"/api/v1/distributions/mossgate", "/api/v1/releases/mossgate/12", "/api/v1/editions/mossgate/12/hearthside", "/api/v1/rigs/bench-old",
		"/api/v1/scorecards/mossgate/12/hearthside", "/api/v1/scorecards/mossgrove/12/hearthside/traces", "/api/v1/reviews?edition=mossgate/12/hearthside",
	} {
		if r := w.must(200, "", "GET", path, nil); !strings.Contains(string(r.body), "mossgrove") &&
			!strings.Contains(string(r.body), "bench-oldest") {
			t.Errorf("%s leads to %.300s", path, r.body)
		}
	}
	// Entries that are added or corrected under an old key get the new one.
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/releases",
		map[string]any{"distribution": "mossgate", "version": "13", "date": "2026-11-20"},
	)
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/editions",
		map[string]any{"distribution": "mossgate", "release": "12", "key": "minimal", "desktop": "Hearthside"},
	)
	w.must(200, "", "GET", "/api/v1/releases/mossgrove/13", nil)
	w.must(200, "", "GET", "/api/v1/editions/mossgrove/12.0/minimal", nil)
	for path, body := range map[string]map[string]any{
		"distributions/mossgate":          {"key": "mossgate", "name": "Moss", "model": "fixed", "family": []string{}},
		"releases/mossgate/12":            {"distribution": "mossgate", "version": "12", "date": "2026-06-12"},
		"editions/mossgate/12/hearthside": {"distribution": "mossgrove", "release": "12.0", "key": "hearth", "desktop": "Hearth"},
		"editions/mossgrove/12.0/hearth":  {"distribution": "mossgate", "release": "12", "key": "hearthside", "desktop": "Hearths"},
	} {
		tag := w.must(200, "ines", "GET", "/api/v1/"+path, nil).header.Get("ETag")
		w.must(200, "ines", "PUT", "/api/v1/"+path, body, "If-Match", tag)
	}
	w.must(
		409,
		"ines",
		"PUT",
		"/api/v1/distributions/mossgate",
		map[string]any{"key": "gullhaven", "name": "Gull", "model": "fixed", "family": []string{}},
		"If-Match",
		`"1"`,
	)
	rename(200, "marit", "distribution", "mossgrove", "mossgate") // and back
	w.must(200, "", "GET", "/api/v1/scorecards/mossgate/12/hearthside", nil)
	w.must(200, "", "GET", "/api/v1/scorecards/mossgrove/12/hearthside", nil)
	// A reading under the rig's old key goes to the rig.
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	if _, r := w.record(200, "ines", review, map[string]any{"criterion": "cold-start", "rig": "bench-old", "context": map[string]any{"method": "stopwatch", "phase": "fresh"}, "answer": map[string]any{"runs": []float64{20, 21}}}); !strings.Contains(
		string(r.body), "bench-oldest",
	) {
		t.Errorf("the rig of the reading: %s", r.body)
	}
}

func TestMerge(t *testing.T) {
	w := newWorld(t, true)
	// Somebody added the same distribution again, reviewed an edition of it, and a new one.
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/distributions",
		map[string]any{"key": "moss-gate", "name": "Moss Gate", "model": "fixed", "family": []string{}},
	)
	for _, v := range []string{"12", "13"} {
		w.must(
			201,
			"ines",
			"POST",
			"/api/v1/releases",
			map[string]any{"distribution": "moss-gate", "version": v, "date": "2026-10-01"},
		)
		w.must(
			201,
			"ines",
			"POST",
			"/api/v1/editions",
			map[string]any{"distribution": "moss-gate", "release": v, "key": "hearthside"},
		)
	}
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/distributions",
		map[string]any{
			"key":    "reedmere",
			"name":   "Reedmere",
			"model":  "fixed",
			"family": []string{"moss-gate", "heathbase"},
		},
	)
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/releases",
		map[string]any{"distribution": "reedmere", "version": "1", "date": "2026-10-01", "basedOn": "moss-gate/12"},
	)
	review := w.planned("ines", "moss-gate/12/hearthside")
	w.record(200, "ines", review, map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 6}})

	for who, subject := range map[string]string{"tomas": "moss-gate/12/hearthside", "odile": "mossgate/12/hearthside"} {
		w.must(201, who, "POST", "/api/v1/requests", map[string]any{"subject": subject})
	}
	merge := func(status int, who string, body map[string]any) *reply {
		return w.must(status, who, "POST", "/api/v1/merged", body)
	}
	merge(403, "ines", map[string]any{"sort": "distribution", "key": "moss-gate", "into": "mossgate"})
	merge(409, "marit", map[string]any{"sort": "distribution", "key": "moss-gate", "into": "moss-gate"})
	merge(409, "marit", map[string]any{"sort": "rig", "key": "bench-old", "into": "bench-new"}) // not the same machine
	trial := merge(
		200, "marit", map[string]any{"sort": "distribution", "key": "moss-gate", "into": "mossgate", "trial": true},
	)
	if !strings.Contains(string(trial.body), "moss-gate/12/hearthside: 1 review to move to mossgate/12/hearthside") {
		t.Errorf("the trial says %s", trial.body)
	}
	w.must(200, "", "GET", "/api/v1/editions/moss-gate/13/hearthside", nil)
	merge(200, "marit", map[string]any{"sort": "distribution", "key": "moss-gate", "into": "mossgate"})

	var r struct{ Edition string }
	w.must(200, "ines", "GET", "/api/v1/reviews/"+review, nil).into(t, &r)
	if r.Edition != "mossgate/12/hearthside" {
		t.Errorf("the duplicate's review is of %s", r.Edition)
	}
	for path, want := range map[string]string{
		"/api/v1/editions/moss-gate/13/hearthside": `"distribution":"mossgate"`,
		"/api/v1/distributions/reedmere":           `"family":["mossgate","heathbase"]`,
		"/api/v1/releases/reedmere/1":              `"basedOn":"mossgate/12"`,
		"/api/v1/distributions/moss-gate":          `"key":"mossgate"`,
	} {
		if r := w.must(200, "", "GET", path, nil); !strings.Contains(string(r.body), want) {
			t.Errorf("%s: want %s in %s", path, want, r.body)
		}
	}
	if x := w.inQueue("mossgate/12/hearthside"); x == nil || x.Request == nil || len(x.Request.RequestedBy) != 2 ||
		w.inQueue("moss-gate/12/hearthside") != nil {
		t.Errorf("the two requests are %+v", x)
	}
	w.record(200, "ines", review, map[string]any{"criterion": "update-ease", "answer": map[string]any{"grade": 7}})
}

func TestRetireAndRigs(t *testing.T) {
	w := newWorld(t, true)
	r := w.must(200, "ines", "GET", "/api/v1/editions/ivybeck/5.4/hearthside", nil)
	var e map[string]any
	r.into(t, &e)
	e["retired"] = true
	w.must(200, "ines", "PUT", "/api/v1/editions/ivybeck/5.4/hearthside", e, "If-Match", r.header.Get("ETag"))
	if r := w.must(422, "ines", "POST", "/api/v1/reviews", map[string]any{"edition": "ivybeck/5.4/hearthside"}); !strings.Contains(
		string(r.body), "retired",
	) {
		t.Errorf("a retired edition is planned: %s", r.body)
	}
	w.must(422, "ines", "POST", "/api/v1/rigs", map[string]any{"key": "bench-old2", "replaces": "bench-none"})
	w.must(
		201,
		"ines",
		"POST",
		"/api/v1/rigs",
		map[string]any{"key": "bench-old2", "name": "Old laptop, new disk", "replaces": "bench-old"},
	)
	r = w.must(200, "ines", "GET", "/api/v1/rigs/bench-old", nil)
	var rig map[string]any
	r.into(t, &rig)
	rig["memoryMiB"] = 8192
	if r := w.must(409, "ines", "PUT", "/api/v1/rigs/bench-old", rig, "If-Match", r.header.Get("ETag")); !strings.Contains(
		string(r.body), "new rig",
	) {
		t.Errorf("a machine with readings was changed: %s", r.body)
	}
}
