package team

import (
	"context"
	"errors"
	"slices"
	"strconv"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/planning"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// ComparisonPlan is a stored comparison plan.
type ComparisonPlan = store.Plan

// The states of a plan.
const (
	PlanOpen    = "open"
	PlanDone    = "done"
	PlanDropped = "dropped"
)

// PlanView is a plan with its warnings and progress.
type PlanView struct {
	ComparisonPlan
	List     *checklist.Checklist
	Reviews  map[string]string // id of the review, on the plan's checklist version, for a contender's readings, by edition
	Warnings []planning.Warning
	Matrix   []planning.Done
	Benches  []Bench
}

// Plans lists comparison plans, newest first.
func (s *Service) Plans(ctx context.Context, who *access.Actor) ([]ComparisonPlan, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	ps, err := s.ledger.Store.Plans(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading plans")
	}
	return ps, nil
}

// Plan returns a plan with its warnings, its progress, and its sessions.
func (s *Service) Plan(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (PlanView, *ledger.Records, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return PlanView{}, nil, err
	}
	state, err := s.ledger.State(ctx, after)
	if err != nil {
		return PlanView{}, nil, err
	}
	p, err := s.Resolved(ctx, state, id)
	if err != nil {
		return PlanView{}, nil, err
	}
	v := PlanView{ComparisonPlan: p}
	if v.Benches, err = s.ledger.Store.Benches(ctx, id); err != nil {
		return PlanView{}, nil, ledger.Failed(err, "reading bench sessions")
	}
	return v, state, s.lookAt(ctx, who, state, &v)
}

// Resolved returns a plan with the current keys of its editions and rigs.
func (s *Service) Resolved(ctx context.Context, state *ledger.Records, id string) (ComparisonPlan, error) {
	p, err := s.ledger.Store.Plan(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return p, problem.New(problem.NotFound, "there is no plan %s", id)
	}
	if err != nil {
		return p, ledger.Failed(err, "reading a plan")
	}
	resolvePlan(state, &p.Plan)
	return p, nil
}

// resolvePlan updates a plan after something in it was renamed or merged.
func resolvePlan(state *ledger.Records, p *planning.Plan) {
	for i := range p.Contenders {
		p.Contenders[i].Edition = state.Catalogue.Resolve(p.Contenders[i].Edition)
	}
	for i := range p.Rigs {
		p.Rigs[i] = state.Catalogue.ResolveRig(p.Rigs[i])
	}
}

// lookAt fills in the warnings and the progress of a plan.
func (s *Service) lookAt(ctx context.Context, who *access.Actor, state *ledger.Records, v *PlanView) (err error) {
	if v.List, err = answers.Version(state, v.Checklist); err != nil {
		return err
	}
	all, err := s.reviewing.All(ctx)
	if err != nil {
		return err
	}
	subjects := map[string]planning.Subject{}
	readings := map[string][]reading.Reading{}
	v.Reviews = map[string]string{}
	for _, c := range v.Contenders {
		p, ok := state.Place(c.Edition)
		if !ok {
			continue
		}
		x := planning.Subject{Place: p}
		if r := recordsIn(all, c.Edition, v.Checklist); r != nil {
			x.Review, x.Checklist = r.ID, r.Checklist
			if r.Checklist == v.Checklist {
				v.Reviews[c.Edition] = r.ID
				if readings[c.Edition], _, err = s.reviewing.Readings(ctx, who, r.ID); err != nil {
					return err
				}
			}
		}
		subjects[c.Edition] = x
	}
	for edition, rs := range readings {
		readings[edition] = unreplaced(rs)
	}
	v.Warnings = planning.Warnings(&v.ComparisonPlan.Plan, v.List, subjects, state.Catalogue.Rigs, readings)
	v.Matrix = planning.Matrix(&v.ComparisonPlan.Plan, v.List, readings)
	return nil
}

// unreplaced removes the readings that another of them replaces.
func unreplaced(rs []reading.Reading) []reading.Reading {
	gone := map[string]bool{}
	for i := range rs {
		gone[rs[i].Replaces] = true
	}
	return slices.DeleteFunc(rs, func(x reading.Reading) bool { return gone[x.ID] })
}

// recordsIn returns the review for an edition's readings: the newest open one on the checklist version, or else the
// newest accepted one on it, or else the newest on another version.
func recordsIn(all []store.Review, edition, list string) *store.Review {
	rank := func(r *store.Review) int {
		open := r.State == reading.Planned || r.State == reading.Underway || r.State == reading.Submitted
		switch {
		case r.Checklist == list && open:
			return 3
		case r.Checklist == list:
			return 2
		}
		return 1
	}
	var found *store.Review
	for i := range all {
		r := &all[i]
		if r.Edition != edition || r.State == reading.Withdrawn {
			continue
		}
		if found == nil || rank(r) > rank(found) || (rank(r) == rank(found) && r.Created.After(found.Created)) {
			found = r
		}
	}
	return found
}

// AddPlan adds a comparison plan on the named checklist, or on the shown one.
func (s *Service) AddPlan(
	ctx context.Context,
	who *access.Actor,
	p planning.Plan,
) (id string, change int64, err error) {
	if _, err := s.validatePlan(ctx, who, &p); err != nil {
		return "", 0, err
	}
	id = ledger.NewID()
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPlan(id, &p); err != nil {
			return err
		}
		return tx.Log("planned", store.SortPlan, id, p.Title)
	})
	return id, change, err
}

