// Package problem defines the failures that are reported to callers.
package problem

import (
	"errors"
	"fmt"
	"time"

	"dappertally/core/fault"
)

// Kind is the kind of a failure; the API translates it, in one place, to a status.
type Kind int

// The kinds of failure.
const (
	Internal    Kind = iota
	Invalid          // the input is wrong; Faults name the places
	NotSignedIn      // a person must sign in to do this
	Forbidden        // the person is not allowed to do this
	Unproved         // the person must prove their identity again
	NotFound
	Conflict    // it contradicts existing records
	Stale       // it is based on an older version
	NoVersion   // it does not name the version on which it is based
	TooMany     // too many requests
	Unavailable // it may work later
	Away        // the database cannot be reached
	Slow        // the database did not answer in time
	Busy        // another transaction holds what is needed
	Full        // a disk is full
	TooLong     // the computation takes longer than the service waits
	Unsettled   // it is not known whether it was done; repeating the request is safe
	NoChecklist // nothing can be scored yet, since no checklist is in force
)

// Error is a failure that is reported to a caller.
type Error struct {
	Kind    Kind
	Message string // a message that tells a person what to do
	Faults  fault.List
	Cause   error         // only for the log
	After   time.Duration // when it may work; zero: soon
}

func (e *Error) Error() string {
	text := e.Message
	if len(e.Faults) > 0 {
		text += ": " + e.Faults.Error()
	}
	if e.Cause != nil {
		text += " (" + e.Cause.Error() + ")"
	}
	return text
}

func (e *Error) Unwrap() error { return e.Cause }

// IsKind reports whether an error is a failure of that kind.
func IsKind(err error, kind Kind) bool {
	var e *Error
	return errors.As(err, &e) && e.Kind == kind
}

// New returns a failure of a kind with a message.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// From returns an error with these faults, or nil if there are none.
func From(what string, faults fault.List) error {
	if len(faults) == 0 {
		return nil
	}
	return Rejected(what, faults)
}

// Rejected returns an Invalid error about an input with faults. Its message contains the fault if there is only one.
func Rejected(what string, faults fault.List) *Error {
	message := fmt.Sprintf("rejected: %d errors in %s", len(faults), what)
	if len(faults) == 1 {
		message = "rejected: " + faults[0].String()
	}
	return &Error{Kind: Invalid, Message: message, Faults: faults}
}

// Field returns an Invalid error about one field.
func Field(pointer, format string, args ...any) error {
	return From("the input", fault.List{{Pointer: pointer, Detail: fmt.Sprintf(format, args...)}})
}
