package schema_test

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"dappertally/core/bundle"
	"dappertally/internal/demo"
	"dappertally/internal/plainyaml"
	"dappertally/internal/schema"
)

func compiled(t *testing.T, of func() ([]byte, error)) *jsonschema.Schema {
	t.Helper()
	text, err := of()
	if err != nil {
		t.Fatal(err)
	}
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	c := jsonschema.NewCompiler()
	if err := c.AddResource("it", doc); err != nil {
		t.Fatal(err)
	}
	s, err := c.Compile("it")
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func check(t *testing.T, s *jsonschema.Schema, text []byte) error {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	if err != nil {
		t.Fatal(err)
	}
	return s.Validate(doc)
}

// Every valid bundle in the repository agrees with the schema.
func TestBundlesKeepToIt(t *testing.T) {
	s := compiled(t, schema.Bundle)
	files, err := filepath.Glob("../../core/testdata/golden/*.bundle.json")
	if err != nil || len(files) < 10 {
		t.Fatalf("%d bundles: %v", len(files), err)
	}
	for _, file := range files {
		text, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		if err := check(t, s, text); err != nil {
			t.Errorf("%s: %v", filepath.Base(file), err)
		}
	}
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := bundle.Write(&out, b); err != nil {
		t.Fatal(err)
	}
	if err := check(t, s, out.Bytes()); err != nil {
		t.Errorf("the demo: %.2000v", err)
	}
}

// Every report file in the repository agrees with the schema, and one with a typing error does not.
func TestReportsKeepToIt(t *testing.T) {
	s := compiled(t, schema.Report)
	text, err := demo.Away.ReadFile("away/winter.yaml")
	if err != nil {
		t.Fatal(err)
	}
	sound, err := plainyaml.ToJSON(text)
	if err != nil {
		t.Fatal(err)
	}
	if err := check(t, s, sound); err != nil {
		t.Errorf("%v", err)
	}
	if err := check(t, s, []byte(`{"title":"Short","group":{"newest":true}}`)); err != nil {
		t.Errorf("%v", err)
	}
	for _, bad := range []string{`{}`, `{"title":"x","colour":1}`, `{"title":"x","parts":[{"id":"a","kind":"poem"}]}`, `{"title":"x","parts":[{"kind":"text"}]}`} {
		if err := check(t, s, []byte(bad)); err == nil {
			t.Errorf("%s is let through", bad)
		}
	}
}

func TestItRefuses(t *testing.T) {
	s := compiled(t, schema.Bundle)
	plain, err := os.ReadFile("../../core/testdata/golden/plain.bundle.json")
	if err != nil {
		t.Fatal(err)
	}
	for name, change := range map[string][2]string{
		"another format":  {`"dapper-tally/bundle"`, `"something/else"`},
		"an unknown key":  {`"distributions":`, `"colour":1,"distributions":`},
		"a wrong type":    {`"version":1`, `"version":"1"`},
		"an unknown word": {`"state":"accepted"`, `"state":"liked"`},
	} {
		text := strings.Replace(string(plain), change[0], change[1], 1)
		if text == string(plain) {
			t.Errorf("%s: nothing was changed", name)
		}
		if err := check(t, s, []byte(text)); err == nil {
			t.Errorf("%s is let through", name)
		}
	}
}
