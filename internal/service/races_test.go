package service_test

import (
	"errors"
	"sync"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/service"
)

// atOnce runs do so many times at once and counts how many succeeded; the others
// must have failed with one of these kinds.
func atOnce(t *testing.T, times int, do func(i int) error, kinds ...service.Kind) (succeeded int) {
	t.Helper()
	results := make([]error, times)
	var wg sync.WaitGroup
	for i := range times {
		wg.Go(func() { results[i] = do(i) })
	}
	wg.Wait()
	for _, err := range results {
		var e *service.Error
		switch {
		case err == nil:
			succeeded++
		case !errors.As(err, &e):
			t.Errorf("not an error of the service: %v", err)
		default:
			known := false
			for _, k := range kinds {
				known = known || e.Kind == k
			}
			if !known {
				t.Errorf("kind %v: %v", e.Kind, err)
			}
		}
	}
	return succeeded
}

func loaded(t *testing.T) (*service.Service, *service.Actor, *service.Actor) {
	t.Helper()
	s := following(t, filled.Open(t))
	marit, err := s.ActorNamed(t.Context(), "marit")
	if err != nil {
		t.Fatal(err)
	}
	ines, err := s.ActorNamed(t.Context(), "ines")
	if err != nil {
		t.Fatal(err)
	}
	return s, marit, ines
}

// TestCarriedOverOnce: a review is carried over to a version once, however many
// ask for it at once.
func TestCarriedOverOnce(t *testing.T) {
	s, marit, ines := loaded(t)
	list, err := s.ChecklistNamed(t.Context(), "workshop@2")
	if err != nil {
		t.Fatal(err)
	}
	next := list.Clone()
	next.Version = 3
	if _, err := s.AddChecklist(t.Context(), marit, next); err != nil {
		t.Fatal(err)
	}
	reviews, err := s.Reviews(t.Context(), ines)
	if err != nil {
		t.Fatal(err)
	}
	id := ""
	for _, r := range reviews {
		if r.Edition == "mossgate/12/hearthside" {
			id = r.ID
		}
	}
	n := atOnce(t, 6, func(int) error {
		_, _, err := s.CarryOver(t.Context(), ines, service.CarryOver{Reviews: []string{id}, To: "workshop@3"})
		return err
	}, service.Conflict, service.Invalid)
	if n != 1 {
		t.Errorf("it was carried over %d times", n)
	}
	// Withdrawn, it can be carried over again.
	reviews, err = s.Reviews(t.Context(), ines)
	if err != nil {
		t.Fatal(err)
	}
	for _, r := range reviews {
		if r.Carried == id {
			if _, err := s.MoveReview(t.Context(), marit, r.ID, service.Version(r.Revision), "withdrawn", "begun too early"); err != nil {
				t.Fatal(err)
			}
		}
	}
	if _, _, err := s.CarryOver(t.Context(), ines, service.CarryOver{Reviews: []string{id}, To: "workshop@3"}); err != nil {
		t.Errorf("after it was withdrawn: %v", err)
	}
}

// TestProposalsAcceptedAtOnce: what one lead accepts never undoes what another
// accepts in the same moment.
func TestProposalsAcceptedAtOnce(t *testing.T) {
	s, marit, ines := loaded(t)
	keys := []string{"image-size", "archives", "community", "suspend"}
	ids := make([]string, len(keys))
	for i, key := range keys {
		id, _, err := s.Propose(
			t.Context(),
			ines,
			service.Proposal{Title: "Less", Reason: "Shorter.", Edits: []checklist.Edit{{Drop: key}}},
		)
		if err != nil {
			t.Fatal(err)
		}
		ids[i] = id
	}
	accept := func(i int) error {
		_, err := s.Decide(t.Context(), marit, ids[i], 1, service.ProposalAccepted, "")
		return err
	}
	atOnce(t, len(keys), accept, service.Conflict, service.Stale)
	for i := range ids { // those that lost the race are accepted now
		p, err := s.Proposal(t.Context(), marit, ids[i])
		if err != nil {
			t.Fatal(err)
		}
		if p.State == service.ProposalOpen {
			if err := accept(i); err != nil {
				t.Errorf("%s: %v", keys[i], err)
			}
		}
	}
	draft, err := s.ChecklistNamed(t.Context(), "workshop@3")
	if err != nil {
		t.Fatal(err)
	}
	for _, key := range keys {
		if _, there := draft.Criterion(key); there {
			t.Errorf("%s is still in the draft", key)
		}
	}
}

// TestAudienceRevisedAtOnce: of several revisions based on the same version one is
// taken.
func TestAudienceRevisedAtOnce(t *testing.T) {
	s, marit, _ := loaded(t)
	n := atOnce(t, 5, func(i int) error {
		a := checklist.Audience{Key: "pensioner", Sections: map[string]float64{"usability": float64(50 + i)}}
		_, err := s.ReviseAudience(t.Context(), marit, 1, "workshop@2", a, false, "")
		return err
	}, service.Stale)
	if n != 1 {
		t.Errorf("%d of 5 revisions were taken", n)
	}
}

func TestAdviceOfAnUnknownList(t *testing.T) {
	s, marit, _ := loaded(t)
	list := &checklist.Checklist{
		Key:     "fresh",
		Version: 1,
		State:   checklist.Draft,
		Sections: []checklist.Section{
			{
				Key:      "all",
				Weight:   1,
				Criteria: []checklist.Criterion{{Key: "good", Kind: checklist.Grade, Weight: 1, Guidance: "Look."}},
			},
		},
	}
	found, err := s.Advise(t.Context(), marit, list)
	if err != nil || len(found) != 0 {
		t.Errorf("%v, %v", found, err)
	}
	if _, err := s.Effect(t.Context(), marit, "", "", list); err == nil {
		t.Error("a list without a ranking has an effect on it")
	}
	if _, err := s.Effect(t.Context(), marit, "workshop@2", "nobody", list); err == nil {
		t.Error("an audience that neither list has is no error")
	}
}
