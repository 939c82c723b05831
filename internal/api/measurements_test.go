package api_test

import (
	"testing"

	"github.com/google/uuid"
)

// TestMeasurements: the team can see the progress of a measurement, only the person who measures can report it, and any
// reviewer can stop it; a measurement that ended is gone.
func TestMeasurements(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	var reviews struct{ Reviews []struct{ ID, State string } }
	w.must(200, "ines", "GET", "/api/v1/reviews?state=underway&limit=1", nil).into(t, &reviews)
	review := reviews.Reviews[0].ID
	id := uuid.NewString()
	path := "/api/v1/reviews/" + review + "/measurements/" + id
	body := func(runs ...float64) map[string]any {
		var told []map[string]any
		for _, x := range runs {
			told = append(told, map[string]any{"value": x})
		}
		return map[string]any{"rig": "bench-old", "began": "2026-11-30T09:00:00Z", "progress": map[string]any{
			"left": 90, "criteria": []any{
				map[string]any{"criterion": "photo-batch", "state": "in progress", "most": 15, "runs": told},
			},
		}}
	}
	type kept struct{ Stopper string }
	type list struct {
		Measurements []struct {
			ID, Review, Person, Rig, Stopper string
			Silent                           float64
			Progress                         struct {
				Left     float64
				Criteria []struct {
					Criterion string
					Runs      []struct{ Value float64 }
				}
			}
		}
	}
	seen := func(who string) list {
		var all list
		w.must(200, who, "GET", "/api/v1/measurements?review="+review+"&review="+uuid.NewString(), nil).into(t, &all)
		return all
	}
	var got kept
	w.must(200, "ines", "PUT", path, body(1)).into(t, &got)
	w.must(200, "ines", "PUT", path, body(1, 2.5)).into(t, &got)
	all := seen("odile")
	if len(all.Measurements) != 1 || got.Stopper != "" {
		t.Fatalf("%+v; %+v", all, got)
	}
	if m := all.Measurements[0]; m.ID != id || m.Person != "ines" || m.Rig != "bench-old" || m.Silent > 30 ||
		len(
			m.Progress.Criteria,
		) != 1 || len(m.Progress.Criteria[0].Runs) != 2 || m.Progress.Criteria[0].Runs[1].Value != 2.5 {
		t.Errorf("%+v", m)
	}
	w.must(401, "", "GET", "/api/v1/measurements?review="+review, nil)
	w.must(404, "odile", "PUT", path, body(9)) // it is ines's
	w.must(403, "marit", "PUT", path, body(9)) // a lead records nothing
	w.must(404, "ines", "PUT", "/api/v1/reviews/"+uuid.NewString()+"/measurements/"+id, body(1))
	if r := w.call("ines", "PUT", path, map[string]any{"rig": "", "began": "x"}); r.status != 400 && r.status != 422 {
		t.Errorf("nonsense: %d", r.status)
	}
	w.must(204, "odile", "POST", path+"/stop", nil)
	w.must(204, "tomas", "POST", path+"/stop", nil) // it is already stopped
	w.must(200, "ines", "PUT", path, body(1, 2.5, 3)).into(t, &got)
	if got.Stopper != "odile" || seen("ines").Measurements[0].Stopper != "odile" {
		t.Errorf("stopped by %q", got.Stopper)
	}
	ended := map[string]any{"rig": "bench-old", "began": "2026-11-30T09:00:00Z", "ended": true}
	w.must(200, "odile", "PUT", path, ended) // of somebody else: nothing ends
	if len(seen("ines").Measurements) != 1 {
		t.Error("somebody else ended it")
	}
	w.must(200, "ines", "PUT", path, ended)
	w.must(404, "odile", "POST", path+"/stop", nil)
	if all := seen("ines"); len(all.Measurements) != 0 {
		t.Errorf("it has ended: %+v", all)
	}
}
