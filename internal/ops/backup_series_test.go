package ops

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"filippo.io/age"

	"dappertally/core/catalogue"
	"dappertally/internal/dbtest"
	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

// TestBackupSeries keeps the newest backups of a folder, and leaves other files alone.
func TestBackupSeries(t *testing.T) {
	dsn := demoSchema(t)
	folder := filepath.Join(t.TempDir(), "backups")
	if err := os.MkdirAll(folder, 0o700); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{
		"dtally-20200101T000000Z.gz", "dtally-20200101T000000Z.gz.sha256", "dtally-20210101T000000Z.gz.age",
		"dtally-20220101T000000Z.gz", "notes.txt", "dtally-by-hand.gz",
	} {
		if err := os.WriteFile(filepath.Join(folder, name), nil, 0o600); err != nil {
			t.Fatal(err)
		}
	}
	out, err := dtallyd("backup", "--to", folder, "--keep", "2", "--database", dsn)
	if err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	var names []string
	entries, err := os.ReadDir(folder)
	if err != nil {
		t.Fatal(err)
	}
	made := ""
	for _, e := range entries {
		names = append(names, e.Name())
		if named.MatchString(e.Name()) && e.Name() > made {
			made = e.Name()
		}
	}
	want := []string{
		".lock", "dtally-20220101T000000Z.gz", made, made + ".sha256", "dtally-by-hand.gz", "notes.txt",
	}
	if slices.Sort(want); !slices.Equal(names, want) {
		t.Errorf("%q, want %q", names, want)
	}
	check := exec.Command("sha256sum", "--check", made+".sha256")
	check.Dir = folder
	if says, err := check.CombinedOutput(); err != nil {
		t.Errorf("%v: %s", err, says)
	}
	// A second one at the same time is refused, and so are invalid settings.
	held, err := openSeries(folder, 1)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := dtallyd("backup", "--to", folder, "--database", dsn); err == nil ||
		!strings.Contains(err.Error(), "another backup to") {
		t.Errorf("two at once: %v", err)
	}
	held.close()
	for _, args := range [][]string{
		{"backup"}, {"backup", "x.gz", "--to", folder}, {"backup", "--to", folder, "--keep", "0"},
		{"backup", "x.gz", "--keep", "3"},
		{"backup", "x.gz", "--recipient", "nobody"},
	} {
		if out, err := dtallyd(append(args, "--database", dsn)...); err == nil {
			t.Errorf("%q: %s", args, out)
		}
	}
	if _, err := os.Stat("x.gz"); !errors.Is(err, os.ErrNotExist) {
		t.Error("a refused backup left a file")
	}
}

// TestOldBackups warns if there is no backup, or only an old one.
func TestOldBackups(t *testing.T) {
	dsn := dbtest.Migrated(t)
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	var said bytes.Buffer
	log := slog.New(slog.NewTextHandler(&said, nil))
	if now := time.Now(); !warnOfBackup(t.Context(), st, 7, now, log) || !strings.Contains(said.String(), "no backup") {
		t.Errorf("none: %s", &said)
	}
	if out, err := dtallyd("backup", filepath.Join(t.TempDir(), "x.gz"), "--database", dsn); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	for after, warned := range map[time.Duration]bool{0: false, 6 * 24 * time.Hour: false, 8 * 24 * time.Hour: true} {
		if got := warnOfBackup(t.Context(), st, 7, time.Now().Add(after), log); got != warned {
			t.Errorf("%s after it was made: warned is %v", after, got)
		}
	}
}

