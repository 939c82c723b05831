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
	"golang.org/x/sys/unix"

	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// Variable names the environment variable that carries the address of a server
// which a whole run of tests shares. Without it a test starts one for itself.
const Variable = "DTALLY_TEST_DATABASE"

// Start starts a server in a folder for tests alone: it writes to the disk when it likes,
// since nothing of it has to survive the machine.
func Start(ctx context.Context, dir string) (*localdb.Server, error) {
	return localdb.Start(ctx, dir, "--innodb-flush-method=nosync", "--innodb-flush-log-at-trx-commit=0",
		"--skip-innodb-doublewrite", "--sync-frm=0")
}

// Place gives the folder in which the folders of tests' servers are made: one in memory
// where there is room, so that a slow disk does not hold up the tests, else the system's
// folder for temporary files.
func Place() string {
	const shared, room = "/dev/shm", 4 << 30
	var fs unix.Statfs_t
	if err := unix.Statfs(shared, &fs); err != nil || fs.Bavail*uint64(fs.Bsize) < room ||
		unix.Access(shared, unix.W_OK) != nil {
		return os.TempDir()
	}
	return shared
}

// empty is a migrated schema without records.
var empty = Filled{Name: "empty", Fill: func(context.Context, *store.Store) error { return nil }}

// Open gives a migrated store on a schema that goes with the test.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return empty.Open(t)
}

// Folder gives a folder for a private server that goes with the test. Every user can get
// through to it: started by root, a server runs as another one.
func Folder(t testing.TB) string {
	t.Helper()
	dir, err := os.MkdirTemp(Place(), "dtally-")
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
		server, err := Start(context.Background(), Folder(t))
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

// Migrated gives the address of a migrated schema without records that goes with the test.
func Migrated(t testing.TB) string {
	t.Helper()
	return empty.DSN(t)
}
