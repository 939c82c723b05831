package api

import (
	"context"

	"dappertally/core/planning"
	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/team"
)

func (h *handlers) ListPlans(ctx context.Context, _ ListPlansRequest) (*contract.PlanList, error) {
	all, err := h.team.Plans(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	list := contract.PlanList{Plans: []contract.PlanSummary{}}
	for i := range all {
		p := &all[i]
		list.Plans = append(list.Plans, contract.PlanSummary{
			Id: p.ID, State: contract.PlanState(p.State), Person: p.Person, Created: p.Created, Title: p.Title, Question: p.Question, Contenders: len(p.Contenders),
		})
	}
	return &list, nil
}

func planView(st *ledger.Records, p *team.PlanView, who *access.Actor) contract.PlanView {
	v := contract.PlanView{
		Id: p.ID, May: team.MayPlan(who, p), State: contract.PlanState(p.State), Person: p.Person, Created: p.Created, Plan: p.ComparisonPlan.Plan,
		Warnings: p.Warnings, Matrix: p.Matrix, Sessions: []contract.BenchSummary{}, Reviews: p.Reviews,
	}
	for i := range p.Benches {
		v.Sessions = append(v.Sessions, benchSummary(&p.Benches[i]))
	}
	v.Names = names(st, p.Contenders, func(c planning.Contender) string { return c.Edition })
	return v
}

func benchSummary(b *team.Bench) contract.BenchSummary {
	return contract.BenchSummary{
		Id:      b.ID,
		Rig:     b.Rig,
		Seed:    b.Seed,
		Person:  b.Person,
		Started: b.Started,
		Closed:  b.Closed,
	}
}

func (h *handlers) showPlan(ctx context.Context, id string, after int64) (contract.PlanView, error) {
	p, st, err := h.team.Plan(ctx, whoAsks(request(ctx)), id, after)
	if err != nil {
		return contract.PlanView{}, err
	}
	request(ctx).Set(keyRevision, p.Revision)
	return planView(st, &p, whoAsks(request(ctx))), nil
}

func (h *handlers) ShowPlan(ctx context.Context, r ShowPlanRequest) (*contract.PlanView, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	v, err := h.showPlan(ctx, r.Id, after)
	return &v, err
}

func (h *handlers) AddPlan(ctx context.Context, r AddPlanRequest) (*contract.PlanView, error) {
	id, n, err := h.team.AddPlan(ctx, whoAsks(request(ctx)), *r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showPlan(ctx, id, n)
	return &v, err
}

func (h *handlers) TryPlan(ctx context.Context, r TryPlanRequest) (*contract.PlanView, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	p, err := h.team.TryPlan(ctx, whoAsks(request(ctx)), *r.Body)
	if err != nil {
		return nil, err
	}
	return new(planView(st, &p, whoAsks(request(ctx)))), nil
}

func (h *handlers) EditPlan(ctx context.Context, r EditPlanRequest) (*contract.PlanView, error) {
	to := string(r.Params.State)
	if to == "" {
		to = team.PlanOpen
	}
	n, err := h.team.EditPlan(ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), to, *r.Body)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showPlan(ctx, r.Id, n)
	return &v, err
}

func (h *handlers) showBench(ctx context.Context, id string, after int64) (contract.BenchView, error) {
	b, st, err := h.team.Bench(ctx, whoAsks(request(ctx)), id, after)
	if err != nil {
		return contract.BenchView{}, err
	}
	request(ctx).Set(keyRevision, b.Revision)
	v := contract.BenchView{
		May:      team.MayBench(whoAsks(request(ctx)), &b.Bench),
		Session:  benchSummary(&b.Bench),
		Plan:     planView(st, &b.Plan, whoAsks(request(ctx))),
		Lots:     map[string][][]string{},
		Placings: []contract.PlacingView{},
	}
	for _, key := range b.Plan.Criteria {
		if c, ok := b.Plan.List.Criterion(key); ok {
			v.Lots[key] = b.Lot(c)
		}
	}
	for _, x := range b.Placings {
		v.Placings = append(
			v.Placings,
			contract.PlacingView{
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

func (h *handlers) ShowBench(ctx context.Context, r ShowBenchRequest) (*contract.BenchView, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	v, err := h.showBench(ctx, r.Id, after)
	return &v, err
}

func (h *handlers) OpenBench(ctx context.Context, r OpenBenchRequest) (*contract.BenchView, error) {
	id, n, err := h.team.OpenBench(ctx, whoAsks(request(ctx)), r.Id, r.Body.Rig, r.Body.Seed)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, id, n)
	return &v, err
}

func (h *handlers) CloseBench(ctx context.Context, r CloseBenchRequest) (*contract.BenchView, error) {
	n, err := h.team.CloseBench(ctx, whoAsks(request(ctx)), r.Id, version(r.Params.IfMatch), r.Body.Closed)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, r.Id, n)
	return &v, err
}

func (h *handlers) Place(ctx context.Context, r PlaceRequest) (*contract.BenchView, error) {
	b := r.Body
	x := team.Placing{
		ID:       r.Placing,
		Replaces: b.Replaces,
		Placing:  planning.Placing{Criterion: b.Criterion, Question: b.Question, Order: b.Order, Note: b.Note},
	}
	n, err := h.team.Place(ctx, whoAsks(request(ctx)), r.Id, x)
	if err != nil {
		return nil, err
	}
	h.changed(ctx, n)
	v, err := h.showBench(ctx, r.Id, n)
	return &v, err
}

func (h *handlers) ShowSheet(ctx context.Context, r ShowSheetRequest) (*contract.BenchSheet, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	x, err := h.team.BenchSheet(ctx, whoAsks(request(ctx)), r.Id, r.Criterion, r.Params.Baseline, after)
	if err != nil {
		return nil, err
	}
	out := contract.BenchSheet{Criterion: *x.Criterion, Baseline: x.Baseline, Lines: []contract.SheetLine{}}
	for _, l := range x.Lines {
		line := contract.SheetLine{Edition: l.Edition, Review: l.Review, Readings: l.Readings, Points: l.Points}
		if l.Row != nil {
			line.Row = *l.Row
		}
		out.Lines = append(out.Lines, line)
	}
	return &out, nil
}
