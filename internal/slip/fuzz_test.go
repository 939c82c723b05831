package slip_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/slip"
)

// FuzzParse reads any slip, or returns what is wrong with it.
func FuzzParse(f *testing.F) {
	f.Add([]byte("format: dappertally-slip\nversion: 1\nchecklist: workshop@2\n"))
	f.Add([]byte("readings:\n- criterion: guide\n  answer: {grade: 7}\n"))
	f.Add([]byte(""))
	f.Add([]byte("&a [*a, *a]"))
	f.Add([]byte("\xff\xfe"))
	f.Fuzz(func(t *testing.T, text []byte) {
		if s, err := slip.Parse(text); err == nil && (s.Format != slip.Format || s.Version != slip.Version) {
			t.Errorf("a slip of format %q, version %d is taken", s.Format, s.Version)
		}
	})
}

// FuzzParseAnswer reads any text as an answer to a criterion of any kind; an accepted answer is not empty.
func FuzzParseAnswer(f *testing.F) {
	for i := range checklist.Kinds {
		f.Add(i, "")
		f.Add(i, "7.5")
		f.Add(i, "yes")
		f.Add(i, "not-tested no time")
		f.Add(i, "1e400 NaN -0")
		f.Add(i, "=1 a=b")
	}
	f.Fuzz(func(t *testing.T, kind int, text string) {
		c := checklist.Criterion{Key: "guide", Kind: checklist.Kinds[max(kind, -kind)%len(checklist.Kinds)]}
		c.Levels = []checklist.Rung{{Key: "good"}, {Key: "bad"}}
		c.Items = []checklist.Item{{Key: "printer"}, {Key: "scanner"}}
		if _, err := slip.ParseAnswer(&c, strings.Fields(text)); err != nil && strings.TrimSpace(err.Error()) == "" {
			t.Errorf("%q to a %s is refused without a reason", text, c.Kind)
		}
	})
}
