package wholefile

import (
	"errors"
	"io"
	"os"
	"path/filepath"
	"testing"
)

func TestWrite(t *testing.T) {
	name := filepath.Join(t.TempDir(), "file")
	put := func(text string, then error) error {
		return Write(name, func(w io.Writer) error {
			_, err := io.WriteString(w, text)
			return errors.Join(err, then)
		})
	}
	if err := put("old", nil); err != nil {
		t.Fatal(err)
	}
	full := errors.New("the disk is full")
	if err := put("half of the ne", full); !errors.Is(err, full) {
		t.Errorf("got %v", err)
	}
	if data, _ := os.ReadFile(name); string(data) != "old" {
		t.Errorf("after a failure it holds %q", data)
	}
	if err := put("new", nil); err != nil {
		t.Fatal(err)
	}
	if data, _ := os.ReadFile(name); string(data) != "new" {
		t.Errorf("it holds %q", data)
	}
	if left, _ := os.ReadDir(filepath.Dir(name)); len(left) != 1 {
		t.Errorf("left behind: %v", left)
	}
	if err := Write(filepath.Join(name, "below"), func(io.Writer) error { return nil }); err == nil {
		t.Error("a file below a file was written")
	}
}

// TestWithin writes below a folder, completely or not at all, and nowhere else.
func TestWithin(t *testing.T) {
	dir := t.TempDir()
	folder := filepath.Join(dir, "kit")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(dir, filepath.Join(folder, "out")); err != nil {
		t.Fatal(err)
	}
	root, err := os.OpenRoot(folder)
	if err != nil {
		t.Fatal(err)
	}
	defer root.Close()
	put := func(name string, then error) error {
		return Within(root, name, func(w io.Writer) error {
			_, err := io.WriteString(w, name)
			return errors.Join(err, then)
		})
	}
	for _, name := range []string{"a.txt", "figures/deep/b.svg", "a.txt"} {
		if err := put(name, nil); err != nil {
			t.Errorf("%s: %v", name, err)
		}
		if data, _ := os.ReadFile(filepath.Join(folder, name)); string(data) != name {
			t.Errorf("%s holds %q", name, data)
		}
	}
	for _, name := range []string{"../x", "/tmp/x", "out/x", "figures/../../x", ""} {
		if err := put(name, nil); err == nil {
			t.Errorf("%q was written", name)
		}
	}
	if err := put("half.txt", io.ErrUnexpectedEOF); !errors.Is(err, io.ErrUnexpectedEOF) {
		t.Error(err)
	}
	if in, _ := os.ReadDir(dir); len(in) != 1 {
		t.Errorf("outside lie %v", in)
	}
	if in, _ := os.ReadDir(folder); len(in) != 3 { // a.txt, figures, out
		t.Errorf("in the folder lie %v", in)
	}
}
