package cli

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
)

// completionTime is how long completion waits for the service: not longer than a person at a terminal would.
const completionTime = 2 * time.Second

// lookup lists the possible values at a place, from the service or fixed. args are the arguments before it.
type lookup func(cmd *cobra.Command, c *client.Client, args []string) []string

// fixed offers values that never change.
func fixed(words ...string) lookup {
	return func(*cobra.Command, *client.Client, []string) []string { return words }
}

// completeAll adds completion to every argument and every flag of a command tree, by the placeholder in its usage
// line and by the flag's name.
func (s *session) completeAll(root *cobra.Command) {
	flags, places := s.flagLookups(), s.placeLookups()
	var walk func(*cobra.Command)
	walk = func(cmd *cobra.Command) {
		cmd.LocalFlags().VisitAll(func(f *pflag.Flag) {
			if words := f.Annotations[choicesOf]; words != nil {
				_ = cmd.RegisterFlagCompletionFunc(
					f.Name,
					func(_ *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
						return beginning(words, typed), cobra.ShellCompDirectiveNoFileComp
					},
				)
				return // a flag that several commands share is registered once
			}
			find := flags[strings.TrimPrefix(cmd.CommandPath(), root.Name()+" ")+" --"+f.Name]
			if find == nil {
				find = flags["--"+f.Name]
			}
			if find != nil {
				_ = cmd.RegisterFlagCompletionFunc(
					f.Name,
					func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
						return s.complete(cmd, find, args, typed)
					},
				) // a flag that several commands share is registered once
			}
		})
		holders := placeholders(cmd.Use)
		if cmd.ValidArgsFunction == nil && len(holders) > 0 {
			cmd.ValidArgsFunction = func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
				at := min(len(args), len(holders)-1)
				if len(args) >= len(holders) && !strings.HasSuffix(holders[at], "…") {
					return nil, cobra.ShellCompDirectiveNoFileComp
				}
				holder := strings.TrimSuffix(holders[at], "…")
				find := places[cmd.Parent().Name()+" "+holder]
				if find == nil {
					find = places[holder]
				}
				if find == nil {
					return nil, cobra.ShellCompDirectiveDefault
				}
				return s.complete(cmd, find, args, typed)
			}
		}
		for _, child := range cmd.Commands() {
			walk(child)
		}
	}
	walk(root)
}

// placeholders returns the words in capitals of a usage line, in order.
func placeholders(use string) []string {
	var holders []string
	for _, word := range strings.Fields(use)[1:] {
		word = strings.Trim(word, "[]")
		if word != "" && word == strings.ToUpper(word) && word != "…" && !strings.HasPrefix(word, "-") {
			holders = append(holders, word)
		}
		if word == "…" && len(holders) > 0 {
			holders[len(holders)-1] += "…"
		}
	}
	return holders
}

func (s *session) complete(
	cmd *cobra.Command,
	find lookup,
	args []string,
	typed string,
) ([]string, cobra.ShellCompDirective) {
	ctx, cancel := context.WithTimeout(context.Background(), completionTime)
	defer cancel()
	cmd.SetContext(ctx)
	c, err := s.connect()
	if err != nil {
		return nil, cobra.ShellCompDirectiveNoFileComp // without a service there is nothing to offer
	}
	return beginning(find(cmd, c, args), typed), cobra.ShellCompDirectiveNoFileComp
}

// beginning returns the words that begin with what was typed.
func beginning(words []string, typed string) []string {
	return slices.DeleteFunc(slices.Clone(words), func(w string) bool { return !strings.HasPrefix(w, typed) })
}

func (s *session) flagLookups() map[string]lookup {
	contexts := func(of func(*checklist.Vocabulary) []checklist.Named) lookup {
		return s.fromList(func(list *checklist.Checklist) []string { return keysOf(of(&list.Vocabulary)) })
	}
	return map[string]lookup{
		"--rig-class": fixed(catalogue.Classes...),
		"--rig":       s.rigKeys, "--review": s.openReviews, "--edition": s.editionKeys, "--distribution": s.distributionKeys, "--continues": s.openReviews,
		"--checklist": s.checklistNames, "--to": s.checklistNames, "compare --baseline": s.baselines,
		"--audience":  s.fromList(func(list *checklist.Checklist) []string { return audienceKeys(list) }),
		"--section":   s.fromList(sectionKeys),
		"--criterion": s.fromList(criterionKeys),
		"--method":    contexts(func(v *checklist.Vocabulary) []checklist.Named { return v.Methods }),
		"--setup":     contexts(func(v *checklist.Vocabulary) []checklist.Named { return v.Setups }),
		"--phase":     contexts(func(v *checklist.Vocabulary) []checklist.Named { return v.Phases }),
	}
}

func (s *session) placeLookups() map[string]lookup {
	return map[string]lookup{
		"EDITION": s.editionKeys, "A": s.editionKeys, "B": s.editionKeys, "DISTRIBUTION/RELEASE/EDITION": s.editionKeys, "REVIEW": s.openReviews,
		"CRITERION": s.fromList(
			criterionKeys,
		), "ANSWER": s.answers, "KEY@VERSION": s.checklistNames, "RIG": s.rigKeys, "DISTRIBUTION": s.distributionKeys,
		"DISTRIBUTION/RELEASE": s.releaseKeys, "REPORT": s.reportKeys, "ATTRIBUTE": fixed(catalogue.Attributes...),
		"PROPOSAL": func(cmd *cobra.Command, c *client.Client, _ []string) []string {
			return lastOr(s.proposalIDs(cmd, c, ""))
		},
		"PLAN": func(cmd *cobra.Command, c *client.Client, _ []string) []string {
			return lastOr(s.planIDs(cmd, c))
		},
		"SESSION": fixed(last), "ID": fixed(last),
		"rig KEY": s.rigKeys, "distribution KEY": s.distributionKeys, "report KEY": s.reportKeys,
	}
}

