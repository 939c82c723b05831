// Package prompt asks whoever sits at the terminal.
package prompt

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"golang.org/x/term"
)

// ErrNone is a standard input that holds no password.
var ErrNone = errors.New("no password came on standard input")

// ErrLeft is a question that was left by Ctrl-C.
var ErrLeft = errors.New("left without an answer")

// Password asks for a password on say without showing what is typed, or reads the
// first line of in where standard input is no terminal.
func Password(ctx context.Context, say io.Writer, in io.Reader) (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		shown, err := term.GetState(fd)
		if err != nil {
			return "", err
		}
		fmt.Fprint(say, "Password: ")
		text, err := waited(ctx, func() ([]byte, error) { return term.ReadPassword(fd) })
		fmt.Fprintln(say)
		if errors.Is(err, ErrLeft) {
			return "", errors.Join(err, term.Restore(fd, shown))
		}
		return string(text), err
	}
	line, err := Line(ctx, bufio.NewReader(in))
	if line != "" || errors.Is(err, ErrLeft) {
		return line, err
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("%w: %w", ErrNone, err)
	}
	return "", ErrNone
}

// Line reads a line without its end. The last line may lack one; after it comes io.EOF.
// Where ctx ends first, the error is ErrLeft, and what is typed then is lost.
func Line(ctx context.Context, in *bufio.Reader) (string, error) {
	line, err := waited(ctx, func() (string, error) { return in.ReadString('\n') })
	if errors.Is(err, io.EOF) && line != "" {
		err = nil
	}
	return strings.TrimRight(line, "\r\n"), err
}

// waited reads until ctx ends: a terminal cannot be read with a limit.
func waited[T any](ctx context.Context, read func() (T, error)) (T, error) {
	type got struct {
		is  T
		err error
	}
	done := make(chan got, 1)
	go func() {
		is, err := read()
		done <- got{is, err}
	}()
	select {
	case x := <-done:
		return x.is, x.err
	case <-ctx.Done():
		var none T
		return none, ErrLeft
	}
}
