package report_test

import (
	"bytes"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
	"dappertally/internal/demo"
	"dappertally/internal/report"
	"dappertally/internal/tables"
)

// laid lays out a report of every kind of part.
func laid(t *testing.T, spec reporting.Spec) (map[string]*report.Section, *reporting.Results) {
	t.Helper()
	_, r := made(t, &spec)
	return lay(spec, r), r
}

func lay(spec reporting.Spec, r *reporting.Results) map[string]*report.Section {
	sections := report.Lay(&report.Document{Spec: spec, Prose: map[string]string{}}, r)
	by := map[string]*report.Section{}
	for i := range sections {
		by[sections[i].Kind] = &sections[i]
	}
	return by
}

// words returns all texts of a section.
func words(s *report.Section) string {
	var out strings.Builder
	for _, b := range s.Blocks {
		out.WriteString(b.Heading + "\n" + b.Note + "\n")
		for _, x := range b.List {
			out.WriteString(x.Name + ": " + x.Text + "\n")
		}
		if b.Table != nil {
			for _, c := range b.Table.Columns {
				out.WriteString(c.Title + " | ")
			}
			for _, row := range b.Table.Rows {
				for _, c := range row.Cells {
					out.WriteString(c.Text + " " + c.Small + " | ")
				}
				out.WriteString("\n")
			}
		}
		if b.Figure != nil {
			out.WriteString(b.Figure.Alt + "\n")
		}
	}
	return out.String()
}

// column returns a column of a table of rows for programs.
func column(t *testing.T, data *tables.Table, name string) (cells []any) {
	t.Helper()
	keys, rows := data.Data()
	i := slices.Index(keys, name)
	if i < 0 {
		t.Fatalf("%s has no column %q: %v", data.Name, name, keys)
	}
	for _, row := range rows {
		cells = append(cells, row[i])
	}
	return cells
}

// Every part includes every edition of the report.
func TestNobodyIsLeftOut(t *testing.T) {
	sections, r := laid(t, whole())
	for _, kind := range []string{reporting.Ranking, reporting.Sections, reporting.Measures, reporting.HeadToHead, reporting.Facts, reporting.Contenders} {
		says := words(sections[kind])
		for _, e := range r.Editions {
			if !strings.Contains(says, r.Name(e)) {
				t.Errorf("%s says nothing of %s", kind, r.Name(e))
			}
		}
	}
	for kind, s := range sections {
		if kind != reporting.Summary && kind != reporting.Prose && len(s.Blocks) == 0 {
			t.Errorf("the part %s is empty and does not say why", kind)
		}
		for i, row := range rowsOf(s) {
			if len(row) != len(s.Data.Columns) {
				t.Errorf("%s: row %d for programs has %d cells for %d columns", kind, i, len(row), len(s.Data.Columns))
			}
		}
	}
}

func rowsOf(s *report.Section) [][]any {
	if s.Data == nil {
		return nil
	}
	return s.Data.Rows
}

// Every offset, disturbance and bound of a reading that an edition's score uses, and everything not tested, is
// declared: nobody can leave it out.
func TestCaveatsAreWhole(t *testing.T) {
	sections, r := laid(t, whole())
	data := sections[reporting.Caveats].Data
	declared := map[string]int{}
	for _, row := range data.Rows {
		declared[fmt.Sprint(row[0])]++
	}
	want := map[string]int{}
	for e := range r.Table.Editions {
		for i := range r.Table.Criteria {
			for _, x := range r.Table.Own(e).Of(i) {
				switch {
				case x.Disturbance != "":
					want["disturbed"]++
				case x.Adjustment != nil:
					want["adjusted"]++
				case x.Bound != "":
					want["bound"]++
				}
			}
		}
	}
	for i := range r.Views[0].Cards {
		for _, c := range r.Views[0].Cards[i].Criteria {
			if c.State == scoring.NotTested {
				want["not tested"]++
			}
		}
	}
	if want["adjusted"] == 0 || want["not tested"] == 0 {
		t.Fatalf("these editions have nothing to declare: %v", want)
	}
	for sort, n := range want {
		if declared[sort] != n {
			t.Errorf("%d of %s are declared, not %d", declared[sort], sort, n)
		}
	}
	says := words(sections[reporting.Caveats])
	for _, part := range []string{"subtracted from every run", "the boot menu waits", "no printer at hand"} {
		if !strings.Contains(says, part) {
			t.Errorf("the caveats do not say %q:\n%s", part, says)
		}
	}
	for _, line := range strings.Split(says, "\n") {
		for _, criterion := range strings.Split(line, "; ") {
			if on, rigs, ok := strings.Cut(criterion, " on "); ok && strings.Count(rigs, "Old dual-core laptop") > 1 {
				t.Errorf("%s is said twice of the same rig: %s", on, line)
			}
		}
	}
}

