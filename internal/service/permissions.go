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

// Action is something that not everybody may do, by the key that goes over the network.
type Action string

// The actions.
const (
	EditCatalogue  Action = "edit-catalogue"
	Rearrange      Action = "rearrange-catalogue"
	EditChecklist  Action = "edit-checklist"
	Propose        Action = "propose-changes"
	WeighChecklist Action = "weigh-checklist"
	AskForReview   Action = "ask-for-reviews"
	OrderQueue     Action = "order-queue"
	PlanReview     Action = "plan-reviews"
	Record         Action = "record-readings"
	KeepRecord     Action = "write-entries"
	EditOthers     Action = "edit-others-entries"
	Upload         Action = "upload-evidence"
	SetPolicy      Action = "set-policy"
	ImportReadings Action = "import-readings"
	ImportBundle   Action = "import-bundles"
	HandIn         Action = "hand-in-reviews"
	Accept         Action = "accept-reviews"
	SeeWork        Action = "see-work"
	ManagePeople   Action = "manage-people"
	WriteReports   Action = "write-reports"
	PublishReports Action = "publish-reports"
	KeepArchive    Action = "keep-archive"
)

// permissions says who may do what, and what it is called.
var permissions = []struct {
	action Action
	words  string
	roles  []Role
}{
	{EditCatalogue, "change the catalogue and the rigs", []Role{Reviewer, Lead}},
	{Rearrange, "rename and merge entries of the catalogue", []Role{Lead}},
	{EditChecklist, "change the checklist", []Role{Lead}},
	{Propose, "propose a change to the checklist", []Role{Reviewer, Lead}},
	{WeighChecklist, "check a checklist and see its effect", []Role{Reviewer, Lead, Administrator}},
	{AskForReview, "ask for a review", []Role{Reviewer, Lead, Administrator}},
	{OrderQueue, "order the queue and decide on wishes and suggestions", []Role{Lead}},
	{PlanReview, "plan a review", []Role{Reviewer, Lead}},
	{Record, "record readings", []Role{Reviewer}},
	{KeepRecord, "write findings, states, journal and the rest of a review's record", []Role{Reviewer, Lead}},
	{EditOthers, "change what others wrote in a review", []Role{Lead}},
	{Upload, "upload evidence", []Role{Reviewer, Lead}},
	{SetPolicy, "set the team's rules", []Role{Lead}},
	{ImportReadings, "import readings and save mappings", []Role{Reviewer, Lead}},
	{ImportBundle, "import a bundle", []Role{Lead}},
	{HandIn, "hand in a review", []Role{Reviewer, Lead}},
	{Accept, "accept, reopen or withdraw a review", []Role{Lead}},
	{SeeWork, "see work that is not accepted yet", []Role{Reviewer, Lead, Administrator}},
	{ManagePeople, "manage accounts", []Role{Administrator}},
	{WriteReports, "write reports", []Role{Reviewer, Lead}},
	{PublishReports, "publish and correct reports", []Role{Lead}},
	{KeepArchive, "carry the archive away or take one in", []Role{Lead}},
}

// permission finds the roles that may do something, and what it is called.
func permission(action Action) (words string, roles []Role) {
	for i := range permissions {
		if p := &permissions[i]; p.action == action {
			return p.words, p.roles
		}
	}
	return string(action), nil
}

// May reports whether the actor may do that.
func (a *Actor) May(action Action) bool {
	_, roles := permission(action)
	return a.SignedIn() && slices.ContainsFunc(roles, func(r Role) bool { return slices.Contains(a.Roles, r) })
}

// permit is nil where the actor may do that.
func (a *Actor) permit(action Action) error {
	words, roles := permission(action)
	switch {
	case a.May(action):
		return nil
	case !a.SignedIn():
		return problem(NotSignedIn, "sign in to %s", words)
	}
	return problem(
		Forbidden,
		"to %s one needs the role %s; %s has %s",
		words,
		strings.Join(roles, " or "),
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
