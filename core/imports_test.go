package core_test

import (
	"bytes"
	"encoding/json"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"io/fs"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
)

const module = "dappertally/"

// TestImports checks the allowed directions of imports for every package.
func TestImports(t *testing.T) {
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", module+"...").Output()
	if err != nil {
		t.Fatalf("go list: %v", err)
	}
	seen := 0
	for dec := json.NewDecoder(bytes.NewReader(out)); ; {
		var p struct {
			ImportPath string
			Imports    []string
		}
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			break
		} else if err != nil {
			t.Fatal(err)
		}
		seen++
		for _, imp := range p.Imports {
			if why := forbidden(p.ImportPath, imp); why != "" {
				t.Errorf("%s imports %s: %s", p.ImportPath, imp, why)
			}
		}
	}
	if seen < 15 {
		t.Errorf("go list named %d packages only", seen)
	}
}

// parts are the parts of the service and the others that each can use.
var parts = map[string][]string{
	"problem":     {},
	"access":      {"problem"},
	"ledger":      {"problem", "access"},
	"policy":      shared,
	"people":      shared,
	"cataloguing": shared,
	"answers":     with("policy"),
	"checklists":  with("answers"),
	"reviewing":   with("policy", "people", "answers", "checklists"),
	"team":        with("policy", "people", "answers", "checklists", "reviewing"),
	"reports":     with("people", "answers", "checklists", "reviewing", "team"),
	"intake":      with("cataloguing", "answers", "checklists", "reviewing", "reports"),
}

// shared is what every part builds on.
var shared = []string{"problem", "access", "ledger"}

func with(others ...string) []string { return append(slices.Clone(shared), others...) }

func under(path string) string { return strings.TrimPrefix(path, module+"internal/") }

func isPart(path string) bool { _, ok := parts[under(path)]; return ok }

// A rule forbids imports, with a reason.
type rule struct {
	why   string
	holds func(from, to string) bool
}

var rules = []rule{
	{"the core knows nothing of ours outside core", func(from, to string) bool {
		return in(from, "core") && strings.HasPrefix(to, module) && !in(to, "core")
	}},
	{"the core has no network, database, files or chance of its own", func(from, to string) bool {
		return in(from, "core") && slices.Contains([]string{"net/http", "database/sql", "os", "math/rand"}, to)
	}},
	{"the client speaks to the service over the network alone", func(from, to string) bool {
		return in(from, "internal/cli", "internal/client") &&
			(isPart(to) || in(to, "internal/service", "internal/store"))
	}},
	{"a part of the work asks the parts named for it alone", func(from, to string) bool {
		return isPart(from) && isPart(to) && !slices.Contains(parts[under(from)], under(to))
	}},
	{"a part of the work does not know who asks it", func(from, to string) bool {
		return isPart(from) && in(to, "internal/api", "internal/service")
	}},
	{"what is in memory is read through the ledger", func(from, to string) bool {
		return in(to, "internal/board") && !in(from, "internal/board", "internal/ledger")
	}},
	{"the contract knows the core alone", func(from, to string) bool {
		return in(from, "internal/contract") && strings.HasPrefix(to, module) && !in(to, "core")
	}},
	{"the contract is between api and client", func(from, to string) bool {
		return in(to, "internal/contract") &&
			!in(from, "internal/api", "internal/client", "internal/cli", "internal/trial", "internal/references")
	}},
	{"the API goes through the parts of the work", func(from, to string) bool {
		return in(from, "internal/api") && in(to, "internal/store")
	}},
	{"SQL of records stands in the store alone", func(from, to string) bool {
		return to == "database/sql" && !in(from, "internal/store", "internal/dbtest", "internal/localdb")
	}},
}

// in reports whether a package is in one of these folders.
func in(path string, dirs ...string) bool {
	return slices.ContainsFunc(dirs, func(dir string) bool {
		return path == module+dir || strings.HasPrefix(path, module+dir+"/")
	})
}

// forbidden returns why a package must not import another; empty if it can.
func forbidden(from, to string) string {
	for _, r := range rules {
		if r.holds(from, to) {
			return r.why
		}
	}
	return ""
}

func TestForbidden(t *testing.T) {
	for _, c := range []struct {
		from, to string
		bad      bool
	}{
		{"core/scoring", "dappertally/core/reading", false},
		{"core/scoring", "dappertally/internal/store", true},
		{"core/scoring", "net/http", true},
		{"internal/cli", "dappertally/internal/service", true},
		{"internal/cli", "dappertally/internal/client", false},
		{"internal/api", "dappertally/internal/store", true},
		{"internal/service", "dappertally/internal/store", false},
		{"internal/reviewing", "database/sql", true},
		{"internal/reviewing", "dappertally/internal/contract", true},
		{"internal/reviewing", "dappertally/internal/checklists", false},
		{"internal/checklists", "dappertally/internal/reviewing", true},
		{"internal/ledger", "dappertally/internal/people", true},
		{"internal/team", "dappertally/internal/service", true},
		{"internal/api", "dappertally/internal/board", true},
		{"internal/cli", "dappertally/internal/intake", true},
		{"internal/cli", "dappertally/internal/contract", false},
		{"internal/contract", "dappertally/core/checklist", false},
		{"internal/contract", "dappertally/internal/board", true},
	} {
		if got := forbidden(module+c.from, c.to) != ""; got != c.bad {
			t.Errorf("%s → %s: forbidden %v, want %v", c.from, c.to, got, c.bad)
		}
	}
}

// TestChance checks that the core only uses random numbers that are passed in: it can create a stream from a seed,
// but never chooses the seed.
func TestChance(t *testing.T) {
	seeded := map[string]bool{"New": true, "NewChaCha8": true, "ChaCha8": true, "Rand": true}
	found := 0
	err := filepath.WalkDir(".", func(path string, _ fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		file, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		ast.Inspect(file, func(n ast.Node) bool {
			if x, ok := n.(*ast.SelectorExpr); ok {
				if from, ok := x.X.(*ast.Ident); ok && from.Name == "rand" && from.Obj == nil {
					found++
					if !seeded[x.Sel.Name] {
						t.Errorf("%s uses rand.%s", path, x.Sel.Name)
					}
				}
			}
			return true
		})
		return nil
	})
	if err != nil || found == 0 {
		t.Errorf("%d uses of chance found, %v", found, err)
	}
}
