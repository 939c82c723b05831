package measure

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestSessionEntry reads an entry as a desktop does, runs it, and removes it again.
func TestSessionEntry(t *testing.T) {
	folder := filepath.Join(t.TempDir(), `it's "50 %" $HOME`)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	e := StartEntry{Root: t.TempDir(), Home: t.TempDir()}
	if _, err := e.Write(Again{}); err == nil && os.Geteuid() != 0 {
		t.Error("something starts by itself on a machine without systemd, outside a session")
	}
	args := []string{"printf", "%s|", `a "b" 'c'`, `\n`, "`id`", "$HOME", "50 %"}
	file, err := e.Write(Again{Args: args, Folder: folder, Log: "out put.log", Graphics: true})
	if err != nil {
		t.Fatal(err)
	}
	text, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	_, line, _ := strings.Cut(string(text), "\nExec=sh -c ")
	line, _, _ = strings.Cut(line, "\n")
	// The escapes of every text of the file, then those of a quoted argument, then the codes for files.
	line = regexp.MustCompile(`\\(.)`).ReplaceAllStringFunc(line, func(m string) string {
		if m == `\\` {
			return `\`
		}
		return m
	})
	line = regexp.MustCompile(`\\(.)`).ReplaceAllString(strings.TrimSuffix(strings.TrimPrefix(line, `"`), `"`), "$1")
	line = strings.ReplaceAll(line, "%%", "%")
	if says, err := exec.Command("sh", "-c", line).CombinedOutput(); err != nil {
		t.Fatalf("%s: %v: %s", line, err, says)
	}
	got, err := os.ReadFile(filepath.Join(folder, "out put.log"))
	if want := strings.Join(args[2:], "|") + "|"; err != nil || string(got) != want {
		t.Errorf("%q, %v; want %q", got, err, want)
	}
	if removed, err := e.Remove(); err != nil || removed != file {
		t.Errorf("removed %q, %v", removed, err)
	}
	if removed, err := e.Remove(); err != nil || removed != "" {
		t.Errorf("removed once more: %q, %v", removed, err)
	}
	if _, err := os.Stat(file); !errors.Is(err, os.ErrNotExist) {
		t.Errorf("left behind: %v", err)
	}
}
