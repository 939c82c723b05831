package demo

import (
	"context"
	"embed"
	"fmt"
	"strings"
	"time"

	"dappertally/core/bundle"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/plainyaml"
	"dappertally/internal/reports"
	"dappertally/internal/service"
	"dappertally/internal/team"
)

//go:embed reports/*.yaml
var reportFiles embed.FS

// telling is a report of the workshop, and how it was made.
type telling struct {
	Key         string         `json:"key"`
	Series      string         `json:"series,omitempty"`
	SeriesTitle string         `json:"seriesTitle,omitempty"`
	Author      string         `json:"author"`
	With        []string       `json:"with,omitempty"` // additional authors
	Published   *time.Time     `json:"published,omitempty"`
	Spec        reporting.Spec `json:"spec"`
	Correction  *correcting    `json:"correction,omitempty"`
}

// correcting is how a report was corrected.
type correcting struct {
	Published  time.Time   `json:"published"`
	What       string      `json:"what"`
	Why        string      `json:"why"`
	Reader     string      `json:"reader,omitempty"`
	Suggestion string      `json:"suggestion,omitempty"` // what the reader wrote
	Parts      []corrected `json:"parts"`                // texts that replace others
}

type corrected struct {
	Part string `json:"part"`
	Text string `json:"text"`
}

// loadReports writes and publishes the workshop's reports, each on its day.
func loadReports(ctx context.Context, s *service.Service) (change int64, err error) {
	for _, name := range []string{"spring-pensioners", "old-laptops-autumn", "classroom-2026", "radio-winter"} {
		var t telling
		text, err := reportFiles.ReadFile("reports/" + name + ".yaml")
		if err != nil {
			return 0, err
		}
		data, err := plainyaml.ToJSON(text)
		if err != nil {
			return 0, fmt.Errorf("%s: %w", name, err)
		}
		if err := bundle.Decode(data, &t).Err(); err != nil {
			return 0, fmt.Errorf("%s: %w", name, err)
		}
		if change, err = t.publish(ctx, s); err != nil {
			return 0, fmt.Errorf("%s: %w", name, err)
		}
	}
	return change, nil
}

func (t *telling) publish(ctx context.Context, s *service.Service) (change int64, err error) {
	if t.Published != nil {
		s = s.Dated(*t.Published)
	}
	author, err := s.People.ActorNamed(ctx, t.Author)
	if err != nil {
		return 0, err
	}
	var series *reports.ReportSeries
	if t.Series != "" {
		series = &reports.ReportSeries{Key: t.Series, Title: t.SeriesTitle}
	}
	if change, err = s.Reports.NewReport(ctx, author, t.Key, series, t.Spec); err != nil {
		return 0, err
	}
	revision := ledger.Version(1)
	for _, name := range t.With {
		who, err := s.People.ActorNamed(ctx, name)
		if err != nil {
			return 0, err
		}
		if change, err = s.Reports.EditReport(ctx, who, t.Key, revision, reports.Drafted{Spec: t.Spec}); err != nil {
			return 0, err
		}
		revision++
	}
	if t.Published == nil {
		return change, nil
	}
	marit, err := s.People.ActorNamed(ctx, "marit")
	if err != nil {
		return 0, err
	}
	if _, change, err = s.Reports.Publish(ctx, marit, t.Key, revision); err != nil || t.Correction == nil {
		return change, err
	}
	return t.correct(ctx, s.Dated(t.Correction.Published), marit)
}

// correct publishes the correction after a reader's letter.
func (t *telling) correct(ctx context.Context, s *service.Service, marit *access.Actor) (int64, error) {
	c := t.Correction
	e := reports.Erratum{What: c.What, Why: c.Why, Reader: c.Reader}
	if c.Suggestion != "" {
		if _, err := s.Team.Suggest(ctx, &access.Actor{}, "demo", team.Suggestion{Sort: "correction", Subject: team.AboutReport + t.Key, Text: c.Suggestion}); err != nil {
			return 0, err
		}
		all, err := s.Team.Suggestions(ctx, marit)
		if err != nil {
			return 0, err
		}
		for _, x := range all {
			if strings.TrimPrefix(x.Subject, team.AboutReport) == t.Key {
				e.Suggestion = x.ID
			}
		}
	}
	if _, err := s.Reports.Correct(ctx, marit, t.Key, e); err != nil {
		return 0, err
	}
	spec := t.Spec
	spec.Parts = append([]reporting.Part{}, spec.Parts...)
	for i := range spec.Parts {
		for _, x := range c.Parts {
			if x.Part == spec.Parts[i].ID {
				spec.Parts[i].Text = x.Text
			}
		}
	}
	if _, err := s.Reports.EditReport(ctx, marit, t.Key, 1, reports.Drafted{Spec: spec, Erratum: &e}); err != nil {
		return 0, err
	}
	_, change, err := s.Reports.Publish(ctx, marit, t.Key, 2)
	return change, err
}
