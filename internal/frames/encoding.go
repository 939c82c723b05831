package frames

import (
	"bufio"
	"bytes"
	"io"

	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// decoded returns a log in UTF-8, whether it is written in UTF-8 or UTF-16. Without a byte order mark, UTF-16 is
// recognized by the zero bytes beside ASCII letters.
func decoded(in io.Reader) io.Reader {
	r := bufio.NewReader(in)
	start, _ := r.Peek(64) // as much as there is; an error occurs again when it is read
	order := unicode.LittleEndian
	switch {
	case bytes.HasPrefix(start, []byte{0xff, 0xfe}):
	case bytes.HasPrefix(start, []byte{0xfe, 0xff}):
		order = unicode.BigEndian
	case zeros(start, 1) > len(start)/4:
	case zeros(start, 0) > len(start)/4:
		order = unicode.BigEndian
	default:
		return r
	}
	return transform.NewReader(r, unicode.UTF16(order, unicode.UseBOM).NewDecoder())
}

// zeros counts the zero bytes at every second position, starting at first.
func zeros(of []byte, first int) (n int) {
	for i := first; i < len(of); i += 2 {
		if of[i] == 0 {
			n++
		}
	}
	return n
}
