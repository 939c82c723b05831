// Package dbtest provides tests with a real database: a schema of their own on a private server.
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

// Variable is the environment variable with the address of a server that a whole run of tests shares. Without it a
// test starts its own.
const Variable = "DTALLY_TEST_DATABASE"

// Start starts a server for tests in a folder. It writes to the disk lazily, since its data need not survive a crash
// of the machine.
func Start(ctx context.Context, dir string) (*localdb.Server, error) {
	return localdb.Start(ctx, dir, "--innodb-flush-method=nosync", "--innodb-flush-log-at-trx-commit=0",
		"--skip-innodb-doublewrite", "--sync-frm=0")
}

// Place returns the folder for the folders of tests' servers: one in memory if there is room, so that a slow disk
// does not delay the tests; otherwise the system's folder for temporary files.
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

// Open returns a migrated store on a schema that is dropped with the test.
func Open(t testing.TB) *store.Store {
	t.Helper()
	return empty.Open(t)
}

// Folder returns a folder for a private server that is deleted with the test. Every user can access it: started by
// root, a server runs as another user.
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

// DSN returns the address of an empty schema that is dropped with the test.
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

// Migrated returns the address of a migrated schema without records that is dropped with the test.
func Migrated(t testing.TB) string {
	t.Helper()
	return empty.DSN(t)
}
