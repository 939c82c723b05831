package monitor_test

import (
	"context"
	"database/sql"
	"log/slog"
	"testing"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/monitor"
	"dappertally/internal/problem"
	"dappertally/internal/servicetest"
	"dappertally/internal/store"
)

// instance is a service on a database, as one of several.
func instance(t *testing.T, dsn, address string) *monitor.Service {
	t.Helper()
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	l := ledger.New(st, slog.New(slog.DiscardHandler), time.Now)
	go l.Follow(t.Context())
	if _, err := l.State(t.Context(), 1); err != nil {
		t.Fatal(err)
	}
	s := monitor.New(l)
	s.Address, s.BackupDays = address, 7
	return s
}

var perrin = &access.Actor{ID: "1", Name: "perrin", Roles: []access.Role{access.Administrator}}

// shown waits until an instance shows as many instances.
func shown(t *testing.T, s *monitor.Service, instances int) *monitor.Overview {
	t.Helper()
	for end := time.Now().Add(10 * time.Second); ; time.Sleep(20 * time.Millisecond) {
		o, err := s.Overview(t.Context(), perrin)
		if err != nil {
			t.Fatal(err)
		}
		if len(o.Instances) == instances {
			return o
		}
		if time.Now().After(end) {
			t.Fatalf("%d instances are shown, not %d: %+v", len(o.Instances), instances, o.Instances)
		}
	}
}

// TestOverview runs two instances on one database. Each shows both, until one ends, falls silent, or writes a report of
// another form.
func TestOverview(t *testing.T) {
	dsn := servicetest.Filled.DSN(t)
	one, two := instance(t, dsn, "attic 127.0.0.1:1"), instance(t, dsn, "cellar 127.0.0.1:2")
	two.Answered(&monitor.Request{Status: 200, Took: time.Millisecond})
	for i := range 25 {
		two.Answered(&monitor.Request{
			At: time.Unix(
				int64(i),
				0,
			), Route: "/api/v1/ranking", Status: 503, Took: monitor.SlowFrom, Statements: int64(i),
		})
	}
	end := make([]context.CancelFunc, 2)
	ended := make(chan bool, 2)
	for i, s := range []*monitor.Service{one, two} {
		var ctx context.Context
		ctx, end[i] = context.WithCancel(t.Context())
		go func() { s.Run(ctx); ended <- true }()
	}
	o := shown(t, one, 2)
	first, second := o.Instances[0], o.Instances[1]
	if first.Address != "attic 127.0.0.1:1" || !first.Asked || second.Address != "cellar 127.0.0.1:2" || second.Asked {
		t.Errorf("instances: %+v", o.Instances)
	}
	if second.Requests != 26 || second.Failed != 25 || second.Behind != 0 || second.Silent > 5*time.Second ||
		second.Change != o.Change || o.Change == 0 || int64(second.Schema) != o.Schema {
		t.Errorf("the second: %+v, of change %d and schema %d", second, o.Change, o.Schema)
	}
	if len(o.Slow) != 20 || o.Slow[0].Statements != 24 || o.Slow[0].Instance != second.Address {
		t.Errorf("slow: %+v", o.Slow)
	}
	if len(o.Nodes) != 1 || !o.Nodes[0].Used || o.Nodes[0].Problem != "" || o.Nodes[0].Version == "" {
		t.Errorf("nodes: %+v", o.Nodes)
	}
	if !o.LastBackup.IsZero() || o.BackupDays != 7 {
		t.Errorf("backups: %v, %d days", o.LastBackup, o.BackupDays)
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	change := func(statement string) {
		t.Helper()
		if _, err := db.ExecContext(t.Context(), statement, second.ID); err != nil {
			t.Fatal(err)
		}
	}
	change(`UPDATE instances SET report = '["another form"]' WHERE id = ?`)
	if o = shown(t, one, 2); o.Instances[1].Version != "unknown" {
		t.Errorf("another form: %+v", o.Instances[1])
	}
	change(`UPDATE instances SET seen = seen - INTERVAL 61 SECOND WHERE id = ?`)
	shown(t, one, 1)
	end[0]()
	<-ended
	var left int
	if err := db.QueryRowContext(t.Context(), `SELECT COUNT(*) FROM instances`).Scan(&left); err != nil || left != 1 {
		t.Errorf("%d instances are left after one has ended; %v", left, err)
	}
	end[1]()
	<-ended
	if _, err := one.Overview(t.Context(), &access.Actor{ID: "2", Roles: []access.Role{access.Lead}}); !problem.IsKind(
		err,
		problem.Forbidden,
	) {
		t.Errorf("a lead: %v", err)
	}
}
