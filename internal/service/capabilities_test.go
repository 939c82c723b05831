package service

import (
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

var (
	stranger = &Actor{}
	ines     = &Actor{ID: "1", Name: "ines", Roles: []Role{Reviewer}}
	marit    = &Actor{ID: "2", Name: "marit", Roles: []Role{Lead}}
	perrin   = &Actor{ID: "3", Name: "perrin", Roles: []Role{Administrator}}
)

// TestMayReview is the whole table of what may be done with a review in each state.
func TestMayReview(t *testing.T) {
	for _, c := range []struct {
		state           string
		reviewer, lead  string
		reader, manager string
	}{
		{reading.Planned, "record write-entries assign revisit begin", "write-entries edit-others-entries assign revisit withdraw", "", ""},
		{reading.Underway, "record write-entries assign revisit hand-in", "write-entries edit-others-entries assign revisit hand-in withdraw", "", ""},
		{reading.HandedIn, "record write-entries assign revisit give-back", "write-entries edit-others-entries assign revisit accept give-back withdraw", "", ""},
		{reading.Accepted, "record write-entries assign revisit", "write-entries edit-others-entries assign revisit reopen withdraw", "", ""},
		{reading.Withdrawn, "revisit", "revisit", "", ""},
	} {
		r := &ReviewRecord{}
		r.State = c.state
		for _, x := range []struct {
			who  *Actor
			want string
		}{{stranger, c.reader}, {ines, c.reviewer}, {marit, c.lead}, {perrin, c.manager}} {
			if got := strings.Join(x.who.MayReview(r), " "); got != x.want {
				t.Errorf("%s with a review that is %s may %q, want %q", x.who.Name, c.state, got, x.want)
			}
		}
	}
}

func TestMayProposal(t *testing.T) {
	for _, c := range []struct {
		who           *Actor
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
		if got := strings.Join(c.who.MayProposal(p), " "); got != c.want {
			t.Errorf("%q with a proposal of %q, %s: may %q, want %q", c.who.Name, c.person, c.state, got, c.want)
		}
	}
}

func TestMayChecklist(t *testing.T) {
	for _, c := range []struct {
		who   *Actor
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
		if got := strings.Join(c.who.MayChecklist(&checklist.Checklist{State: c.state}), " "); got != c.want {
			t.Errorf("%q with a version that is %s may %q, want %q", c.who.Name, c.state, got, c.want)
		}
	}
}

// TestCapabilities gives each role its own, and a token no more than it carries.
func TestCapabilities(t *testing.T) {
	if len(stranger.Capabilities()) != 0 {
		t.Error("a reader without an account may something")
	}
	for _, a := range permissions {
		for _, who := range []*Actor{ines, marit, perrin} {
			if slices.Contains(who.Capabilities(), a.action) != who.May(a.action) {
				t.Errorf("%s: %s is listed and refused, or the other way round", who.Name, a.action)
			}
		}
	}
	account := &Account{Name: "ines", Roles: []string{Reviewer}}
	if !slices.Equal(CapabilitiesOf(account), ines.Capabilities()) {
		t.Errorf("the account may %v, the person %v", CapabilitiesOf(account), ines.Capabilities())
	}
}
