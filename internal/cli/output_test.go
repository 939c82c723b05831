package cli

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
	"testing"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"

	"dappertally/internal/tables"
)

// wide returns a table that is too wide for any narrow terminal.
func wide() *sheet {
	t := &sheet{
		heading: "A ranking of two editions, for everybody, on a list of its own",
		Table: &tables.Table{Name: "wide", Columns: []tables.Column{
			tables.Integer("rank", "Rank", ""),
			tables.Text("edition", "Edition", ""),
			tables.Points("score", "Score", ""),
			tables.BesideNumber("Possible").Yields(),
			tables.Share("coverage", "Coverage", "").Yields(),
			tables.Text("remarks", "Remarks", "").YieldsFirst(),
			tables.Points("low", "", ""),
		}},
		note: "Scores run from 0 to 100; what is not tested widens the range.",
	}
	t.Add(
		tables.As{Data: 1, Text: "=1"},
		tables.As{Data: "gullhaven/5.2/hearthside", Text: "Gullhaven 5.2 Hearthside classroom"},
		84.1,
		"84.1–84.1",
		1.0,
		"accepted by its only reviewer; rigs differ",
		84.1,
	)
	t.Add(12, "Cinderfen 2026-05-02 Latchwork", 7.5, "3.0–21.9", 0.09, "", 3)
	return t
}

func printed(t *testing.T, output string, value any, sheets ...*sheet) string {
	t.Helper()
	s := &session{output: output}
	cmd := Command()
	var out bytes.Buffer
	cmd.SetOut(&out)
	if err := s.print(cmd, value, sheets...); err != nil {
		t.Fatal(err)
	}
	return out.String()
}

// TestWidths lays a table out for terminals of every width: no line is longer, numbers stay whole, and columns that are
// left out are named.
func TestWidths(t *testing.T) {
	for _, c := range []struct {
		columns string
		has     []string
		out     string // what is left out
	}{
		{"0", []string{"Remarks", "Possible", "only reviewer; rigs differ"}, ""},
		{"200", []string{"Remarks", "Possible", "accepted by its only reviewer; rigs differ"}, ""},
		{"80", []string{"Remarks", "Possible", "Coverage", "84.1–84.1"}, ""},
		{"60", []string{"Possible", "Coverage", "84.1–84.1"}, "Remarks."},
		{"45", []string{"Edition", "84.1–84.1"}, "Coverage, Remarks."},
		{"30", []string{"Edition", "84.1", "=1"}, "Possible, Coverage, Remarks."},
	} {
		t.Setenv("COLUMNS", c.columns)
		out := printed(t, "table", nil, wide())
		var width int
		if _, err := fmt.Sscan(c.columns, &width); err != nil {
			t.Fatal(err)
		}
		for line := range strings.Lines(out) {
			if n := utf8.RuneCountInString(strings.TrimRight(line, "\n")); width > 0 && n > width {
				t.Errorf("in %s columns a line has %d: %q", c.columns, n, line)
			}
			if strings.HasSuffix(line, " \n") {
				t.Errorf("in %s columns a line ends with a blank: %q", c.columns, line)
			}
		}
		flat := strings.Join(strings.Fields(out), " ")
		for _, want := range c.has {
			if !strings.Contains(flat, want) {
				t.Errorf("in %s columns there is no %q:\n%s", c.columns, want, out)
			}
		}
		_, left, _ := strings.Cut(flat, "Hidden at this width: ")
		if left != c.out {
			t.Errorf("in %s columns %q is left out, not %q:\n%s", c.columns, left, c.out, out)
		}
	}
}

func aligned() *sheet {
	t := &sheet{Table: &tables.Table{Columns: []tables.Column{
		tables.Text("edition", "Edition", ""), tables.Points("score", "Score", ""), tables.Text("after", "After", ""),
	}}}
	t.Add("a", 84.1, "x")
	t.Add("b", 7.5, "x")
	return t
}

func TestNumbersAlignRight(t *testing.T) {
	t.Setenv("COLUMNS", "")
	var ends []int
	for line := range strings.Lines(printed(t, "table", nil, aligned())) {
		if i := strings.Index(line, "x\n"); i >= 0 {
			ends = append(ends, len(strings.TrimRight(line[:i], " ")))
		}
	}
	if len(ends) != 2 || ends[0] != ends[1] {
		t.Errorf("the scores end at %v", ends)
	}
}

