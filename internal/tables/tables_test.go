package tables

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"maps"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
)

func sample() *Table {
	t := &Table{Name: "readings", Columns: []Column{
		Text(
			"id", "Id", "",
		), Text("answer", "", ""), Beside("Remarks"), Text("note", "Note", ""), Number("points", "", ""),
	}}
	t.Add("a", "26.4 25.9", "for people", "=SUM(A1)", 3.5)
	t.Add(As{"b", "Bee"}, "works", "", "with \"quotes\", commas\nand | bars", nil)
	t.Add("c", "-3", "", "'=guarded already", -12.0)
	t.Add("d", "012", "", "<b>&</b>", 0.1)
	return t
}

// TestRoundTrip writes a table in every readable format and reads it again.
func TestRoundTrip(t *testing.T) {
	for _, form := range Readable {
		f, ok := Find(form)
		if !ok {
			t.Fatalf("%s can be read and not written", form)
		}
		var b bytes.Buffer
		if err := f.Write(&b, sample()); err != nil {
			t.Fatalf("%s: %v", form, err)
		}
		source, err := Read(&b, form, 0)
		if err != nil {
			t.Fatalf("%s: %v", form, err)
		}
		keys, rows := sample().Data()
		for i, want := range rows {
			row, err := source.Next()
			if err != nil || row.Fault != "" {
				t.Fatalf("%s, row %d: %v %s", form, i, err, row.Fault)
			}
			for j, column := range keys {
				if got, _ := row.Get(column); got != text(want[j]) {
					t.Errorf("%s, row %d, %s: %q, want %q", form, i, column, got, text(want[j]))
				}
			}
		}
		if _, err := source.Next(); !errors.Is(err, io.EOF) {
			t.Errorf("%s: it goes on: %v", form, err)
		}
	}
}

func TestCSVIsGuarded(t *testing.T) {
	var b bytes.Buffer
	if err := WriteCSV(&b, sample()); err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{"'=SUM(A1)", ",-12\n", "''=guarded", "\nc,-3,"} {
		if !strings.Contains(b.String(), want) {
			t.Errorf("no %q in\n%s", want, b.String())
		}
	}
}

func TestMarkdown(t *testing.T) {
	var b bytes.Buffer
	if err := writeMarkdown(&b, sample()); err != nil {
		t.Fatal(err)
	}
	want := "| id | answer | note | points |\n| --- | --- | --- | ---: |\n"
	if !strings.HasPrefix(b.String(), want) || !strings.Contains(b.String(), `and \| bars`) ||
		strings.Contains(b.String(), "<b>") {
		t.Error(b.String())
	}
}

func TestReadRefuses(t *testing.T) {
	for _, c := range []struct{ form, text, says string }{
		{"csv", "", "is empty"},
		{"csv", "a,b,a\n", `column "a" twice`},
		{"csv", "a,b\n1\n", "has 1 columns, and the heading has 2"},
		{"csv", "a,b\n1,\xff\n", "not UTF-8"},
		{"csv", "a,b\n1,\"x\n", "quote"},
		{"jsonl", "\n\n", "no rows"},
		{"jsonl", "{\"a\":1}\nnonsense\n", "is not a JSON object"},
		{"jsonl", "[1]\n", "is not a JSON object"},
		{"json", "{", "unexpected end"},
		{"json", "{\"a\":1,\"b\":2}", "no list of rows"},
		{"json", "[1]", "is not an object"},
		{"yaml", "a: [", "yaml"},
		{"xlsx", "PK nothing", "is not a workbook"},
		{"docx", "", "cannot be read"},
	} {
		err := drain(c.form, c.text)
		if err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s %q: %v, want %q", c.form, c.text, err, c.says)
		}
	}
}

func drain(form, text string) error {
	s, err := Read(strings.NewReader(text), form, 0)
	if err != nil {
		return err
	}
	for {
		row, err := s.Next()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return err
		}
		if row.Fault != "" {
			return fmt.Errorf("line %d %s", row.Line, row.Fault)
		}
	}
}

func TestReadCSVAsPeopleWriteIt(t *testing.T) {
	s, err := Read(strings.NewReader("\ufeffSystem;Ergebnis\r\nQuay;26,4\r\n"), "csv", 0)
	if err != nil {
		t.Fatal(err)
	}
	row, err := s.Next()
	if got, _ := row.Get("Ergebnis"); err != nil || got != "26,4" || row.Line != 2 {
		t.Errorf("%+v, %v", row, err)
	}
	deep, err := Read(strings.NewReader(`{"a":{"b":[1.50,2]},"c":["x"],"d":null}`), "jsonl", 0)
	if err != nil {
		t.Fatal(err)
	}
	row, _ = deep.Next()
	if got, _ := row.Get("a.b"); got != "1.50 2" {
		t.Errorf("a.b is %q", got)
	}
	if got, _ := row.Get("c"); got != `["x"]` {
		t.Errorf("c is %q", got)
	}
}

