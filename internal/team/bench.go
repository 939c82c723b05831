package team

import (
	"context"
	"errors"
	"hash/fnv"
	"math/rand/v2"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/fault"
	"dappertally/core/planning"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/reviewing"
	"dappertally/internal/store"
)

// Bench is a bench session.
type Bench = store.Bench

// Placing is a placing with its author and time.
type Placing = store.Placing

// BenchView is a bench session with its plan and placings.
type BenchView struct {
	Bench
	Plan     PlanView
	Placings []Placing
}

// OpenBench opens a bench session of a plan on one of its rigs. The seed determines the random order of the
// contenders; 0 lets the service choose one.
func (s *Service) OpenBench(
	ctx context.Context,
	who *access.Actor,
	plan, rig string,
	seed int64,
) (id string, change int64, err error) {
	if err := who.Permit(reviewing.Record); err != nil {
		return "", 0, err
	}
	p, state, err := s.Plan(ctx, who, plan, 0)
	if err != nil {
		return "", 0, err
	}
	if p.State != PlanOpen {
		return "", 0, problem.New(problem.Conflict, "the plan is %s; reopen it first", p.State)
	}
	rig = state.Catalogue.ResolveRig(rig)
	if !slices.Contains(p.Rigs, rig) {
		return "", 0, problem.Field("/rig", "the plan does not include %q; it has %v", rig, p.Rigs)
	}
	if seed == 0 {
		seed = 1 + rand.Int64N(1_000_000)
	}
	id = ledger.NewID()
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddBench(id, plan, state.Catalogue.RigVersions[rig].ID, seed); err != nil {
			return err
		}
		return tx.Log("opened a bench session", store.SortPlan, plan, rig)
	})
	return id, change, err
}

// Bench returns a bench session with its plan and placings.
func (s *Service) Bench(
	ctx context.Context,
	who *access.Actor,
	id string,
	after int64,
) (BenchView, *ledger.Records, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return BenchView{}, nil, err
	}
	b, err := s.ledger.Store.Bench(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return BenchView{}, nil, problem.New(problem.NotFound, "there is no bench session %s", id)
	}
	if err != nil {
		return BenchView{}, nil, ledger.Failed(err, "reading a bench session")
	}
	v := BenchView{Bench: b}
	var state *ledger.Records
	if v.Plan, state, err = s.Plan(ctx, who, b.Plan, after); err != nil {
		return BenchView{}, nil, err
	}
	if v.Placings, err = s.ledger.Store.Placings(ctx, id); err != nil {
		return BenchView{}, nil, ledger.Failed(err, "reading placings")
	}
	for _, p := range v.Placings {
		for _, tied := range p.Order {
			for i := range tied {
				tied[i] = state.Catalogue.Resolve(tied[i])
			}
		}
	}
	return v, state, nil
}

// Lot returns the random order in which contenders are tried for a criterion: a round for each run. It only depends
// on the session's seed and the criterion.
func (v *BenchView) Lot(c *checklist.Criterion) [][]string {
	names := make([]string, len(v.Plan.Contenders))
	for i, x := range v.Plan.Contenders {
		names[i] = x.Edition
	}
	h := fnv.New64a()
	_, _ = h.Write([]byte(c.Key)) // never fails
	return planning.Draw(names, max(v.Plan.Wanted(c), 1), rand.New(rand.NewPCG(uint64(v.Seed), h.Sum64())).IntN)
}

// Sheet is one criterion of a bench session for all contenders.
type Sheet struct {
	Criterion *checklist.Criterion
	Lot       [][]string
	Lines     []SheetLine // by contender, in the plan's order
	Baseline  string      // the contender that is the baseline of differences
}

// SheetLine is one contender of a sheet.
type SheetLine struct {
	Edition  string
	Review   string            // the review of its readings; empty: none
	Readings []reading.Reading // readings of this criterion on this rig that were not replaced, as far as the actor can see them
	Points   *float64          // on this rig
	Row      *comparing.Row    // a measure compared with the baseline
}

