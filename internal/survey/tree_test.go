package survey

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappertally/internal/survey/surveytest"
)

// tree creates the files of a made-up system.
func tree(t *testing.T, archive string) (root, expected string) {
	t.Helper()
	root = t.TempDir()
	expected, err := surveytest.Lay(archive, root)
	if err != nil {
		t.Fatal(err)
	}
	return root, expected
}

// TestTrees surveys made-up systems and compares each fact with the file beside the system: "key = value", or "key ?
// why it is not known".
func TestTrees(t *testing.T) {
	archives, err := filepath.Glob("testdata/*.txtar")
	if err != nil || len(archives) < 9 {
		t.Fatalf("%d trees, %v", len(archives), err)
	}
	for _, archive := range archives {
		t.Run(strings.TrimSuffix(filepath.Base(archive), ".txtar"), func(t *testing.T) {
			t.Parallel()
			root, expected := tree(t, archive)
			s := At(root)
			s.Patience = 10 * time.Second // the machine may be busy with other tests
			before := listing(t, root)
			v := Take(t.Context(), s, time.Now())
			for line := range strings.Lines(expected) {
				if key, want, ok := strings.Cut(line, " ="); ok && !strings.Contains(key, " ") {
					holds(t, &v, key, strings.TrimSpace(want))
				} else if key, why, ok := strings.Cut(strings.TrimSpace(line), " ? "); ok {
					if f := v.Fact(key); f == nil || f.Value != nil || !strings.Contains(f.Unknown, why) {
						t.Errorf("%s: got %+v, want it unknown: %s", key, f, why)
					}
				} else {
					t.Errorf("the expectation %q says nothing", line)
				}
			}
			for _, f := range v.Facts {
				if f.Method == "" || f.Title == "" || (f.Value == nil) != (f.How == "") ||
					(f.Value == nil) != (f.Unknown != "") {
					t.Errorf("%s is not told whole: %+v", f.Key, f)
				}
			}
			if after := listing(t, root); after != before {
				t.Errorf("the survey changed the system:\n%s\nwas\n%s", after, before)
			}
		})
	}
}

func holds(t *testing.T, v *Survey, key, want string) {
	t.Helper()
	f := v.Fact(key)
	switch {
	case f == nil:
		t.Errorf("%s is not told", key)
	case f.Value == nil:
		t.Errorf("%s is unknown: %s", key, f.Unknown)
	case f.Value.String() != want && strings.Join(f.Value.List, "; ") != want:
		t.Errorf("%s = %s (%s), want %s", key, f.Value, f.How, want)
	}
}

// listing returns every file of a tree with its size.
func listing(t *testing.T, root string) string {
	t.Helper()
	var all strings.Builder
	err := filepath.WalkDir(root, func(name string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		info, err := e.Info()
		if err == nil {
			all.WriteString(name + " " + info.ModTime().String() + "\n")
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return all.String()
}

// TestDamagedTrees puts random bytes into every file of every tree in turn, and into the output of its commands: a
// survey reports what it can, and never fails.
func TestDamagedTrees(t *testing.T) {
	archives, err := filepath.Glob("testdata/*.txtar")
	if err != nil {
		t.Fatal(err)
	}
	rubbish := []string{
		"",
		"\n",
		":",
		" - \n- - -",
		"[[+]     ] \n",
		"a b c\n= = =\n(x) + 1s (y)\n",
		"\x00\xff\x01",
		strings.Repeat("9", 400) + "\n",
	}
	for _, archive := range archives {
		root, _ := tree(t, archive)
		var files []string
		if err := filepath.WalkDir(root, func(name string, e os.DirEntry, err error) error {
			if err == nil && e.Type().IsRegular() {
				files = append(files, name)
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		for n, bad := range rubbish {
			for i, name := range files {
				content, mode := bad, os.FileMode(0o644)
				old, err := os.ReadFile(name)
				if err != nil {
					t.Fatal(err)
				}
				if strings.HasPrefix(string(old), "#!") {
					content, mode = "#!/bin/sh\ncat <<'END'\n"+strings.ReplaceAll(bad, "\x00", "")+"\nEND\n", 0o755
				}
				if (i+n)%3 > 0 { // some files stay, so that facts depending on them are still surveyed
					continue
				}
				if err := os.WriteFile(name, []byte(content), mode); err != nil {
					t.Fatal(err)
				}
			}
			s := At(root)
			s.Patience = 10 * time.Second
			v := Take(t.Context(), s, time.Now())
			for _, f := range v.Facts {
				if (f.Value == nil) == (f.Unknown == "") {
					t.Errorf(
						"%s, %q: %+v is neither known nor unknown", filepath.Base(archive), bad[:min(len(bad), 12)], f,
					)
				}
			}
		}
	}
}
