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

// Advise says of a checklist, stored or not, what a careful colleague would; it
// looks at the readings so far as the list would score them.
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

// experience is the points of what stands on the list itself or, where nothing
// does, on the version that is shown, as the list would score it; nil where there
// is neither.
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

// Effect is what a proposed list would do to the ranking on the version named; to
// the one shown where it is empty.
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

// Differ tells what differs from one version to another.
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
