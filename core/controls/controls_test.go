package controls

import (
	"strings"
	"testing"
)

func TestFault(t *testing.T) {
	for _, c := range []struct {
		text  string
		lines bool
		sound bool
	}{
		{"", false, true},
		{"Größe, 寸法, שלום, \u200fمرحبا", false, true},
		{"two\nlines\tand a tab", true, true},
		{"as another system\r\nends them", true, true},
		{"two\nlines", false, false},
		{"a tab\there", false, false},
		{"a return\ralone", true, false},
		{"\x1b]0;title\a", true, false},
		{"nul\x00", true, false},
		{"C1 \u009b2J", true, false},
		{"over\u202eride", true, false},
		{"isolate \u2067", false, false},
		{"a line \u2028 separator", false, false},
	} {
		if got := Fault(c.text, c.lines); (got == "") != c.sound {
			t.Errorf("%q, several lines %t: %q", c.text, c.lines, got)
		}
	}
}

// TestDocument finds what is wrong and where, in names too, and allows several lines in notes.
func TestDocument(t *testing.T) {
	for document, want := range map[string]string{
		`{"title": "plain", "list": [1, true, null, {"note": "one\ntwo"}]}`: "",
		`{"title": "one\ntwo"}`:                               "/title must be a single line",
		`{"list": [{"note": "fine"}, {"note": "\u001b[2J"}]}`: "/list/1/note has the control character U+001B",
		`{"na\u0007me": 1}`:                                   "/ has the control character U+0007",
		`{"what": ["one\ntwo"], "key": "\u202e"}`:             "/key has the control character U+202E",
		"{\"raw\": \"\u009b\"}":                               "/raw has the control character U+009B",
		`{"broken": "\u001b`:                                  "",
		`[[[["\u0001"]]]]`:                                    "/0/0/0/0 has the control character U+0001",
		`"\u0001"`:                                            " has the control character U+0001",
	} {
		got := ""
		for _, f := range Document([]byte(document)) {
			got += strings.TrimSuffix(f.Pointer, "/") + " " + f.Detail + "; "
		}
		if want == "" && got != "" || !strings.HasPrefix(strings.TrimPrefix(got, "/"), strings.TrimPrefix(want, "/")) {
			t.Errorf("%s: %q, want %q", document, got, want)
		}
	}
	if n := len(Document([]byte("[" + strings.Repeat(`"\u0001",`, 1000) + `""]`))); n != mostFaults {
		t.Errorf("%d faults are told", n)
	}
}

func TestShown(t *testing.T) {
	for text, want := range map[string]string{
		"plain\nand\tsimple": "plain\nand\tsimple",
		"\x1b[2J\a":          "‹U+001B›[2J‹U+0007›",
		"\u009b2J":           "‹U+009B›2J",
		"a\u202eb":           "a‹U+202E›b",
		"raw \x9b":           "raw \uFFFD",
		"‹U+001B›":           "‹U+001B›",
	} {
		if got := Shown(text); got != want {
			t.Errorf("%q is shown as %q, want %q", text, got, want)
		}
	}
}
