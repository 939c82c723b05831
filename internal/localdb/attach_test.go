package localdb

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestUse attaches to a running server, starts a stopped one, and never creates one.
func TestUse(t *testing.T) {
	dir := filepath.Join(reachable(t), "data")
	if _, err := Use(t.Context(), dir); err == nil || !strings.Contains(err.Error(), "has no Dapper Tally database") {
		t.Errorf("a folder without a database: %v", err)
	}
	if _, err := os.Stat(dir); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("a folder was made: %v", err)
	}
	first, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	second, err := Use(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	if !second.Attached() || first.Attached() || second.DSN(Schema) != first.DSN(Schema) {
		t.Errorf("attached: %v, the first: %v", second.Attached(), first.Attached())
	}
	second.Stop()
	if !runs(first.Process()) {
		t.Fatal("who only uses a server has stopped it")
	}
	if _, err := Start(t.Context(), dir); !errors.Is(err, ErrInUse) {
		t.Errorf("started twice: %v", err)
	}
	first.Stop()
	third, err := Use(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	if third.Attached() {
		t.Error("attached to a server that was stopped")
	}
	third.Stop()
}

// TestUseOverALongPath attaches to a server whose socket is in a folder of its own.
func TestUseOverALongPath(t *testing.T) {
	dir := filepath.Join(reachable(t), strings.Repeat("long", 25))
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Stop()
	other, err := Use(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	if other.folder.socket() != s.folder.socket() {
		t.Errorf("%s is not %s", other.folder.socket(), s.folder.socket())
	}
}

// TestServerReplaced starts a database that another release of the server has used: an older one is upgraded, a newer
// one is refused.
func TestServerReplaced(t *testing.T) {
	dir := reachable(t)
	start := func() error {
		s, err := Start(t.Context(), dir)
		if err == nil {
			s.Stop()
		}
		return err
	}
	if err := start(); err != nil {
		t.Fatal(err)
	}
	file := filepath.Join(dir, versionFile)
	now, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	for _, version := range []string{"10.5.2-MariaDB\n", string(now)} {
		if err := os.WriteFile(file, []byte(version), 0o600); err != nil {
			t.Fatal(err)
		}
		if err := start(); err != nil {
			t.Errorf("data of %s: %v", version, err)
		}
		if after, err := os.ReadFile(file); err != nil || string(after) != string(now) {
			t.Errorf("after it was started the version is %q, %v", after, err)
		}
	}
	if err := os.WriteFile(file, []byte("99.1.0-MariaDB\n"), 0o600); err != nil {
		t.Fatal(err)
	}
	if err := start(); err == nil || !strings.Contains(err.Error(), "last used by MariaDB 99.1") {
		t.Errorf("data of a newer release: %v", err)
	}
}

func TestReleaseOf(t *testing.T) {
	for text, want := range map[string]string{
		"10.11.14-MariaDB-0+deb12u2": "10.11", "11.4.2": "11.4", "8.0": "8.0", "": "", "ten.11": "", "10": "",
	} {
		got, ok := releaseOf(text)
		if ok != (want != "") || ok && got.String() != want {
			t.Errorf("%q: %s, %v", text, got, ok)
		}
	}
}
