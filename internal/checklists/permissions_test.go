package checklists_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/servicetest"
)

func TestMayProposal(t *testing.T) {
	for _, c := range []struct {
		who           *access.Actor
		person, state string
		want          string
	}{
		{servicetest.Reviewer, "ines", checklists.ProposalOpen, "edit withdraw comment"},
		{servicetest.Reviewer, "tomas", checklists.ProposalOpen, "comment"},
		{servicetest.Lead, "ines", checklists.ProposalOpen, "accept decline comment"},
		{servicetest.Lead, "marit", checklists.ProposalOpen, "edit withdraw accept decline comment"},
		{servicetest.Lead, "ines", checklists.ProposalDeclined, "comment"},
		{servicetest.Administrator, "ines", checklists.ProposalOpen, ""},
		{servicetest.Stranger, "", checklists.ProposalOpen, ""},
	} {
		p := &checklists.Proposal{}
		p.Person, p.State = c.person, c.state
		if got := strings.Join(checklists.MayProposal(c.who, p), " "); got != c.want {
			t.Errorf("%q with a proposal of %q, %s: may %q, want %q", c.who.Name, c.person, c.state, got, c.want)
		}
	}
}

func TestMayChecklist(t *testing.T) {
	for _, c := range []struct {
		who   *access.Actor
		state checklist.State
		want  string
	}{
		{servicetest.Lead, checklist.Draft, "edit put-in-force remove"},
		{servicetest.Lead, checklist.InForce, "retire show revise-audiences propose"},
		{servicetest.Lead, checklist.Retired, "show revise-audiences"},
		{servicetest.Reviewer, checklist.InForce, "propose"},
		{servicetest.Reviewer, checklist.Draft, ""},
		{servicetest.Stranger, checklist.InForce, ""},
	} {
		if got := strings.Join(checklists.MayChecklist(c.who, &checklist.Checklist{State: c.state}), " "); got != c.want {
			t.Errorf("%q with a version that is %s may %q, want %q", c.who.Name, c.state, got, c.want)
		}
	}
}
