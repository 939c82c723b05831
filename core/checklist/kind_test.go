package checklist

import (
	"math"
	"slices"
	"strings"
	"testing"

	"dappertally/core/fault"
)

// examples has one valid criterion of each kind, and its rule in words. A kind without an example fails the tests
// below.
var examples = map[Kind]struct {
	criterion Criterion
	words     string
}{
	Grade: {Criterion{Key: "a"}, "a grade from 0 to 10"},
	Check: {Criterion{Key: "a", WorkaroundPoints: new(40.0)}, "works 100, with a workaround 40, fails 0"},
	Measure: {
		Criterion{
			Key:    "a",
			Unit:   "s",
			Better: "lower",
			Runs:   Runs{Expect: 5},
			Curve:  &Curve{Shape: Ratio, Poor: 90, Ideal: 9},
		},
		"lower is better, median of 5 runs: 9 s has 100, 90 has 0, by ratio",
	},
	Count: {Criterion{Key: "a", Items: []Item{{Key: "x", Title: "Ex"}, {Key: "y"}}}, "how many of 2 work: Ex, y"},
	Level: {
		Criterion{Key: "a", Levels: []Rung{{Key: "off", Points: 0}, {Key: "on", Title: "On", Points: 80}}},
		"off 0, On 80",
	},
	Fact: {Criterion{Key: "a"}, "recorded, never scored"},
}

// TestKinds compares each kind's description with its example.
func TestKinds(t *testing.T) {
	for _, kind := range Kinds {
		x, ok := examples[kind]
		if !ok {
			t.Errorf("there is no example of %s", kind)
			continue
		}
		c, of := x.criterion, kind.Of()
		c.Kind = kind
		if of.Title == "" || of.Answer == "" {
			t.Errorf("%s has no title, or does not say which answer it takes", kind)
		}
		if c.Scored() != of.Scored || c.Measured() != of.Values {
			t.Errorf("a %s is scored: %v, measured: %v; its description says otherwise", kind, c.Scored(), c.Measured())
		}
		if got := c.Rule(); got != x.words {
			t.Errorf("the rule of a %s is %q, want %q", kind, got, x.words)
		}
		var book fault.Book
		if ValidateRule(&c, &book); len(book.List()) > 0 {
			t.Errorf("a sound %s: %v", kind, book.List())
		}
		if answers := len(c.Choices()) > 0 || len(c.Line()) > 0; of.Scored && !answers && kind != Count {
			t.Errorf("a %s is scored, and has neither choices nor a line", kind)
		}
		for _, choice := range c.Choices() {
			if again, ok := c.Choice(choice.Key); !ok || again != choice || choice.Points < 0 || choice.Points > 100 {
				t.Errorf("the choice %q of a %s is %v, then %v", choice.Key, kind, choice, again)
			}
		}
		// Its own fields are refused for every other kind.
		for _, other := range Kinds {
			var book fault.Book
			wrong := c
			wrong.Kind = other
			ValidateRule(&wrong, &book)
			refused := slices.ContainsFunc(book.List(), func(f fault.Fault) bool {
				return strings.Contains(f.Detail, "is only for a "+string(kind))
			})
			if len(of.Fields) > 0 && other != kind && !refused {
				t.Errorf("the rule of a %s is taken on a %s", kind, other)
			}
		}
	}
	if len(examples) != len(Kinds) {
		t.Errorf("%d examples of %d kinds", len(examples), len(Kinds))
	}
}

// shapesShown has curves of each shape, with their direction.
var shapesShown = map[string][]struct {
	curve  Curve
	better string
}{
	Span: {
		{Curve{Poor: 45, Ideal: 5}, "lower"},
		{Curve{Poor: -20, Ideal: 0}, "higher"},
		{Curve{Poor: 0, Ideal: 100}, "higher"},
	},
	Ratio: {{Curve{Poor: 90, Ideal: 9}, "lower"}, {Curve{Poor: 1, Ideal: 5000}, "higher"}},
	Steps: {{Curve{Points: [][2]float64{{10, 100}, {20, 50}, {60, 0}}}, "lower"}},
	Field: {{Curve{}, "lower"}, {Curve{}, "higher"}},
}

// TestShapes compares each shape's line, from which others draw and read points, with its points.
func TestShapes(t *testing.T) {
	for _, shape := range Shapes {
		shown := shapesShown[shape]
		if len(shown) == 0 {
			t.Errorf("there is no curve of the shape %s", shape)
		}
		for _, x := range shown {
			k := x.curve
			k.Shape = shape
			if k.Of().Title == "" || k.String() == "" {
				t.Errorf("%s has no title, or cannot be written in short", shape)
			}
			var book fault.Book
			c := Criterion{Key: "a", Kind: Measure, Unit: "s", Better: x.better, Curve: &k}
			if of := k.Of(); c.Relative() != of.Relative || k.NeedsPositive() != of.Positive {
				t.Errorf(
					"%s is relative: %v, positive: %v; its description says otherwise",
					shape,
					c.Relative(),
					k.NeedsPositive(),
				)
			}
			if ValidateRule(&c, &book); len(book.List()) > 0 {
				t.Errorf("%s: %v", &k, book.List())
			}
			line := k.Line(x.better)
			if len(line) < 2 ||
				!slices.IsSortedFunc(line, func(a, b [2]float64) int { return int(math.Copysign(1, a[0]-b[0])) }) {
				t.Errorf("%s: the line is %v", &k, line)
				continue
			}
			low, high := line[0][0], line[len(line)-1][0]
			for i := range 101 {
				v := low + (high-low)*float64(i)/100
				want := k.At(v, 1, x.better)
				if got := along(line, v); math.Abs(got-want) > 0.1 || math.IsNaN(want) {
					t.Errorf("%s at %v: %v by the line, %v by the curve", &k, v, got, want)
					break
				}
			}
		}
	}
	if got := (&Curve{Shape: "nonsense"}).At(1, 1, "lower"); !math.IsNaN(got) {
		t.Errorf("a shape that there is not gives %v points", got)
	}
}
