package answers_test

import (
	"testing"

	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/reviewing"
	"dappertally/internal/servicetest"
	"dappertally/internal/store"
)

// TestAnswersOutlastOpenWork records in a review that is not accepted: answers about accepted reviews are not computed
// again. An acceptance changes them.
func TestAnswersOutlastOpenWork(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	tomas := servicetest.Person(t, s, "tomas")
	rank := func(after int64) *answers.Result {
		r, err := s.Answers.Rank(t.Context(), answers.Query{After: after})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	reviews, err := s.Reviewing.Reviews(t.Context(), tomas)
	if err != nil {
		t.Fatal(err)
	}
	var change int64
	first := rank(change)
	for _, r := range reviews {
		if r.State != reading.Underway {
			continue
		}
		grade := 6.5
		out, err := s.Reviewing.Record(
			t.Context(),
			tomas,
			r.ID,
			reviewing.Sent{
				Reading: reading.Reading{
					ID:        ledger.NewID(),
					Criterion: "week-of-use",
					Answer:    reading.Answer{Grade: &grade},
				},
			},
		)
		if err != nil {
			t.Fatal(err)
		}
		if rank(out.Change) != first {
			t.Error("a reading of an open review has the ranking computed again")
		}
		for _, step := range []struct {
			who *access.Actor
			to  string
		}{{tomas, reading.Submitted}, {marit, reading.Accepted}} {
			now, err := s.Reviewing.Review(t.Context(), step.who, r.ID)
			if err != nil {
				t.Fatal(err)
			}
			if change, err = s.Reviewing.MoveReview(t.Context(), step.who, r.ID, ledger.Version(now.Revision), step.to, "a first look only"); err != nil {
				t.Fatal(err)
			}
		}
		if now := rank(change); now == first || len(now.Table.Editions) != len(first.Table.Editions)+1 {
			t.Error("an acceptance does not change the ranking")
		}
	}
}

// TestPointsOutlastTheCatalogue corrects a distribution: the points of accepted reviews are not computed again, and
// names are those of now. A rig with another weight changes the points, and a renamed edition is found by its new key.
func TestPointsOutlastTheCatalogue(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	rank := func(change int64, err error) *answers.Result {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		r, err := s.Answers.Rank(t.Context(), answers.Query{After: change})
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	const edition = "gullhaven/5.2/hearthside"
	first := rank(0, nil)
	place, _ := first.State.Place(edition)
	gull := *place.Distribution
	gull.Name = "Gull Haven"
	based := func(refs map[string]store.Ref, key string) ledger.Version { return ledger.Version(refs[key].Revision) }
	catalogue := first.State.Catalogue
	now := rank(s.Cataloguing.EditDistribution(t.Context(), marit, based(catalogue.Versions, gull.Key), &gull))
	if now.Table != first.Table {
		t.Error("a new name has the points computed again")
	}
	if name, _, _ := now.State.EditionName(edition); name != gull.Name || now == first {
		t.Errorf("after a correction the distribution is called %q", name)
	}
	rig, weight := *catalogue.Rig("bench-old"), 3.0
	rig.Weight = &weight
	heavy := rank(s.Cataloguing.EditRig(t.Context(), marit, based(catalogue.RigVersions, rig.Key), &rig))
	if heavy.Table == first.Table {
		t.Error("another weight of a rig does not change the points")
	}
	key, change, err := s.Cataloguing.Rename(t.Context(), marit, "edition", edition, "fireside")
	if renamed := rank(change, err); !renamed.Includes(key) || renamed.Includes(edition) {
		t.Errorf("a renamed edition is not found as %s", key)
	}
}
