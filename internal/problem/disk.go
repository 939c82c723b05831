package problem

import (
	"errors"
	"io/fs"
	"syscall"
)

// Unkept returns why something could not be written to a file of the service: its disk is full or cannot be written
// to, or the data ended early.
func Unkept(what string, err error) *Error {
	var file *fs.PathError
	e := &Error{Kind: Unavailable, Cause: err}
	switch {
	case errors.Is(err, syscall.ENOSPC), errors.Is(err, syscall.EDQUOT):
		e.Kind = Full
		e.Message = "there is no space on the service's disk for " + what + "; nothing was saved, ask an administrator"
	case errors.As(err, &file):
		e.Message = "the service cannot write " + what + " to its disk; nothing was saved, ask an administrator"
	default:
		e.Message = what + " was interrupted; nothing was saved, send it again"
	}
	return e
}