// The rows of a ranking are in its order, and the contributions of the first two add up.
func TestRankingPart(t *testing.T) {
	sections, r := laid(t, whole())
	data := sections[reporting.Ranking].Data
	standing, rank, audience := column(t, data, "standing"), column(t, data, "rank"), column(t, data, "audience")
	order := map[string]int{"ranked": 0, "provisional": 1, "barred": 2}
	for i := 1; i < len(data.Rows); i++ {
		if audience[i] != audience[i-1] {
			continue // another audience begins
		}
		a, b := fmt.Sprint(standing[i-1]), fmt.Sprint(standing[i])
		if order[a] > order[b] || (a == "ranked" && b == "ranked" && rank[i-1].(int) > rank[i].(int)) {
			t.Errorf("row %d: %v %v after %v %v", i, b, rank[i], a, rank[i-1])
		}
	}
	e := r.Views[0].Explanation
	sum, found := 0.0, false
	for _, b := range sections[reporting.Ranking].Blocks {
		if b.Table == nil || b.Table.Caption != "Largest contributions to the difference" {
			continue
		}
		found = true
		last := len(b.Table.Rows) - 1
		for i, row := range b.Table.Rows {
			adds, err := strconv.ParseFloat(strings.Replace(row.Cells[3].Text, "−", "-", 1), 64)
			if err != nil {
				t.Fatal(err)
			}
			if i < last {
				sum += adds
			} else if math.Abs(adds-e.Difference) > 0.005001 {
				t.Errorf("the difference is told as %v, not %v", adds, e.Difference)
			}
		}
		if rounding := 0.005 * float64(last); math.Abs(sum-e.Difference) > rounding {
			t.Errorf("what is told adds up to %v, the scores are %v apart", sum, e.Difference)
		}
	}
	if !found {
		t.Error("nothing tells why the first is ahead")
	}
}

// Each figure of measures has a few editions, and all figures together have all.
func TestMeasuresFigures(t *testing.T) {
	for _, n := range []int{2, 4, 5} {
		spec := whole()
		spec.Editions = slices.Clone(contenders[:n])
		sections, r := laid(t, spec)
		keys, drawn := map[string]bool{}, map[string]int{}
		for _, b := range sections[reporting.Measures].Blocks {
			if b.Figure == nil {
				continue
			}
			if keys[b.Figure.Key] {
				t.Errorf("%d editions: two figures are called %s", n, b.Figure.Key)
			}
			keys[b.Figure.Key] = true
			for _, e := range r.Editions {
				if strings.Contains(b.Figure.Title, r.Name(e)) {
					drawn[e]++
				}
			}
		}
		if len(keys) != (n-1+2)/3 {
			t.Errorf("%d editions are drawn in %d figures", n, len(keys))
		}
		for _, e := range r.Editions {
			if e != r.Baseline && drawn[e] != 1 {
				t.Errorf("%d editions: %s is drawn %d times", n, e, drawn[e])
			}
		}
	}
}

