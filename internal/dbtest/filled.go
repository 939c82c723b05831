package dbtest

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// Filled gives tests schemas that all begin with the same records. What fills them
// runs once for a package; each test gets a copy, which takes a tenth of the time.
type Filled struct {
	Fill func(ctx context.Context, s *store.Store) error

	once sync.Once
	name string // of the schema that is copied
	err  error
}

// DSN gives the address of a schema of its own with those records.
func (f *Filled) DSN(t testing.TB) string {
	t.Helper()
	dsn := DSN(t)
	base := os.Getenv(Variable)
	if base == "" { // the server ends with the test, so that nothing can be copied from another
		if err := f.fill(dsn); err != nil {
			t.Fatal(err)
		}
		return dsn
	}
	f.once.Do(func() { f.err = f.template(base) })
	if f.err != nil {
		t.Fatal(f.err)
	}
	if err := copySchema(base, f.name, dsn); err != nil {
		t.Fatal(err)
	}
	return dsn
}

// Open gives a store on a schema of its own with those records.
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

// template fills the schema that is copied; it goes with the server.
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
	f.name = localdb.Schema + "_" + strings.ReplaceAll(store.NewID(), "-", "")
	if _, err := db.Exec("CREATE DATABASE " + f.name); err != nil {
		return err
	}
	cfg.DBName = f.name
	return f.fill(cfg.FormatDSN())
}

// copySchema makes the tables of a schema again in an empty one, with their keys and
// rows.
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
	conn, err := db.Conn(ctx) // what is set holds for one connection
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
		// Without statistics the server would join the copied rows in the order of chance.
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
