package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"dappertally/core/checklist"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func (s *session) audienceCommand() *cobra.Command {
	return noun(
		"audience",
		"Audiences: weights and gates for one group of readers",
		s.listAudiences(),
		s.showAudience(),
		s.editAudience(),
		s.removeAudience(),
	)
}

var audiencesTable = tables.Define("audiences", "an audience of a checklist",
	tables.Text("audience", "Audience", "its key; empty: the checklist's own weights"),
	tables.Text("title", "Title", ""),
	tables.Share("section.*", "", "weight of the section with that key"),
	tables.Beside("Gates"),
)

func (s *session) listAudiences() *cobra.Command {
	return &cobra.Command{
		Use:     "list KEY@VERSION",
		Short:   "List the audiences of a checklist version and their section shares",
		Example: "  dtally audience list workshop@2\n  dtally audience list workshop@2 --output csv",
		Args:    args(1, 1),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(_ *client.Client, x client.Got[contract.Checklist]) error {
				list := &x.Value
				var sections []tables.Column
				for _, sec := range list.Sections {
					sections = append(sections, tables.Share("section."+sec.Key, sec.Key, ""))
				}
				t := sheetOf(audiencesTable, sections...)
				t.heading = list.Title + ", " + list.Name() + " · shares of the sections"
				for _, audience := range append([]checklist.Audience{{Title: "as in the checklist (default)"}}, list.Audiences...) {
					row := []any{audience.Key, audience.Title}
					shares := list.SectionShares(audience)
					for i, text := range numerals.Shares(shares) {
						row = append(row, tables.As{Data: shares[i], Text: text})
					}
					t.Add(append(row, gatesText(list, audience))...)
				}
				return s.print(cmd, map[string]any{"audiences": list.Audiences}, t)
			})
		},
	}
}

func gatesText(list *checklist.Checklist, a checklist.Audience) string {
	var out []string
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			x := &list.Sections[i].Criteria[j]
			if gate, ok := a.Gate(x); ok {
				out = append(out, x.Key+" "+numerals.Rounded(gate, 0))
			}
		}
	}
	return strings.Join(out, ", ")
}

func (s *session) showAudience() *cobra.Command {
	return &cobra.Command{
		Use:     "show KEY@VERSION AUDIENCE",
		Short:   "Show an audience's share for each criterion, and its revisions",
		Example: "  dtally audience show workshop@2 pensioner\n  dtally audience show workshop@2 tinkerer --output json",
		Args:    args(2, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(c *client.Client, x client.Got[contract.Checklist]) error {
				audience, ok := x.Value.Audience(a[1])
				if !ok {
					return fmt.Errorf("%w: %s has no audience %q", errNotFound, a[0], a[1])
				}
				revisions, err := c.ListAudiences(cmd.Context(), x.Value.Key, x.Value.Version)
				if err != nil {
					return err
				}
				own := slices.DeleteFunc(
					revisions.Value.Revisions, func(r contract.AudienceState) bool { return r.Audience.Key != a[1] },
				)
				return s.print(
					cmd,
					map[string]any{"audience": audience, "revisions": own},
					sharesSheet(&x.Value, audience),
					revisionsSheet(own),
				)
			})
		},
	}
}

var sharesTable = tables.Define("shares", "weight of a criterion for an audience",
	tables.Text("section", "Section", "its key"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Share("share", "Share", "of the overall score").To(1),
	tables.Share("ownShare", "With the checklist's weights", "of the overall score, with the default weights").To(1),
	tables.Points("gate", "Gate", "points that the audience requires; empty: none"),
)

func sharesSheet(list *checklist.Checklist, a checklist.Audience) *sheet {
	t := sheetOf(sharesTable)
	t.heading = a.Title + ", " + list.Name()
	own, plain := checklist.Shares(list, a), checklist.Shares(list, checklist.Audience{})
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			x := &list.Sections[i].Criteria[j]
			if !x.Scored() {
				continue
			}
			gate := tables.As{}
			if g, ok := a.Gate(x); ok {
				gate = tables.As{Data: g, Text: numerals.Rounded(g, 0)}
			}
			t.Add(list.Sections[i].Key, x.Key, own[x.Key], plain[x.Key], gate)
		}
	}
	return t
}

