package api_test

import (
	"bytes"
	"fmt"
	"net/http"
	"net/url"
	"os"
	"strings"
	"testing"

	"github.com/getkin/kin-openapi/openapi3"

	"dappertally/core/bundle"
	"dappertally/internal/demo"
)

// TestNonsense calls every operation of the contract with nonsense: each refuses with a problem document, none fails
// with an internal error, and nothing is written.
func TestNonsense(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	text, err := os.ReadFile("../contract/openapi.yaml")
	if err != nil {
		t.Fatal(err)
	}
	doc, err := openapi3.NewLoader().LoadFromData(text)
	if err != nil {
		t.Fatal(err)
	}
	before := w.must(200, "marit", "GET", "/api/v1/archive", nil).body
	asked, refused := 0, 0
	ask := func(who, method, address string, body any, headers ...string) {
		t.Helper()
		r := w.call(who, method, address, body, headers...)
		asked++
		switch {
		case r.status >= 500:
			t.Errorf("%s %.200s as %q with %.80v: %d %.300s", method, address, who, body, r.status, r.body)
		case r.status >= 400:
			refused++
			if kind := r.header.Get("Content-Type"); !strings.HasPrefix(kind, "application/problem+json") {
				t.Errorf("%s %.200s as %q: %d in the form %q", method, address, who, r.status, kind)
			}
			var p problem
			r.into(t, &p)
			if len(p.Detail) < 5 || p.Type == "" {
				t.Errorf("%s %.200s as %q: %d says %q", method, address, who, r.status, r.body)
			}
		case method != http.MethodGet:
			t.Errorf("%s %.200s as %q with %.80v is taken: %d", method, address, who, body, r.status)
		}
	}
	long := strings.Repeat("x", 3000)
	words := []string{
		"",
		"NaN",
		"-1",
		"1e999",
		"99999999999999999999",
		"null",
		"../../etc/passwd",
		"%00",
		"'; DROP TABLE people; --",
		"\u202e\u0000",
		long,
	}
	bodies := []any{
		"",
		"null",
		"[]",
		`"x"`,
		"{",
		`{"\u0000":1}`,
		"{\"a\":" + strings.Repeat("[", 2000) + strings.Repeat("]", 2000) + "}",
		"\xff\xfe",
		`{"nobody":"knows","this":true}`,
	}
	for path, item := range doc.Paths.Map() {
		for method, operation := range item.Operations() {
			parameters := append(append(openapi3.Parameters{}, item.Parameters...), operation.Parameters...)
			for i, word := range words {
				if len(parameters) == 0 && i > 0 {
					break
				}
				address, query := path, url.Values{}
				for _, p := range parameters {
					switch p.Value.In {
					case "path":
						segment := word
						if segment == "" {
							segment = "nothing"
						}
						address = strings.ReplaceAll(address, "{"+p.Value.Name+"}", url.PathEscape(segment))
					case "query":
						query.Set(p.Value.Name, word)
					}
				}
				if len(query) > 0 {
					address += "?" + query.Encode()
				}
				address = "/api/v1" + address
				switch {
				case method == http.MethodGet:
					ask("", method, address, nil)
					ask(
						"marit",
						method,
						address,
						nil,
						"If-None-Match",
						`"0.`+url.QueryEscape(word)[:min(len(word), 100)]+`"`,
					)
				case method == http.MethodDelete || operation.RequestBody == nil:
					if strings.Contains(path, "{") {
						ask("marit", method, address, nil, "If-Match", `"0.0"`)
					}
				default:
					ask("marit", method, address, bodies[i%len(bodies)], "If-Match", `"7.abc"`)
					ask("", method, address, bodies[i%len(bodies)])
				}
			}
			if operation.RequestBody == nil {
				continue
			}
			address := path
			for _, p := range parameters {
				address = strings.ReplaceAll(address, "{"+p.Value.Name+"}", "nothing")
			}
			for _, body := range bodies {
				for _, who := range []string{"marit", "ines", "perrin", ""} {
					ask(who, method, "/api/v1"+address, body, "If-Match", `"1.0"`)
				}
			}
		}
	}
	if asked < 2000 || refused < asked/3 {
		t.Errorf("%d questions, %d refused: too few to tell", asked, refused)
	}
	if after := w.must(200, "marit", "GET", "/api/v1/archive", nil).body; string(after) != string(before) {
		t.Error("something was written")
	}
	t.Log(fmt.Sprint(asked), "asked,", refused, "refused")
}

// TestControlCharacters: characters that control a terminal or reorder text are refused by every way in.
func TestControlCharacters(t *testing.T) {
	w := newWorld(t, true)
	const escape, override = "\x1b]0;mine\a\x1b[2J", "invoice\u202Efdp.exe"
	for _, text := range []string{escape, override, "C1 \u009b2J", "nul \x00"} {
		w.must(422, "", "POST", "/api/v1/suggestions", map[string]any{"sort": "review", "about": "quaymark", "text": text})
		w.must(422, "", "POST", "/api/v1/suggestions", map[string]any{"sort": "review", "about": text, "text": "fine"})
		w.must(422, "ines", "POST", "/api/v1/rigs", map[string]any{"key": "bench-c", "name": text, "class": "older"})
		w.must(422, "ines", "GET", "/api/v1/search?find="+url.QueryEscape("x"+text), nil)
		w.must(422, "", "POST", "/api/v1/session", map[string]any{"name": text, "password": "x"})
	}
	w.must(422, "ines", "POST", "/api/v1/rigs", map[string]any{"key": "bench-c", "name": "two\nlines", "class": "older"})
	review := w.planned("ines", "ivybeck/5.4/hearthside")
	w.record(200, "ines", review, map[string]any{
		"criterion": "week-of-use", "answer": map[string]any{"grade": 7}, "note": "two\nlines, a\ttab, שלום",
	})
	w.record(422, "ines", review, map[string]any{
		"criterion": "week-of-use", "answer": map[string]any{"grade": 7}, "note": escape,
	})
	rows := "edition,criterion,answer,note\nquaymark/22.1/latchwork,wireless,works," + escape + "\n"
	body, mediaType := form(t, `{"form": "csv", "trial": true}`, rows)
	r := w.call("ines", "POST", "/api/v1/imports/readings", body, "Content-Type", mediaType)
	if !strings.Contains(string(r.body), "control character") {
		t.Errorf("a row with a control character: %d %s", r.status, r.body)
	}
	b, err := demo.Bundle()
	if err != nil {
		t.Fatal(err)
	}
	b.Rigs[0].Name = override
	var out bytes.Buffer
	if err := bundle.Write(&out, b); err != nil {
		t.Fatal(err)
	}
	body, mediaType = form(t, `{}`, out.String())
	r = w.call("marit", "POST", "/api/v1/imports/bundle", body, "Content-Type", mediaType)
	if !strings.Contains(string(r.body), "control character U+202E") {
		t.Errorf("a bundle with an override: %d %.300s", r.status, r.body)
	}
}
