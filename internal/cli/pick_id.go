package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/internal/client"
	"dappertally/internal/contract"
)

// last is the word for the newest of several objects with ids.
const last = "last"

// idHelp describes what can be given as an id.
const idHelp = "An id can be shortened as long as it is unambiguous; last is the newest."

// shortest is how many characters of an id must be typed.
const shortest = 4

// pickID returns the full id for an argument: an id, the beginning of one, or last. list returns the existing ids,
// oldest first; it is not called for a full UUID. what names the kind of object in errors.
func pickID(named, what string, list func() ([]string, error)) (string, error) {
	if uuid.Validate(named) == nil && len(named) == 36 {
		return named, nil
	}
	ids, err := list()
	if err != nil {
		return "", err
	}
	if named == last && len(ids) > 0 {
		return ids[len(ids)-1], nil
	}
	if slices.Contains(ids, named) {
		return named, nil
	}
	found := slices.DeleteFunc(
		slices.Clone(ids), func(id string) bool { return len(named) < shortest || !strings.HasPrefix(id, named) },
	)
	switch len(found) {
	case 1:
		return found[0], nil
	case 0:
		return "", fmt.Errorf("%w: there is no %s %s", errNotFound, what, named)
	}
	return "", wrongUsage("%d %ss have an id that starts with %s; type more of it", len(found), what, named)
}

// backwards reverses ids that are listed newest first.
func backwards(ids []string) []string {
	slices.Reverse(ids)
	return ids
}

func (s *session) planID(cmd *cobra.Command, c *client.Client, named string) (string, error) {
	return pickID(named, "plan", func() ([]string, error) {
		ids, err := s.planIDs(cmd, c)
		return backwards(ids), err
	})
}

// planIDs lists the ids of all plans, newest first.
func (s *session) planIDs(cmd *cobra.Command, c *client.Client) ([]string, error) {
	ps, err := c.ListPlans(cmd.Context())
	return keys(ps.Value.Plans, func(p *contract.PlanSummary) string { return p.Id }), err
}

// benchID finds a bench session among those of all plans; their ids sort by the time of their beginning.
func (s *session) benchID(cmd *cobra.Command, c *client.Client, named string) (string, error) {
	return pickID(named, "bench session", func() ([]string, error) {
		plans, err := s.planIDs(cmd, c)
		if err != nil {
			return nil, err
		}
		var ids []string
		for _, p := range plans {
			v, err := c.ShowPlan(cmd.Context(), p)
			if err != nil {
				return nil, err
			}
			ids = append(ids, keys(v.Value.Sessions, func(b *contract.BenchSummary) string { return b.Id })...)
		}
		slices.Sort(ids)
		return ids, nil
	})
}

// proposalID finds a proposal, in one state if that is given.
func (s *session) proposalID(
	cmd *cobra.Command,
	c *client.Client,
	named string,
	state contract.ProposalState,
) (string, error) {
	return pickID(named, strings.TrimSpace(string(state)+" proposal"), func() ([]string, error) {
		ids, err := s.proposalIDs(cmd, c, state)
		return backwards(ids), err
	})
}

// proposalIDs lists the ids of proposals, newest first; in one state if that is given.
func (s *session) proposalIDs(cmd *cobra.Command, c *client.Client, state contract.ProposalState) ([]string, error) {
	ps, err := s.proposals(cmd, c, contract.ListProposalsParams{State: state})
	return keys(ps, func(p *contract.Proposal) string { return p.Id }), err
}

func (s *session) proposals(
	cmd *cobra.Command,
	c *client.Client,
	p contract.ListProposalsParams,
) ([]contract.Proposal, error) {
	return all(func(cursor string) (client.Got[contract.ProposalList], error) {
		p.Cursor = cursor
		return c.ListProposals(cmd.Context(), p)
	}, func(l *contract.ProposalList) ([]contract.Proposal, string) { return l.Proposals, l.Next })
}

// suggestion finds a suggestion; last is the newest open one.
func (s *session) suggestion(cmd *cobra.Command, c *client.Client, named string) (contract.Suggestion, error) {
	l, err := c.ListSuggestions(cmd.Context())
	if err != nil {
		return contract.Suggestion{}, err
	}
	some := l.Value.Suggestions
	if named == last {
		some = slices.DeleteFunc(slices.Clone(some), func(x contract.Suggestion) bool { return x.State != "held" })
	}
	id, err := pickID(named, "suggestion", func() ([]string, error) {
		return backwards(keys(some, func(x *contract.Suggestion) string { return x.Id })), nil
	})
	if err != nil {
		return contract.Suggestion{}, err
	}
	i := slices.IndexFunc(some, func(x contract.Suggestion) bool { return x.Id == id })
	if i < 0 {
		return contract.Suggestion{}, fmt.Errorf("%w: there is no suggestion %s", errNotFound, named)
	}
	return some[i], nil
}