// TestBookLooks shows fractions with as many decimals as they need and stores them exactly, names no library, and
// contains no time.
func TestBookLooks(t *testing.T) {
	points := &Table{Name: "points", Columns: []Column{
		Text(
			"edition", "", "",
		), Points("points", "", ""), Share("share", "", ""), Integer("runs", "", ""), Number("whole", "", ""),
	}}
	points.Add("a/1/x", 80.0, 0.125, 5, 3.0)
	points.Add("b/1/x", 78.70025, 1.0, 3, 4.0)
	points.Add("c/1/x", nil, nil, 1, nil)
	var first, again bytes.Buffer
	for _, out := range []*bytes.Buffer{&first, &again} {
		if err := WriteBook(out, []*Table{sample(), points}); err != nil {
			t.Fatal(err)
		}
	}
	if !bytes.Equal(first.Bytes(), again.Bytes()) {
		t.Error("the same tables give other bytes")
	}
	f, err := excelize.OpenReader(bytes.NewReader(first.Bytes()))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for cell, want := range map[string]string{"B2": "80.00", "B3": "78.70", "C2": "0.125", "C3": "1.000", "D2": "5", "E2": "3", "B4": "", "C4": ""} {
		if got, err := f.GetCellValue("points", cell); err != nil || got != want {
			t.Errorf("%s is shown as %q, not %q (%v)", cell, got, want, err)
		}
	}
	if raw, err := f.GetCellValue("points", "B3", excelize.Options{RawCellValue: true}); err != nil ||
		raw != "78.70025" {
		t.Errorf("what is in B3 is %q (%v)", raw, err)
	}
	about, err := f.GetDocProps()
	if err != nil || about.Creator != "Dapper Tally" || about.Created != noClock || about.Modified != noClock {
		t.Errorf("the book says it is by %q, of %s (%v)", about.Creator, about.Created, err)
	}
	panes, err := f.GetPanes("points")
	if err != nil || !panes.Freeze || panes.YSplit != 1 {
		t.Errorf("the headings do not stay: %+v, %v", panes, err)
	}
}

// TestBookTexts: texts are the same after a way through a spreadsheet, as far as one can hold them.
func TestBookTexts(t *testing.T) {
	long := strings.Repeat("long ", 10_000)
	texts := map[string]string{
		"plain": "plain", " spaces ": " spaces ", "<&>\"'": "<&>\"'", "two\nlines\tand a tab": "two\nlines\tand a tab",
		"_x0041_": "_x0041_", "_x005F_x0041_": "_x005F_x0041_", "a_x": "a_x", "=1+1": "=1+1",
		"snow ☃ 🐧": "snow ☃ 🐧",
		"bell \a":  "bell \uFFFD", long: long[:mostInCell],
	}
	table := &Table{
		Name:    "texts",
		Columns: []Column{Text("text", "", ""), Truth("yes", "", ""), Number("number", "", "")},
	}
	keys := slices.Sorted(maps.Keys(texts))
	for i, text := range keys {
		table.Add(text, i%2 == 0, 0.1*float64(i))
	}
	var out bytes.Buffer
	if err := WriteBook(&out, []*Table{table}); err != nil {
		t.Fatal(err)
	}
	f, err := excelize.OpenReader(&out)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	rows, err := f.GetRows("texts", excelize.Options{RawCellValue: true})
	if err != nil || len(rows) != len(texts)+1 {
		t.Fatalf("%d rows, %v", len(rows), err)
	}
	for i, key := range keys {
		row := rows[i+1]
		number, err := strconv.ParseFloat(row[2], 64)
		if want := texts[key]; row[0] != want || row[1] != []string{"1", "0"}[i%2] || err != nil ||
			number != 0.1*float64(i) {
			t.Errorf("%.40q comes back as %.40q, %v, %v (%v)", key, row[0], row[1], number, err)
		}
	}
}

// TestBookEndsEarly: an error of the rows, or of the writer, ends the book and is returned.
func TestBookEndsEarly(t *testing.T) {
	broken := errors.New("broken")
	table := &Table{Name: "rows", Columns: []Column{Text("text", "", "")}}
	table.Stream = func(add func(cells ...any) error) error {
		for i := range 100_000 {
			if err := add(strings.Repeat("x", 10) + strconv.Itoa(i)); err != nil {
				return err
			}
		}
		return broken
	}
	if err := WriteBook(io.Discard, []*Table{table}); !errors.Is(err, broken) {
		t.Errorf("rows that break off: %v", err)
	}
	full := errors.New("full")
	if err := WriteBook(&brim{left: 10_000, err: full}, []*Table{table}); !errors.Is(err, full) {
		t.Errorf("a disk that is full: %v", err)
	}
}

// brim accepts that many bytes.
type brim struct {
	left int
	err  error
}

func (b *brim) Write(p []byte) (int, error) {
	if b.left -= len(p); b.left < 0 {
		return 0, b.err
	}
	return len(p), nil
}

