// Package fault describes what is wrong with an input: every fault, each with its place.
package fault

import (
	"fmt"
	"strconv"
	"strings"
)

// Fault is one fault at one place.
type Fault struct {
	Pointer string `json:"pointer"` // JSON pointer (RFC 6901) into the input
	Detail  string `json:"detail"`  // what is wrong, and what would be right
}

// String returns where the fault is and what it is: "answer.grade must be at most 10".
func (f Fault) String() string {
	where := strings.ReplaceAll(strings.TrimPrefix(f.Pointer, "/"), "/", ".")
	if where == "" {
		return f.Detail
	}
	for _, verb := range []string{"must ", "is ", "has ", "needs ", "may "} {
		if strings.HasPrefix(f.Detail, verb) {
			return where + " " + f.Detail
		}
	}
	return where + ": " + f.Detail
}

// List holds all faults of an input. A non-empty List is an error; return Err() of it, never the List itself, so that
// no faults means nil.
type List []Fault

// Err returns the list as an error, or nil if there are no faults.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

// Error returns every fault, one per line.
func (l List) Error() string {
	lines := make([]string, len(l))
	for i, f := range l {
		where := f.Pointer
		if where == "" {
			where = "(whole input)"
		}
		lines[i] = where + ": " + f.Detail
	}
	return strings.Join(lines, "\n")
}

// Line returns every fault in one line, for a table that has the place of the first fault in a column of its own: a
// single fault does not repeat it.
func (l List) Line() string {
	if len(l) == 1 {
		return l[0].Detail
	}
	all := make([]string, len(l))
	for i, f := range l {
		all[i] = f.String()
	}
	return strings.Join(all, "; ")
}

// Book collects faults while an input is walked. The zero value is ready.
type Book struct {
	faults List
	path   []any // the steps to the current place
}

// Limit is how many faults a Book keeps: a broken file with a million readings must not cause a million sentences.
const Limit = 1000

// Add reports a fault at the current place.
func (b *Book) Add(format string, args ...any) {
	if len(b.faults) < Limit {
		b.faults = append(b.faults, Fault{b.pointer(), fmt.Sprintf(format, args...)})
	}
}

// In runs check one step deeper; step is an object's key or an array's index.
func (b *Book) In(step any, check func()) {
	b.path = append(b.path, step)
	check()
	b.path = b.path[:len(b.path)-1]
}

// Full reports whether the book keeps no more faults, so that checking further is pointless.
func (b *Book) Full() bool { return len(b.faults) >= Limit }

func (b *Book) pointer() string {
	var p strings.Builder
	for _, step := range b.path {
		p.WriteByte('/')
		p.WriteString(token(step))
	}
	return p.String()
}

// Field reports a fault at a member of the current place.
func (b *Book) Field(key string, format string, args ...any) {
	b.In(key, func() { b.Add(format, args...) })
}

// List returns the faults so far, in the order in which they were added.
func (b *Book) List() List { return b.faults }

func token(step any) string {
	switch s := step.(type) {
	case int:
		return strconv.Itoa(s)
	case string:
		return strings.NewReplacer("~", "~0", "/", "~1").Replace(s)
	default:
		return fmt.Sprint(s)
	}
}
