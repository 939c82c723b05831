package service_test

import (
	"go/ast"
	"go/types"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"dappertally/internal/service"
)

// ownFiles maps the first word of a store file's name to the part that owns it; the shared names are below.
func ownFiles(file string) string {
	owner, _, _ := strings.Cut(strings.TrimSuffix(file, ".go"), "_")
	return owner
}

var everybodys = []string{"write", "store", "snapshot", "trail", "link", "room", "migrate"}

// lent is what one part can do with the records of another, and why.
var lent = map[string]map[string]string{
	"reviewing": {
		"MeetRequests": "requests are met by the transaction that accepts the review",
	},
	"people": {
		"Policy":   "whether signing in needs a second step is a setting of the team",
		"NameTeam": "the set-up names the team in the transaction that makes its first accounts",
	},
	"ledger":  {"PinnedEntries": "what acceptances pinned beside the readings belongs to the records as they stand"},
	"monitor": {"LastBackup": "the newest backup is noted in the audit trail"},
	"answers": {"ClosedPlacings": "an explanation counts the placings of side-by-side tests"},
}

// wholes are the packages that import and export records of every kind, or run the database.
var wholes = []string{"intake", "board", "ops", "dbtest", "volume"}

// TestPartsKeepToTheirRecords checks that each part only uses the store's files with its own name; for everything
// else it calls the part that owns it.
func TestPartsKeepToTheirRecords(t *testing.T) {
	loaded := internals(t)
	uses := 0
	used := map[string]bool{}
	for _, p := range loaded {
		part := strings.TrimPrefix(p.PkgPath, "dappertally/internal/")
		if part == "store" || slices.Contains(wholes, part) {
			continue
		}
		for _, f := range p.Syntax {
			ast.Inspect(f, func(n ast.Node) bool {
				id, ok := n.(*ast.Ident)
				if !ok {
					return true
				}
				fn, ok := p.TypesInfo.Uses[id].(*types.Func)
				if !ok || !touchesRecords(fn) {
					return true
				}
				uses++
				file := filepath.Base(p.Fset.Position(fn.Pos()).Filename)
				owner := ownFiles(file)
				used[part+" "+fn.Name()] = true
				if owner != part && !slices.Contains(everybodys, owner) && lent[part][fn.Name()] == "" {
					t.Errorf(
						"%s: %s uses %s of %s, which is %s's", p.Fset.Position(id.Pos()), part, fn.Name(), file, owner,
					)
				}
				return true
			})
		}
	}
	if uses < 100 {
		t.Errorf("only %d uses of the store are found", uses)
	}
	for part, names := range lent {
		for name := range names {
			if !used[part+" "+name] {
				t.Errorf("%s does not use %s any more; take the exception out", part, name)
			}
		}
	}
}

// touchesRecords reports whether a function is a method of the store or of a transaction.
func touchesRecords(fn *types.Func) bool {
	recv := fn.Signature().Recv()
	if recv == nil {
		return false
	}
	of := strings.TrimPrefix(recv.Type().String(), "*")
	return of == "dappertally/internal/store.Store" || of == "dappertally/internal/store.Tx"
}

// TestPermissionsAreDistinct: no two parts give an action the same key, since a list of permissions could not
// distinguish them.
func TestPermissionsAreDistinct(t *testing.T) {
	seen := map[string]bool{}
	for _, p := range service.Permissions {
		if seen[p.Key] || p.Key == "" || p.Words == "" || len(p.Roles) == 0 {
			t.Errorf("the permission %+v is there twice, or says nothing", p)
		}
		seen[p.Key] = true
	}
}
