package api

import (
	"cmp"
	"context"
	"maps"
	"math"

	"dappertally/core/checklist"
	"dappertally/core/quality"
	"dappertally/core/scoring"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
)

func (h *handlers) ShowQuality(ctx context.Context, r ShowQualityRequest) (*contract.QualityView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	most := cmp.Or(r.Params.Limit, mostLookedInto)
	found, result, err := h.answers.Quality(ctx, whoAsks(request(ctx)), q, most)
	if err != nil {
		return nil, err
	}
	view := qualityView(&found, result, most)
	drifted, err := h.reviewing.Drifted(ctx, whoAsks(request(ctx)), result.State)
	for _, d := range drifted {
		one := contract.DriftedRig{Rig: d.Rig, From: d.From}
		if d.Until != nil {
			one.Until = *d.Until
		}
		view.Drifted = append(view.Drifted, one)
	}
	return &view, err
}

// mostLookedInto is the default number of entries in a list of what needs attention.
const mostLookedInto = 1000

func (h *handlers) ShowReviewQuality(ctx context.Context, r ShowReviewQualityRequest) (*contract.QualityView, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	found, result, err := h.reviewing.Quality(ctx, whoAsks(request(ctx)), r.Id, after)
	if err != nil {
		return nil, err
	}
	view := qualityView(&found, result, math.MaxInt)
	view.Gaps = result.Gaps(result.Edition)
	return &view, nil
}

// qualityView returns the first entries of each list, and their number.
func qualityView(q *quality.Quality, r *answers.Result, most int) contract.QualityView {
	v := contract.QualityView{
		Checklist: r.List.Name(), Readings: first(q.Readings, most), Agreement: q.Agreement,
		Disagreements: first(q.Disagreements, most), Leniency: q.Leniency, Surprises: q.Surprises,
		ChangedGrades: first(q.Changed, most),
		Of: contract.QualityCounts{
			Readings: len(q.Readings), Surprises: q.Surprising, Unconfirmed: q.Unconfirmed,
			Disagreements: len(q.Disagreements), ChangedGrades: len(q.Changed),
		},
	}
	v.Names = names(r.State, v.Readings, func(x quality.Scatter) string { return x.Edition })
	maps.Copy(v.Names, names(r.State, v.Disagreements, func(x quality.Disagreement) string { return x.Edition }))
	maps.Copy(v.Names, names(r.State, v.ChangedGrades, func(x quality.ChangedGrade) string { return x.Edition }))
	maps.Copy(v.Names, names(r.State, q.Surprises, func(x quality.Surprise) string { return x.Edition }))
	for _, x := range q.Surprises {
		if x.Previous != "" {
			v.Names[x.Previous] = editionName(r.State, x.Previous)
		}
	}
	return v
}

// first returns the first entries of a list.
func first[T any](all []T, most int) []T { return all[:min(len(all), most)] }

func (h *handlers) ShowTraces(ctx context.Context, r ShowTracesRequest) (*contract.TraceList, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	edition := st.Catalogue.Resolve(r.Distribution + "/" + r.Release + "/" + r.Edition)
	traces, result, err := h.answers.Traces(ctx, q, edition)
	if err != nil {
		return nil, err
	}
	list := contract.TraceList{Checklist: result.List.Name(), Edition: edition, Traces: []contract.CriterionTrace{}}
	for _, t := range traces {
		c, _ := result.List.Criterion(t.Criterion)
		list.Traces = append(list.Traces, traceView(&t, c))
	}
	return &list, nil
}

func traceView(t *scoring.Trace, c *checklist.Criterion) contract.CriterionTrace {
	view := contract.CriterionTrace{
		Criterion: t.Criterion,
		Readings:  []contract.TracedReading{},
		Estimated: t.Estimated,
	}
	for _, x := range t.Readings {
		one := contract.TracedReading{
			Review:  x.Review,
			Edition: x.Edition,
			Reading: *x.Reading,
			Value:   x.Value,
			Points:  x.Points,
			Counts:  x.Counts,
			Why:     x.Why,
		}
		if c.Measured() && len(x.Reading.Answer.Runs) > 0 {
			one.Scatter = quality.Runs(x.Reading, c)
		}
		if x.Changed != nil {
			one.Changed = *x.Changed
		}
		view.Readings = append(view.Readings, one)
	}
	return view
}

// mostPointed is how many editions' points one answer holds.
const mostPointed = 500

func (h *handlers) ListPoints(ctx context.Context, r ListPointsRequest) (*contract.PointsView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	result, err := h.answers.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	if n := len(result.Table.Editions); n > mostPointed {
		return nil, problem.New(problem.Invalid, "the points of %d editions are more than the %d that one answer holds; filter the group, or "+
			"export the points", n, mostPointed)
	}
	v := contract.PointsView{
		Checklist: result.List.Name(),
		Criteria:  []contract.CriterionPoints{},
		Names:     map[string]contract.EditionName{},
	}
	at := make([]int, len(result.Table.Criteria)) // number of readings of each scored criterion
	for i, c := range result.Table.Criteria {
		if c.Scored() {
			at[i] = len(v.Criteria)
			v.Criteria = append(v.Criteria, contract.CriterionPoints{Key: c.Key, Editions: []contract.EditionPoints{}})
		}
	}
	for e, edition := range result.Table.Editions {
		v.Names[edition] = editionName(result.State, edition)
		cells := result.Table.Cells(e)
		for i, c := range result.Table.Criteria {
			if cell := &cells[i]; c.Scored() && cell.State == scoring.Answered {
				into := &v.Criteria[at[i]].Editions
				*into = append(*into, contract.EditionPoints{
					Edition: edition, Points: *cell.Points, Rigs: cell.Rigs, Estimated: cell.Estimates(),
				})
			}
		}
	}
	return &v, nil
}

func (h *handlers) CarryOver(ctx context.Context, r CarryOverRequest) (*contract.CarriedList, error) {
	carried, n, err := h.reviewing.CarryOver(
		ctx,
		whoAsks(request(ctx)),
		reviewing.CarryOver{
			Reviews:   r.Body.Reviews,
			To:        r.Body.To,
			Trial:     r.Body.Trial,
			Accept:    r.Body.Accept,
			Unchanged: r.Body.Unchanged,
		},
	)
	if err != nil {
		return nil, err
	}
	if n > 0 {
		if _, err := h.written(ctx, n); err != nil {
			return nil, err
		}
	}
	list := contract.CarriedList{To: r.Body.To, Carried: []contract.CarriedReview{}}
	for _, c := range carried {
		list.Carried = append(list.Carried, contract.CarriedReview{
			From: c.From, Review: c.ID, Edition: c.Edition, Kept: c.Kept, AskedAgain: c.AskedAgain, New: c.New,
			Unread: c.Unread, Dropped: c.Dropped,
			Unchanged: c.Unchanged, Accepted: c.Accepted, EntriesDropped: c.Entries,
			Was: contract.ScoreThere{Overall: c.Was.Overall, Coverage: c.Was.Coverage},
			Is:  contract.ScoreThere{Overall: c.Is.Overall, Coverage: c.Is.Coverage},
		})
	}
	return &list, nil
}
