package report_test

import (
	"archive/zip"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/csv"
	"encoding/hex"
	"encoding/json"
	"image"
	_ "image/png"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"dappertally/core/bundle"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
	"dappertally/internal/demo"
	"dappertally/internal/report"
)

var contenders = []string{
	"bramblewick/7.0/hearthside",
	"cinderfen/2026-05-02/awning",
	"eiderloft/2026-04/latchwork",
	"gullhaven/5.2/hearthside",
	"thistledown/2.7/pebbledash",
}

// whole returns a report with every kind of part and a few references in its prose.
func whole() reporting.Spec {
	s := reporting.Spec{
		Title:     "Old laptops & <new> desktops",
		Audiences: []string{"pensioner", "classroom"},
		Editions:  contenders,
	}
	for _, k := range reporting.Kinds {
		s.Parts = append(s.Parts, reporting.Part{ID: "p-" + k.Key, Kind: k.Key})
	}
	s.Parts[0].Text = "**{name gullhaven/5.2/hearthside}** has {score gullhaven/5.2/hearthside} points.\n\n<script>alert(1)</script>\n\n# Heading\n\n| a | b |\n| - | - |\n| 1 | 2 |"
	return s
}

// records are the demo's, made once; no test changes them.
var records = sync.OnceValues(demo.Bundle)

// made returns the bundle of a report on the demo, as bytes and parsed again, and its results.
func made(t *testing.T, spec *reporting.Spec) ([]byte, *reporting.Results) {
	t.Helper()
	records, err := records()
	if err != nil {
		t.Fatal(err)
	}
	list, err := scoring.Newest(records.Checklists, "")
	if err != nil {
		t.Fatal(err)
	}
	var out bytes.Buffer
	if err := bundle.Write(&out, reporting.Public(records, list, spec.Editions, spec)); err != nil {
		t.Fatal(err)
	}
	b, err := bundle.Parse(bytes.NewReader(out.Bytes()), 1<<30)
	if err != nil {
		t.Fatalf("a report's bundle is no sound bundle: %v", err)
	}
	r, err := reporting.Compute(
		context.Background(),
		b,
		reporting.Question{
			Checklist:  list.Name(),
			Audiences:  spec.Audiences,
			Editions:   spec.Editions,
			Baseline:   spec.Baseline,
			Rigs:       spec.Rigs,
			CommonRigs: spec.CommonRigs,
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	return out.Bytes(), r
}

// frozen returns the whole report, made once for all tests that only read it.
func frozen(t *testing.T) *report.Frozen {
	t.Helper()
	once.Do(func() { kept = freeze(t, whole()) })
	if kept == nil {
		t.Fatal("the report could not be frozen")
	}
	return kept
}

var (
	once sync.Once
	kept *report.Frozen
)

func freeze(t *testing.T, spec reporting.Spec) *report.Frozen {
	t.Helper()
	b, r := made(t, &spec)
	d := &report.Document{
		Key:       "old-laptops",
		Revision:  1,
		Team:      "Second Wind",
		Authors:   []string{"Marit Oyelaw", "Tomas Wrenfield"},
		Published: time.Date(2026, 6, 1, 9, 0, 0, 0, time.UTC),
		Moment:    time.Date(2026, 6, 1, 9, 0, 0, 0, time.UTC),
		Spec:      spec,
		Prose:     map[string]string{},
	}
	for _, p := range spec.Parts {
		filled, faults := report.Fill(r, p.Text)
		if len(faults) > 0 {
			t.Fatalf("%v", faults)
		}
		d.Prose[p.ID] = filled
	}
	f, err := report.Freeze(d, b, r, nil)
	if err != nil {
		t.Fatal(err)
	}
	if dir := os.Getenv("DTALLY_REPORTS"); dir != "" { // to look at it
		for _, x := range f.Files {
			name := filepath.Join(dir, x.Name)
			if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(name, x.Body, 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
	return f
}

func TestFreeze(t *testing.T) {
	f, again := frozen(t), freeze(t, whole())
	for i, x := range f.Files {
		if hash := sha256.Sum256(x.Body); hex.EncodeToString(hash[:]) != x.SHA256 {
			t.Errorf("%s is not what its address says", x.Name)
		}
		if x.SHA256 != again.Files[i].SHA256 {
			t.Errorf("%s has other bytes the second time", x.Name)
		}
	}
	if f.Seal != f.File(report.DocumentFile).SHA256 || f.Document.Bundle != f.File(report.BundleFile).SHA256 {
		t.Error("the seal is not the document's hash, or it does not name the bundle's")
	}
	page := string(f.File(report.PageFile).Body)
	for _, want := range []string{"Old laptops &amp; &lt;new&gt; desktops", f.Seal, "<strong>Gullhaven 5.2 Hearthside</strong> has", "<h3>Heading</h3>", `<meta property="og:title"`, "Caveats and disclosures", "@bottom-right"} {
		if !strings.Contains(page, want) {
			t.Errorf("the page lacks %q", want)
		}
	}
	for _, not := range []string{"<script", "{score", "tomas", `src="http`, "%!"} {
		if strings.Contains(page, not) {
			t.Errorf("the page has %q", not)
		}
	}
}

// Every file of a report is valid in its own format.
func TestForms(t *testing.T) {
	f := frozen(t)
	book, err := excelize.OpenReader(bytes.NewReader(f.File(report.SheetFile).Body))
	if err != nil {
		t.Fatal(err)
	}
	if score, err := book.GetCellType("ranking", "E2"); err != nil || score == excelize.CellTypeSharedString ||
		score == excelize.CellTypeInlineString {
		t.Errorf("a score in the spreadsheet is of type %v (%v), not a number", score, err)
	}
	if n := len(book.GetSheetList()); n < 12 {
		t.Errorf("%d sheets: %v", n, book.GetSheetList())
	}
	packed := f.File(report.TablesFile).Body
	archive, err := zip.NewReader(bytes.NewReader(packed), int64(len(packed)))
	if err != nil {
		t.Fatal(err)
	}
	for _, x := range archive.File {
		in, err := x.Open()
		if err != nil {
			t.Fatal(err)
		}
		if rows, err := csv.NewReader(in).ReadAll(); err != nil || len(rows) < 1 {
			t.Errorf("%s: %d rows, %v", x.Name, len(rows), err)
		}
	}
	for _, x := range f.Files {
		switch {
		case x.Type == "image/png":
			if p, _, err := image.DecodeConfig(bytes.NewReader(x.Body)); err != nil || p.Width < 800 {
				t.Errorf("%s: %d wide, %v", x.Name, p.Width, err)
			}
		case x.Type == "image/svg+xml" && !strings.Contains(string(x.Body), "<desc>"):
			t.Errorf("%s has no text alternative", x.Name)
		case x.Type == "application/json" && !json.Valid(x.Body):
			t.Errorf("%s is no JSON", x.Name)
		}
	}
	md := string(f.File(report.MarkdownFile).Body)
	if !strings.Contains(md, "## Ranking") || !strings.Contains(md, "](figures/ranking-pensioner.svg)") {
		t.Error("the Markdown lacks its ranking or its figures")
	}
}
