package cli

import (
	"io"
	"unicode/utf8"

	"golang.org/x/term"

	"dappertally/core/controls"
)

// screen removes control characters from what is written to a terminal: texts come from a service, from files and
// from systems under review. It holds back the beginning of an incomplete character.
type screen struct {
	to   io.Writer
	rest []byte
}

func (s *screen) Write(b []byte) (int, error) {
	text := append(s.rest, b...)
	whole := len(text)
	for back := 1; back < utf8.UTFMax && back <= len(text); back++ {
		if i := len(text) - back; utf8.RuneStart(text[i]) {
			if !utf8.FullRune(text[i:]) {
				whole = i
			}
			break
		}
	}
	if _, err := io.WriteString(s.to, controls.Shown(string(text[:whole]))); err != nil {
		return 0, err
	}
	s.rest = append([]byte(nil), text[whole:]...)
	return len(b), nil
}

// shown returns a writer for people, with control characters made visible.
func shown(w io.Writer) io.Writer {
	if _, is := w.(*screen); is {
		return w
	}
	return &screen{to: w}
}

// bare returns the writer behind a screen, for what draws on the terminal itself.
func bare(w io.Writer) io.Writer {
	if s, is := w.(*screen); is {
		return s.to
	}
	return w
}

// terminal returns the terminal behind a writer, if there is one.
func terminal(w io.Writer) (fd int, is bool) {
	f, ok := bare(w).(interface{ Fd() uintptr })
	if !ok {
		return 0, false
	}
	fd = int(f.Fd())
	return fd, term.IsTerminal(fd)
}
