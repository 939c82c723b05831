package main

import (
	_ "embed"
	"fmt"
	"maps"
	"slices"
	"strings"

	"go.yaml.in/yaml/v3"
)

//go:embed reasons.yaml
var reasonsFile []byte

type reason struct {
	For string `yaml:"for"`
	Why string `yaml:"why"`
}

// Page returns docs/reference/dependencies.md: every direct dependency with its licence, its purpose, and why this
// one was chosen. A dependency without a reason is an error, and so is a reason without a dependency.
func Page(root string) (string, error) {
	var reasons struct{ Go, Console map[string]reason }
	if err := yaml.Unmarshal(reasonsFile, &reasons); err != nil {
		return "", fmt.Errorf("reasons.yaml: %w", err)
	}
	mods, err := modules(root)
	if err != nil {
		return "", err
	}
	npm, err := packages(root)
	if err != nil {
		return "", err
	}
	var out strings.Builder
	out.WriteString(
		"# Dependencies\n\n<!-- Made by go run ./internal/inventory page. Reasons are in internal/inventory/reasons.yaml. -->\n\n" +
			"Only direct dependencies are listed. `make sbom` lists everything that ships, with versions, as CycloneDX.\n",
	)
	for _, t := range []struct {
		title   string
		parts   []part
		reasons map[string]reason
	}{{"Service and client (Go)", mods, reasons.Go}, {"Console (npm)", npm, reasons.Console}} {
		table, err := tableOf(t.parts, t.reasons)
		if err != nil {
			return "", err
		}
		fmt.Fprintf(&out, "\n## %s\n\n%s", t.title, table)
	}
	return out.String(), nil
}

func tableOf(parts []part, reasons map[string]reason) (string, error) {
	var out strings.Builder
	out.WriteString("| what | licence | for | why this one |\n| --- | --- | --- | --- |\n")
	left := maps.Clone(reasons)
	slices.SortFunc(
		parts, func(a, b part) int { return strings.Compare(strings.ToLower(a.Name), strings.ToLower(b.Name)) },
	)
	for _, p := range parts {
		if !p.Direct {
			continue
		}
		r, ok := reasons[p.Name]
		switch {
		case !ok || r.For == "" || r.Why == "":
			return "", fmt.Errorf(
				"%s has no reason in internal/inventory/reasons.yaml: say what it is for and why this one", p.Name,
			)
		case p.Licence == "":
			return "", fmt.Errorf("%s has no licence that is recognized", p.Name)
		}
		delete(left, p.Name)
		fmt.Fprintf(&out, "| %s | %s | %s | %s |\n", p.Name, p.Licence, r.For, r.Why)
	}
	if len(left) > 0 {
		return "", fmt.Errorf(
			"internal/inventory/reasons.yaml gives reasons for what is no direct dependency: %s",
			strings.Join(slices.Sorted(maps.Keys(left)), ", "),
		)
	}
	return out.String(), nil
}