// EditPlan changes a plan, or its state.
func (s *Service) EditPlan(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	to string,
	p planning.Plan,
) (int64, error) {
	if _, err := s.validatePlan(ctx, who, &p); err != nil {
		return 0, err
	}
	if to != PlanOpen && to != PlanDone && to != PlanDropped {
		return 0, problem.Field("/state", "must be open, done or dropped")
	}
	old, err := s.ledger.Store.Plan(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return 0, problem.New(problem.NotFound, "there is no plan %s", id)
	}
	if err != nil {
		return 0, ledger.Failed(err, "reading a plan")
	}
	ref, err := ledger.Based(map[string]store.Ref{id: old.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.EditPlan(ref, to, &p); err != nil {
			return err
		}
		return tx.Log("changed", store.SortPlan, id, to)
	})
}

// validatePlan reports every fault of a plan.
func (s *Service) validatePlan(ctx context.Context, who *access.Actor, p *planning.Plan) (*ledger.Records, error) {
	if err := who.Permit(reviewing.PlanReview); err != nil {
		return nil, err
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return nil, err
	}
	list, err := answers.Shown(state, p.Checklist)
	if err != nil {
		return nil, problem.Field("/checklist", "%s", err)
	}
	p.Checklist = list.Name()
	resolvePlan(state, p)
	var book fault.Book
	planning.Validate(p, list, &book)
	book.In("contenders", func() {
		for i, c := range p.Contenders {
			if _, ok := state.Edition(c.Edition); !ok {
				book.In(i, func() {
					book.Field("edition", "there is no edition %q; write distribution/release/edition", c.Edition)
				})
			}
		}
	})
	book.In("rigs", func() {
		for i, rig := range p.Rigs {
			if _, ok := state.Catalogue.RigVersions[rig]; !ok {
				book.Field(strconv.Itoa(i), "there is no rig %q", rig)
			}
		}
	})
	return state, problem.From("the plan", book.List())
}

// TryPlan returns the warnings for a plan that is not saved yet.
func (s *Service) TryPlan(ctx context.Context, who *access.Actor, p planning.Plan) (PlanView, error) {
	state, err := s.validatePlan(ctx, who, &p)
	if err != nil {
		return PlanView{}, err
	}
	v := PlanView{ComparisonPlan: ComparisonPlan{Plan: p, State: PlanOpen}}
	return v, s.lookAt(ctx, who, state, &v)
}
