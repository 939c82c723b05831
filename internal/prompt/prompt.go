// Package prompt asks questions at the terminal.
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

// ErrNone means that standard input holds no password.
var ErrNone = errors.New("there was no password on standard input")

// ErrLeft means that a question was aborted with Ctrl-C.
var ErrLeft = errors.New("cancelled")

// Password asks for a password on say without showing what is typed, or reads the first line of in if standard input
// is not a terminal.
func Password(ctx context.Context, say io.Writer, in io.Reader) (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		return hidden(ctx, say, fd, "Password: ")
	}
	return piped(ctx, bufio.NewReader(in))
}

// Passwords asks for the old password and, twice, for the new one, or reads two lines of in if standard input is not
// a terminal.
func Passwords(ctx context.Context, say io.Writer, in io.Reader) (before, after string, err error) {
	fd := int(os.Stdin.Fd())
	if !term.IsTerminal(fd) {
		lines := bufio.NewReader(in)
		if before, err = piped(ctx, lines); err == nil {
			after, err = piped(ctx, lines)
		}
		return before, after, err
	}
	typed := [3]string{}
	for i, asks := range []string{"Current password: ", "New password: ", "Repeat the new password: "} {
		if typed[i], err = hidden(ctx, say, fd, asks); err != nil {
			return "", "", err
		}
	}
	if typed[1] != typed[2] {
		return "", "", errors.New("the two new passwords differ; nothing was changed")
	}
	return typed[0], typed[1], nil
}

// hidden asks at a terminal without showing what is typed.
func hidden(ctx context.Context, say io.Writer, fd int, asks string) (string, error) {
	shown, err := term.GetState(fd)
	if err != nil {
		return "", err
	}
	fmt.Fprint(say, asks)
	text, err := waited(ctx, func() ([]byte, error) { return term.ReadPassword(fd) })
	fmt.Fprintln(say)
	if errors.Is(err, ErrLeft) {
		return "", errors.Join(err, term.Restore(fd, shown))
	}
	return string(text), err
}

// piped reads a password from a line.
func piped(ctx context.Context, in *bufio.Reader) (string, error) {
	line, err := Line(ctx, in)
	if line != "" || errors.Is(err, ErrLeft) {
		return line, err
	}
	if err != nil && !errors.Is(err, io.EOF) {
		return "", fmt.Errorf("%w: %w", ErrNone, err)
	}
	return "", ErrNone
}

// Line reads a line without its end. The last line need not have one; after it comes io.EOF. If ctx ends first, the
// error is ErrLeft, and what is typed then is lost.
func Line(ctx context.Context, in *bufio.Reader) (string, error) {
	line, err := waited(ctx, func() (string, error) { return in.ReadString('\n') })
	if errors.Is(err, io.EOF) && line != "" {
		err = nil
	}
	return strings.TrimRight(line, "\r\n"), err
}

// waited reads until ctx ends: reading a terminal has no time limit.
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