// The other forms hold everything, whatever the width, for programs to read.
func TestFormsForPrograms(t *testing.T) {
	t.Setenv("COLUMNS", "30")
	plain := printed(t, "", nil, wide()) // no terminal: tabs
	lines := strings.Split(strings.TrimSuffix(plain, "\n"), "\n")
	if len(lines) != 3 || lines[0] != "rank\tedition\tscore\tcoverage\tremarks\tlow" ||
		lines[2] != "12\tCinderfen 2026-05-02 Latchwork\t7.5\t0.09\t\t3" {
		t.Errorf("into a pipe goes %q", plain)
	}
	broken := &sheet{Table: &tables.Table{Columns: []tables.Column{tables.Text("a", "", ""), tables.Text("b", "", "")}}}
	broken.Add("with\ttab", "with\nline")
	if got := printed(t, "", nil, broken); got != "a\tb\nwith tab\twith line\n" {
		t.Errorf("tabs and lines inside cells: %q", got)
	}
	rows, err := csv.NewReader(strings.NewReader(printed(t, "csv", nil, wide()))).ReadAll()
	if err != nil || len(rows) != 3 || rows[1][0] != "1" ||
		rows[1][1] != "gullhaven/5.2/hearthside" || rows[0][3] != "coverage" {
		t.Errorf("CSV is %q, %v", rows, err)
	}
	value := map[string]any{
		"score": 84.125,
		"name":  "yes",
		"none":  nil,
		"list":  []any{"a", 1.0},
		"html":  "<b>&</b>",
		"date":  "2026-11-23",
	}
	var back any
	text := printed(t, "json", value)
	if err := json.Unmarshal([]byte(text), &back); err != nil || !reflect.DeepEqual(back, any(value)) ||
		!strings.Contains(text, "<b>&</b>") {
		t.Errorf("JSON is %s, %v", text, err)
	}
	var again map[string]any
	if err := yaml.Unmarshal([]byte(printed(t, "yaml", value)), &again); err != nil {
		t.Fatal(err)
	}
	again["list"] = []any{"a", 1.0} // YAML distinguishes whole numbers
	if !reflect.DeepEqual(again, value) {
		t.Errorf("YAML comes back as %v", again)
	}
}

func TestNothingToShow(t *testing.T) {
	t.Setenv("COLUMNS", "40")
	none := &sheet{heading: "Reports", note: "None was published yet.", Table: &tables.Table{
		Name: "none", Columns: []tables.Column{tables.Text("key", "Report", ""), tables.Text("title", "Title", "")},
	}}
	if got := printed(t, "table", nil, none); got != "Reports\nNone was published yet.\n" {
		t.Errorf("an empty list says %q", got)
	}
	two := printed(t, "table", nil, wide(), none)
	if strings.Count(two, "\n\n") != 1 {
		t.Errorf("two tables stand without a line between them:\n%s", two)
	}
}

func TestMoments(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"", "0001-01-01T00:00:00Z"}, {"2026-06-01", "2026-06-01T23:59:59Z"}, {"2026-06-01T09:30:00Z", "2026-06-01T09:30:00Z"}, {"2026-06-01T09:30:00+02:00", "2026-06-01T07:30:00Z"},
	} {
		got, err := momentOf("--at", c.text)
		if err != nil || !strings.HasPrefix(got.UTC().Format("2006-01-02T15:04:05Z"), c.want) {
			t.Errorf("%q is %s (%v), not %s", c.text, got, err, c.want)
		}
	}
	for _, text := range []string{"yesterday", "2026-13-01", "2026-06-31", "01.06.2026", "2026-06-01 09:30"} {
		if got, err := momentOf("--since", text); err == nil || !strings.Contains(err.Error(), "--since") ||
			Code(err) != WrongUsage {
			t.Errorf("%q is taken as %s (%v)", text, got, err)
		}
	}
}

// TestOneTable gives programs one table of an answer: the main one, or the one they ask for.
func TestOneTable(t *testing.T) {
	people := &sheet{Table: &tables.Table{Name: "people", Columns: []tables.Column{tables.Beside("Words")}}}
	main := &sheet{Table: aligned().Table, main: true}
	main.Name = "main"
	for _, c := range []struct {
		table, heads, others string
		fails                bool
	}{
		{"", "edition\tscore\tafter\n", "wide", false},
		{"wide", "rank\t", "main", false},
		{"people", "", "", true},
		{"nowhere", "", "", true},
	} {
		s := &session{table: c.table}
		cmd := Command()
		var out, aside bytes.Buffer
		cmd.SetOut(&out)
		cmd.SetErr(&aside)
		err := s.print(cmd, nil, people, wide(), main)
		if (err != nil) != c.fails || !strings.HasPrefix(out.String(), c.heads) ||
			!strings.HasSuffix(aside.String(), map[bool]string{false: "for --table: " + c.others + ".\n"}[c.fails]) {
			t.Errorf("--table %q: %v\n%s%s", c.table, err, out.String(), aside.String())
		}
		if c.fails && (Code(err) != WrongUsage || !strings.Contains(err.Error(), "wide, main")) {
			t.Errorf("--table %q is refused with %v", c.table, err)
		}
	}
}
