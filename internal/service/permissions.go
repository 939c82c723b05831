package service

import (
	"slices"
	"strings"
)

// Role is what somebody may be. Roles are a set; none includes another.
type Role = string

// The roles.
const (
	Reviewer      Role = "reviewer"
	Lead          Role = "lead"
	Administrator Role = "administrator"
)

// Roles lists all roles.
var Roles = []Role{Reviewer, Lead, Administrator}

// Actor is who asks. The zero value is a reader without an account.
type Actor struct {
	ID         string
	Name       string
	Title      string
	Roles      []Role
	Grades     bool // the account is a reviewer's, whatever the token at hand may do
	Disclosure string
}

// SignedIn reports whether the actor has an account.
func (a *Actor) SignedIn() bool { return a.ID != "" }

// Action is something that not everybody may do.
type Action string

// The actions.
const (
	EditCatalogue  Action = "change the catalogue and the rigs"
	Rearrange      Action = "rename and merge entries of the catalogue"
	EditChecklist  Action = "change the checklist"
	Propose        Action = "propose a change to the checklist"
	WeighChecklist Action = "check a checklist and see its effect"
	AskForReview   Action = "ask for a review"
	OrderQueue     Action = "order the queue and decide on wishes and suggestions"
	PlanReview     Action = "plan a review"
	Record         Action = "record readings"
	KeepRecord     Action = "write findings, states, journal and the rest of a review's record"
	Upload         Action = "upload evidence"
	SetPolicy      Action = "set the team's rules"
	ImportReadings Action = "import readings and save mappings"
	ImportBundle   Action = "import a bundle"
	HandIn         Action = "hand in a review"
	Accept         Action = "accept, reopen or withdraw a review"
	SeeWork        Action = "see work that is not accepted yet"
	ManagePeople   Action = "manage accounts"
	WriteReports   Action = "write reports"
	PublishReports Action = "publish and correct reports"
	KeepArchive    Action = "carry the archive away or take one in"
)

var permissions = map[Action][]Role{
	EditCatalogue:  {Reviewer, Lead},
	Rearrange:      {Lead},
	EditChecklist:  {Lead},
	Propose:        {Reviewer, Lead},
	WeighChecklist: {Reviewer, Lead, Administrator},
	AskForReview:   {Reviewer, Lead, Administrator},
	OrderQueue:     {Lead},
	PlanReview:     {Reviewer, Lead},
	Record:         {Reviewer},
	KeepRecord:     {Reviewer, Lead},
	Upload:         {Reviewer, Lead},
	SetPolicy:      {Lead},
	ImportReadings: {Reviewer, Lead},
	ImportBundle:   {Lead},
	HandIn:         {Reviewer, Lead},
	Accept:         {Lead},
	SeeWork:        {Reviewer, Lead, Administrator},
	ManagePeople:   {Administrator},
	WriteReports:   {Reviewer, Lead},
	PublishReports: {Lead},
	KeepArchive:    {Lead},
}

// May reports whether the actor may do that.
func (a *Actor) May(action Action) bool {
	return a.SignedIn() &&
		slices.ContainsFunc(permissions[action], func(r Role) bool { return slices.Contains(a.Roles, r) })
}

// permit is nil where the actor may do that.
func (a *Actor) permit(action Action) error {
	switch {
	case a.May(action):
		return nil
	case !a.SignedIn():
		return problem(NotSignedIn, "sign in to %s", action)
	}
	return problem(
		Forbidden,
		"to %s one needs the role %s; %s has %s",
		action,
		strings.Join(permissions[action], " or "),
		a.Name,
		orNone(a.Roles),
	)
}

func orNone(roles []Role) string {
	if len(roles) == 0 {
		return "none"
	}
	return strings.Join(roles, ", ")
}
