package prompt

import (
	"bufio"
	"context"
	"errors"
	"io"
	"os"
	"strings"
	"testing"
	"testing/iotest"

	"golang.org/x/term"
)

func TestPasswordFromAPipe(t *testing.T) {
	if term.IsTerminal(int(os.Stdin.Fd())) {
		t.Skip("standard input is a terminal")
	}
	for _, c := range []struct {
		in   io.Reader
		want string
		none bool
	}{
		{strings.NewReader("three-old-laptops\nmore\n"), "three-old-laptops", false},
		{strings.NewReader("no newline"), "no newline", false},
		{strings.NewReader("from elsewhere\r\n"), "from elsewhere", false},
		{strings.NewReader(""), "", true},
		{strings.NewReader("\n"), "", true},
		{iotest.ErrReader(io.ErrUnexpectedEOF), "", true},
	} {
		got, err := Password(t.Context(), io.Discard, c.in)
		if got != c.want || errors.Is(err, ErrNone) != c.none || (err != nil && strings.Contains(err.Error(), "nil")) {
			t.Errorf("got %q, %v; want %q", got, err, c.want)
		}
	}
}

// A question ends when its time is over, even if nobody types.
func TestLineIsLeft(t *testing.T) {
	typed, types := io.Pipe()
	defer types.Close()
	ctx, left := context.WithCancel(t.Context())
	left()
	if line, err := Line(ctx, bufio.NewReader(typed)); line != "" || !errors.Is(err, ErrLeft) {
		t.Errorf("%q, %v", line, err)
	}
}
