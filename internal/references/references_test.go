package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// TestReferences compares the pages with the definitions.
func TestReferences(t *testing.T) {
	pages, err := all()
	if err != nil {
		t.Fatal(err)
	}
	for file, least := range map[string]int{"commands.md": 120, "service.md": 12, "settings.md": 0, "operations.md": 130} {
		shipped, err := os.ReadFile(filepath.Join("../../docs/reference", file))
		if err != nil {
			t.Fatal(err)
		}
		if string(shipped) != pages[file] {
			t.Errorf("%s is not what the definitions say: make docs", file)
		}
		if n := strings.Count(pages[file], "\n## "); n < least {
			t.Errorf("%s has %d entries only", file, n)
		}
	}
}
