package localdb

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestStart creates a server, refuses its folder to a second one, and finds the
// data again after a stop.
func TestStart(t *testing.T) {
	dir := t.TempDir()
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat(filepath.Join(dir, "secrets.json"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the passwords are kept as %v, %v", info.Mode(), err)
	}
	first := s.DSN(Schema)
	if !strings.Contains(first, "tcp(127.0.0.1:") || strings.HasPrefix(first, "root") {
		t.Errorf("the service's account reaches it by %.12s…", first)
	}
	if !runs(s.Process()) {
		t.Error("the server does not run after its start")
	}
	s.Stop()
	if runs(s.Process()) {
		t.Error("the server runs after its stop")
	}
	again, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	again.Stop()
	<-again.Done()
	if again.Ended() != nil {
		t.Errorf("it ended with %v", again.Ended())
	}
	if again.secrets != s.secrets {
		t.Error("the passwords changed between two starts")
	}
}

func TestHalfMadeFolderIsMadeAnew(t *testing.T) {
	dir := t.TempDir()
	if err := os.MkdirAll(filepath.Join(dir, "data.new", "mysql"), 0o700); err != nil {
		t.Fatal(err)
	}
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	s.Stop()
}
