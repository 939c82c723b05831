// Package dbtest gives tests a real database: a schema of their own on one
// private server.
package dbtest

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/go-sql-driver/mysql"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// Variable names the environment variable that carries the address of a server
// which a whole run of tests shares. Without it a test starts one for itself.
const Variable = "DTALLY_TEST_DATABASE"

// Open gives a migrated store on a schema that goes with the test.
func Open(t testing.TB) *store.Store {
	t.Helper()
	s, err := store.Open(DSN(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	if _, err := s.Migrate(context.Background()); err != nil {
		t.Fatal(err)
	}
	return s
}

// Folder gives a folder for a private server that goes with the test. Every user can get
// through to it: started by root, a server runs as another one.
func Folder(t testing.TB) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "dtally-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	return dir
}

// DSN gives the address of an empty schema that goes with the test.
func DSN(t testing.TB) string {
	t.Helper()
	base := os.Getenv(Variable)
	if base == "" {
		server, err := localdb.Start(context.Background(), Folder(t))
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(server.Stop)
		base = server.DSN(localdb.Schema)
	}
	cfg, err := mysql.ParseDSN(base)
	if err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("mysql", base)
	if err != nil {
		t.Fatal(err)
	}
	cfg.DBName = localdb.Schema + "_" + strings.ReplaceAll(store.NewID(), "-", "")
	if _, err := db.Exec("CREATE DATABASE " + cfg.DBName); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if _, err := db.Exec("DROP DATABASE " + cfg.DBName); err != nil {
			fmt.Fprintln(os.Stderr, "leaving a test's schema behind:", err)
		}
		db.Close()
	})
	return cfg.FormatDSN()
}
