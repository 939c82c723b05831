package cli

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"strings"
	"testing"

	"dappertally/core/fault"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

func TestCode(t *testing.T) {
	refused := func(status int) error { return &client.Refusal{Problem: contract.Problem{Status: status}} }
	for _, c := range []struct {
		err  error
		want int
	}{
		{nil, Done},
		{errors.New("broken"), Failed},
		{wrongUsage("no"), WrongUsage},
		{fmt.Errorf("with more: %w", wrongUsage("no")), WrongUsage},
		{errNotFound, NotFound},
		{os.ErrNotExist, NotFound},
		{refused(404), NotFound},
		{refused(401), Refused},
		{refused(409), Refused},
		{refused(422), Refused},
		{refused(500), Failed},
		{fault.List{{Detail: "bad"}}, Refused},
		{fmt.Errorf("%w: connection refused", client.ErrUnreachable), Unreachable},
	} {
		if got := Code(c.err); got != c.want {
			t.Errorf("%v ends with %d, want %d", c.err, got, c.want)
		}
	}
}

func TestCSVIsGuarded(t *testing.T) {
	s := &session{output: "csv"}
	sheet := &sheet{Table: &tables.Table{Columns: []tables.Column{
		tables.Text("name", "Name", ""), tables.Number("value", "Value", ""),
	}}}
	sheet.Add("=SUM(A1)", -3.5)
	sheet.Add("@import", 12)
	sheet.Add("a, \"b\"", nil)
	cmd := Command()
	var out bytes.Buffer
	cmd.SetOut(&out)
	if err := s.print(cmd, nil, sheet); err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&out).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	want := [][]string{{"name", "value"}, {"'=SUM(A1)", "-3.5"}, {"'@import", "12"}, {"a, \"b\"", ""}}
	if fmt.Sprint(rows) != fmt.Sprint(want) {
		t.Errorf("got %q, want %q", rows, want)
	}
}

func TestFigures(t *testing.T) {
	x := func(v float64) *float64 { return &v }
	for _, c := range []struct{ got, want string }{
		{numerals.Rounded(2.5, 0), "3"}, {numerals.Rounded(-2.5, 0), "-3"}, {numerals.Rounded(0.05, 1), "0.1"},
		{numerals.Value(x(1234.5)), "1235"}, {numerals.Value(x(12.34)), "12.3"}, {numerals.Value(x(1.234)), "1.23"}, {numerals.Value(nil), "–"},
		{numerals.Signed(x(3.7)), "+3.70"}, {numerals.Signed(x(-3.7)), "-3.70"},
		{numerals.Score(nil), "–"}, {numerals.Share(0.955), "96 %"},
	} {
		if c.got != c.want {
			t.Errorf("%q, want %q", c.got, c.want)
		}
	}
}

// TestHelp requires a help text with two examples of every command.
func TestHelp(t *testing.T) {
	seen := 0
	root := Command()
	for _, noun := range root.Commands() {
		verbs := noun.Commands()
		if len(verbs) == 0 {
			verbs = append(verbs, noun)
		}
		for _, cmd := range verbs {
			if cmd.Name() == "help" || cmd.Name() == "completion" || cmd.Parent().Name() == "completion" {
				continue
			}
			seen++
			examples := strings.Split(strings.TrimSpace(cmd.Example), "\n")
			if cmd.Short == "" || len(examples) < 2 {
				t.Errorf("%s: %q with %d examples", cmd.CommandPath(), cmd.Short, len(examples))
			}
		}
	}
	if seen < 20 {
		t.Errorf("%d commands only", seen)
	}
}