func (s *session) editionKeys(cmd *cobra.Command, c *client.Client, _ []string) []string {
	es, err := s.editions(cmd, c, contract.ListEditionsParams{})
	if err != nil {
		return nil // offering nothing does no harm
	}
	return keys(es, func(e *contract.Edition) string { return catalogue.EditionKey(e.Distribution, e.Release, e.Key) })
}

func (s *session) releaseKeys(cmd *cobra.Command, c *client.Client, _ []string) []string {
	var all []string
	for _, key := range s.editionKeys(cmd, c, nil) {
		if r := catalogue.ReleaseOf(key); !slices.Contains(all, r) {
			all = append(all, r)
		}
	}
	return all
}

func (s *session) distributionKeys(cmd *cobra.Command, c *client.Client, _ []string) []string {
	ds, err := s.distributions(cmd, c, contract.ListDistributionsParams{})
	if err != nil {
		return nil
	}
	return keys(ds, func(d *contract.Distribution) string { return d.Key })
}

func (s *session) rigKeys(cmd *cobra.Command, c *client.Client, _ []string) []string {
	rs, err := s.rigs(cmd, c)
	if err != nil {
		return nil
	}
	return keys(rs, func(r *contract.Rig) string { return r.Key })
}

// openReviews lists the editions that have an open review, which can be named by the edition.
func (s *session) openReviews(cmd *cobra.Command, c *client.Client, _ []string) []string {
	rs, err := s.reviews(cmd, c, contract.ListReviewsParams{})
	if err != nil {
		return nil
	}
	rs = slices.DeleteFunc(
		rs, func(r contract.Review) bool { return r.State == reading.Accepted || r.State == reading.Withdrawn },
	)
	return slices.Compact(keys(rs, func(r *contract.Review) string { return r.Edition }))
}

func (s *session) checklistNames(cmd *cobra.Command, c *client.Client, _ []string) []string {
	cs, err := s.checklists(cmd, c)
	if err != nil {
		return nil
	}
	return keys(cs, func(x *contract.ChecklistSummary) string {
		return (&checklist.Checklist{Key: x.Key, Version: x.Version}).Name()
	})
}

func (s *session) reportKeys(cmd *cobra.Command, c *client.Client, _ []string) []string {
	rs, err := all(func(cursor string) (client.Got[contract.ReportList], error) {
		return c.ListReports(cmd.Context(), contract.ListReportsParams{Cursor: cursor})
	}, func(l *contract.ReportList) ([]contract.Report, string) { return l.Reports, l.Next })
	if err != nil {
		return nil
	}
	return keys(rs, func(r *contract.Report) string { return r.Key })
}

// lastOr offers all ids, and "last" for the newest.
func lastOr(ids []string, err error) []string {
	if err != nil {
		return nil // offering nothing does no harm
	}
	return append([]string{last}, ids...)
}

func (s *session) baselines(cmd *cobra.Command, c *client.Client, args []string) []string {
	return append([]string{"previous", "based-on", "leader", "record"}, s.editionKeys(cmd, c, args)...)
}

// fromList offers values from the shown checklist.
func (s *session) fromList(of func(*checklist.Checklist) []string) lookup {
	return func(cmd *cobra.Command, c *client.Client, _ []string) []string {
		if list := s.shownList(cmd, c); list != nil {
			return of(list)
		}
		return nil
	}
}

// shownList returns the shown checklist version; nil if it cannot be read.
func (s *session) shownList(cmd *cobra.Command, c *client.Client) *checklist.Checklist {
	cs, err := s.checklists(cmd, c)
	if err != nil {
		return nil
	}
	for i := range cs {
		if cs[i].Shown {
			list, err := c.ShowChecklist(cmd.Context(), cs[i].Key, cs[i].Version)
			if err != nil {
				return nil
			}
			return &list.Value
		}
	}
	return nil
}

// answers returns the possible answers of a criterion, if they are a list.
func (s *session) answers(cmd *cobra.Command, c *client.Client, args []string) []string {
	list := s.shownList(cmd, c)
	if list == nil || len(args) == 0 {
		return nil
	}
	criterion, ok := list.Criterion(args[0])
	if !ok {
		return nil
	}
	q := question{Criterion: criterion}
	if criterion.Kind == checklist.Count {
		var words []string
		for _, item := range criterion.Items {
			for _, fate := range []string{"worked", "workaround", "failed", "untried"} {
				words = append(words, item.Key+"="+fate)
			}
		}
		return words
	}
	return q.choices()
}

func keys[T any](all []T, key func(*T) string) []string {
	out := make([]string, len(all))
	for i := range all {
		out[i] = key(&all[i])
	}
	return out
}

func keysOf(named []checklist.Named) []string {
	return keys(named, func(n *checklist.Named) string { return n.Key })
}

func audienceKeys(list *checklist.Checklist) []string {
	return keys(list.Audiences, func(a *checklist.Audience) string { return a.Key })
}

func sectionKeys(list *checklist.Checklist) []string {
	return keys(list.Sections, func(s *checklist.Section) string { return s.Key })
}

func criterionKeys(list *checklist.Checklist) []string {
	var all []string
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			all = append(all, list.Sections[i].Criteria[j].Key)
		}
	}
	return all
}
