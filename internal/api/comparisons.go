package api

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"dappertally/core/comparing"
	"dappertally/core/fitting"
	"dappertally/core/ranking"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
)

// namesOf returns the names of editions, by key.
func namesOf(state *ledger.Records, editions []string) map[string]contract.EditionName {
	names := make(map[string]contract.EditionName, len(editions))
	for _, e := range editions {
		if e != "" {
			names[e] = editionName(state, e)
		}
	}
	return names
}

func (h *handlers) Compare(ctx context.Context, r CompareRequest) (*contract.Comparison, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	c, err := h.answers.Compare(ctx, q, r.Params.Edition, r.Params.Baseline)
	if err != nil {
		return nil, err
	}
	out := contract.Comparison{
		Heading: heading(
			c.Result,
		), Baseline: c.Baseline, Against: c.Against, Without: c.Without, Missing: c.Missing, Editions: []contract.Compared{}, Rows: c.Measures.Rows, Placings: c.Placings,
		GeometricMeans: c.Measures.GeometricMeans, Criteria: c.Criteria, FactRows: c.Facts, HeadToHead: c.Match, Systems: c.Systems,
	}
	named := slices.Clone(c.Editions)
	for _, r := range c.Measures.Rows {
		named = append(named, r.Baseline)
	}
	for _, b := range c.Against {
		named = append(named, b)
	}
	out.Names = namesOf(c.State, append(named, c.Missing...))
	for _, e := range c.Editions {
		v := scorecardView(c.Result, e)
		x := contract.Compared{
			Name:      v.Name,
			Rank:      v.Rank,
			Scorecard: v.Scorecard,
			Facts:     v.Facts,
			Findings:  []contract.Finding{},
			Shots:     []contract.Evidence{},
		}
		for _, review := range c.Records[e] {
			x.Findings = append(x.Findings, review.Findings...)
			for _, evidence := range review.Evidence {
				if evidence.Shot != "" {
					x.Shots = append(x.Shots, evidence)
				}
			}
		}
		out.Editions = append(out.Editions, x)
	}
	return &out, nil
}

func (h *handlers) Explain(ctx context.Context, r ExplainRequest) (*contract.ExplanationView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	result, e, err := h.answers.Explain(ctx, q, r.Params.A, r.Params.B)
	if err != nil {
		return nil, err
	}
	return &contract.ExplanationView{
		Heading:     heading(result),
		Names:       namesOf(result.State, []string{e.A, e.B}),
		Explanation: e,
	}, nil
}

func (h *handlers) ShowTipping(ctx context.Context, _ ShowTippingRequest) (*contract.TippingView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	result, t, err := h.answers.TippingPoints(ctx, q)
	if err != nil {
		return nil, err
	}
	named := []string{t.Leader}
	for _, p := range append(slices.Clone(t.Sections), t.Criteria...) {
		for _, tip := range []*ranking.Tip{p.Up, p.Down} {
			if tip != nil {
				named = append(named, tip.Leader)
			}
		}
	}
	return &contract.TippingView{Heading: heading(result), Names: namesOf(result.State, named), Tipping: t}, nil
}

func (h *handlers) ShowSteadiness(ctx context.Context, r ShowSteadinessRequest) (*contract.SteadinessView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	p := r.Params
	result, s, err := h.answers.Steadiness(
		ctx, q, ranking.Variation{Draws: p.Draws, Seed: uint64(max(p.Seed, 0)), Kappa: p.Kappa, Vary: string(p.Vary)},
	)
	if err != nil {
		return nil, err
	}
	named := []string{}
	editions := s.Editions
	s.Editions = []ranking.EditionRanks{} // the remembered result must not change
	for _, e := range editions {
		if e.Shares != nil {
			named = append(named, e.Edition)
			s.Editions = append(s.Editions, e.AtLeast(p.Least))
		}
	}
	return &contract.SteadinessView{
		Heading:    heading(result),
		Ranked:     len(editions),
		Names:      namesOf(result.State, named),
		Steadiness: s,
	}, nil
}

func (h *handlers) ShowHeadToHead(ctx context.Context, r ShowHeadToHeadRequest) (*contract.HeadToHeadView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	result, match, err := h.answers.HeadToHead(ctx, q, r.Params.Edition)
	if err != nil {
		return nil, err
	}
	named := []string{}
	for _, p := range match.Pairs {
		named = append(named, p.A, p.B)
	}
	return &contract.HeadToHeadView{
		Heading:    heading(result),
		Names:      namesOf(result.State, named),
		HeadToHead: match,
	}, nil
}

func (h *handlers) CompareGroups(ctx context.Context, r CompareGroupsRequest) (*contract.GroupsView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	p := r.Params
	result, g, err := h.answers.Groups(
		ctx, q, comparing.GroupQuestion{Attribute: p.Attribute, A: p.A, B: p.B, Equal: p.Equal},
	)
	if err != nil {
		return nil, err
	}
	named := []string{}
	for _, pair := range g.Pairs {
		named = append(named, pair.A, pair.B)
	}
	return &contract.GroupsView{Heading: heading(result), Names: namesOf(result.State, named), Groups: g}, nil
}

func (h *handlers) ShowFits(ctx context.Context, r ShowFitsRequest) (*contract.FitsView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	state, err := h.ledger.State(ctx, q.After)
	if err != nil {
		return nil, err
	}
	e, err := ledger.Remember(ctx, state, asAsked(request(ctx)), func(ctx context.Context) (encoded, error) {
		v, err := h.fits(ctx, q, r.Params)
		if err != nil {
			return encoded{}, err
		}
		return encode(v)
	})
	if err != nil {
		return nil, err
	}
	return nil, e.write(request(ctx).Writer)
}

func (h *handlers) fits(ctx context.Context, q answers.Query, p contract.ShowFitsParams) (*contract.FitsView, error) {
	f, err := h.answers.Fits(ctx, q, fitting.Machine{
		MemoryMiB: p.MemoryMiB, DiskGiB: p.DiskGiB, Cores: p.Cores, Processor: strings.TrimSpace(p.Processor), Graphics: strings.TrimSpace(p.Graphics),
		Architecture: strings.TrimSpace(p.MachineArchitecture), Virtual: p.Virtual,
	})
	if err != nil {
		return nil, err
	}
	page := standingPage{limit: cmp.Or(p.Limit, mostFitting)}
	v := contract.FitsView{
		Machine: f.Machine,
		Fits:    []contract.Fit{},
		Ranking: rankingView(f.Result, page, true),
	}
	v.Counts.Editions = len(f.Fits)
	named := []string{}
	for _, x := range f.Fits {
		if x.Fits {
			v.Counts.Fit++
		}
		if len(v.Fits) < page.limit {
			v.Fits = append(v.Fits, x)
			named = append(named, x.Edition)
		}
	}
	v.Names = namesOf(f.State, named)
	if f.Nearest != nil {
		v.Nearest = *f.Nearest
	}
	few := len(f.Ranking.Ranking) <= mostFitting // among many, single shares say little and take long to compute
	if err := h.addStandings(ctx, &v.Ranking, f.Result, contract.RankingParams{Ranges: few}); err != nil {
		return nil, err
	}
	return &v, nil
}

// mostFitting is the default number of entries in a list of what fits.
const mostFitting = 500
