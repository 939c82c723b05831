// Package texts collects every text that people can read: in the programs, the API description, the console and the
// documentation.
package texts

import (
	"bufio"
	"bytes"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v3"
)

// Text is one text with its place in the sources. {} stands for a filled-in value.
type Text struct {
	File string // path from the root of the sources
	Line int
	Text string
}

// All returns the texts of the sources below root, by file and line.
func All(root string) ([]Text, error) {
	all, err := programs(root)
	if err != nil {
		return nil, err
	}
	described, err := contract(root)
	if err != nil {
		return nil, err
	}
	shown, err := console(root)
	if err != nil {
		return nil, err
	}
	written, err := documents(root)
	return slices.Concat(all, described, shown, written), err
}

// prose lists the files that are read as a whole: the documentation, the demo's records and reports, and templates.
var prose = []string{
	"README.md", "CONTRIBUTING.md", "CHANGELOG.md", "docs/*.md", "docs/*/*.md", "internal/demo/*.yaml",
	"internal/demo/reports/*.yaml", "internal/schema/*.yaml", "internal/front/*.tmpl", "internal/report/page.html",
	"internal/handbook/page.html", "core/testdata/worked/*.tmpl",
}

// documents collects the lines of these files.
func documents(root string) (all []Text, err error) {
	for _, pattern := range prose {
		names, err := filepath.Glob(filepath.Join(root, pattern))
		if err != nil {
			return nil, err
		}
		if len(names) == 0 {
			return nil, fmt.Errorf("there is no %s", pattern)
		}
		for _, path := range names {
			text, err := os.ReadFile(path)
			if err != nil {
				return nil, err
			}
			name, err := filepath.Rel(root, path)
			if err != nil {
				return nil, err
			}
			for i, line := range strings.Split(string(text), "\n") {
				if line != "" {
					all = append(all, Text{name, i + 1, line})
				}
			}
		}
	}
	return all, nil
}

// words matches literals that count as texts: at least two words.
var words = regexp.MustCompile(`[A-Za-z]{2,}[^A-Za-z]* [^A-Za-z]*[A-Za-z]{2,}`)

// statements are the beginnings of literals for the database.
var statements = regexp.MustCompile(`(?m)^\s*(SELECT|INSERT|UPDATE|DELETE|CREATE|SET |FROM|WHERE|SHOW|START TR|ALTER|DROP|` +
	`ON DUPLICATE|ORDER BY|AND |JOIN|LEFT|GRANT|FLUSH|LOCK|UNION|DO |CALL|REPLACE)`)

// programs collects the literals of the programs with at least two words.
func programs(root string) (all []Text, err error) {
	for _, part := range []string{"core", "internal", "cmd"} {
		err = filepath.WalkDir(filepath.Join(root, part), func(path string, d fs.DirEntry, err error) error {
			if err != nil {
				return err
			}
			if d.IsDir() && d.Name() == "testdata" {
				return fs.SkipDir
			}
			if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") || strings.HasSuffix(path, ".gen.go") {
				return nil
			}
			found, err := literals(root, path)
			all = append(all, found...)
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return all, nil
}

func literals(root, path string) (all []Text, err error) {
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, path, nil, 0)
	if err != nil {
		return nil, err
	}
	name, err := filepath.Rel(root, path)
	if err != nil {
		return nil, err
	}
	ast.Inspect(file, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.ImportSpec:
			return false
		case *ast.Field:
			x.Tag = nil
		case ast.Expr:
			if text, ok := literal(x); ok {
				if words.MatchString(text) && !statements.MatchString(text) {
					all = append(all, Text{name, set.Position(x.Pos()).Line, text})
				}
				return false
			}
		}
		return true
	})
	return all, nil
}

// literal returns a string literal, or several joined, with {} for computed parts.
func literal(e ast.Expr) (string, bool) {
	switch e := e.(type) {
	case *ast.BasicLit:
		if e.Kind == token.STRING {
			text, err := strconv.Unquote(e.Value)
			return text, err == nil
		}
	case *ast.BinaryExpr:
		if e.Op != token.ADD {
			return "", false
		}
		left, isLeft := literal(e.X)
		right, isRight := literal(e.Y)
		if !isLeft {
			left = "{}"
		}
		if !isRight {
			right = "{}"
		}
		return left + right, isLeft || isRight
	}
	return "", false
}

// contract collects summaries and descriptions of the API.
func contract(root string) (all []Text, err error) {
	const name = "internal/contract/openapi.yaml"
	raw, err := os.ReadFile(filepath.Join(root, name))
	if err != nil {
		return nil, err
	}
	var document yaml.Node
	if err := yaml.Unmarshal(raw, &document); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	var visit func(*yaml.Node)
	visit = func(n *yaml.Node) {
		for i, child := range n.Content {
			isValue := n.Kind == yaml.MappingNode && i%2 == 1 && child.Kind == yaml.ScalarNode
			if key := n.Content[max(0, i-1)].Value; isValue && (key == "summary" || key == "description") {
				all = append(all, Text{name, child.Line, child.Value})
			}
			visit(child)
		}
	}
	visit(&document)
	return all, nil
}

// console collects the texts of the console with the TypeScript compiler.
func console(root string) (all []Text, err error) {
	cmd := exec.Command("node", "scripts/texts.mjs")
	cmd.Dir = filepath.Join(root, "web")
	var failed bytes.Buffer
	cmd.Stderr = &failed
	out, err := cmd.Output()
	if err != nil {
		return nil, fmt.Errorf("reading the console's sources: %w: %s", err, &failed)
	}
	for lines := bufio.NewScanner(bytes.NewReader(out)); lines.Scan(); {
		parts := strings.SplitN(lines.Text(), "\t", 3)
		if len(parts) != 3 {
			return nil, fmt.Errorf("reading the console's sources: unexpected line %q", lines.Text())
		}
		line, err := strconv.Atoi(parts[1])
		if err != nil {
			return nil, err
		}
		all = append(all, Text{parts[0], line, parts[2]})
	}
	return all, nil
}
