package report_test

import (
	"strings"
	"testing"

	"dappertally/core/reporting"
	"dappertally/internal/report"
)

func TestFill(t *testing.T) {
	spec := whole()
	_, r := made(t, &spec)
	const g, b, e = "gullhaven/5.2/hearthside", "bramblewick/7.0/hearthside", "eiderloft/2026-04/latchwork"
	for _, c := range []struct{ text, want string }{
		{"plain", "plain"},
		{"{name " + g + "}", "Gullhaven 5.2 Hearthside"},
		{"{score " + g + "} and {score " + g + " performance}", "84.1 and 73.1"},
		{"{score " + b + " for classroom}", "87.0"},
		{"{rank " + e + "}", "3"},
		{"{range " + e + "}", "78.8 to 83.0"},
		{"{coverage " + e + "}", "96 %"},
		{"{difference " + g + " " + b + "}", "0.3 points"},
		{"{difference " + b + "\n" + g + "}", "0.3 points"},
		{"{value " + g + " memory-idle bench-old}", "850 MiB"},
		{"{change " + b + " " + g + " memory-idle bench-old}", "5 % worse"},
		{"{change " + b + " " + g + " kernel-build bench-old}", "too close to call"},
		{"{wins " + g + " " + b + "}", "14 to 13, 17 ties"},
		{"{leader} of {editions}", "Gullhaven 5.2 Hearthside of 5"},
		{"{tips performance}", "below 12 % Bramblewick 7.0 Hearthside leads"},
		{`\{score\} stays`, "{score} stays"},
	} {
		if got, faults := report.Fill(r, c.text); got != c.want || len(faults) > 0 {
			t.Errorf("%q: %q %v, want %q", c.text, got, faults, c.want)
		}
	}
}

// A reference that cannot be filled in stays as it is, and its place and the reason are reported.
func TestUnfilled(t *testing.T) {
	spec := whole()
	_, r := made(t, &spec)
	for _, c := range []struct {
		text, says   string
		line, column int
	}{
		{"a {scor x}", "not a known figure", 1, 3},
		{"a\n  {score nowhere/1/desk}", "not in this report", 2, 3},
		{"{score gullhaven}", "write distribution/release/edition", 1, 1},
		{"{score}", "write {score EDITION", 1, 1},
		{"{score gullhaven/5.2/hearthside colour}", "no section and no criterion", 1, 1},
		{"{score gullhaven/5.2/hearthside for nobody}", "audience", 1, 1},
		{"{rank thistledown/2.7/pebbledash}", "not ranked", 1, 1},
		{"{value gullhaven/5.2/hearthside memory-idle bench-none}", "not measured there", 1, 1},
		{"{value gullhaven/5.2/hearthside first-guide bench-old}", "no measure", 1, 1},
		{"{}", "empty", 1, 1},
		{"ein {score gull", "is not closed", 1, 5},
		{"ümlaut }", "is not closed", 1, 8},
	} {
		got, faults := report.Fill(r, c.text)
		if len(faults) != 1 || !strings.Contains(faults[0].Detail, c.says) || faults[0].Line != c.line ||
			faults[0].Column != c.column ||
			got != c.text {
			t.Errorf("%q: %q %+v, want a fault at %d:%d that says %q", c.text, got, faults, c.line, c.column, c.says)
		}
	}
}

// FuzzFill fills in any text: it never fails, names each fault with its place, and leaves texts without braces
// unchanged.
func FuzzFill(f *testing.F) {
	for _, seed := range []string{"plain", "{leader}", `\{score\}`, "{score gullhaven/5.2/hearthside performance for classroom}", "{a{b}c}", "}{", "{\n}", "{rank \xff}", "{difference a b c d e}", strings.Repeat("{", 50)} {
		f.Add(seed)
	}
	var r *reporting.Results
	f.Fuzz(func(t *testing.T, text string) {
		if r == nil {
			spec := whole()
			_, r = made(t, &spec)
		}
		got, faults := report.Fill(r, text)
		if !strings.ContainsAny(text, `{}\`) && (got != text || len(faults) > 0) {
			t.Errorf("%q became %q, with %v", text, got, faults)
		}
		lines := strings.Split(text, "\n")
		for _, x := range faults {
			if x.Line < 1 || x.Line > len(lines) || x.Column < 1 || x.Column > 1+len([]rune(lines[x.Line-1])) ||
				x.Detail == "" {
				t.Errorf("%q: a fault at %d:%d says %q", text, x.Line, x.Column, x.Detail)
			}
		}
	})
}
