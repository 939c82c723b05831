package imports

import (
	"strings"
	"testing"

	"dappertally/core/fault"
)

func drafts(t *testing.T, m *Mapping, text string) []Draft {
	t.Helper()
	r, err := Open(strings.NewReader(text), m)
	if err != nil {
		t.Fatal(err)
	}
	all, err := r.All(1000, nil)
	if err != nil {
		t.Fatal(err)
	}
	return all
}

func TestNarrowTable(t *testing.T) {
	m := &Mapping{
		Name: "old-sheet", Form: "csv", Decimal: "comma", Times: "DD.MM.YYYY hh:mm", Zone: "Europe/Oslo",
		Fields: map[string]Field{
			"edition": {
				Column: "System",
				Values: map[string]string{"Quay 22": "quaymark/22.1/latchwork"},
			}, "criterion": {Column: "Test"}, "rig": {Value: "bench-old"},
			"at": {
				Column: "Wann",
			}, "answer": {Column: "Wert"}, "adjustment": {Column: "Abzug"}, "repeat": {Column: "Nochmal"},
		},
	}
	all := drafts(
		t,
		m,
		"System;Test;Wann;Wert;Abzug;Nochmal\nQuay 22;cold-start;20.11.2026 10:30;26,4 25,9;4,5;yes\nMoss;x;;;;\nMoss;x;20/11;1;;\nMoss;x;;1;vier;\nMoss;x;;1;;vielleicht\n",
	)
	d := all[0]
	if d.Line != 2 || d.Edition != "quaymark/22.1/latchwork" || d.Answer != "26.4 25.9" || *d.Adjustment != 4.5 ||
		!d.Repeat ||
		d.Rig != "bench-old" ||
		d.At.Format("2006-01-02T15:04Z07:00") != "2026-11-20T09:30Z" {
		t.Errorf("%+v", d)
	}
	if all[1].Edition != "Moss" || all[1].Fault != "" || !all[1].At.IsZero() {
		t.Errorf("%+v", all[1])
	}
	for i, want := range map[int]string{2: "Wann", 3: "Abzug", 4: "Nochmal"} {
		if all[i].Column != want || all[i].Fault == "" {
			t.Errorf("line %d: %+v", all[i].Line, all[i])
		}
	}
}

func TestWideTable(t *testing.T) {
	m := &Mapping{
		Name: "wide", Form: "csv", Fields: map[string]Field{"edition": {Column: "system"}},
		Answers: []Answer{
			{Columns: []string{"boot 1", "boot 2"}, Criterion: "cold-start", Phase: "updated"},
			{Columns: []string{"wlan"}, Criterion: "wireless"},
		},
	}
	all := drafts(t, m, "system,boot 1,boot 2,wlan\nq,20,21,works\nm,,,fails\n,19,,\n")
	if len(all) != 4 || all[0].Answer != "20 21" || all[0].Phase != "updated" || all[1].Criterion != "wireless" ||
		all[2].Line != 3 ||
		all[2].Answer != "fails" ||
		all[3].Answer != "19" {
		t.Errorf("%+v", all)
	}
}

func TestMissingColumns(t *testing.T) {
	m := &Mapping{
		Name:   "x",
		Form:   "csv",
		Fields: map[string]Field{"answer": {Column: "value"}, "rig": {Column: "machine"}},
	}
	_, err := Open(strings.NewReader("a,b\n1,2\n"), m)
	if err == nil || !strings.Contains(err.Error(), `"value"`) || !strings.Contains(err.Error(), `"machine"`) ||
		!strings.Contains(err.Error(), "it has a, b") {
		t.Error(err)
	}
}

func TestValidate(t *testing.T) {
	for _, c := range []struct {
		mapping Mapping
		pointer string
	}{
		{Mapping{Name: "A B", Form: "csv"}, "/name"},
		{Mapping{Name: "a", Form: "docx"}, "/form"},
		{Mapping{Name: "a", Form: "csv", Delimiter: ";;"}, "/delimiter"},
		{Mapping{Name: "a", Form: "csv", Decimal: "dot"}, "/decimal"},
		{Mapping{Name: "a", Form: "csv", Times: "whenever"}, "/times"},
		{Mapping{Name: "a", Form: "csv", Zone: "Quay/Tarrow"}, "/zone"},
		{Mapping{Name: "a", Form: "csv", Fields: map[string]Field{"colour": {Column: "x"}}}, "/fields/colour"},
		{Mapping{Name: "a", Form: "csv", Fields: map[string]Field{"rig": {Column: "x", Value: "y"}}}, "/fields/rig"},
		{Mapping{Name: "a", Form: "csv"}, "/fields"},
		{Mapping{Name: "a", Form: "csv", Answers: []Answer{{Criterion: "x"}}}, "/answers/0/columns"},
		{Mapping{Name: "a", Form: "csv", Answers: []Answer{{Columns: []string{"x"}}}}, "/answers/0/criterion"},
		{Mapping{Name: "a", Form: "tap", Tests: []Test{{Name: "x"}}}, "/tests/0"},
	} {
		var book fault.Book
		c.mapping.Validate(&book)
		found := false
		for _, f := range book.List() {
			found = found || f.Pointer == c.pointer
		}
		if !found {
			t.Errorf("%+v: no fault at %s in %v", c.mapping, c.pointer, book.List())
		}
	}
	for _, form := range []string{"csv", "jsonl"} {
		var book fault.Book
		m := Own(form)
		m.Validate(&book)
		if len(book.List()) > 0 {
			t.Errorf("our own mapping is refused: %v", book.List())
		}
	}
}

