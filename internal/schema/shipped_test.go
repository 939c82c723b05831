package schema_test

import (
	"os"
	"regexp"
	"testing"

	"dappertally/internal/schema"
)

// written compares a file with its source. DTALLY_SCHEMA=write writes it.
func written(t *testing.T, file string, made func(shipped string) (string, error)) {
	t.Helper()
	shipped, err := os.ReadFile(file)
	if err != nil && !os.IsNotExist(err) {
		t.Fatal(err)
	}
	text, err := made(string(shipped))
	if err != nil {
		t.Fatal(err)
	}
	if os.Getenv("DTALLY_SCHEMA") == "write" {
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	} else if text != string(shipped) {
		t.Errorf("%s is not what it is made of; run this test with DTALLY_SCHEMA=write", file)
	}
}

// The schemas that ship are those that the service serves.
func TestSchemasShipped(t *testing.T) {
	for file, of := range schema.Files {
		written(t, "../../docs/reference/"+file, func(string) (string, error) {
			text, err := of()
			return string(text), err
		})
	}
}

var (
	sample = regexp.MustCompile("(?s)```yaml\n.*?```\n")
	fields = regexp.MustCompile("(?s)(## Every field\n).*")
)

// The guide to the checklist file has the example, and every field with its definition.
func TestGuideToTheFile(t *testing.T) {
	written(t, "../../docs/reference/checklist-file.md", func(shipped string) (string, error) {
		if len(sample.FindAllString(shipped, -1)) != 1 || !fields.MatchString(shipped) {
			t.Fatal("the guide has no one sample, or no reference")
		}
		text := sample.ReplaceAllLiteralString(shipped, "```yaml\n"+schema.Example+"```\n")
		return fields.ReplaceAllString(text, "${1}") + schema.Reference(), nil
	})
}
