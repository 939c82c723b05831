package fault

import (
	"strings"
	"testing"
)

func TestPointers(t *testing.T) {
	var book Book
	book.In("sections", func() {
		book.In(2, func() { book.Field("a/b~c", "is odd") })
	})
	book.Add("whole")
	if got := book.List(); got[0].Pointer != "/sections/2/a~1b~0c" || got[1].Pointer != "" {
		t.Errorf("pointers: %v", got)
	}
	if text := book.List().Error(); !strings.Contains(text, "(whole input): whole") {
		t.Errorf("told as %q", text)
	}
}

func TestNoFaultsAreNoError(t *testing.T) {
	var book Book
	if err := book.List().Err(); err != nil {
		t.Errorf("no faults, but %v", err)
	}
}

func TestBookIsBounded(t *testing.T) {
	var book Book
	for range 5 * Limit {
		book.Add("again")
	}
	if n := len(book.List()); n != Limit {
		t.Errorf("%d faults are kept, want %d", n, Limit)
	}
}
