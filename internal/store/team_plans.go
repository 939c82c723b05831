package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"dappertally/core/planning"
)

// Plan is a stored comparison plan.
type Plan struct {
	Ref
	planning.Plan
	State   string // open, done, dropped
	Person  string
	Created time.Time
}

// Bench is a bench session: one criterion at a time for all contenders of a plan, on one rig.
type Bench struct {
	Ref
	Plan    string // id
	Rig     string // key
	Seed    int64
	Person  string
	Started time.Time
	Closed  time.Time // zero: still open
}

// Placing is a placing with its author and time.
type Placing struct {
	ID       string
	Bench    string
	Person   string
	At       time.Time
	Replaces string
	planning.Placing
}

const selectPlans = `SELECT x.id, x.revision, x.state, p.name, x.created, x.document FROM plans x LEFT JOIN people p ON p.id = x.person`

func scanPlan(row interface{ Scan(...any) error }) (p Plan, err error) {
	var document []byte
	if err := row.Scan(&p.ID, &p.Revision, &p.State, orEmpty{&p.Person}, &p.Created, &document); err != nil {
		return p, err
	}
	return p, json.Unmarshal(document, &p.Plan)
}

// Plans reads all comparison plans, newest first.
func (s *Store) Plans(ctx context.Context) ([]Plan, error) {
	plans := []Plan{}
	err := each(ctx, s.db, selectPlans+` ORDER BY x.created DESC, x.id DESC`, nil, func(row *sql.Rows) error {
		p, err := scanPlan(row)
		plans = append(plans, p)
		return err
	})
	return plans, err
}

// Plan reads one comparison plan.
func (s *Store) Plan(ctx context.Context, id string) (Plan, error) {
	p, err := scanPlan(s.db.QueryRowContext(ctx, selectPlans+` WHERE x.id = ?`, id))
	return p, translate(err)
}

// AddPlan adds a plan.
func (t *Tx) AddPlan(id string, p *planning.Plan) error {
	return t.exec(
		`INSERT INTO plans (id, document, person, created) VALUES (?, ?, ?, ?)`,
		id,
		asJSON(p),
		null(t.person),
		t.now,
	)
}

// EditPlan changes a plan.
func (t *Tx) EditPlan(ref Ref, state string, p *planning.Plan) error {
	return t.edit("plans", ref.ID, ref.Revision, "document = ?, state = ?", asJSON(p), state)
}

const selectBenches = `SELECT b.id, b.revision, b.plan, g.key, b.seed, p.name, b.started, b.closed FROM bench_sessions b JOIN rigs g ON g.id = b.rig JOIN people p ON p.id = b.person`

func scanBench(row interface{ Scan(...any) error }) (b Bench, err error) {
	var closed sql.NullTime
	err = row.Scan(&b.ID, &b.Revision, &b.Plan, &b.Rig, &b.Seed, &b.Person, &b.Started, &closed)
	b.Closed = closed.Time
	return b, err
}

// Benches reads the bench sessions of a plan, oldest first.
func (s *Store) Benches(ctx context.Context, plan string) ([]Bench, error) {
	benches := []Bench{}
	err := each(
		ctx,
		s.db,
		selectBenches+` WHERE b.plan = ? ORDER BY b.started, b.id`,
		[]any{plan},
		func(row *sql.Rows) error {
			b, err := scanBench(row)
			benches = append(benches, b)
			return err
		},
	)
	return benches, err
}

// Bench reads one bench session.
func (s *Store) Bench(ctx context.Context, id string) (Bench, error) {
	b, err := scanBench(s.db.QueryRowContext(ctx, selectBenches+` WHERE b.id = ?`, id))
	return b, translate(err)
}

// AddBench opens a bench session on the rig with that id.
func (t *Tx) AddBench(id, plan, rig string, seed int64) error {
	return t.exec(
		`INSERT INTO bench_sessions (id, plan, rig, seed, person, started) VALUES (?, ?, ?, ?, ?, ?)`,
		id,
		plan,
		rig,
		seed,
		t.person,
		t.now,
	)
}

// CloseBench closes a bench session, or opens it again.
func (t *Tx) CloseBench(ref Ref, closed bool) error {
	return t.edit("bench_sessions", ref.ID, ref.Revision, "closed = ?", sql.NullTime{Time: t.now, Valid: closed})
}

// Placings reads the placings of a bench session that were not replaced, oldest first.
func (s *Store) Placings(ctx context.Context, bench string) ([]Placing, error) {
	return s.placings(ctx, "x.bench = ?", bench)
}

// ClosedPlacings reads the placings of all closed bench sessions.
func (s *Store) ClosedPlacings(ctx context.Context) ([]Placing, error) {
	return s.placings(ctx, "x.bench IN (SELECT id FROM bench_sessions WHERE closed IS NOT NULL)")
}

func (s *Store) placings(ctx context.Context, where string, args ...any) ([]Placing, error) {
	placings := []Placing{}
	err := each(
		ctx,
		s.db,
		`SELECT x.id, x.bench, p.name, x.at, x.replaces, x.document FROM placings x JOIN people p ON p.id = x.person
		WHERE `+where+` AND NOT EXISTS (SELECT 1 FROM placings y WHERE y.replaces = x.id) ORDER BY x.at, x.id`,
		args,
		func(row *sql.Rows) error {
			var x Placing
			var document []byte
			if err := row.Scan(&x.ID, &x.Bench, &x.Person, &x.At, orEmpty{&x.Replaces}, &document); err != nil {
				return err
			}
			err := json.Unmarshal(document, &x.Placing)
			placings = append(placings, x)
			return err
		},
	)
	return placings, err
}

// AddPlacing appends a placing.
func (t *Tx) AddPlacing(x *Placing) error {
	return t.exec(
		`INSERT INTO placings (id, bench, document, person, at, replaces) VALUES (?, ?, ?, ?, ?, ?)`,
		x.ID,
		x.Bench,
		asJSON(x.Placing),
		t.person,
		t.now,
		null(x.Replaces),
	)
}
