package api_test

import (
	"testing"
	"time"
)

// TestRigControl: the reference of the old laptop left its band in one summer. Readers see the chart of accepted
// reviews only, and a rig without sessions has no chart.
func TestRigControl(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	type control struct {
		Criterion, Unit string
		Samples         []struct {
			At               time.Time
			Value            float64
			Out              bool
			Edition, Reading string
		}
		Chart *struct {
			Center, Low, High float64
			Out               []struct{ From, Until time.Time }
		}
	}
	var team, public, other control
	w.must(200, "marit", "GET", "/api/v1/rigs/bench-old/control", nil).into(t, &team)
	w.must(200, "", "GET", "/api/v1/rigs/bench-old/control", nil).into(t, &public)
	if team.Criterion != "steady-loop" || team.Unit != "s" || len(public.Samples) == 0 ||
		len(team.Samples) <= len(public.Samples) {
		t.Fatalf("the team sees %d sessions of %s, everybody %d", len(team.Samples), team.Criterion, len(public.Samples))
	}
	if c := team.Chart; c == nil || len(c.Out) != 1 || c.Low >= c.Center || c.Center >= c.High {
		t.Fatalf("the chart: %+v", c)
	}
	out := team.Chart.Out[0]
	for i, s := range team.Samples {
		if i > 0 && s.At.Before(team.Samples[i-1].At) {
			t.Errorf("session %d comes before the one before it", i)
		}
		within := !s.At.Before(out.From) && s.At.Before(out.Until)
		if beyond := s.Value > team.Chart.High || s.Value < team.Chart.Low; s.Out != beyond || s.Out != within {
			t.Errorf("%s: %v is out: %v", s.Edition, s.Value, s.Out)
		}
	}
	w.must(200, "marit", "GET", "/api/v1/rigs/bench-vm/control", nil).into(t, &other)
	if other.Chart != nil || len(other.Samples) != 0 {
		t.Errorf("a rig without sessions: %+v", other)
	}
	w.must(404, "", "GET", "/api/v1/rigs/no-such/control", nil)
	var doubts struct{ Drifted []struct{ Rig string } }
	w.must(200, "marit", "GET", "/api/v1/quality", nil).into(t, &doubts)
	if len(doubts.Drifted) != 1 || doubts.Drifted[0].Rig != "bench-old" {
		t.Errorf("rigs that had changed: %+v", doubts.Drifted)
	}
}
