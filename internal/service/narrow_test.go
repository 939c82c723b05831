package service_test

import (
	"fmt"
	"go/ast"
	"go/token"
	"go/types"
	"slices"
	"strings"
	"testing"

	"golang.org/x/tools/go/packages"
)

// TestTransactionsAreNarrow proves from the types that code inside a transaction uses no second connection and calls
// nobody back: no method of the store, the board or the database, and no function that a caller passed in. Otherwise
// transactions could exhaust the pool of connections and wait for themselves, and a client that does not read would
// hold the locks of a review.
func TestTransactionsAreNarrow(t *testing.T) {
	loaded := internals(t)
	n := &narrowness{
		funcs:  map[*types.Func]*body{},
		values: map[types.Object]*body{},
		given:  map[types.Object]bool{},
		seen:   map[ast.Node]bool{},
	}
	for _, p := range loaded {
		n.fset = p.Fset
		for _, f := range p.Syntax {
			n.index(p, f)
		}
	}
	roots := 0
	for _, p := range loaded {
		for _, f := range p.Syntax {
			ast.Inspect(f, func(x ast.Node) bool {
				switch f := x.(type) {
				case *ast.FuncLit:
					if takesTx(p.TypesInfo.TypeOf(f)) {
						roots++
						n.walk(p, f.Body, []string{n.place(f)})
					}
				case *ast.FuncDecl:
					if f.Body != nil && takesTx(p.TypesInfo.Defs[f.Name].Type()) {
						n.walk(p, f.Body, []string{n.place(f)})
					}
				}
				return true
			})
		}
	}
	if roots < 40 {
		t.Errorf("only %d transactions are found", roots)
	}
	slices.Sort(n.found)
	for _, f := range slices.Compact(n.found) {
		t.Error(f)
	}
}

type body struct {
	in    *packages.Package
	block *ast.BlockStmt
}

type narrowness struct {
	fset   *token.FileSet
	funcs  map[*types.Func]*body
	values map[types.Object]*body // local variables that hold a function
	given  map[types.Object]bool  // parameters of exported functions, which come from elsewhere
	seen   map[ast.Node]bool
	found  []string
}

func (n *narrowness) index(p *packages.Package, f *ast.File) {
	for _, d := range f.Decls {
		if fn, ok := d.(*ast.FuncDecl); ok && fn.Body != nil {
			n.funcs[p.TypesInfo.Defs[fn.Name].(*types.Func)] = &body{p, fn.Body}
			for _, field := range fn.Type.Params.List {
				for _, name := range field.Names {
					n.given[p.TypesInfo.Defs[name]] = fn.Name.IsExported() && strings.HasSuffix(p.PkgPath, "/service")
				}
			}
		}
	}
	ast.Inspect(f, func(x ast.Node) bool {
		a, ok := x.(*ast.AssignStmt)
		if !ok || len(a.Lhs) != len(a.Rhs) {
			return true
		}
		for i := range a.Rhs {
			lit, isFunc := a.Rhs[i].(*ast.FuncLit)
			name, isName := a.Lhs[i].(*ast.Ident)
			if isFunc && isName {
				n.values[p.TypesInfo.ObjectOf(name)] = &body{p, lit.Body}
			}
		}
		return true
	})
}

// takesTx reports whether a function takes a transaction.
func takesTx(t types.Type) bool {
	s, ok := t.(*types.Signature)
	if !ok {
		return false
	}
	for i := range s.Params().Len() {
		if strings.HasSuffix(s.Params().At(i).Type().String(), "internal/store.Tx") {
			return true
		}
	}
	return false
}

func (n *narrowness) place(x ast.Node) string {
	p := n.fset.Position(x.Pos())
	return fmt.Sprintf("%s:%d", p.Filename[strings.LastIndexByte(p.Filename, '/')+1:], p.Line)
}

// barred are the receivers whose methods use a connection of their own, or wait.
var barred = []string{"internal/store.Store", "internal/ledger.Ledger", "internal/board.Board", "database/sql.DB"}

func (n *narrowness) walk(p *packages.Package, block ast.Node, way []string) {
	if n.seen[block] {
		return
	}
	n.seen[block] = true
	ast.Inspect(block, func(x ast.Node) bool {
		call, ok := x.(*ast.CallExpr)
		if !ok {
			return true
		}
		switch callee := calleeOf(p, call).(type) {
		case *types.Func:
			n.called(p, call, callee, way)
		case *types.Var:
			switch lit := n.values[callee]; {
			case takesTx(callee.Type()): // the function that it holds is examined where it is written
			case callee.IsField() || n.given[callee]:
				n.report(call, "calls the function that "+callee.Name()+" holds", way)
			case lit != nil:
				n.walk(lit.in, lit.block, append(slices.Clone(way), n.place(call)+" "+callee.Name()))
			}
		}
		return true
	})
}

func (n *narrowness) called(p *packages.Package, call *ast.CallExpr, callee *types.Func, way []string) {
	if recv := callee.Signature().Recv(); recv != nil {
		if types.IsInterface(recv.Type()) && callee.Pkg() != nil &&
			strings.HasPrefix(callee.Pkg().Path(), "dappertally/") &&
			!strings.HasSuffix(callee.Pkg().Path(), "/store") {
			n.report(call, "calls "+callee.Name()+" of an interface, which may be anything", way)
		}
		of := strings.TrimPrefix(recv.Type().String(), "*")
		for _, b := range barred {
			if strings.HasSuffix(of, b) {
				n.report(call, "calls "+of[strings.LastIndexByte(of, '/')+1:]+"."+callee.Name(), way)
				return
			}
		}
	}
	if b := n.funcs[callee]; b != nil {
		n.walk(b.in, b.block, append(slices.Clone(way), n.place(call)+" "+callee.Name()))
	}
}

func (n *narrowness) report(call *ast.CallExpr, what string, way []string) {
	n.found = append(
		n.found, fmt.Sprintf("%s %s inside a transaction: %s", n.place(call), what, strings.Join(way, " → ")),
	)
}

func calleeOf(p *packages.Package, call *ast.CallExpr) types.Object {
	switch f := ast.Unparen(call.Fun).(type) {
	case *ast.Ident:
		return p.TypesInfo.Uses[f]
	case *ast.SelectorExpr:
		return p.TypesInfo.Uses[f.Sel]
	}
	return nil
}
