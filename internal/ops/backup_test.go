package ops

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappertally/internal/dbtest"
	"dappertally/internal/servicetest"
)

// dtallyd is the program with these arguments.
func dtallyd(args ...string) (string, error) {
	cmd := Command()
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(&out)
	cmd.SetArgs(args)
	err := cmd.Execute()
	return out.String(), err
}

// demoSchema is a schema with the demo's records, reports and accounts.
func demoSchema(t *testing.T) string {
	t.Helper()
	return servicetest.Filled.DSN(t)
}

// lines returns the content of a backup, without its time and its own hash.
func lines(t *testing.T, name string) []string {
	t.Helper()
	all := strings.SplitAfter(strings.TrimSuffix(plain(t, name), "\n"), "\n")
	_, tables, _ := strings.Cut(all[0], `"tables":`)
	all[0] = tables
	return all[:len(all)-1]
}

func plain(t *testing.T, name string) string {
	t.Helper()
	packed, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		t.Fatal(err)
	}
	text, err := io.ReadAll(r)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

func pack(t *testing.T, text string) string {
	t.Helper()
	var out bytes.Buffer
	w := gzip.NewWriter(&out)
	if _, err := io.WriteString(w, text); err != nil {
		t.Fatal(err)
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	name := filepath.Join(t.TempDir(), "made.gz")
	if err := os.WriteFile(name, out.Bytes(), 0o600); err != nil {
		t.Fatal(err)
	}
	return name
}

// sealed sets the hash that a changed backup would have been written with.
func sealed(text string) string {
	body := text[:strings.LastIndex(strings.TrimSuffix(text, "\n"), "\n")+1]
	sum := sha256.Sum256([]byte(body))
	return body + `{"sha256":"` + hex.EncodeToString(sum[:]) + `"}` + "\n"
}

// forgetLast removes the newest entry of the audit trail.
func forgetLast(t *testing.T, dsn string) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for _, query := range []string{
		`UPDATE audit_head h JOIN audit a ON a.number = h.number - 1 SET h.number = a.number, h.hash = a.hash`,
		`DELETE FROM audit ORDER BY number DESC LIMIT 1`,
		`DELETE FROM writes ORDER BY at DESC LIMIT 1`,
	} {
		if _, err := db.ExecContext(t.Context(), query); err != nil {
			t.Fatal(err)
		}
	}
}

// TestBackup restores everything into an empty database and makes the same backup of it.
func TestBackup(t *testing.T) {
	dsn := demoSchema(t)
	name := filepath.Join(t.TempDir(), "all.gz")
	if out, err := dtallyd("backup", name, "--database", dsn); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if info, err := os.Stat(name); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the file can be read by others: %v, %v", info.Mode(), err)
	}
	if out, err := dtallyd("restore", name, "--dry-run"); err != nil || !strings.Contains(out, "is valid and has") {
		t.Errorf("looked through: %v\n%s", err, out)
	}
	if out, err := dtallyd("restore", name, "--database", dsn); err == nil ||
		!strings.Contains(err.Error(), "is not empty") {
		t.Errorf("into a database with records: %v\n%s", err, out)
	}
	empty := dbtest.DSN(t)
	if out, err := dtallyd("backup", filepath.Join(t.TempDir(), "nothing.gz"), "--database", empty); err == nil ||
		!strings.Contains(err.Error(), "has no records of Dapper Tally") {
		t.Errorf("a backup of nothing: %v\n%s", err, out)
	}
	if out, err := dtallyd("restore", name, "--database", empty); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if out, err := dtallyd("audit", "verify", "--database", empty); err != nil ||
		!strings.Contains(out, "all unaltered") {
		t.Errorf("the restored audit trail: %v\n%s", err, out)
	}
	forgetLast(t, empty) // the entry about the restore
	again := filepath.Join(t.TempDir(), "again.gz")
	if out, err := dtallyd("backup", again, "--database", empty); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	was, is := lines(t, name), lines(t, again)
	if len(was) < 5000 || len(was) != len(is) {
		t.Fatalf("%d lines went in, %d came out", len(was), len(is))
	}
	for i := range was {
		if was[i] != is[i] {
			t.Fatalf("line %d: %.200s became %.200s", i+1, was[i], is[i])
		}
	}
	if out, err := dtallyd("check", "--database", empty); err != nil {
		t.Errorf("the restored database: %v\n%s", err, out)
	}
}

