package main

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// The shipped page equals the generated one.
func TestPage(t *testing.T) {
	text, err := Page("../..")
	if err != nil {
		t.Fatal(err)
	}
	shipped, err := os.ReadFile("../../docs/reference/dependencies.md")
	if err != nil {
		t.Fatal(err)
	}
	if text != string(shipped) {
		t.Error(
			"docs/reference/dependencies.md is not what it is made of: go run ./internal/inventory page > docs/reference/dependencies.md",
		)
	}
}

func TestTableRefuses(t *testing.T) {
	known := map[string]reason{"a": {"this", "that"}}
	for _, c := range []struct {
		parts []part
		says  string
	}{
		{[]part{{"a", "1", "MIT", true}, {"b", "1", "MIT", true}}, "b has no reason"},
		{[]part{{"a", "1", "", true}}, "a has no licence"},
		{[]part{{"b", "1", "MIT", false}}, "no direct dependency: a"},
	} {
		if _, err := tableOf(c.parts, known); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%v: %v, want %q", c.parts, err, c.says)
		}
	}
}

// TestBOM: the list contains everything that is linked into a program and that the console ships, each with a version
// and a licence.
func TestBOM(t *testing.T) {
	program := filepath.Join(t.TempDir(), "dtallyd")
	if out, err := exec.Command("go", "build", "-o", program, "dappertally/cmd/dtallyd").CombinedOutput(); err != nil {
		t.Fatalf("%s", out)
	}
	var out bytes.Buffer
	if err := writeBOM(&out, "../..", program); err != nil {
		t.Fatal(err)
	}
	var bom struct {
		BOMFormat  string
		Components []struct {
			Name, Version, Purl string
			Licenses            []any
		}
	}
	if err := json.Unmarshal(out.Bytes(), &bom); err != nil || bom.BOMFormat != "CycloneDX" {
		t.Fatalf("%v: %.200s", err, out.String())
	}
	there := map[string]bool{}
	for _, c := range bom.Components {
		there[c.Name] = true
		if c.Version == "" || c.Purl == "" || len(c.Licenses) == 0 {
			t.Errorf("%+v", c)
		}
	}
	for _, name := range []string{"github.com/gin-gonic/gin", "react", "std", "go.yaml.in/yaml/v3"} {
		if !there[name] {
			t.Errorf("%s is not in the list", name)
		}
	}
	if there["github.com/chromedp/chromedp"] || there["vite"] {
		t.Error("the list holds what only tests or builds use")
	}
	if err := writeBOM(&out, "../..", "inventory_test.go"); err == nil {
		t.Error("a text is taken for a program")
	}
}
