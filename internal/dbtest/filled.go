package dbtest

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// Filled provides tests with schemas that hold the same records. They are created once per server; each test gets a
// copy, which takes a tenth of the time.
type Filled struct {
	Name string // one for each content: letters, digits and _
	Fill func(ctx context.Context, s *store.Store) error

	once sync.Once
	err  error
}

// schema returns the name of the schema that is copied.
func (f *Filled) schema() string { return localdb.Schema + "_filled_" + f.Name }

// DSN returns the address of a new schema with those records.
func (f *Filled) DSN(t testing.TB) string {
	t.Helper()
	dsn := DSN(t)
	base := os.Getenv(Variable)
	if base == "" { // the server ends with the test, so another cannot be copied
		if err := f.fill(dsn); err != nil {
			t.Fatal(err)
		}
		return dsn
	}
	f.once.Do(func() { f.err = f.template(base) })
	if f.err != nil {
		t.Fatal(f.err)
	}
	if err := copySchema(base, f.schema(), dsn); err != nil {
		t.Fatal(err)
	}
	return dsn
}

// Open returns a store on a new schema with those records.
func (f *Filled) Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(f.DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func (f *Filled) fill(dsn string) error {
	s, err := store.Open(dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	ctx := context.Background()
	if _, err := s.Migrate(ctx); err != nil {
		return err
	}
	return f.Fill(ctx, s)
}

// fillPatience is how long a package waits while another one fills the schema, in seconds.
const fillPatience = 300

// template fills the schema that is copied, unless another package has done so; it lives as long as the server. A
// second schema, without tables, marks the first as complete.
func (f *Filled) template(base string) error {
	cfg, err := mysql.ParseDSN(base)
	if err != nil {
		return err
	}
	db, err := sql.Open("mysql", base)
	if err != nil {
		return err
	}
	defer db.Close()
	ctx := context.Background()
	conn, err := db.Conn(ctx) // a lock belongs to one connection
	if err != nil {
		return err
	}
	defer conn.Close()
	var locked bool
	if err := conn.QueryRowContext(ctx, "SELECT GET_LOCK(?, ?)", f.schema(), fillPatience).Scan(&locked); err != nil {
		return err
	}
	if !locked {
		return fmt.Errorf("another package has been filling %s for %d seconds", f.schema(), fillPatience)
	}
	var whole bool
	if err := conn.QueryRowContext(ctx, "SELECT COUNT(*) > 0 FROM information_schema.schemata WHERE schema_name = ?",
		f.schema()+"_whole").Scan(&whole); err != nil || whole {
		return err
	}
	for _, s := range []string{"DROP DATABASE IF EXISTS " + f.schema(), "CREATE DATABASE " + f.schema()} {
		if _, err := conn.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	cfg.DBName = f.schema()
	if err := f.fill(cfg.FormatDSN()); err != nil {
		return err
	}
	_, err = conn.ExecContext(ctx, "CREATE DATABASE "+f.schema()+"_whole")
	return err
}

// copySchema copies the tables of a schema into an empty one, with their keys and rows.
func copySchema(base, from, to string) error {
	cfg, err := mysql.ParseDSN(to)
	if err != nil {
		return err
	}
	db, err := sql.Open("mysql", base)
	if err != nil {
		return err
	}
	defer db.Close()
	ctx := context.Background()
	conn, err := db.Conn(ctx) // settings apply to one connection
	if err != nil {
		return err
	}
	defer conn.Close()
	for _, s := range []string{"USE " + cfg.DBName, "SET foreign_key_checks = 0, unique_checks = 0"} {
		if _, err := conn.ExecContext(ctx, s); err != nil {
			return err
		}
	}
	tables, err := tablesOf(ctx, conn, from)
	if err != nil {
		return err
	}
	for _, table := range tables {
		var name, create string
		if err := conn.QueryRowContext(ctx, fmt.Sprintf("SHOW CREATE TABLE %s.`%s`", from, table)).Scan(&name, &create); err != nil {
			return err
		}
		// Without statistics the server would join the copied rows in a random order.
		for _, s := range []string{
			create, fmt.Sprintf("INSERT INTO `%s` SELECT * FROM %s.`%s`", table, from, table),
			fmt.Sprintf("ANALYZE TABLE `%s`", table),
		} {
			if _, err := conn.ExecContext(ctx, s); err != nil {
				return fmt.Errorf("copying %s: %w", table, err)
			}
		}
	}
	return nil
}

func tablesOf(ctx context.Context, conn *sql.Conn, schema string) ([]string, error) {
	rows, err := conn.QueryContext(
		ctx, "SELECT table_name FROM information_schema.tables WHERE table_schema = ? ORDER BY table_name", schema,
	)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var tables []string
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		tables = append(tables, name)
	}
	return tables, rows.Err()
}
