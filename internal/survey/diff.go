package survey

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"dappertally/core/reading"
)

// Difference is how one fact differs between two surveys.
type Difference struct {
	Key    string   `json:"key"`
	Title  string   `json:"title"`
	A      string   `json:"a"`
	B      string   `json:"b"`
	Says   string   `json:"says"`
	Gained []string `json:"gained,omitempty"` // of a list: only in B
	Lost   []string `json:"lost,omitempty"`   // of a list: only in A
	Change *float64 `json:"change,omitempty"` // of a number: B − A
}

// notApart are facts that change all the time and are not informative.
var notApart = []string{"system.uptime"}

// Differ compares two surveys, fact by fact; all also returns what is the same.
func Differ(a, b *Survey, all bool) []Difference {
	differences := []Difference{}
	for _, k := range known {
		x, y := a.Fact(k.key), b.Fact(k.key)
		if (x == nil && y == nil) || slices.Contains(notApart, k.key) {
			continue
		}
		d := Difference{Key: k.key, Title: k.title, A: factWords(x), B: factWords(y)}
		d.compare(x, y)
		if d.Says != "same" || all {
			differences = append(differences, d)
		}
	}
	return differences
}

// factWords formats a fact's value for people.
func factWords(f *Fact) string {
	switch {
	case f == nil:
		return "—"
	case f.Value == nil:
		return "not known"
	case f.Value.Sort == reading.FactList && len(f.Value.List) > 4:
		return strconv.Itoa(len(f.Value.List)) + " entries"
	}
	return strings.TrimSpace(f.Value.String() + " " + f.Unit)
}

func (d *Difference) compare(x, y *Fact) {
	known := func(f *Fact) bool { return f != nil && f.Value != nil }
	switch {
	case !known(x) && !known(y):
		d.Says = "same"
	case !known(x):
		d.Says = "only B tells"
	case !known(y):
		d.Says = "only A tells"
	case x.Method != y.Method:
		d.Says = fmt.Sprintf("not comparable: read by %s and by %s", x.Method, y.Method)
	case x.Value.Sort == reading.FactList && y.Value.Sort == reading.FactList:
		d.lists(x.Value.List, y.Value.List)
	case x.Value.Sort == reading.FactNumber && y.Value.Sort == reading.FactNumber:
		d.numbers(x.Value.Number, y.Value.Number, x.Unit)
	case x.Value.String() == y.Value.String():
		d.Says = "same"
	default:
		d.Says = "changed"
	}
}

func (d *Difference) lists(a, b []string) {
	d.Gained, d.Lost = reading.Missing(a, b), reading.Missing(b, a)
	var says []string
	if len(d.Gained) > 0 {
		says = append(says, "only B: "+strings.Join(d.Gained, ", "))
	}
	if len(d.Lost) > 0 {
		says = append(says, "only A: "+strings.Join(d.Lost, ", "))
	}
	d.Says = strings.Join(says, "; ")
	if len(says) == 0 {
		d.Says = "same"
	}
}

func (d *Difference) numbers(a, b float64, unit string) {
	change := b - a
	if change == 0 {
		d.Says = "same"
		return
	}
	d.Change = &change
	d.Says = strings.TrimSpace(fmt.Sprintf("%+.4g %s", change, unit))
	if a != 0 {
		d.Says += fmt.Sprintf(", %+.1f %% of A", 100*change/a)
	}
}
