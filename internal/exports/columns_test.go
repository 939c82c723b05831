package exports_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	_ "dappertally/internal/cli"     // defines the tables of commands
	_ "dappertally/internal/exports" // those of exports
	_ "dappertally/internal/report"  // those of reports
	"dappertally/internal/tables"
)

const columnsPage = "../../docs/reference/columns.md"

// TestColumns compares the page on columns with the definitions. DTALLY_COLUMNS=write writes the page.
func TestColumns(t *testing.T) {
	page := columns()
	if os.Getenv("DTALLY_COLUMNS") == "write" {
		if err := os.WriteFile(columnsPage, []byte(page), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	there, err := os.ReadFile(columnsPage)
	if err != nil {
		t.Fatal(err)
	}
	if string(there) != page {
		t.Error("docs/reference/columns.md is not what the definitions say. Readers of these columns must be told: " +
			"note the change in CHANGELOG.md, and write the page with DTALLY_COLUMNS=write go test ./internal/exports")
	}
}

func columns() string {
	var b strings.Builder
	b.WriteString(`# Columns

The tables that commands, exports and reports give to programs. They are the same in CSV, in tab-separated text (what a
command writes into a pipe), XLSX and the other forms of an export, and in the tables of a report. Headings are the keys
below, whatever the audience. Numbers are plain: a share of 15 % is 0.15, and nothing is rounded. An empty cell means that
there is none. Texts that a spreadsheet would take for a formula begin with an apostrophe in CSV.

A command whose answer has several tables writes one of them: the first named in its message, or the one that --table names.

This page is generated from the definitions.
`)
	for _, d := range tables.Defined() {
		var rows strings.Builder
		for _, c := range d.Columns {
			if c.Key != "" {
				fmt.Fprintf(&rows, "| %s | %s | %s | %s |\n", c.Key, c.Type, c.Unit, c.Means)
			}
		}
		fmt.Fprintf(&b, "\n## %s\n\nA row is %s.\n\n| key | type | unit | meaning |\n| --- | --- | --- | --- |\n%s",
			d.Name, d.Means, rows.String())
	}
	return b.String()
}

// TestColumnsAreKeys requires keys that any program can use as a name, each once in a table.
func TestColumnsAreKeys(t *testing.T) {
	for _, d := range tables.Defined() {
		seen := map[string]bool{}
		for _, c := range d.Columns {
			if c.Key == "" {
				continue
			}
			if seen[c.Key] ||
				strings.Trim(c.Key, "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789.*") != "" {
				t.Errorf("%s: the key %q is there twice, or no name", d.Name, c.Key)
			}
			seen[c.Key] = true
		}
		if len(seen) == 0 || d.Means == "" {
			t.Errorf("%s says nothing to programs, or does not say what a row is", d.Name)
		}
	}
}
