package core_test

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// TestDocsNameTests checks that the tests named on the pages for contributors exist.
func TestDocsNameTests(t *testing.T) {
	declared := map[string]bool{}
	declaration := regexp.MustCompile(`(?m)^func (Test\w+)\(`)
	err := filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && (d.Name() == "node_modules" || d.Name() == ".git") {
			return filepath.SkipDir
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		text, err := os.ReadFile(path)
		for _, found := range declaration.FindAllStringSubmatch(string(text), -1) {
			declared[found[1]] = true
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	named := 0
	for _, file := range []string{"../CONTRIBUTING.md", "../docs/explanation/architecture.md"} {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for _, name := range regexp.MustCompile(`\bTest[A-Z]\w+`).FindAllString(string(text), -1) {
			named++
			if !declared[name] {
				t.Errorf("%s names %s, which is not there", filepath.Base(file), name)
			}
		}
	}
	if named < 15 {
		t.Errorf("only %d tests are named", named)
	}
}

// TestGlossary checks that each word is in the glossary once.
func TestGlossary(t *testing.T) {
	text, err := os.ReadFile("../docs/reference/glossary.md")
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, row := range regexp.MustCompile(`(?m)^\| ([^|]+) \|`).FindAllStringSubmatch(string(text), -1) {
		word := strings.ToLower(strings.TrimSpace(row[1]))
		if seen[word] && word != "word" && !strings.HasPrefix(word, "---") {
			t.Errorf("%q has two rows", word)
		}
		seen[word] = true
	}
	if len(seen) < 80 {
		t.Errorf("only %d words", len(seen))
	}
}
