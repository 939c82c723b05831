package service

import (
	"errors"
	"testing"
	"time"
)

// TestPermissions is the whole table of role and action.
func TestPermissions(t *testing.T) {
	for _, c := range []struct {
		action                          Action
		reader, reviewer, lead, manager bool
	}{
		{EditCatalogue, false, true, true, false},
		{Rearrange, false, false, true, false},
		{EditChecklist, false, false, true, false},
		{Propose, false, true, true, false},
		{WeighChecklist, false, true, true, true},
		{AskForReview, false, true, true, true},
		{OrderQueue, false, false, true, false},
		{PlanReview, false, true, true, false},
		{Record, false, true, false, false},
		{KeepRecord, false, true, true, false},
		{EditOthers, false, false, true, false},
		{Upload, false, true, true, false},
		{SetPolicy, false, false, true, false},
		{ImportReadings, false, true, true, false},
		{ImportBundle, false, false, true, false},
		{HandIn, false, true, true, false},
		{Accept, false, false, true, false},
		{SeeWork, false, true, true, true},
		{ManagePeople, false, false, false, true},
		{WriteReports, false, true, true, false},
		{PublishReports, false, false, true, false},
		{KeepArchive, false, false, true, false},
	} {
		for _, x := range []struct {
			who  Actor
			want bool
			kind Kind
		}{
			{Actor{}, c.reader, NotSignedIn},
			{Actor{ID: "1", Name: "ines", Roles: []Role{Reviewer}}, c.reviewer, Forbidden},
			{Actor{ID: "2", Name: "marit", Roles: []Role{Lead}}, c.lead, Forbidden},
			{Actor{ID: "3", Name: "perrin", Roles: []Role{Administrator}}, c.manager, Forbidden},
			{Actor{ID: "4", Name: "nobody"}, false, Forbidden},
		} {
			err := x.who.permit(c.action)
			if (err == nil) != x.want {
				t.Errorf("%q as %v: %v, want %v", c.action, x.who.Roles, err, x.want)
			}
			var e *Error
			if err != nil && (!errors.As(err, &e) || e.Kind != x.kind) {
				t.Errorf("%q as %v: %v is not of kind %v", c.action, x.who.Roles, err, x.kind)
			}
		}
	}
	if len(permissions) != 22 {
		t.Errorf("%d actions have permissions; this table has 22", len(permissions))
	}
}

func TestRolesAreASet(t *testing.T) {
	both := Actor{ID: "1", Roles: []Role{Lead, Reviewer}}
	if !both.May(Record) || !both.May(Accept) || both.May(ManagePeople) {
		t.Error("a lead who is a reviewer may both, and no more")
	}
}

func TestPassword(t *testing.T) {
	hash := hashPassword("three-old-laptops")
	for _, c := range []struct {
		password, hash string
		want           bool
	}{
		{"three-old-laptops", hash, true},
		{"three-old-laptop", hash, false},
		{"", hash, false},
		{"three-old-laptops", "", false},
		{"", "", false},
		{"three-old-laptops", "$argon2id$v=19$m=1,t=1,p=1$x$y", false},
	} {
		if got := passwordFits(c.password, c.hash); got != c.want {
			t.Errorf("%q fits %.20q…: %v", c.password, c.hash, got)
		}
	}
	if hash == hashPassword("three-old-laptops") {
		t.Error("two hashes of one password are the same: no salt")
	}
}

func TestAttemptsAreBounded(t *testing.T) {
	a := newAttempts(every(6*time.Second, 10))
	allowed := 0
	for range 50 {
		if a.allow("name ines") {
			allowed++
		}
	}
	if allowed < 5 || allowed > 11 {
		t.Errorf("%d of 50 attempts at once were allowed", allowed)
	}
	if !a.allow("name tomas") {
		t.Error("somebody else's attempts count for tomas")
	}
}
