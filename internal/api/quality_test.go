package api_test

import (
	"strings"
	"testing"
)

func TestQualityIsTheTeams(t *testing.T) {
	w := newWorld(t, true)
	w.must(401, "", "GET", "/api/v1/quality", nil)
	var q struct {
		Readings  []struct{ Criterion, Edition string }
		Surprises []struct{ Edition, Criterion, Confirmed string }
		Leniency  []struct{ Items int }
		Agreement struct{ Alpha float64 }
		Names     map[string]struct{ Distribution string }
	}
	w.must(200, "perrin", "GET", "/api/v1/quality", nil).into(t, &q)
	confirmed := false
	for _, s := range q.Surprises {
		confirmed = confirmed ||
			(s.Edition == "kestrelby/3.1/pebbledash" && s.Criterion == "copy-folder" && s.Confirmed == "another reviewer")
		if q.Names[s.Edition].Distribution == "" {
			t.Errorf("%s has no name", s.Edition)
		}
	}
	if !confirmed {
		t.Errorf("the surprise that was confirmed is missing: %+v", q.Surprises)
	}
	if len(q.Readings) == 0 || len(q.Leniency) != 3 || q.Agreement.Alpha <= 0 {
		t.Errorf("%d readings, leniency %v, alpha %v", len(q.Readings), q.Leniency, q.Agreement.Alpha)
	}
}

func TestDoubtsOnTheDesk(t *testing.T) {
	w := newWorld(t, true)
	id := w.planned("ines", "ivybeck/5.4/hearthside")
	w.record(200, "ines", id, map[string]any{
		"criterion": "cold-start", "rig": "bench-old", "at": "2026-11-23T09:00:00Z",
		"context": map[string]string{
			"method": "stopwatch",
			"setup":  "default",
			"phase":  "updated",
		}, "answer": map[string]any{"runs": []float64{40, 60}},
	})
	var q struct {
		Readings []struct {
			Criterion string
			Unsteady  bool
			TooFew    bool
		}
	}
	w.must(401, "", "GET", "/api/v1/reviews/"+id+"/data-quality", nil)
	w.must(200, "ines", "GET", "/api/v1/reviews/"+id+"/data-quality", nil).into(t, &q)
	if len(q.Readings) != 1 || !q.Readings[0].Unsteady || !q.Readings[0].TooFew {
		t.Errorf("doubts: %+v", q.Readings)
	}
}

// TestTracesArePublic: readers see where every point came from.
func TestTracesArePublic(t *testing.T) {
	w := newWorld(t, true)
	var list struct {
		Traces []struct {
			Criterion string
			Readings  []struct {
				Counts bool
				Why    string
			}
		}
	}
	w.must(200, "", "GET", "/api/v1/scorecards/kestrelby/3.1/pebbledash/traces", nil).into(t, &list)
	why := map[string]bool{}
	for _, trace := range list.Traces {
		for _, r := range trace.Readings {
			if trace.Criterion == "memory-idle" {
				reason, _, _ := strings.Cut(r.Why, ":")
				why[reason] = true
			}
		}
	}
	if !why[""] || !why["disturbed"] || !why["phase is fresh; the scoring rule requires updated"] {
		t.Errorf("memory at idle: %v", why)
	}
	w.must(404, "", "GET", "/api/v1/scorecards/quaymark/22.1/latchwork/traces", nil)
}

func TestPoints(t *testing.T) {
	w := newWorld(t, true)
	var v struct {
		Criteria []struct {
			Key      string
			Editions []struct {
				Edition string
				Points  float64
				Rigs    []struct{ Value *float64 }
			}
		}
	}
	w.must(200, "", "GET", "/api/v1/points", nil).into(t, &v)
	for _, c := range v.Criteria {
		if c.Key == "cold-start" && (len(c.Editions) < 15 || c.Editions[0].Rigs[0].Value == nil) {
			t.Errorf("cold-start: %+v", c.Editions)
		}
	}
	if len(v.Criteria) != 45 {
		t.Errorf("%d scored criteria, want 45", len(v.Criteria))
	}
}

// TestKnownAddresses: a confirmed address does not confirm others.
func TestKnownAddresses(t *testing.T) {
	w := newWorld(t, false)
	for range 2 {
		w.must(200, "", "GET", "/api/v1/rigs?limit=5", nil)
		w.must(422, "", "GET", "/api/v1/rigs?limit=0", nil)
		w.must(422, "", "GET", "/api/v1/rigs?limit=many", nil)
		w.must(422, "", "GET", "/api/v1/reviews/nothing", nil)
	}
}
