// Package prompt asks whoever sits at the terminal.
package prompt

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"golang.org/x/term"
)

// ErrNone is a standard input that holds no password.
var ErrNone = errors.New("no password came on standard input")

// Password asks for a password on say without showing what is typed, or reads the
// first line of in where standard input is no terminal.
func Password(say io.Writer, in io.Reader) (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		fmt.Fprint(say, "Password: ")
		text, err := term.ReadPassword(fd)
		fmt.Fprintln(say)
		return string(text), err
	}
	line, err := bufio.NewReader(in).ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line != "" {
		return line, nil
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("%w: %w", ErrNone, err)
	}
	return "", ErrNone
}