// One edition, a field without any rank, a list that balances its sections and one without measures: a report with
// every part can be made of each, and names what cannot be computed.
func TestUnusualReports(t *testing.T) {
	zero, all := 0.0, 1.0
	for _, c := range []struct {
		name   string
		spec   func(*reporting.Spec)
		list   func(*checklist.Checklist)
		kind   string
		says   string
		ranked bool
	}{
		{"one edition", func(s *reporting.Spec) { s.Editions = contenders[3:4] }, nil, reporting.HeadToHead, "", true},
		{"nobody ranked", func(s *reporting.Spec) { s.Editions = contenders[4:5] }, nil, reporting.Sureness, "No edition is ranked", false},
		{"balanced", nil, func(l *checklist.Checklist) { l.Policy.Balance = &zero }, reporting.Sureness, "has no tipping points", true},
		{"all provisional", nil, func(l *checklist.Checklist) { l.Policy.MinCoverage = &all; l.Policy.Decisive = nil }, reporting.Ranking, "provisional: ", true},
		{"no measures", nil, func(l *checklist.Checklist) {
			for i := range l.Sections {
				l.Sections[i].Criteria = slices.DeleteFunc(slices.Clone(l.Sections[i].Criteria), func(c checklist.Criterion) bool { return c.Kind == checklist.Measure })
			}
		}, reporting.Measures, "share no measure", true},
	} {
		t.Run(c.name, func(t *testing.T) {
			spec := whole()
			if c.spec != nil {
				c.spec(&spec)
			}
			spec.Parts[0].Text = ""
			r := computed(t, &spec, c.list)
			sections := lay(spec, r)
			if got := len(r.Views[0].Ranking.Ranking) > 0; got != c.ranked {
				t.Errorf("somebody is ranked: %t", got)
			}
			if !strings.Contains(words(sections[c.kind]), c.says) {
				t.Errorf("the part %s does not say %q:\n%s", c.kind, c.says, words(sections[c.kind]))
			}
			d := &report.Document{Spec: spec, Prose: map[string]string{}, Team: "Second Wind"}
			page, err := report.Preview(d, r, nil)
			if err != nil || !bytes.Contains(page, []byte("nothing here is published yet")) {
				t.Errorf("the preview: %d bytes, %v", len(page), err)
			}
			if _, err := report.Freeze(d, []byte("{}"), r, nil); err != nil {
				t.Error(err)
			}
		})
	}
}

// computed returns the results of a report on the demo with a changed checklist.
func computed(t *testing.T, spec *reporting.Spec, change func(*checklist.Checklist)) *reporting.Results {
	t.Helper()
	records, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	list, err := scoring.Newest(records.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	if change != nil {
		change(list)
	}
	r, err := reporting.Compute(
		t.Context(),
		reporting.Public(records, list, spec.Editions, spec),
		reporting.Question{Checklist: list.Name(), Audiences: spec.Audiences, Editions: spec.Editions},
	)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// A table of very many editions is divided into sheets that fit on paper: each has the same head, and together they
// have every edition once.
func TestSheets(t *testing.T) {
	table := func(editions, repeats int) *report.Table {
		t := &report.Table{Caption: "Points", Repeats: repeats}
		for i := range repeats + editions {
			t.Columns = append(t.Columns, report.Column{Title: fmt.Sprint("column ", i)})
		}
		for row := range 3 {
			var r report.Row
			for i := range t.Columns {
				r.Cells = append(r.Cells, report.Cell{Text: fmt.Sprint(row, " ", i)})
			}
			t.Rows = append(t.Rows, r)
		}
		return t
	}
	for _, c := range []struct{ editions, repeats, sheets int }{{1, 1, 1}, {10, 1, 1}, {11, 1, 2}, {22, 1, 3}, {22, 2, 3}, {60, 2, 6}, {40, 0, 1}} {
		whole := table(c.editions, c.repeats)
		sheets := whole.Sheets()
		if len(sheets) != c.sheets {
			t.Errorf("%d editions after %d columns: %d sheets, not %d", c.editions, c.repeats, len(sheets), c.sheets)
		}
		seen := map[string]int{}
		for _, s := range sheets {
			if c.sheets > 1 && (len(s.Columns) > c.repeats+10 || !strings.Contains(s.Caption, "part ")) {
				t.Errorf("a sheet %q has %d columns", s.Caption, len(s.Columns))
			}
			for i, column := range s.Columns {
				if i < c.repeats && column != whole.Columns[i] {
					t.Errorf("a sheet begins with %v", s.Columns)
				}
				seen[column.Title]++
				for row, r := range s.Rows {
					if want := fmt.Sprint(row, " ", strings.TrimPrefix(column.Title, "column ")); r.Cells[i].Text != want {
						t.Errorf("below %s stands %q, not %q", column.Title, r.Cells[i].Text, want)
					}
				}
			}
		}
		for i, column := range whole.Columns {
			if want := map[bool]int{true: len(sheets), false: 1}[i < c.repeats]; seen[column.Title] != want {
				t.Errorf("%s stands %d times", column.Title, seen[column.Title])
			}
		}
	}
}
