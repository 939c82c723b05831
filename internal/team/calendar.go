package team

import (
	"context"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/reading"
	"dappertally/internal/access"
)

// Event is a day in the calendar.
type Event struct {
	ID      string // the same for the same subject
	Day     time.Time
	Summary string
	Detail  string
}

// Calendar returns the days of releases and ends of support and, with a calendar's secret, the due dates of reviews.
func (s *Service) Calendar(ctx context.Context, secret string) ([]Event, error) {
	var who access.Actor
	if secret != "" {
		var err error
		if who, err = s.people.CalendarOwner(ctx, secret); err != nil {
			return nil, err
		}
	}
	state, err := s.ledger.State(ctx, 0)
	if err != nil {
		return nil, err
	}
	var events []Event
	for i := range state.Catalogue.Distributions {
		d := &state.Catalogue.Distributions[i]
		for j := range d.Releases {
			if r := &d.Releases[j]; !d.Retired && !r.Retired {
				events = append(events, releaseDays(d, r, state.Catalogue.Versions[d.Key+"/"+r.Version].ID)...)
			}
		}
	}
	if !who.May(access.SeeWork) {
		return events, nil
	}
	reviews, err := s.reviewing.All(ctx)
	if err != nil {
		return nil, err
	}
	for _, r := range reviews {
		if r.Due == "" || r.State == reading.Accepted || r.State == reading.Withdrawn {
			continue
		}
		day, _ := time.Parse(time.DateOnly, r.Due) // as it was imported
		summary := "Due: review of " + r.Edition
		switch r.Assigned {
		case "":
			summary += ", nobody's"
		case who.Name:
			summary += ", yours"
		default:
			summary += ", " + r.Assigned + "'s"
		}
		events = append(events, Event{"due-" + r.ID, day, summary, r.State + " on " + r.Checklist})
	}
	return events, nil
}

func releaseDays(d *catalogue.Distribution, r *catalogue.Release, id string) []Event {
	var events []Event
	name := d.Name + " " + r.Version
	if day, err := time.Parse(time.DateOnly, r.Date); err == nil {
		what := " is released"
		if r.Stage == "pre-release" {
			what = ", a pre-release, is out"
		}
		events = append(events, Event{"release-" + id, day, name + what, r.Codename})
	}
	if day, err := time.Parse(time.DateOnly, r.EndOfSupport); err == nil {
		events = append(events, Event{"support-" + id, day, "Support of " + name + " ends", ""})
	}
	return events
}
