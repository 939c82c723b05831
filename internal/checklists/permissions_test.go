package checklists

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/access"
)

var (
	stranger = &access.Actor{}
	ines     = &access.Actor{ID: "1", Name: "ines", Roles: []access.Role{access.Reviewer}}
	marit    = &access.Actor{ID: "2", Name: "marit", Roles: []access.Role{access.Lead}}
	perrin   = &access.Actor{ID: "3", Name: "perrin", Roles: []access.Role{access.Administrator}}
)

func TestMayProposal(t *testing.T) {
	for _, c := range []struct {
		who           *access.Actor
		person, state string
		want          string
	}{
		{ines, "ines", ProposalOpen, "edit withdraw comment"},
		{ines, "tomas", ProposalOpen, "comment"},
		{marit, "ines", ProposalOpen, "accept decline comment"},
		{marit, "marit", ProposalOpen, "edit withdraw accept decline comment"},
		{marit, "ines", ProposalDeclined, "comment"},
		{perrin, "ines", ProposalOpen, ""},
		{stranger, "", ProposalOpen, ""},
	} {
		p := &Proposal{}
		p.Person, p.State = c.person, c.state
		if got := strings.Join(MayProposal(c.who, p), " "); got != c.want {
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
		{marit, checklist.Draft, "edit put-in-force remove"},
		{marit, checklist.InForce, "retire show revise-audiences propose"},
		{marit, checklist.Retired, "show revise-audiences"},
		{ines, checklist.InForce, "propose"},
		{ines, checklist.Draft, ""},
		{stranger, checklist.InForce, ""},
	} {
		if got := strings.Join(MayChecklist(c.who, &checklist.Checklist{State: c.state}), " "); got != c.want {
			t.Errorf("%q with a version that is %s may %q, want %q", c.who.Name, c.state, got, c.want)
		}
	}
}
