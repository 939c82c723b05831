package cli

import (
	"io"
	"unicode/utf8"

	"golang.org/x/term"

	"dappertally/core/controls"
)

// screen shows what is written to it without what would control a terminal: texts come from a service, from files and
// from systems under review. It keeps the beginning of a character that is not whole yet.
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

// shown is a writer for people, as they read it.
func shown(w io.Writer) io.Writer {
	if _, is := w.(*screen); is {
		return w
	}
	return &screen{to: w}
}

// bare is the writer behind a screen, for what draws on the terminal itself.
func bare(w io.Writer) io.Writer {
	if s, is := w.(*screen); is {
		return s.to
	}
	return w
}

// terminal is the terminal behind a writer, where there is one.
func terminal(w io.Writer) (fd int, is bool) {
	f, ok := bare(w).(interface{ Fd() uintptr })
	if !ok {
		return 0, false
	}
	fd = int(f.Fd())
	return fd, term.IsTerminal(fd)
}