const tap = `TAP version 14
1..7
# a remark
ok 1 - wireless at once
not ok 2 - archive zip opens
  ---
  message: 'ok 1 - no result'
  ...
ok 3 - archive 7z opens # SKIP no such test archive
not ok 4 - suspend # todo the lid sensor is broken
    ok 1 - part of what follows
    1..1
ok 5 - layouts
not ok 6 - printing
what a test printed
ok 7 - scratch
`

func TestTAP(t *testing.T) {
	m := &Mapping{
		Name: "smoke", Form: "tap", Fields: map[string]Field{"rig": {Value: "bench-old"}},
		Tests: []Test{
			{"wireless at once", "wireless"},
			{"archive zip*", "archives/plain"},
			{"archive 7z*", "archives/solid"},
			{"suspend", "suspend"},
			{"Layouts", "keyboard-layouts"},
			{"scratch", "-"},
		},
	}
	all := drafts(t, m, tap)
	var got []string
	for _, d := range all {
		got = append(got, strings.TrimSpace(d.Criterion+" "+d.Answer+" "+d.NotTested+strings.Split(d.Fault, "\"")[0]))
	}
	want := "wireless works|archives plain=failed solid=untried|suspend  the lid sensor is broken|keyboard-layouts works|the mapping has no entry for"
	if strings.Join(got, "|") != want {
		t.Errorf("%s\nwant %s", strings.Join(got, "|"), want)
	}
	if all[1].Line != 5 || all[0].Rig != "bench-old" {
		t.Errorf("%+v", all)
	}
	for _, c := range []struct{ text, says string }{
		{"ok 1 - a\n", "no plan"},
		{"1..3\nok 1 - a\n", "3 tests were planned and 1 have results"},
		{"1..2\nok 1 - a\nok 3 - b\n", "this is test 3, but 2 was expected"},
		{"1..2\nok 1 - a\nBail out! the disk is full\n", "aborted: the disk is full"},
		{"1..1\nok\n1..1\nok\n", "twice"},
		{"", "no plan"},
	} {
		if _, err := Open(strings.NewReader(c.text), m); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%q: %v, want %q", c.text, err, c.says)
		}
	}
}

// TestDirectives: what a test's line says after # decides between an answer and a reason for none.
func TestDirectives(t *testing.T) {
	m := &Mapping{Name: "smoke", Form: "tap", Tests: []Test{{"sound", "sound"}, {"film", "media/film"}}}
	for line, want := range map[string]string{
		"ok 1 - sound":                             "works",
		"not ok 1 - sound":                         "fails",
		"ok 1 - sound # workaround restart it":     "workaround",
		"not ok 1 - sound # workaround restart it": "fails",
		"ok 1 - sound # SKIP no speaker":           "not tested: no speaker",
		"not ok 1 - sound # skip":                  "not tested: skipped",
		"not ok 1 - sound # TODO the driver":       "not tested: the driver",
		"not ok 1 - sound # todo":                  "not tested: not expected to work yet",
		"ok 1 - sound # TODO the driver":           "works",
		"ok 1 - film":                              "film=worked",
		"not ok 1 - film":                          "film=failed",
		"ok 1 - film # workaround a codec":         "film=workaround",
		"ok 1 - film # skip no film":               "film=untried",
		"not ok 1 - film # todo":                   "film=untried",
	} {
		d := drafts(t, m, "1..1\n"+line+"\n")[0]
		got := d.Answer
		if d.NotTested != "" {
			got += "not tested: " + d.NotTested
		}
		if got != want || d.Fault != "" {
			t.Errorf("%q: %q %s, want %q", line, got, d.Fault, want)
		}
	}
}

func TestLook(t *testing.T) {
	g, err := Look(strings.NewReader("a;b\n1;2\n3;4\n"), "csv", "")
	if err != nil || strings.Join(g.Columns, " ") != "a b" || len(g.Rows) != 2 || g.Rows[1][1] != "4" {
		t.Errorf("%+v, %v", g, err)
	}
	if g, err = Look(strings.NewReader(tap), "tap", ""); err != nil || len(g.Tests) != 7 ||
		g.Tests[2] != "archive 7z opens" {
		t.Errorf("%+v, %v", g, err)
	}
	if _, err = Look(strings.NewReader(""), "csv", ""); err == nil {
		t.Error("an empty file shows something")
	}
}