// TestDamagedBackup refuses incomplete or altered backups and leaves the database empty.
func TestDamagedBackup(t *testing.T) {
	name := filepath.Join(t.TempDir(), "all.gz")
	dsn := dbtest.DSN(t)
	if out, err := dtallyd("migrate", "--database", dsn); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	cmd := Command()
	cmd.SetIn(strings.NewReader("a long enough secret\n"))
	cmd.SetOut(io.Discard)
	cmd.SetErr(io.Discard)
	cmd.SetArgs([]string{"account", "add", "marit", "--role", "lead", "--database", dsn})
	if err := cmd.Execute(); err != nil {
		t.Fatal(err)
	}
	if out, err := dtallyd("backup", name, "--database", dsn); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	text := plain(t, name)
	cut := pack(t, text[:len(text)/2])
	packed, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	torn := filepath.Join(t.TempDir(), "torn.gz")
	if err := os.WriteFile(torn, packed[:len(packed)/2], 0o600); err != nil {
		t.Fatal(err)
	}
	other := filepath.Join(t.TempDir(), "other.gz")
	if err := os.WriteFile(other, []byte("hello"), 0o600); err != nil {
		t.Fatal(err)
	}
	into := dbtest.DSN(t)
	for _, c := range []struct{ name, file, says string }{
		{"cut off", cut, "is incomplete"},
		{"torn", torn, "is incomplete"},
		{"changed", pack(t, strings.Replace(text, `"people"`, `"peopel"`, 1)), "is damaged"},
		{"something else", other, "is not a Dapper Tally backup"},
		{"another form", pack(t, sealed(`{"format":"somebody/else"}`+"\n\n")), "is not a Dapper Tally backup"},
		{"a later form", pack(t, sealed(strings.Replace(text, `"version":1`, `"version":9`, 1))), "format version 9"},
		{"a later schema", pack(t, sealed(strings.Replace(text, `"schema":`, `"schema":9`, 1))), "use the newer program"},
		{"a table that was never there", pack(t, sealed(strings.ReplaceAll(text, `"people"`, `"persons"`))), "has no table persons"},
		{"something behind it", pack(t, text+"\n"), "after its end"},
		{"bytes behind it", behind(t, packed, "hello"), "after its end"},
		{"another one behind it", behind(t, packed, string(packed)), "after its end"},
		{"no file", filepath.Join(t.TempDir(), "missing"), "no such file"},
	} {
		out, err := dtallyd("restore", c.file, "--database", into)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, which does not say %q\n%s", c.name, err, c.says, out)
		}
		if n := tablesIn(t, into); n > 0 {
			t.Fatalf("%s: %d tables stayed", c.name, n)
		}
	}
	if out, err := dtallyd("restore", name, "--database", into); err != nil {
		t.Errorf("after all that: %v\n%s", err, out)
	}
}

// behind is a file with something after its end.
func behind(t *testing.T, file []byte, more string) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "longer.gz")
	if err := os.WriteFile(name, append(slices.Clone(file), more...), 0o600); err != nil {
		t.Fatal(err)
	}
	return name
}

// TestRestoreBreaksOff: a restore whose database goes away leaves a mark. Nothing works with the incomplete records,
// and the restore begins again.
func TestRestoreBreaksOff(t *testing.T) {
	name := filepath.Join(t.TempDir(), "all.gz")
	if out, err := dtallyd("backup", name, "--database", demoSchema(t)); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	into := dbtest.DSN(t)
	for _, at := range []string{"CREATE TABLE reviews", "INSERT INTO `readings`", "DROP TABLE restoring"} {
		between := dbtest.Through(t, into)
		between.Decide(func(s string) dbtest.Fate {
			if strings.HasPrefix(s, at) {
				between.Refuse(true)
			}
			if between.Refusing() {
				return dbtest.CutBefore
			}
			return dbtest.Arrives
		})
		if _, err := dtallyd("restore", name, "--database", between.DSN); err == nil || !between.Refusing() {
			t.Fatalf("broken off at %s: %v", at, err)
		}
		for _, command := range []string{"check", "migrate", "serve", "backup"} {
			args := []string{command, "--database", into}
			if command == "backup" {
				args = append(args, filepath.Join(t.TempDir(), "half.gz"))
			}
			if _, err := dtallyd(args...); err == nil || !strings.Contains(err.Error(), "run dtallyd restore again") {
				t.Errorf("broken off at %s, %s: %v", at, command, err)
			}
		}
	}
	if out, err := dtallyd("restore", name, "--database", into); err != nil {
		t.Fatalf("begun again: %v\n%s", err, out)
	}
	if out, err := dtallyd("check", "--database", into); err != nil {
		t.Errorf("%v\n%s", err, out)
	}
	if out, err := dtallyd("audit", "verify", "--database", into); err != nil {
		t.Errorf("%v\n%s", err, out)
	}
}

// tablesIn counts the tables of a schema, without the migrator's.
func tablesIn(t *testing.T, dsn string) (n int) {
	t.Helper()
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.QueryRow(`SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name NOT IN ('goose_db_version', 'migration_steps')`).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}
