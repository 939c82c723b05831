package store_test

import (
	"strings"
	"testing"

	"dappertally/internal/store"
)

// TestParseAddress reads addresses of one server and of several nodes, and writes them as they were.
func TestParseAddress(t *testing.T) {
	for text, want := range map[string]string{
		"dtally:secret@tcp(10.0.0.1:3307)/dtally":            "dtally:secret@tcp(10.0.0.1:3307)/dtally",
		"dtally:secret@tcp(10.0.0.1)/dtally":                 "dtally:secret@tcp(10.0.0.1:3306)/dtally",
		"dtally:secret@tcp(a:1,b:2,c)/dtally":                "dtally:secret@tcp(a:1,b:2,c:3306)/dtally",
		"dtally:s(a,b)t@tcp(a, b)/dtally":                    "dtally:s(a,b)t@tcp(a:3306,b:3306)/dtally",
		"dtally@tcp([::1]:3306,[::2]:3306)/dtally?tls=true":  "dtally@tcp([::1]:3306,[::2]:3306)/dtally?tls=true",
		"dtally:secret@unix(/run/mysqld/mysqld.sock)/dtally": "dtally:secret@unix(/run/mysqld/mysqld.sock)/dtally",
		"dtally@tcp(a:1,b:2)/dtally?timeout=1s&tls=true":     "dtally@tcp(a:1,b:2)/dtally?timeout=1s&tls=true",
	} {
		a, err := store.ParseAddress(text)
		if err != nil {
			t.Errorf("%s: %v", text, err)
			continue
		}
		if got := a.String(); got != want {
			t.Errorf("%s: %s, want %s", text, got, want)
		}
	}
	for _, text := range []string{"dtally@tcp(a,,b)/dtally", "dtally@tcp(a,b", "nonsense", "dtally@tcp(a:1,b:2)"} {
		if a, err := store.ParseAddress(text); err == nil || !strings.Contains(err.Error(), "malformed") {
			t.Errorf("%s: %v, %v", text, a, err)
		}
	}
	a, err := store.ParseAddress("dtally@tcp(a:1,b:2)/dtally")
	if err != nil || a.HasPassword() {
		t.Fatal(a, err)
	}
	a.WithPassword("p@ss(w,o)rd")
	if got := a.String(); got != "dtally:p@ss(w,o)rd@tcp(a:1,b:2)/dtally" || !a.HasPassword() {
		t.Errorf("with a password: %s", got)
	}
}
