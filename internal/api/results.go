package api

import (
	"context"

	"dappertally/core/catalogue"
	"dappertally/core/scoring"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
)

func entry(r *answers.Result, edition string) contract.RankingEntry {
	card, _ := r.Summary(edition)
	alone := r.State.Alone(card.Review)
	pre, _ := reviewing.PreRelease(r.State, edition)
	on := card.Checklist
	if on == r.List.Name() {
		on = ""
	}
	return contract.RankingEntry{
		Edition: edition, Checklist: on, Name: editionName(r.State, edition),
		Overall: card.Overall, Total: card.Total, Coverage: card.Coverage, Low: card.Low, High: card.High,
		MeasuredShare: card.MeasuredShare, RigsDiffer: card.RigsDiffer, Estimated: card.Estimated,
		Sections: card.Sections, GatesOpen: card.GatesOpen, Barred: card.Barred, Alone: alone, PreRelease: pre, Unsteady: r.Unsteady(edition),
	}
}

// heading describes for whom and from what a result was computed.
func heading(r *answers.Result) contract.Heading {
	h := contract.Heading{
		Checklist: r.List.Name(), Title: r.List.Title,
		Audience: r.Audience.Key, AudienceTitle: r.Audience.Title, Audiences: named(r.List),
		Maximum: r.List.MaximumPoints(), Margin: r.List.Policy.Margin(), MinCoverage: r.List.Policy.CoverageNeeded(),
		Change:    r.State.Number,
		OrderedBy: r.Query.By.Section + r.Query.By.Criterion,
	}
	if r.Query.At != nil {
		h.At = *r.Query.At
	}
	if g := r.Ground(); g != nil {
		h.Ground, h.GroundCriteria, h.GroundOf = g.Versions, g.Criteria, g.Of
	}
	if r.Query.At == nil && answers.IsShown(r.State, r.List) {
		h.Changeover, _ = changeover(
			context.Background(),
			r.State,
			r.List.Key,
		) // the result rests on the same version, so it exists
	}
	h.Weights, h.Group, h.Rigs = r.Query.OwnWeights(), r.Query.GroupedBy(), r.Options.Rigs
	for i, share := range r.List.SectionShares(r.Audience) {
		s := &r.List.Sections[i]
		h.Sections = append(h.Sections, struct {
			Key   string  `json:"key"`
			Share float64 `json:"share"`
			Title string  `json:"title"`
		}{s.Key, share, s.Title})
	}
	return h
}

// editionName returns an edition's name for people.
func editionName(st *ledger.Records, key string) contract.EditionName {
	d, release, edition := st.EditionName(key)
	return contract.EditionName{Distribution: d, Release: release, Edition: edition}
}

// called joins the parts of a name.
func called(n contract.EditionName) string { return n.Distribution + " " + n.Release + " " + n.Edition }

func (h *handlers) ShowScorecard(ctx context.Context, r ShowScorecardRequest) (*contract.ScorecardView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	q.Group = catalogue.Group{} // an edition has its scorecard whatever the filter
	result, err := h.answers.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	key := result.State.Catalogue.Resolve(catalogue.EditionKey(r.Distribution, r.Release, r.Edition))
	if _, ok := result.State.Edition(key); !ok {
		return nil, problem.New(problem.NotFound, "there is no edition %s", key)
	}
	if !result.Includes(key) {
		return nil, problem.New(problem.NotFound, "%s has no accepted review on %s", key, result.List.Name())
	}
	return new(scorecardView(result, key)), nil
}

func scorecardView(r *answers.Result, edition string) contract.ScorecardView {
	card, _ := r.Card(edition)
	return contract.ScorecardView{
		Heading:   heading(r),
		Name:      editionName(r.State, edition),
		Rank:      r.Rank(edition),
		Scorecard: *card,
		Facts:     facts(r.Table, edition),
	}
}

// facts returns what was recorded of an edition and is never scored.
func facts(t *scoring.Table, edition string) []contract.FactValue {
	out := []contract.FactValue{}
	e := t.Row(edition)
	if e < 0 {
		return out
	}
	for i, c := range t.Criteria {
		if f := t.Cell(e, i).NewestFact(); !c.Scored() && f != nil {
			out = append(out, contract.FactValue{Key: c.Key, Value: f.String()})
		}
	}
	return out
}

func (h *handlers) ShowDesk(ctx context.Context, r ShowDeskRequest) (*contract.ScorecardView, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	result, edition, err := h.reviewing.Desk(ctx, whoAsks(request(ctx)), r.Id, after)
	if err != nil {
		return nil, err
	}
	view := scorecardView(result, edition)
	view.Gaps = result.Gaps(edition)
	return &view, nil
}
