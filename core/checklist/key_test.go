package checklist_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/fault"
)

// TestKeys distinguishes valid keys from invalid ones, and checks the messages.
func TestKeys(t *testing.T) {
	for key, why := range map[string]string{
		"cold-start": "", "7zip": "", "a.b_c": "", strings.Repeat("k", 64): "", "console": "", "nulls": "", "com10": "", "aux-port": "", "const": "",
		"": "is not a key", "Cold": "is not a key", "-a": "is not a key", "a b": "is not a key", "é": "is not a key",
		strings.Repeat("k", 65): "is not a key", "a/b": "is not a key", "..": "is not a key", "__proto__": "is not a key",
		"a.": "end with a point", "a..": "end with a point",
		"con": "reserved", "nul": "reserved", "nul.txt": "reserved", "com1": "reserved", "lpt9.log.old": "reserved", "aux": "reserved",
		"prn": "reserved", "constructor": "reserved", "prototype": "reserved",
	} {
		var book fault.Book
		checklist.NoteKey(&book, "key", key)
		found := book.List()
		if checklist.ValidKey(key) != (why == "") || (why == "") != (len(found) == 0) {
			t.Errorf("%q: %v", key, found)
		}
		if why != "" && len(found) == 1 && !strings.Contains(found[0].Detail, why) {
			t.Errorf("%q: %s, want %q", key, found[0].Detail, why)
		}
	}
	if !checklist.Reserved("NUL") || !checklist.Reserved("Com3.x") || checklist.Reserved("24.04") {
		t.Error("versions are told apart otherwise")
	}
}
