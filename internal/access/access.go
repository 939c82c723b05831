// Package access says who asks and what they may do.
package access

import (
	"slices"
	"strings"
	"time"

	"dappertally/internal/problem"
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
	Token      string    // the id of the token that the actor asks by; empty: by none
	Review     string    // the id of the only review that the token may record in; empty: no such bound
	Session    string    // the id of the session that the actor asks by; empty: by a token, or not over the network
	Enrols     bool      // the session does nothing until they have a passkey
	Proved     time.Time // when the actor last gave a password in that session
}

// SignedIn reports whether the actor has an account.
func (a *Actor) SignedIn() bool { return a.ID != "" }

// Action is something that not everybody may do.
type Action struct {
	Key   string // as it goes over the network
	Words string // what it is called: to do that
	Roles []Role // each of them is enough
}

// NewAction makes the action with a key that is called words, for those with any of the roles.
func NewAction(key, words string, roles ...Role) Action { return Action{key, words, roles} }

// SeeWork is what everybody in the team may do.
var SeeWork = NewAction("see-work", "see work that is not accepted yet", Reviewer, Lead, Administrator)

// May reports whether the actor may do that.
func (a *Actor) May(action Action) bool {
	return a.SignedIn() && slices.ContainsFunc(action.Roles, func(r Role) bool { return slices.Contains(a.Roles, r) })
}

// Permit is nil where the actor may do that.
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

// Can is what somebody may do with a thing, or nothing where they may not.
func Can(act string, may bool) string {
	if may {
		return act
	}
	return ""
}

// Allowed lists what somebody may do with a thing, each given by Can.
func Allowed(acts ...string) []string {
	return slices.DeleteFunc(append([]string{}, acts...), func(act string) bool { return act == "" })
}