// BenchSheet returns one criterion of a session: the readings, and how contenders differ from the baseline so far; by
// default the plan's first contender.
func (s *Service) BenchSheet(
	ctx context.Context,
	who *access.Actor,
	id, criterion, baseline string,
	after int64,
) (Sheet, error) {
	v, state, err := s.Bench(ctx, who, id, after)
	if err != nil {
		return Sheet{}, err
	}
	c, ok := v.Plan.List.Criterion(criterion)
	if !ok || !slices.Contains(v.Plan.Criteria, criterion) {
		return Sheet{}, problem.New(problem.NotFound, "the plan does not include %q", criterion)
	}
	if baseline = state.Catalogue.Resolve(baseline); baseline == "" {
		baseline = v.Plan.Contenders[0].Edition
	}
	sheet := Sheet{Criterion: c, Lot: v.Lot(c), Baseline: baseline}
	in := scoring.Input{Checklist: v.Plan.List, Rigs: state.Catalogue.Rigs}
	now := s.ledger.Now()
	for _, contender := range v.Plan.Contenders {
		line := SheetLine{
			Edition:  contender.Edition,
			Review:   v.Plan.Reviews[contender.Edition],
			Readings: []reading.Reading{},
		}
		if line.Review != "" {
			rs, _, err := s.reviewing.Readings(ctx, who, line.Review)
			if err != nil {
				return Sheet{}, err
			}
			for _, x := range unreplaced(rs) {
				if x.Criterion == criterion && (x.Rig == v.Rig || x.Rig == "") {
					line.Readings = append(line.Readings, x)
				}
			}
		}
		// As if each contender had just these readings.
		in.Reviews = append(
			in.Reviews,
			reading.Review{
				ID:        contender.Edition,
				Edition:   contender.Edition,
				Checklist: v.Plan.Checklist,
				State:     reading.Accepted,
				Accepted:  &now,
				Readings:  line.Readings,
			},
		)
		sheet.Lines = append(sheet.Lines, line)
	}
	table := scoring.Tabulate(in, scoring.Options{})
	compared, err := comparing.Compare(table, baseline, nil)
	if err != nil {
		return Sheet{}, problem.New(problem.NotFound, "%s is not a contender", baseline)
	}
	for i := range sheet.Lines {
		line := &sheet.Lines[i]
		if j := slices.IndexFunc(compared.Rows, func(r comparing.Row) bool { return r.Edition == line.Edition && r.Criterion == criterion }); j >= 0 {
			line.Row = &compared.Rows[j]
		}
		e := table.Row(line.Edition)
		if k, asked := table.Index(criterion); asked && e >= 0 {
			line.Points = table.Cell(e, k).Points
		}
	}
	return sheet, nil
}

// Place appends a placing to a session: best first, grouped by place.
func (s *Service) Place(ctx context.Context, who *access.Actor, bench string, x Placing) (int64, error) {
	if err := who.Permit(reviewing.Record); err != nil {
		return 0, err
	}
	v, state, err := s.Bench(ctx, who, bench, 0)
	if err != nil {
		return 0, err
	}
	var book fault.Book
	if (x.Criterion == "") == (x.Question == "") || len(x.Question) > 500 {
		book.Field(
			"question",
			"name either a criterion of the plan or a question of at most 500 bytes",
		)
	}
	if x.Criterion != "" && !slices.Contains(v.Plan.Criteria, x.Criterion) {
		book.Field("criterion", "the plan does not include %.70q", x.Criterion)
	}
	if !reading.ValidID(x.ID) {
		book.Field("id", "%.70q is not a UUID in lower case", x.ID)
	}
	placed := map[string]bool{}
	book.In("order", func() {
		for i := range x.Order {
			book.In(i, func() {
				for j, e := range x.Order[i] {
					e = state.Catalogue.Resolve(e)
					x.Order[i][j] = e
					contends := slices.ContainsFunc(
						v.Plan.Contenders, func(c planning.Contender) bool { return c.Edition == e },
					)
					switch {
					case !contends:
						book.In(j, func() { book.Add("%s is not a contender of the plan", e) })
					case placed[e]:
						book.In(j, func() { book.Add("%s is placed twice", e) })
					}
					placed[e] = true
				}
				if len(x.Order[i]) == 0 {
					book.Add("a rank is empty")
				}
			})
		}
		if len(placed) < 2 {
			book.Add("place at least two contenders")
		}
	})
	if err := problem.From("the placing", book.List()); err != nil {
		return 0, err
	}
	if !v.Closed.IsZero() {
		return 0, problem.New(problem.Conflict, "the session is closed; reopen it first")
	}
	x.Bench = bench
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddPlacing(&x); err != nil {
			return ledger.Exists(err, "this placing is already recorded, or somebody else replaced it")
		}
		return tx.Log("placed", store.SortPlan, v.Bench.Plan, x.ID)
	})
}

// CloseBench closes a session, or opens it again.
func (s *Service) CloseBench(
	ctx context.Context,
	who *access.Actor,
	id string,
	v ledger.Version,
	closed bool,
) (int64, error) {
	if err := who.Permit(reviewing.Record); err != nil {
		return 0, err
	}
	b, err := s.ledger.Store.Bench(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return 0, problem.New(problem.NotFound, "there is no bench session %s", id)
	}
	if err != nil {
		return 0, ledger.Failed(err, "reading a bench session")
	}
	ref, err := ledger.Based(map[string]store.Ref{id: b.Ref}, id, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.CloseBench(ref, closed); err != nil {
			return err
		}
		return tx.Log("closed a bench session", store.SortPlan, b.Plan, id)
	})
}
