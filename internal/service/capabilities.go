package service

import (
	"slices"

	"dappertally/internal/access"
	"dappertally/internal/audit"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/intake"
	"dappertally/internal/monitor"
	"dappertally/internal/notices"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
	"dappertally/internal/team"
)

// Permissions lists all restricted actions, in the order of display.
var Permissions = slices.Concat(
	cataloguing.Permissions, checklists.Permissions, team.Permissions, reviewing.Permissions, policy.Permissions,
	intake.Permissions, []access.Action{access.SeeWork}, people.Permissions, reports.Permissions,
	notices.Permissions, audit.Permissions, monitor.Permissions,
)

// Capabilities lists what the actor is allowed to do.
func Capabilities(a *access.Actor) []access.Action {
	all := []access.Action{}
	for _, p := range Permissions {
		if a.May(p) {
			all = append(all, p)
		}
	}
	return all
}

// CapabilitiesOf lists what an account is allowed to do.
func CapabilitiesOf(a *people.Account) []access.Action {
	return Capabilities(&access.Actor{ID: a.Name, Roles: a.Roles})
}
