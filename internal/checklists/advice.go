package checklists

import (
	"context"

	"dappertally/core/advice"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/survey"
)

// Advise reviews a checklist, stored or not, as a careful colleague would, with the points that the readings so far
// would get.
func (s *Service) Advise(ctx context.Context, who *access.Actor, list *checklist.Checklist) ([]advice.Advice, error) {
	if err := who.Permit(TryChecklist); err != nil {
		return nil, err
	}
	if err := validateChecklist(list); err != nil {
		return nil, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	return append(advice.Of(list, state.Catalogue.Rigs, experience(state, list)), survey.Advise(list)...), nil
}

// experience returns the points of the accepted reviews on the checklist itself or, if there are none, on the shown
// version, scored by this checklist; nil if there are none either.
func experience(state *ledger.Records, list *checklist.Checklist) *scoring.Columns {
	if own, err := answers.Version(state, list.Name()); err == nil && own.State != checklist.Draft {
		if table := scoring.Tabulate(state.Input(own).Project(list), scoring.Options{}); len(table.Editions) > 0 {
			return table.Columns()
		}
	}
	base, err := answers.Shown(state, list.Key)
	if err != nil {
		return nil
	}
	return scoring.Tabulate(state.Input(base).Project(list), scoring.Options{}).Columns()
}

// Effect returns what a proposed checklist would change in the ranking on a version; on the shown one if version is
// empty.
func (s *Service) Effect(
	ctx context.Context,
	who *access.Actor,
	base, audience string,
	proposed *checklist.Checklist,
) (ranking.Effect, error) {
	if err := who.Permit(TryChecklist); err != nil {
		return ranking.Effect{}, err
	}
	if err := validateChecklist(proposed); err != nil {
		return ranking.Effect{}, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return ranking.Effect{}, err
	}
	if base == "" {
		base = proposed.Key
	}
	list, err := answers.Shown(state, base)
	if err != nil {
		return ranking.Effect{}, err
	}
	effect, err := ranking.EffectOf(state.Input(list), proposed, scoring.Options{Audience: audience})
	if err != nil {
		return effect, problem.New(problem.NotFound, "%s", err)
	}
	return effect, nil
}

// Differ returns what differs from one version to another.
func (s *Service) Differ(ctx context.Context, older, newer string) (checklist.Difference, error) {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return checklist.Difference{}, err
	}
	from, err := answers.Version(state, older)
	if err != nil {
		return checklist.Difference{}, err
	}
	to, err := answers.Version(state, newer)
	if err != nil {
		return checklist.Difference{}, err
	}
	return checklist.Differ(from, to), nil
}
