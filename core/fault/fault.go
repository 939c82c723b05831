// Package fault describes what is wrong with an input: every fault of it, each
// with the place where it stands.
package fault

import (
	"fmt"
	"strconv"
	"strings"
)

// Fault is one thing that is wrong, at one place.
type Fault struct {
	Pointer string `json:"pointer"` // JSON pointer (RFC 6901) into the input
	Detail  string `json:"detail"`  // what is wrong and what would be right
}

// String says where the fault is and what it is: "answer.grade must be at most 10".
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

// List is all that is wrong with one input. A List with faults is an error;
// return Err() of it, never the List itself, so that no faults means nil.
type List []Fault

// Err is the list as an error, or nil where there are no faults.
func (l List) Err() error {
	if len(l) == 0 {
		return nil
	}
	return l
}

// Error tells every fault, one a line.
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

// Line is every fault in one line, for a row of a table that names the place of the
// first in a column of its own: a single fault does not repeat it.
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

// Limit is how many faults a Book keeps: a broken file of a million readings
// must not answer with a million sentences.
const Limit = 1000

// Add notes a fault at the current place.
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

// Full reports whether no more faults are kept, so that looking on is in vain.
func (b *Book) Full() bool { return len(b.faults) >= Limit }

func (b *Book) pointer() string {
	var p strings.Builder
	for _, step := range b.path {
		p.WriteByte('/')
		p.WriteString(token(step))
	}
	return p.String()
}

// Field notes a fault at a member of the current place.
func (b *Book) Field(key string, format string, args ...any) {
	b.In(key, func() { b.Add(format, args...) })
}

// List is what has been noted so far, in the order of noting.
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
