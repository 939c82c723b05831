package cli

import (
	"bytes"
	"io"
	"testing"
)

// TestScreen makes control characters visible, and shows characters that arrive in pieces whole.
func TestScreen(t *testing.T) {
	var out bytes.Buffer
	s := shown(&out)
	for _, b := range []byte("Größe 寸\x1b[31m\u202e.\n") {
		if n, err := s.Write([]byte{b}); n != 1 || err != nil {
			t.Fatal(n, err)
		}
	}
	if got, want := out.String(), "Größe 寸‹U+001B›[31m‹U+202E›.\n"; got != want {
		t.Errorf("shown as %q, want %q", got, want)
	}
	if shown(s) != s || bare(s) != io.Writer(&out) {
		t.Error("a screen before a screen")
	}
}
