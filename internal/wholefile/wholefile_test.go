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
