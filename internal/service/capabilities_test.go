package service_test

import (
	"errors"
	"reflect"
	"slices"
	"testing"

	"dappertally/internal/access"
	"dappertally/internal/audit"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/intake"
	"dappertally/internal/monitor"
	"dappertally/internal/notices"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/problem"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
	"dappertally/internal/service"
	"dappertally/internal/servicetest"
	"dappertally/internal/team"
)

// TestPermissions is the whole table of role and action.
func TestPermissions(t *testing.T) {
	for _, c := range []struct {
		action                          access.Action
		reader, reviewer, lead, manager bool
	}{
		{audit.SeeTrail, false, false, false, true},
		{audit.SeeHistory, false, false, true, true},
		{monitor.See, false, false, false, true},
		{cataloguing.EditCatalogue, false, true, true, false},
		{cataloguing.Rearrange, false, false, true, false},
		{checklists.EditChecklist, false, false, true, false},
		{checklists.Propose, false, true, true, false},
		{checklists.TryChecklist, false, true, true, true},
		{team.AskForReview, false, true, true, true},
		{team.OrderQueue, false, false, true, false},
		{reviewing.PlanReview, false, true, true, false},
		{reviewing.Record, false, true, false, false},
		{reviewing.KeepRecord, false, true, true, false},
		{reviewing.EditOthers, false, false, true, false},
		{reviewing.Upload, false, true, true, false},
		{policy.SetPolicy, false, false, true, false},
		{intake.ImportReadings, false, true, true, false},
		{intake.ImportBundle, false, false, true, false},
		{reviewing.Submit, false, true, true, false},
		{reviewing.Accept, false, false, true, false},
		{access.SeeWork, false, true, true, true},
		{people.ManagePeople, false, false, false, true},
		{reports.WriteReports, false, true, true, false},
		{reports.PublishReports, false, false, true, false},
		{intake.KeepArchive, false, false, true, false},
		{notices.ManageHooks, false, false, true, true},
	} {
		for _, x := range []struct {
			who  access.Actor
			want bool
			kind problem.Kind
		}{
			{access.Actor{}, c.reader, problem.NotSignedIn},
			{access.Actor{ID: "1", Name: "ines", Roles: []access.Role{access.Reviewer}}, c.reviewer, problem.Forbidden},
			{access.Actor{ID: "2", Name: "marit", Roles: []access.Role{access.Lead}}, c.lead, problem.Forbidden},
			{access.Actor{ID: "3", Name: "perrin", Roles: []access.Role{access.Administrator}}, c.manager, problem.Forbidden},
			{access.Actor{ID: "4", Name: "nobody"}, false, problem.Forbidden},
		} {
			err := x.who.Permit(c.action)
			if (err == nil) != x.want {
				t.Errorf("%q as %v: %v, want %v", c.action.Key, x.who.Roles, err, x.want)
			}
			var e *problem.Error
			if err != nil && (!errors.As(err, &e) || e.Kind != x.kind) {
				t.Errorf("%q as %v: %v is not of kind %v", c.action.Key, x.who.Roles, err, x.kind)
			}
		}
	}
	if len(service.Permissions) != 26 {
		t.Errorf("%d actions have permissions; this table has 26", len(service.Permissions))
	}
}

func TestRolesAreASet(t *testing.T) {
	both := access.Actor{ID: "1", Roles: []access.Role{access.Lead, access.Reviewer}}
	if !both.May(reviewing.Record) || !both.May(reviewing.Accept) || both.May(people.ManagePeople) {
		t.Error("a lead who is a reviewer may both, and no more")
	}
}

// TestCapabilities gives each role its own, and a token no more than it carries.
func TestCapabilities(t *testing.T) {
	if len(service.Capabilities(servicetest.Stranger)) != 0 {
		t.Error("a reader without an account may something")
	}
	for _, a := range service.Permissions {
		for _, who := range []*access.Actor{servicetest.Reviewer, servicetest.Lead, servicetest.Administrator} {
			listed := slices.ContainsFunc(
				service.Capabilities(who), func(x access.Action) bool { return x.Key == a.Key },
			)
			if listed != who.May(a) {
				t.Errorf("%s: %s is listed and refused, or the other way round", who.Name, a.Key)
			}
		}
	}
	account := &people.Account{Name: "ines", Roles: []string{access.Reviewer}}
	if !reflect.DeepEqual(service.CapabilitiesOf(account), service.Capabilities(servicetest.Reviewer)) {
		t.Errorf(
			"the account may %v, the person %v",
			service.CapabilitiesOf(account),
			service.Capabilities(servicetest.Reviewer),
		)
	}
}
