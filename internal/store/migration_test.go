package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"dappertally/core/checklist"

	"github.com/go-sql-driver/mysql"
)

// breaking opens connections that break at each statement of a migration twice: first before the server runs it, then
// after it has.
type breaking struct {
	driver.Connector
	times map[string]int // that a connection broke at a statement
}

func (b breaking) Connect(ctx context.Context) (driver.Conn, error) {
	opened, err := b.Connector.Connect(ctx)
	if err != nil {
		return nil, err
	}
	return breakingConn{opened.(wholeConn), b.times}, nil
}

type breakingConn struct {
	wholeConn
	times map[string]int
}

func (c breakingConn) ExecContext(
	ctx context.Context, query string, args []driver.NamedValue,
) (driver.Result, error) {
	for _, ours := range []string{stepsTable, migratorsTable, "_LOCK(", "START TRANSACTION", "COMMIT"} {
		if strings.Contains(query, ours) {
			return c.wholeConn.ExecContext(ctx, query, args)
		}
	}
	c.times[query]++
	switch c.times[query] {
	case 1:
		return nil, errors.Join(mysql.ErrInvalidConn, c.Close())
	case 2:
		_, err := c.wholeConn.ExecContext(ctx, query, args)
		return nil, errors.Join(mysql.ErrInvalidConn, err, c.Close())
	}
	return c.wholeConn.ExecContext(ctx, query, args)
}

// atFirst opens a database with records of the first version.
func atFirst(t *testing.T) *Store {
	t.Helper()
	s, err := Open(UpgradeDSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = s.Close() })
	provider, err := s.provider()
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(t.Context(), 1); err != nil {
		t.Fatal(err)
	}
	list := checklist.Checklist{
		Key: "desk", Version: 1, State: checklist.InForce, Audiences: []checklist.Audience{{Key: "radio"}},
	}
	for _, step := range []string{
		"INSERT INTO checklists (id, `key`) VALUES (UUID(), 'desk')",
		"INSERT INTO checklist_versions (id, checklist, version, state, document) SELECT UUID(), id, 1, '" +
			string(list.State) + "', '" + string(asJSON(&list)) + "' FROM checklists",
	} {
		if _, err := s.db.ExecContext(t.Context(), step); err != nil {
			t.Fatal(err)
		}
	}
	fillFirst(t, s)
	return s
}

// layout returns a description of the tables, their columns, indexes and constraints, and the number of rows of each
// table.
func layout(t *testing.T, s *Store) (lines []string) {
	t.Helper()
	for _, query := range []string{
		`SELECT CONCAT_WS(' ', table_name, column_name, ordinal_position, column_type, is_nullable, column_default,
			column_comment) FROM information_schema.columns`,
		`SELECT CONCAT_WS(' ', table_name, index_name, seq_in_index, column_name, non_unique)
			FROM information_schema.statistics`,
		`SELECT CONCAT_WS(' ', table_name, constraint_name, column_name, referenced_table_name, referenced_column_name)
			FROM information_schema.key_column_usage`,
		`SELECT CONCAT_WS(' ', table_name, constraint_name, check_clause) FROM information_schema.check_constraints`,
	} {
		schema := " WHERE table_schema = DATABASE()"
		if strings.Contains(query, "_constraints") || strings.Contains(query, "key_column_usage") {
			schema = " WHERE constraint_schema = DATABASE()"
		}
		found, err := texts(t.Context(), s.db, query+schema)
		if err != nil {
			t.Fatal(err)
		}
		lines = append(lines, found...)
	}
	names, err := texts(t.Context(), s.db, `SELECT table_name FROM information_schema.tables
		WHERE table_schema = DATABASE()`)
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range names {
		var rows int
		if err := s.db.QueryRowContext(t.Context(), "SELECT COUNT(*) FROM "+identifier(name)).Scan(&rows); err != nil {
			t.Fatal(err)
		}
		lines = append(lines, fmt.Sprintf("%s: %d rows", name, rows))
	}
	slices.Sort(lines)
	return lines
}

// TestMigrateResumes interrupts every statement of every migration twice: before it runs, and after. The result is
// the same as without interruptions.
func TestMigrateResumes(t *testing.T) {
	whole := atFirst(t)
	if _, err := whole.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	s := atFirst(t)
	_ = s.patient.Close()
	s.patient = sql.OpenDB(breaking{s.fresh, map[string]int{}})

	applied, broken := 0, 0
	for {
		n, err := s.Migrate(t.Context())
		if applied += n; err == nil {
			break
		}
		if broken++; !errors.Is(err, ErrUnavailable) {
			t.Fatalf("interruption %d: %v", broken, err)
		}
	}
	all, err := allMigrations()
	if err != nil {
		t.Fatal(err)
	}
	if applied != len(all)-1 {
		t.Errorf("%d migrations were counted of %d", applied, len(all)-1)
	}
	statements := 0
	for _, m := range all[1:] {
		statements += len(m.up)
	}
	if broken < 2*statements-20 { // a few texts are there twice
		t.Errorf("%d interruptions of %d statements", broken, statements)
	}
	want, got := counted(layout(t, whole)), counted(layout(t, s))
	for _, line := range slices.Sorted(maps.Keys(want)) {
		if want[line] != got[line] {
			t.Errorf("there %d times and not %d: %s", got[line], want[line], line)
		}
	}
	for _, line := range slices.Sorted(maps.Keys(got)) {
		if want[line] == 0 {
			t.Errorf("more than without interruptions: %s", line)
		}
	}
}

func counted(lines []string) map[string]int {
	count := map[string]int{}
	for _, line := range lines {
		count[line]++
	}
	return count
}

// TestMigrateFails has a table in the way: the migration fails, and fails again in the same way until the table is
// gone.
func TestMigrateFails(t *testing.T) {
	s := atFirst(t)
	do := func(query string) {
		t.Helper()
		if _, err := s.db.ExecContext(t.Context(), query); err != nil {
			t.Fatal(err)
		}
	}
	do("CREATE TABLE proposals (id INT)")
	for range 2 {
		_, err := s.Migrate(t.Context())
		if err == nil || !strings.Contains(err.Error(), "migration 2") || !strings.Contains(err.Error(), "'proposals'") {
			t.Fatalf("with a table in the way: %v", err)
		}
	}
	do("DROP TABLE proposals")
	do("UPDATE " + stepsTable + " SET statement = '' WHERE number = 1")
	if _, err := s.Migrate(t.Context()); err == nil || !strings.Contains(err.Error(), "statement 2 is another") {
		t.Fatalf("of another program: %v", err)
	}
	do("DELETE FROM " + stepsTable + " WHERE number > 0") // as if it had been interrupted right after its first statement
	do("DROP TABLE audiences")
	do("ALTER TABLE reviews DROP FOREIGN KEY reviews_ibfk_5, DROP COLUMN carried_from")
	if _, err := s.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
}

// TestVersionsInterrupted: the migrator's own table lacks its first row.
func TestVersionsInterrupted(t *testing.T) {
	s, err := Open(UpgradeDSN(t))
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if _, _, err := s.SchemaVersions(t.Context()); err != nil {
		t.Fatal(err)
	}
	if _, err := s.db.ExecContext(t.Context(), "DELETE FROM "+migratorsTable); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Migrate(t.Context()); err != nil {
		t.Error(err)
	}
}
