package checklists_test

import (
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/checklists"
	"dappertally/internal/problem"
	"dappertally/internal/servicetest"
)

// TestProposalsAcceptedAtOnce: a lead who accepts a proposal never undoes what another accepts at the same moment.
func TestProposalsAcceptedAtOnce(t *testing.T) {
	s, marit, ines := servicetest.Loaded(t)
	keys := []string{"image-size", "archives", "community", "suspend"}
	ids := make([]string, len(keys))
	for i, key := range keys {
		id, _, err := s.Checklists.Propose(
			t.Context(),
			ines,
			checklists.Proposal{Title: "Less", Reason: "Shorter.", Edits: []checklist.Edit{{Drop: key}}},
		)
		if err != nil {
			t.Fatal(err)
		}
		ids[i] = id
	}
	accept := func(i int) error {
		_, err := s.Checklists.Decide(t.Context(), marit, ids[i], 1, checklists.ProposalAccepted, "")
		return err
	}
	servicetest.AtOnce(t, len(keys), accept, problem.Conflict, problem.Stale)
	for i := range ids { // those that lost the race are accepted now
		p, err := s.Checklists.Proposal(t.Context(), marit, ids[i])
		if err != nil {
			t.Fatal(err)
		}
		if p.State == checklists.ProposalOpen {
			if err := accept(i); err != nil {
				t.Errorf("%s: %v", keys[i], err)
			}
		}
	}
	draft, err := s.Checklists.ChecklistNamed(t.Context(), "workshop@3")
	if err != nil {
		t.Fatal(err)
	}
	for _, key := range keys {
		if _, there := draft.Criterion(key); there {
			t.Errorf("%s is still in the draft", key)
		}
	}
}

// TestAudienceRevisedAtOnce: of several revisions based on the same version one succeeds.
func TestAudienceRevisedAtOnce(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
	n := servicetest.AtOnce(t, 5, func(i int) error {
		a := checklist.Audience{Key: "pensioner", Sections: map[string]float64{"usability": float64(50 + i)}}
		_, err := s.Checklists.ReviseAudience(t.Context(), marit, 1, "workshop@2", a, false, "")
		return err
	}, problem.Stale)
	if n != 1 {
		t.Errorf("%d of 5 revisions were taken", n)
	}
}

func TestAdviceOfAnUnknownList(t *testing.T) {
	s, marit, _ := servicetest.Loaded(t)
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
	found, err := s.Checklists.Advise(t.Context(), marit, list)
	if err != nil || len(found) != 0 {
		t.Errorf("%v, %v", found, err)
	}
	if _, err := s.Checklists.Effect(t.Context(), marit, "", "", list); err == nil {
		t.Error("a list without a ranking has an effect on it")
	}
	if _, err := s.Checklists.Effect(t.Context(), marit, "workshop@2", "nobody", list); err == nil {
		t.Error("an audience that neither list has is no error")
	}
}
