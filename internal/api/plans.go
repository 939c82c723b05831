package api

import (
	"context"

	"dappertally/core/planning"
	"dappertally/internal/board"
	"dappertally/internal/service"
)

func (h *handlers) ListPlans(ctx context.Context, _ ListPlansRequestObject) (ListPlansResponseObject, error) {
	all, err := h.Plans(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := PlanList{Plans: []PlanSummary{}}
	for i := range all {
		p := &all[i]
		list.Plans = append(list.Plans, PlanSummary{
			Id: p.ID, State: PlanState(p.State), Person: p.Person, Created: p.Created, Title: p.Title, Question: p.Question, Contenders: len(p.Contenders),
		})
	}
	return ListPlans200JSONResponse(list), nil
}

func planView(st *board.State, p *service.PlanView) PlanView {
	v := PlanView{
		Id: p.ID, State: PlanState(p.State), Person: p.Person, Created: p.Created, Plan: p.ComparisonPlan.Plan,
		Warnings: p.Warnings, Matrix: p.Matrix, Sessions: []BenchSummary{}, Reviews: p.Reviews,
	}
	for i := range p.Benches {
		v.Sessions = append(v.Sessions, benchSummary(&p.Benches[i]))
	}
	v.Names = names(st, p.Contenders, func(c planning.Contender) string { return c.Edition })
	return v
}

func benchSummary(b *service.Bench) BenchSummary {
	return BenchSummary{Id: b.ID, Rig: b.Rig, Seed: b.Seed, Person: b.Person, Started: b.Started, Closed: b.Closed}
}

func (h *handlers) showPlan(ctx context.Context, id string, after int64) (PlanView, error) {
	p, st, err := h.Plan(ctx, whoAsks(request(ctx)), id, after)
	if err != nil {
		return PlanView{}, err
	}
	request(ctx).Set(keyRevision, p.Revision)
	return planView(st, &p), nil
}

func (h *handlers) ShowPlan(ctx context.Context, r ShowPlanRequestObject) (ShowPlanResponseObject, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	v, err := h.showPlan(ctx, r.Id, after)
	return ShowPlan200JSONResponse(v), err
}

func (h *handlers) AddPlan(ctx context.Context, r AddPlanRequestObject) (AddPlanResponseObject, error) {
	id, n, err := h.Service.AddPlan(ctx, whoAsks(request(ctx)), *r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showPlan(ctx, id, n)
	return AddPlan201JSONResponse(v), err
}

func (h *handlers) TryPlan(ctx context.Context, r TryPlanRequestObject) (TryPlanResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	p, err := h.Service.TryPlan(ctx, whoAsks(request(ctx)), *r.Body)
	if err != nil {
		return nil, err
	}
	return TryPlan200JSONResponse(planView(st, &p)), nil
}

func (h *handlers) EditPlan(ctx context.Context, r EditPlanRequestObject) (EditPlanResponseObject, error) {
	to := string(r.Params.State)
	if to == "" {
		to = service.PlanOpen
	}
	n, err := h.Service.EditPlan(ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), to, *r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showPlan(ctx, r.Id, n)
	return EditPlan200JSONResponse(v), err
}

func (h *handlers) showBench(ctx context.Context, id string, after int64) (BenchView, error) {
	b, st, err := h.Bench(ctx, whoAsks(request(ctx)), id, after)
	if err != nil {
		return BenchView{}, err
	}
	request(ctx).Set(keyRevision, b.Revision)
	v := BenchView{
		Session:  benchSummary(&b.Bench),
		Plan:     planView(st, &b.Plan),
		Lots:     map[string][][]string{},
		Placings: []PlacingView{},
	}
	for _, key := range b.Plan.Criteria {
		if c, ok := b.Plan.List.Criterion(key); ok {
			v.Lots[key] = b.Lot(c)
		}
	}
	for _, x := range b.Placings {
		v.Placings = append(
			v.Placings,
			PlacingView{
				Id:        x.ID,
				Person:    x.Person,
				At:        x.At,
				Criterion: x.Criterion,
				Question:  x.Question,
				Order:     x.Order,
				Note:      x.Note,
			},
		)
	}
	return v, nil
}

func (h *handlers) ShowBench(ctx context.Context, r ShowBenchRequestObject) (ShowBenchResponseObject, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	v, err := h.showBench(ctx, r.Id, after)
	return ShowBench200JSONResponse(v), err
}

func (h *handlers) OpenBench(ctx context.Context, r OpenBenchRequestObject) (OpenBenchResponseObject, error) {
	id, n, err := h.Service.OpenBench(ctx, whoAsks(request(ctx)), r.Id, r.Body.Rig, r.Body.Seed)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, id, n)
	return OpenBench201JSONResponse(v), err
}

func (h *handlers) CloseBench(ctx context.Context, r CloseBenchRequestObject) (CloseBenchResponseObject, error) {
	n, err := h.Service.CloseBench(ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), r.Body.Closed)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, r.Id, n)
	return CloseBench200JSONResponse(v), err
}

func (h *handlers) Place(ctx context.Context, r PlaceRequestObject) (PlaceResponseObject, error) {
	b := r.Body
	x := service.Placing{
		ID:       r.Placing,
		Replaces: b.Replaces,
		Placing:  planning.Placing{Criterion: b.Criterion, Question: b.Question, Order: b.Order, Note: b.Note},
	}
	n, err := h.Service.Place(ctx, whoAsks(request(ctx)), r.Id, x)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, r.Id, n)
	return Place200JSONResponse(v), err
}

func (h *handlers) ShowSheet(ctx context.Context, r ShowSheetRequestObject) (ShowSheetResponseObject, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	x, err := h.BenchSheet(ctx, whoAsks(request(ctx)), r.Id, r.Criterion, r.Params.Baseline, after)
	if err != nil {
		return nil, err
	}
	out := BenchSheet{Criterion: *x.Criterion, Baseline: x.Baseline, Lines: []SheetLine{}}
	for _, l := range x.Lines {
		line := SheetLine{Edition: l.Edition, Review: l.Review, Readings: l.Readings, Points: l.Points}
		if l.Row != nil {
			line.Row = *l.Row
		}
		out.Lines = append(out.Lines, line)
	}
	return ShowSheet200JSONResponse(out), nil
}
