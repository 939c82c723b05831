package report

import (
	"fmt"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
)

// layout lays a report out, part by part.
type layout struct {
	*Document
	*reporting.Results
	sections []Section
	missing  []string // selected editions without an accepted review
}

// parts maps kinds of part to the functions that fill them in. Summaries and text only have their text.
var parts = map[string]func(*layout, *Section){
	reporting.Ranking: (*layout).ranking, reporting.Sureness: (*layout).sureness, reporting.Sections: (*layout).bySection,
	reporting.Measures: (*layout).measures, reporting.HeadToHead: (*layout).headToHead, reporting.Facts: (*layout).facts,
	reporting.Findings: (*layout).findings, reporting.Releases: (*layout).releases, reporting.Verdicts: (*layout).verdicts,
	reporting.Advice: (*layout).advice, reporting.Shots: (*layout).shots, reporting.Contenders: (*layout).contenders,
	reporting.Method: (*layout).method, reporting.Checklist: (*layout).checklist, reporting.Rigs: (*layout).rigs,
	reporting.Caveats: (*layout).caveats,
}

// Lay lays out the parts of a document from its results.
func Lay(d *Document, r *reporting.Results) []Section {
	l := layout{Document: d, Results: r}
	for _, e := range d.Spec.Editions {
		if !slices.Contains(r.Editions, e) {
			l.missing = append(l.missing, e)
		}
	}
	for i := range d.Spec.Parts {
		p := &d.Spec.Parts[i]
		s := Section{ID: p.ID, Kind: p.Kind, Title: p.Heading()}
		if prose := strings.TrimSpace(d.Prose[p.ID]); prose != "" {
			s.add(Block{Prose: prose})
		}
		if fill := parts[p.Kind]; fill != nil {
			fill(&l, &s)
		}
		l.sections = append(l.sections, s)
	}
	return l.sections
}

// main returns the results for the main audience.
func (l *layout) main() *reporting.View { return &l.Views[0] }

// said returns the name of an audience for a heading.
func said(a checklist.Audience) string {
	switch {
	case a.Key == "":
		return "everybody"
	case a.Title != "":
		return a.Title
	}
	return a.Key
}

// eachView does the same for every audience, under headings if there are several.
func (l *layout) eachView(s *Section, do func(v *reporting.View)) {
	for i := range l.Views {
		if len(l.Views) > 1 {
			s.add(Block{Heading: "For " + said(l.Views[i].Audience)})
		}
		do(&l.Views[i])
	}
}

// criterion returns a criterion's title.
func (l *layout) criterion(key string) string {
	if c, ok := l.List.Criterion(key); ok && c.Title != "" {
		return c.Title
	}
	return key
}

func titled(title, key string) string {
	if title != "" {
		return title
	}
	return key
}

// rig returns a rig's name.
func (l *layout) rig(key string) string {
	for _, r := range l.Machines {
		if r.Key == key && r.Name != "" {
			return r.Name
		}
	}
	if key == "" {
		return "no rig"
	}
	return key
}

// names lists the names of editions, in the given order.
func (l *layout) names(editions []string) string {
	named := make([]string, len(editions))
	for i, e := range editions {
		named[i] = l.Name(e)
	}
	return strings.Join(named, ", ")
}

// inOrder returns the editions best first, then those that are not ranked.
func (l *layout) inOrder() []string {
	var order []string
	for _, p := range l.main().Ranking.Ranking {
		order = append(order, p.Edition)
	}
	for _, e := range l.Editions {
		if !slices.Contains(order, e) {
			order = append(order, e)
		}
	}
	return order
}

// editionCell names an edition, with a link to its part of the report.
func (l *layout) editionCell(edition string) Cell {
	return Cell{Text: l.Name(edition), Name: true, Link: "/edition/" + edition}
}

// of returns what a scorecard holds for a criterion.
func of(c *scoring.Scorecard, criterion string) *scoring.CriterionScore {
	for i := range c.Criteria {
		if c.Criteria[i].Key == criterion {
			return &c.Criteria[i]
		}
	}
	return nil
}

// placeWords explains why an edition is not ranked; empty if it is.
func (l *layout) placeWords(v *reporting.View, edition string) string {
	for _, p := range v.Ranking.Provisional {
		if p.Edition == edition {
			return fmt.Sprintf(
				"provisional: %s of the checklist is answered, %s required",
				share(p.Coverage),
				share(l.List.Policy.CoverageNeeded()),
			)
		}
	}
	for _, p := range v.Ranking.Barred {
		if p.Edition == edition {
			var why []string
			for _, b := range v.Card(edition).Barred {
				why = append(
					why,
					fmt.Sprintf(
						"%s has %s points, %s required",
						l.criterion(b.Criterion),
						oneDecimal(&b.Points),
						oneDecimal(&b.Needs),
					),
				)
			}
			return "barred: " + strings.Join(why, "; ")
		}
	}
	return ""
}

// listed joins names for a sentence.
func listed(names []string) string {
	n := len(names)
	if n < 2 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:n-1], ", ") + " and " + names[n-1]
}
