// Package controls checks text for control characters. They can write to a terminal, and bidirectional ones make text
// appear different from what it is; people do not type either.
package controls

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"dappertally/core/fault"
)

// Is reports whether a character is a control character: C0 and C1 controls and DEL (ISO 6429), and the bidirectional
// embeddings, overrides and isolates (Unicode Standard Annex 9). Marks of direction are allowed.
func Is(r rune) bool {
	return r < 0x20 || r >= 0x7f && r <= 0x9f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069 ||
		r == 0x2028 || r == 0x2029
}

// Fault returns what is wrong with a text; empty if nothing is. With lines, line ends and tabs are allowed.
func Fault(text string, lines bool) string {
	for i, r := range text {
		switch {
		case !Is(r):
		case lines && (r == '\n' || r == '\t' || r == '\r' && strings.HasPrefix(text[i:], "\r\n")):
		case r == '\n' || r == '\r':
			return "must be a single line"
		default:
			return fmt.Sprintf("has the control character U+%04X, which is not allowed", r)
		}
	}
	return ""
}

// several are the names of fields that can hold several lines.
var several = map[string]bool{
	"aim": true, "decision": true, "detail": true, "disclosure": true, "disturbance": true, "about": true, "guidance": true,
	"note": true, "notes": true, "question": true, "reason": true, "text": true, "what": true, "why": true,
	"steps": true, "procedure": true, "workaround": true, "outcome": true, "description": true,
	"password": true, "before": true, // these are not shown
}

// mostFaults is how many faults of a document are reported.
const mostFaults = 50

// Document reports what is wrong with the texts and the field names of a JSON document. It ignores a document that is
// not well-formed; others report that.
func Document(document []byte) fault.List {
	if !suspicious(document) {
		return nil
	}
	w := &walk{in: json.NewDecoder(bytes.NewReader(document))}
	w.in.UseNumber()
	w.value(false)
	return w.book.List()
}

// suspicious reports whether a document may hold a control character. Most documents do not, and need no closer look.
func suspicious(document []byte) bool {
	for i, b := range document {
		switch {
		case b == '\\':
			return true
		case b == 0x7f:
			return true
		case b == 0xc2 && i+1 < len(document) && document[i+1] < 0xa0: // C1
			return true
		case b == 0xe2 && i+1 < len(document) && (document[i+1] == 0x80 || document[i+1] == 0x81): // U+2000 to U+207F
			return true
		}
	}
	return false
}

// walk goes through a document once.
type walk struct {
	in     *json.Decoder
	book   fault.Book
	faults int
	ended  bool
}

func (w *walk) token() json.Token {
	t, err := w.in.Token()
	if err != nil {
		w.ended = true
		if err != io.EOF {
			return nil
		}
	}
	return t
}

// value checks the next value. lines tells whether it, or each text of a list, can hold several lines.
func (w *walk) value(lines bool) {
	switch t := w.token().(type) {
	case string:
		w.look(t, lines)
	case json.Delim:
		for i := 0; !w.ended && w.faults < mostFaults && w.in.More(); i++ {
			if t == '[' {
				w.book.In(i, func() { w.value(lines) })
				continue
			}
			name, _ := w.token().(string)
			w.look(name, false)
			w.book.In(name, func() { w.value(several[name]) })
		}
		if w.faults < mostFaults {
			w.token()
		}
	}
}

func (w *walk) look(text string, lines bool) {
	if says := Fault(text, lines); says != "" {
		w.faults++
		w.book.Field("", "%s", says)
	}
}

// Shown makes a text safe for a terminal: controls except line ends and tabs become their code points, such as
// ‹U+001B›, and bytes that are not UTF-8 become U+FFFD.
func Shown(text string) string {
	if !strings.ContainsFunc(text, func(r rune) bool { return r != '\n' && r != '\t' && Is(r) || r == utf8.RuneError }) {
		return text
	}
	var out strings.Builder
	for _, r := range text {
		if r != '\n' && r != '\t' && Is(r) {
			fmt.Fprintf(&out, "‹U+%04X›", r)
		} else {
			out.WriteRune(r)
		}
	}
	return out.String()
}