var revisionsTable = tables.Define("revisions", "a revision of an audience",
	tables.Integer("revision", "Revision", ""),
	tables.Moment("made", "Made", "when"),
	tables.Text("by", "By", "name of the person"),
	tables.Truth("dropped", "", "the audience was removed"),
	tables.Text("reason", "Reason", ""),
)

func revisionsSheet(revisions []contract.AudienceState) *sheet {
	t := sheetOf(revisionsTable)
	t.heading = "Revisions"
	for _, r := range revisions {
		reason := r.Reason
		if r.Dropped {
			reason = "dropped: " + reason
		}
		t.Add(r.Revision, r.Created, r.Person, r.Dropped, tables.As{Data: r.Reason, Text: reason})
	}
	return t
}

func (s *session) editAudience() *cobra.Command {
	var sections, criteria, gates []string
	var title, reason string
	cmd := &cobra.Command{
		Use:   "edit KEY@VERSION AUDIENCE",
		Short: "Add an audience to a version in force, or revise one",
		Long: "Add an audience to a version in force, or revise one. What no flag names stays as it is. " +
			"KEY= returns to the checklist's own weight or gate.",
		Example: "  dtally audience edit workshop@2 pensioner --section usability=50 --reason 'requested by the pensioners'\n  dtally audience edit workshop@2 library --title 'Reading room' --gate printing=100",
		Args:    args(2, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(c *client.Client, x client.Got[contract.Checklist]) error {
				audience, ok := x.Value.Audience(a[1])
				if !ok {
					audience = checklist.Audience{Key: a[1]}
				}
				if title != "" {
					audience.Title = title
				}
				for _, f := range []struct {
					pairs []string
					into  *map[string]float64
				}{{sections, &audience.Sections}, {criteria, &audience.Criteria}, {gates, &audience.Gates}} {
					next, err := changedWeights(*f.into, f.pairs)
					if err != nil {
						return err
					}
					*f.into = next
				}
				changed, err := c.ReviseAudience(
					cmd.Context(),
					x.Value.Key,
					x.Value.Version,
					a[1],
					contract.ReviseAudienceParams{IfMatch: x.ETag},
					contract.AudienceRevision{Audience: audience, Reason: reason},
				)
				if err != nil {
					return err
				}
				return s.print(cmd, audience, sharesSheet(&changed.Value, audience))
			})
		},
	}
	f := cmd.Flags()
	f.StringVar(&title, "title", "", "title of the audience")
	f.StringArrayVar(&sections, "section", nil, "SECTION=WEIGHT, repeatable")
	f.StringArrayVar(&criteria, "criterion", nil, "CRITERION=WEIGHT, repeatable")
	f.StringArrayVar(&gates, "gate", nil, "CRITERION=POINTS, repeatable")
	f.StringVar(&reason, "reason", "", "reason; saved with the revision")
	return cmd
}

func changedWeights(old map[string]float64, pairs []string) (map[string]float64, error) {
	next := map[string]float64{}
	for key, w := range old {
		next[key] = w
	}
	for _, pair := range pairs {
		key, text, ok := strings.Cut(pair, "=")
		if ok && text == "" {
			delete(next, key)
			continue
		}
		w, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return nil, wrongUsage("%q is not KEY=NUMBER", pair)
		}
		next[key] = w
	}
	return next, nil
}

func (s *session) removeAudience() *cobra.Command {
	var reason string
	cmd := &cobra.Command{
		Use:     "remove KEY@VERSION AUDIENCE",
		Short:   "Remove an audience of a version in force; its revisions are kept",
		Example: "  dtally audience remove workshop@2 classroom --reason 'the school has its own checklist now'\n  dtally audience remove workshop@1 tinkerer",
		Args:    args(2, 2),
		RunE: func(cmd *cobra.Command, a []string) error {
			return s.onChecklist(cmd, a[0], func(c *client.Client, x client.Got[contract.Checklist]) error {
				return c.DropAudience(
					cmd.Context(),
					x.Value.Key,
					x.Value.Version,
					a[1],
					contract.DropAudienceParams{IfMatch: x.ETag, Reason: reason},
				)
			})
		},
	}
	cmd.Flags().StringVar(&reason, "reason", "", "reason; saved with the revision")
	return cmd
}
