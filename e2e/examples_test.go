package e2e

import (
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/internal/demo"
)

// named is everything with a name in the demo, which examples can use.
type named struct {
	editions, lines, rigs, lists, audiences, criteria, sections, reports []string
}

func demoNames(t *testing.T) *named {
	t.Helper()
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	n := &named{audiences: []string{""}}
	for _, p := range catalogue.Places(b.Distributions) {
		n.editions = append(n.editions, p.Key())
		n.lines = append(n.lines, p.Distribution.Key+"/"+p.Edition.Line)
	}
	for _, r := range b.Rigs {
		n.rigs = append(n.rigs, r.Key)
	}
	for i := range b.Checklists {
		c := &b.Checklists[i]
		n.lists = append(n.lists, c.Name())
		for _, a := range c.Audiences {
			n.audiences = append(n.audiences, a.Key)
		}
		for _, s := range c.Sections {
			n.sections = append(n.sections, s.Key)
			for _, x := range s.Criteria {
				n.criteria = append(n.criteria, x.Key)
			}
		}
	}
	files, err := filepath.Glob("../internal/demo/reports/*.yaml")
	if err != nil || len(files) == 0 {
		t.Fatalf("no reports: %v", err)
	}
	for _, f := range files {
		n.reports = append(n.reports, strings.TrimSuffix(filepath.Base(f), ".yaml"))
	}
	return n
}

var (
	anEdition = regexp.MustCompile(`^[a-z][a-z0-9-]+/[0-9][^/\s]*/[a-z][a-z0-9-]*$`)
	aList     = regexp.MustCompile(`^workshop@[0-9]+$`)
)

// strange returns the names in a command's words that the demo does not have.
func (n *named) strange(words []string) (all []string) {
	for i, word := range words {
		word = strings.Trim(word, "'\",;`")
		flag := ""
		if i > 0 {
			flag = words[i-1]
		}
		key, _, _ := strings.Cut(word, "=")
		for _, x := range []struct {
			is    bool
			key   string
			among []string
		}{
			{anEdition.MatchString(word), word, n.editions},
			{aList.MatchString(word) && word != "workshop@3", word, n.lists}, // the third is the draft that a lead makes
			{flag == "--rig" || flag == "--rig-weight", key, n.rigs},
			{flag == "--audience", word, n.audiences},
			{flag == "--criterion" || flag == "--criterion-weight", key, n.criteria},
			{flag == "--section-weight" || flag == "--section", key, n.sections},
			{i > 2 && words[i-2] == "report" && slices.Contains([]string{"show", "moved", "download", "check", "preview", "publish", "correct"}, flag) && word != "KEY", word, n.reports},
			{i > 1 && words[i-1] == "history" && strings.Contains(word, "/"), word, n.lines},
		} {
			if x.is && !slices.Contains(x.among, x.key) {
				all = append(all, word)
			}
		}
	}
	return all
}

// TestDocsNameTheDemo checks the commands in the sentences of the README and the guides: the demo has everything that
// they name. TestDocsRun runs those in code blocks.
func TestDocsNameTheDemo(t *testing.T) {
	n := demoNames(t)
	files, err := filepath.Glob("../docs/*/*.md")
	if err != nil {
		t.Fatal(err)
	}
	commands := 0
	for _, file := range append(files, "../README.md") {
		if slices.Contains([]string{"commands.md", "service.md"}, filepath.Base(file)) {
			continue // the help's examples, which TestExamplesRun runs
		}
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(string(text)) {
			line, _, _ = strings.Cut(line, " #")
			if words := strings.Fields(line); slices.ContainsFunc(
				words, func(w string) bool { return strings.HasSuffix(w, "dtally") },
			) {
				commands++
				if strange := n.strange(words); len(strange) > 0 {
					t.Errorf(
						"%s: %q names %v, which the demo does not have",
						filepath.Base(file),
						strings.TrimSpace(line),
						strange,
					)
				}
			}
		}
	}
	if commands < 60 {
		t.Errorf("only %d commands in the guides", commands)
	}
}
