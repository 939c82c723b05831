package api_test

import (
	"strings"
	"testing"
	"time"
)

// TestGradeChangedAfterLooking: a reviewer who grades, looks at the other's grade and adopts it is shown to have done
// so, and cannot hide it by undoing.
func TestGradeChangedAfterLooking(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	at := "/api/v1/reviews/" + review
	grade := func(grade float64, replaces string) map[string]any {
		x := map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": grade}}
		if replaces != "" {
			x["replaces"] = replaces
		}
		return x
	}
	undo := func(status int, who, id string) *reply {
		return w.must(status, who, "POST", at+"/undo", map[string]any{"id": id})
	}
	// A slip of the pen that was corrected before anybody could look leaves no trace.
	slip, _ := w.record(200, "odile", review, grade(9.5, ""))
	undo(200, "odile", slip)
	w.record(200, "odile", review, grade(6.5, ""))
	w.pass(time.Minute)
	first, _ := w.record(200, "ines", review, grade(0, ""))
	if r := undo(409, "ines", first); !strings.Contains(string(r.body), "graded this too, and you could see") {
		t.Errorf("taking back: %s", r.body)
	}
	w.pass(time.Minute)
	taken, _ := w.record(200, "ines", review, grade(6.5, first))
	undo(409, "ines", taken)
	type changed struct {
		Reading, Criterion, Reviewer string
		From                         float64
		Seen                         []string
	}
	isIt := func(where string, c changed) {
		t.Helper()
		if c.Reading != taken || c.Reviewer != "ines" || c.From != 0 || strings.Join(c.Seen, " ") != "odile" {
			t.Errorf("%s says %+v", where, c)
		}
	}
	var list struct{ Changed []changed }
	w.must(200, "odile", "GET", at+"/readings", nil).into(t, &list)
	var doubts struct{ ChangedGrades []changed }
	w.must(200, "marit", "GET", at+"/data-quality", nil).into(t, &doubts)
	if len(list.Changed) != 1 || len(doubts.ChangedGrades) != 1 {
		t.Fatalf("%+v, %+v", list, doubts)
	}
	isIt("the desk", list.Changed[0])
	isIt("data quality", doubts.ChangedGrades[0])
	// Tomas has not graded: the change would show him both grades.
	var unseen struct{ Changed []changed }
	w.must(200, "tomas", "GET", at+"/readings", nil).into(t, &unseen)
	if len(unseen.Changed) != 0 {
		t.Errorf("tomas is told %+v", unseen.Changed)
	}
	w.move(200, "ines", review, "submitted", "a first look")
	w.move(200, "marit", review, "accepted", "")
	var traces struct {
		Traces []struct {
			Criterion string
			Readings  []struct{ Changed changed }
		}
	}
	w.must(200, "", "GET", "/api/v1/scorecards/ivybeck/5.4/hearthside/traces", nil).into(t, &traces)
	found := 0
	for _, c := range traces.Traces {
		for _, x := range c.Readings {
			if x.Changed.Reading != "" {
				found++
				isIt("the trace", x.Changed)
			}
		}
	}
	if found != 1 {
		t.Errorf("%d grades of the trace are called changed", found)
	}
}