// TestBackupVerify restores backups into a database of their own: a good one, an encrypted one, a damaged one, and one
// whose audit trail was altered.
func TestBackupVerify(t *testing.T) {
	dsn := demoSchema(t)
	dir := t.TempDir()
	whole, secret := filepath.Join(dir, "all.gz"), filepath.Join(dir, "all.gz.age")
	key, err := age.GenerateX25519Identity()
	if err != nil {
		t.Fatal(err)
	}
	identity, stranger := filepath.Join(dir, "key"), filepath.Join(dir, "stranger")
	other, err := age.GenerateX25519Identity()
	if err != nil {
		t.Fatal(err)
	}
	for file, text := range map[string]string{identity: key.String(), stranger: other.String()} {
		if err := os.WriteFile(file, []byte(text+"\n"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	for _, args := range [][]string{{whole}, {secret, "--recipient", key.Recipient().String()}} {
		if out, err := dtallyd(append([]string{"backup", "--database", dsn}, args...)...); err != nil {
			t.Fatalf("%v\n%s", err, out)
		}
	}
	if text, err := os.ReadFile(secret); err != nil || !bytes.HasPrefix(text, []byte(sealedBegin)) {
		t.Errorf("it is not encrypted: %v", err)
	}
	for _, args := range [][]string{{whole}, {secret, "--identity", identity}} {
		out, err := dtallyd(append([]string{"backup", "verify"}, args...)...)
		if err != nil || !strings.Contains(out, "read back unchanged") || !strings.Contains(out, "audit trail is complete") {
			t.Errorf("%q: %v\n%s", args, err, out)
		}
	}
	for why, args := range map[string][]string{
		"name the file with the private key": {secret},
		"encrypted for other keys than":      {secret, "--identity", stranger},
		"has no private key of age":          {secret, "--identity", whole},
		"no such file":                       {filepath.Join(dir, "none.gz")},
	} {
		_, err := dtallyd(append([]string{"backup", "verify"}, args...)...)
		if err == nil || !strings.Contains(err.Error(), why) {
			t.Errorf("%q: %v", args, err)
		}
	}
	alteredAudit(t, whole)
	if err := writeSum(whole); err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(whole)
	if err != nil {
		t.Fatal(err)
	}
	text[len(text)/2] ^= 1
	if err := os.WriteFile(whole, text, 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := dtallyd("backup", "verify", whole); err == nil || !strings.Contains(err.Error(), "is damaged") {
		t.Errorf("a changed byte: %v", err)
	}
}

// alteredAudit expects that an altered audit trail in a backup is found.
func alteredAudit(t *testing.T, name string) {
	t.Helper()
	// Rows are arrays of bytes in base 64: one entry of the trail is changed to say that something was removed instead
	// of added.
	before, trail, ok := strings.Cut(plain(t, name), "\n\"audit\"\n")
	was, is := base64.StdEncoding.EncodeToString([]byte("added")), base64.StdEncoding.EncodeToString([]byte("taken"))
	if !ok || !strings.Contains(trail, was) {
		t.Fatal("the backup has no audit trail")
	}
	forged := pack(t, sealed(before+"\n\"audit\"\n"+strings.Replace(trail, was, is, 1)))
	if _, err := dtallyd("backup", "verify", forged); err == nil || !strings.Contains(err.Error(), "audit trail") {
		t.Errorf("an altered entry: %v", err)
	}
}

// TestRestoreToAMoment restores a backup and the changes after it from MariaDB's binary log, up to a moment.
func TestRestoreToAMoment(t *testing.T) {
	reader, err := exec.LookPath("mariadb-binlog")
	if err != nil {
		cache, none := os.UserCacheDir()
		if reader = filepath.Join(cache, "dtally-galera/usr/bin/mariadb-binlog"); none != nil {
			t.Fatal(err)
		}
	}
	dir := dbtest.Folder(t)
	log := filepath.Join(dir, "log")
	if err := os.Mkdir(log, 0o777); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(log, 0o777); err != nil {
		t.Fatal(err)
	}
	st := startPrivately(t, filepath.Join(dir, "one"), "--log-bin="+log+"/changes", "--server-id=1")
	add := func(key string) {
		t.Helper()
		if _, err := st.Write(t.Context(), "", time.Now(), func(tx *store.Tx) error {
			if _, err := tx.AddDistribution(&catalogue.Distribution{Key: key, Name: key, Model: "fixed"}); err != nil {
				return err
			}
			return tx.Log("added", store.SortCatalogue, key, "")
		}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := st.Migrate(t.Context()); err != nil {
		t.Fatal(err)
	}
	add("before")
	var dump bytes.Buffer
	head, err := st.Dump(t.Context(), &dump, time.Now(), func(int, int) {})
	if err != nil {
		t.Fatal(err)
	}
	file, position, ok := strings.Cut(head.Binlog, ":")
	if !ok || !strings.HasPrefix(file, "changes.") {
		t.Fatalf("the binary log was at %q", head.Binlog)
	}
	add("after")
	time.Sleep(1100 * time.Millisecond) // the log counts whole seconds
	moment := time.Now().UTC()
	time.Sleep(1100 * time.Millisecond)
	add("too-late")

	again := startPrivately(t, filepath.Join(dir, "two"))
	if err := again.Restore(t.Context(), &dump, func(int, int) {}); err != nil {
		t.Fatal(err)
	}
	read := exec.Command(reader, "--start-position="+position,
		"--stop-datetime="+moment.Format(time.DateTime), filepath.Join(log, file))
	read.Env = append(os.Environ(), "TZ=UTC")
	changes, err := read.Output()
	if err != nil {
		t.Fatal(err)
	}
	secrets, err := os.ReadFile(filepath.Join(dir, "two", "secrets.json"))
	if err != nil {
		t.Fatal(err)
	}
	_, password, _ := strings.Cut(string(secrets), `"root":"`)
	password, _, _ = strings.Cut(password, `"`)
	play := exec.Command(
		"mariadb", "--no-defaults", "--user=root", "--socket="+filepath.Join(dir, "two/server/socket"), "dtally")
	play.Env = append(os.Environ(), "MYSQL_PWD="+password)
	play.Stdin = bytes.NewReader(changes)
	if says, err := play.CombinedOutput(); err != nil {
		t.Fatalf("%v: %s", err, says)
	}
	snap, err := again.ReadAt(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	defer snap.Close()
	c, err := snap.Catalogue()
	if err != nil {
		t.Fatal(err)
	}
	var keys []string
	for _, d := range c.Distributions {
		keys = append(keys, d.Key)
	}
	if slices.Sort(keys); fmt.Sprint(keys) != "[after before]" {
		t.Errorf("at that moment there were %v", keys)
	}
}

// startPrivately starts a private database with additional settings of the server.
func startPrivately(t *testing.T, dir string, settings ...string) *records {
	t.Helper()
	st, err := privately(t.Context(), func() (*localdb.Server, error) {
		return localdb.Start(context.WithoutCancel(t.Context()), dir, settings...)
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	return st
}
