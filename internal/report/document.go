package report

import (
	"time"

	"dappertally/core/reporting"
)

// Format and Version name the format of a frozen report.
const (
	Format  = "dapper-tally/report"
	Version = 1
)

// Document is a published report: its choices, its text with every figure filled in, its results, and the hashes of
// its bundle and pictures. All other forms are made from it and the bundle, so its own SHA-256 covers everything.
type Document struct {
	Format    string             `json:"format"`
	Version   int                `json:"version"`
	Key       string             `json:"key"`
	Revision  int                `json:"revision"` // from 1; 0 is a draft
	Series    *SeriesPlace       `json:"series,omitempty"`
	Team      string             `json:"team"`
	Authors   []string           `json:"authors"`
	Published time.Time          `json:"published,omitzero"`
	Moment    time.Time          `json:"moment"` // the moment of the records
	Question  reporting.Question `json:"question"`
	Spec      reporting.Spec     `json:"spec"`
	Prose     map[string]string  `json:"prose"` // by part, with figures filled in
	Given     Given              `json:"given"`
	Errata    []Erratum          `json:"errata,omitempty"` // oldest first
	Earlier   []string           `json:"earlier,omitempty"`
	Bundle    string             `json:"bundle,omitempty"` // SHA-256
	Pictures  []Picture          `json:"pictures,omitempty"`
	Results   []Stated           `json:"results"`
}

// SeriesPlace is a report's place in its series.
type SeriesPlace struct {
	Key    string `json:"key"`
	Title  string `json:"title"`
	Number int    `json:"number"`
}

// Given is what a report contains that no bundle holds.
type Given struct {
	Reviewers []string  `json:"reviewers,omitempty"` // whose reviews these are, by name
	Alone     []string  `json:"alone,omitempty"`     // editions whose review was accepted by its only reviewer
	Plan      *PlanSays `json:"plan,omitempty"`
}

// PlanSays is what a comparison plan says about the method.
type PlanSays struct {
	Question string            `json:"question"`
	Equal    []string          `json:"equal,omitempty"`   // attributes held equal
	Held     []string          `json:"held,omitempty"`    // what else, in words
	LeftOut  []string          `json:"leftOut,omitempty"` // in words
	Why      map[string]string `json:"why,omitempty"`     // why an edition is a contender
}

// Erratum is what a revision corrects.
type Erratum struct {
	Revision int       `json:"revision"` // the revision that corrects
	At       time.Time `json:"at,omitzero"`
	reporting.Erratum
}

// Picture is a standard screenshot in the report.
type Picture struct {
	SHA256  string `json:"sha256"`
	Edition string `json:"edition"`
	Shot    string `json:"shot"`
	Type    string `json:"type"`
	Caption string `json:"caption,omitempty"`
}

// Stated is one result, in the form in which dtally compute returns it, and the arguments after the name of the
// bundle's file.
type Stated struct {
	What      string   `json:"what"`
	Audience  string   `json:"audience,omitempty"`
	Arguments []string `json:"arguments"`
	Value     any      `json:"value"`
}

// State lists the results that can be computed again, with the arguments for that.
func State(r *reporting.Results) []Stated {
	var out []Stated
	for i := range r.Views {
		v := &r.Views[i]
		add := func(what string, value any, more ...string) {
			out = append(out, Stated{what, v.Audience.Key, append(arguments(what, v.Audience.Key, r), more...), value})
		}
		add("ranking", v.Ranking)
		add("scorecards", map[string]any{"scorecards": v.Cards})
		add("steadiness", v.Steadiness, "--seed", "1")
		if v.Tipping != nil {
			add("tipping", v.Tipping)
		}
		if e := v.Explanation; e != nil {
			add("explain", e, "--between", e.A+","+e.B)
		}
	}
	return append(out,
		Stated{"comparison", "", append(arguments("comparison", "", r), "--baseline", r.Baseline), r.Comparison},
		Stated{"head-to-head", "", arguments("head-to-head", "", r), r.Match})
}

func arguments(what, audience string, r *reporting.Results) []string {
	a := []string{"--what", what, "--checklist", r.List.Name()}
	if audience != "" {
		a = append(a, "--audience", audience)
	}
	if r.CommonRigs {
		a = append(a, "--common-rigs")
	}
	for _, rig := range r.Rigs {
		a = append(a, "--rig", rig)
	}
	for _, e := range r.Editions {
		a = append(a, "--only", e)
	}
	return a
}