// TestShown compares the form of a cell for people with that for programs.
func TestShown(t *testing.T) {
	number, at := 84.125, time.Date(2026, 11, 23, 14, 2, 0, 0, time.UTC)
	for _, c := range []struct {
		column Column
		cell   any
		shown  string
		data   any
	}{
		{Points("", "", ""), &number, "84.1", 84.125},
		{Points("", "", ""), (*float64)(nil), "–", nil},
		{Share("", "", ""), 0.155, "16 %", 0.155},
		{Share("", "", "").To(1), 0.155, "15.5 %", 0.155},
		{Percent("", "", ""), 12.34, "+12.3 %", 12.34},
		{Number("", "", ""), 1234.5, "1235", 1234.5},
		{Integer("", "", ""), int64(4096), "4096", 4096},
		{Integer("", "", ""), As{2, "=2"}, "=2", 2},
		{Integer("", "", ""), As{(*float64)(nil), ""}, "", nil},
		{Truth("", "", ""), true, "yes", true},
		{Truth("", "", ""), false, "", false},
		{Moment("", "", ""), at, "2026-11-23 14:02 UTC", "2026-11-23T14:02:00Z"},
		{Moment("", "", ""), time.Time{}, "", nil},
		{List("", "", ""), []string{"a", "b"}, "a, b", "a b"},
		{List("", "", ""), []string{"a b", "c"}, "a b, c", "a b; c"},
		{Text("", "", ""), nil, "", nil},
	} {
		table := Table{Columns: []Column{c.column}}
		table.Columns[0].Key = "key"
		table.Add(c.cell)
		if got := table.Columns[0].Shown(table.Rows[0][0]); got != c.shown {
			t.Errorf("%v of type %s is shown as %q, want %q", c.cell, c.column.Type, got, c.shown)
		}
		if _, rows := table.Data(); rows[0][0] != c.data {
			t.Errorf("%v of type %s is %#v for programs, want %#v", c.cell, c.column.Type, rows[0][0], c.data)
		}
	}
}

// TestDefinition puts the given columns in the place of the one with a star.
func TestDefinition(t *testing.T) {
	d := &Definition{Name: "x", Columns: []Column{Text("a", "", ""), Points("section.*", "", ""), Text("z", "", "")}}
	if got := strings.Join(d.Table(Points("section.one", "One", ""), Points("section.two", "Two", "")).Keys(), " "); got !=
		"a section.one section.two z" {
		t.Errorf("the keys are %s", got)
	}
	if got := strings.Join(d.Table().Keys(), " "); got != "a z" {
		t.Errorf("without sections the keys are %s", got)
	}
}

// TestWorkbookThatUnpacksTooFar refuses a small workbook that would unpack to a very large one, before unpacking it.
func TestWorkbookThatUnpacksTooFar(t *testing.T) {
	for part, size := range map[string]int{"xl/sharedStrings.xml": largestShared + 1, "xl/worksheets/sheet1.xml": largestUnpacked + 1} {
		var out bytes.Buffer
		archive := zip.NewWriter(&out)
		w, err := archive.Create(part)
		if err != nil {
			t.Fatal(err)
		}
		for chunk := bytes.Repeat([]byte(" "), 1<<20); size > 0; size -= len(chunk) {
			if _, err := w.Write(chunk[:min(size, len(chunk))]); err != nil {
				t.Fatal(err)
			}
		}
		if err := archive.Close(); err != nil {
			t.Fatal(err)
		}
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err = Read(&out, "xlsx", 0)
		runtime.ReadMemStats(&after)
		if err == nil || !strings.Contains(err.Error(), "save it as CSV") {
			t.Errorf("%s: %v", part, err)
		}
		if took := after.TotalAlloc - before.TotalAlloc; took > 20<<20 {
			t.Errorf("%s: refusing it took %d MiB", part, took>>20)
		}
	}
}

// TestStream: rows that arrive one by one are written like rows in memory; a form that needs all of them refuses too
// many.
func TestStream(t *testing.T) {
	held := sample()
	for _, f := range Forms {
		flowing := sample()
		rows := flowing.Rows
		flowing.Rows, flowing.Stream = nil, func(add func(cells ...any) error) error {
			for _, row := range rows {
				if err := add(slices.Clone(row)...); err != nil {
					return err
				}
			}
			return nil
		}
		var a, b bytes.Buffer
		if err := f.Write(&a, held); err != nil {
			t.Fatal(err)
		}
		if err := f.Write(&b, flowing); err != nil || !bytes.Equal(a.Bytes(), b.Bytes()) {
			t.Errorf("%s: %v, as\n%s and\n%s", f.Name, err, a.Bytes(), b.Bytes())
		}
		broken := sample()
		broken.Stream = func(func(cells ...any) error) error { return io.ErrUnexpectedEOF }
		if err := f.Write(io.Discard, broken); !errors.Is(err, io.ErrUnexpectedEOF) {
			t.Errorf("%s: %v", f.Name, err)
		}
		endless := sample()
		endless.Rows, endless.Stream = nil, func(add func(cells ...any) error) error {
			for range mostHeld + 1 {
				if err := add(slices.Clone(rows[0])...); err != nil {
					return err
				}
			}
			return nil
		}
		if err := f.Write(io.Discard, endless); errors.Is(err, ErrTooMany) == f.flows {
			t.Errorf("%s, of too many rows: %v", f.Name, err)
		}
	}
}
