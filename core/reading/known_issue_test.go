package reading_test

import (
	"strings"
	"testing"

	"dappertally/core/fault"
	"dappertally/core/reading"
)

// TestValidateTrouble names the one field that is wrong, and accepts what is at a bound.
func TestValidateKnownIssue(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(*reading.KnownIssue)
		at     string // the field that is wrong; empty: none
	}{
		{"a whole one", func(*reading.KnownIssue) {}, ""},
		{"no key", func(x *reading.KnownIssue) { x.Key = "" }, "/key"},
		{"a key with a space", func(x *reading.KnownIssue) { x.Key = "wifi drops" }, "/key"},
		{"a key of 64", func(x *reading.KnownIssue) { x.Key = strings.Repeat("k", 64) }, ""},
		{"a key of 65", func(x *reading.KnownIssue) { x.Key = strings.Repeat("k", 65) }, "/key"},
		{"no title", func(x *reading.KnownIssue) { x.Title = "" }, "/title"},
		{"a title of blanks", func(x *reading.KnownIssue) { x.Title = "  " }, "/title"},
		{"a title that never ends", func(x *reading.KnownIssue) { x.Title = strings.Repeat("long ", 10_000) }, "/title"},
		{"no origin", func(x *reading.KnownIssue) { x.Origin = "" }, ""},
		{"an unheard-of origin", func(x *reading.KnownIssue) { x.Origin = "luck" }, "/origin"},
		{"a text that never ends", func(x *reading.KnownIssue) { x.Text = strings.Repeat("x", 1<<20) }, "/text"},
		{"a script for an address", func(x *reading.KnownIssue) { x.Reported = []string{"javascript:alert(1)"} }, "/reported"},
		{"no address", func(x *reading.KnownIssue) { x.Reported = []string{"https://tracker.example/7", "seven"} }, "/reported"},
	} {
		x := reading.KnownIssue{
			Key: "wifi-drops", Title: "The network goes away after sleep", Origin: "driver",
			Workaround: "unload the driver before sleep", Reported: []string{"https://tracker.example/7"},
		}
		c.change(&x)
		var book fault.Book
		reading.ValidateKnownIssue(&x, &book)
		faults := book.List()
		switch {
		case c.at == "" && len(faults) > 0:
			t.Errorf("%s is refused: %v", c.name, faults)
		case c.at != "" && (len(faults) != 1 || !strings.HasPrefix(faults[0].Pointer, c.at)):
			t.Errorf("%s: %v, want one fault at %s", c.name, faults, c.at)
		}
	}
}
