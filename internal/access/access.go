// Package access defines who makes a request and what they are allowed to do.
package access

import (
	"slices"
	"strings"
	"time"

	"dappertally/internal/problem"
)

// Role is a role of a person. Roles are a set; none includes another.
type Role = string

// The roles.
const (
	Reviewer      Role = "reviewer"
	Lead          Role = "lead"
	Administrator Role = "administrator"
)

// Roles lists all roles.
var Roles = []Role{Reviewer, Lead, Administrator}

// Actor is who makes a request. The zero value is a reader without an account.
type Actor struct {
	ID         string
	Name       string
	Title      string
	Roles      []Role
	Grades     bool // the account is a reviewer's, whatever the present token allows
	Disclosure string
	Token      string    // the id of the token of the request; empty: none
	Review     string    // the id of the only review in which the token can record; empty: any
	Session    string    // the id of the session of the request; empty: a token, or not over the network
	Enrols     bool      // the session allows nothing until the person has a passkey
	Proved     time.Time // when the actor last gave a password in this session
}

// SignedIn reports whether the actor has an account.
func (a *Actor) SignedIn() bool { return a.ID != "" }

// Action is something that not everybody is allowed to do.
type Action struct {
	Key   string // name in the API
	Words string // description: to do that
	Roles []Role // roles, each of which is enough
}

// NewAction returns an action with a key and a description, for those with any of the roles.
func NewAction(key, words string, roles ...Role) Action { return Action{key, words, roles} }

// SeeWork is what everybody in the team is allowed to do.
var SeeWork = NewAction("see-work", "see work that is not accepted yet", Reviewer, Lead, Administrator)

// May reports whether the actor is allowed to do that.
func (a *Actor) May(action Action) bool {
	return a.SignedIn() && slices.ContainsFunc(action.Roles, func(r Role) bool { return slices.Contains(a.Roles, r) })
}

// Permit returns nil if the actor is allowed to do that.
func (a *Actor) Permit(action Action) error {
	switch {
	case a.May(action):
		return nil
	case !a.SignedIn():
		return problem.New(problem.NotSignedIn, "sign in to %s", action.Words)
	case a.Enrols:
		return problem.New(problem.Forbidden,
			"to %s, add a passkey to your account first: leads and administrators need a second step here", action.Words)
	}
	return problem.New(
		problem.Forbidden,
		"to %s, you need the role %s; %s has %s",
		action.Words,
		strings.Join(action.Roles, " or "),
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

// Can returns the name of what somebody is allowed to do with an object, or nothing if they are not.
func Can(act string, may bool) string {
	if may {
		return act
	}
	return ""
}

// Allowed lists what somebody is allowed to do with an object, each given by Can.
func Allowed(acts ...string) []string {
	return slices.DeleteFunc(append([]string{}, acts...), func(act string) bool { return act == "" })
}
