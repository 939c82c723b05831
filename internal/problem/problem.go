// Package problem is the failures that can be told to whoever asked.
package problem

import (
	"errors"
	"fmt"
	"time"

	"dappertally/core/fault"
)

// Kind is the sort of a failure; the API translates it, once, to a status.
type Kind int

// The kinds of failure.
const (
	Internal    Kind = iota
	Invalid          // the input is wrong; Faults say where
	NotSignedIn      // nobody is signed in who could do this
	Forbidden        // whoever is signed in may not
	Unproved         // whoever is signed in must show again who they are
	NotFound
	Conflict    // it contradicts what is there
	Stale       // it is based on an older version
	NoVersion   // it does not say on which version it is based
	TooMany     // asked too often
	Unavailable // it may work later
	Away        // the database cannot be reached
	Slow        // the database did not answer in time
	Busy        // somebody else holds what is needed
	Full        // a disk has no room
	TooLong     // computing it takes longer than the service waits
	Unsettled   // nobody knows whether it was done; the same request again is safe
	NoChecklist // nothing can be scored yet, since no checklist is in force
)

// Error is a failure that can be told to whoever asked.
type Error struct {
	Kind    Kind
	Message string // a sentence that a person can act on
	Faults  fault.List
	Cause   error         // for the log alone
	After   time.Duration // when it may work; zero: shortly
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

// New is a failure of a kind with a message.
func New(kind Kind, format string, args ...any) *Error {
	return &Error{Kind: kind, Message: fmt.Sprintf(format, args...)}
}

// From is nil where there are no faults.
func From(what string, faults fault.List) error {
	if len(faults) == 0 {
		return nil
	}
	return Rejected(what, faults)
}

// Rejected is an Invalid error about an input that has faults. Its message names the
// fault where there is only one.
func Rejected(what string, faults fault.List) *Error {
	message := fmt.Sprintf("rejected: %d errors in %s", len(faults), what)
	if len(faults) == 1 {
		message = "rejected: " + faults[0].String()
	}
	return &Error{Kind: Invalid, Message: message, Faults: faults}
}

// Field is an Invalid error about one field.
func Field(pointer, format string, args ...any) error {
	return From("the input", fault.List{{Pointer: pointer, Detail: fmt.Sprintf(format, args...)}})
}
