package tables

import (
	"encoding/xml"
	"io"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// appendRow appends the last row of the sheet with these cells, each a string, a float64, an int, a bool, or nil. An
// empty cell is left out. (ECMA-376, part 1, 18.3.1: row, c, v, is.)
func (s *sheet) appendRow(to []byte, row []any) []byte {
	to = append(to, `<row r="`...)
	to = strconv.AppendInt(to, int64(s.row), 10)
	to = append(to, `">`...)
	for i, cell := range row {
		switch x := cell.(type) {
		case float64:
			to = append(s.appendPlace(to, i, s.fractions[i]), `><v>`...)
			to = append(strconv.AppendFloat(to, x, 'f', -1, 64), `</v></c>`...)
		case int:
			to = append(s.appendPlace(to, i, 0), `><v>`...)
			to = append(strconv.AppendInt(to, int64(x), 10), `</v></c>`...)
		case bool:
			to = append(s.appendPlace(to, i, 0), ` t="b"><v>`...)
			digit := byte('0')
			if x {
				digit = '1'
			}
			to = append(append(to, digit), `</v></c>`...)
		case string:
			if x != "" {
				to = append(s.appendPlace(to, i, 0), ` t="inlineStr"><is><t`...)
				if x[0] <= ' ' || x[len(x)-1] <= ' ' {
					to = append(to, ` xml:space="preserve"`...)
				}
				to = append(appendText(append(to, '>'), x), `</t></is></c>`...)
			}
		}
	}
	return append(to, `</row>`...)
}

// appendPlace appends the beginning of a column's cell in the last row.
func (s *sheet) appendPlace(to []byte, column, style int) []byte {
	to = append(append(to, `<c r="`...), s.columns[column]...)
	to = append(strconv.AppendInt(to, int64(s.row), 10), '"')
	if style != 0 {
		to = append(to, ` s="`...)
		to = append(strconv.AppendInt(to, int64(style), 10), '"')
	}
	return to
}

// mostInCell is how many UTF-16 units fit into a cell.
const mostInCell = 32767

// appendText appends a text as XML. It cuts off what does not fit into a cell.
func appendText(to []byte, text string) []byte {
	if isPlain(text) {
		return append(to, text...)
	}
	if utf16s(text) > mostInCell {
		text = string(utf16.Decode(utf16.Encode([]rune(text))[:mostInCell]))
	}
	w := &appender{to}
	_ = xml.EscapeText(w, []byte(unescaped(text))) // an appender accepts everything
	return w.bytes
}

// unescaped escapes what would be read as an escaped letter, such as _x0041_: the _ before it is written as one
// (ECMA-376, part 1, 22.9.2.19: ST_Xstring).
func unescaped(text string) string {
	if !strings.Contains(text, "_x") {
		return text
	}
	var out strings.Builder
	for i := range len(text) {
		out.WriteByte(text[i])
		if text[i] == '_' && escape.MatchString(text[i:]) {
			out.WriteString("x005F_")
		}
	}
	return out.String()
}

var escape = regexp.MustCompile(`^_x[0-9A-Fa-f]{4}_`)

// isPlain reports whether a text is short and needs no escapes in XML.
func isPlain(text string) bool {
	if len(text) > mostInCell {
		return false
	}
	for i := range len(text) {
		switch c := text[i]; {
		case c < ' ', c >= utf8.RuneSelf, c == '<', c == '>', c == '&', c == '\'', c == '"':
			return false
		case c == '_' && i+1 < len(text) && text[i+1] == 'x':
			return false
		}
	}
	return true
}

func utf16s(text string) (n int) {
	for _, r := range text {
		n += utf16.RuneLen(r)
	}
	return n
}

// appender is a writer that appends.
type appender struct{ bytes []byte }

var _ io.Writer = (*appender)(nil)

func (a *appender) Write(b []byte) (int, error) {
	a.bytes = append(a.bytes, b...)
	return len(b), nil
}
