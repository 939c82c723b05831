package checklist

import (
	"fmt"
	"strings"
)

// Kind is how a criterion is answered.
type Kind string

// The six kinds.
const (
	Grade   Kind = "grade"   // judgement, 0–10
	Check   Kind = "check"   // works, workaround, fails
	Measure Kind = "measure" // a number with a unit
	Count   Kind = "count"   // which of a list of items worked
	Level   Kind = "level"   // one of ordered levels
	Fact    Kind = "fact"    // recorded, never scored
)

// KindOf describes a kind. All code that depends on the kind uses this description.
type KindOf struct {
	Key    Kind
	Title  string   // description for whoever chooses a kind
	Answer string   // the field of an answer that the kind uses
	Fields []string // fields of a criterion that only this kind has, as written in files
	Scored bool
	Values bool // answered by runs of values with a unit, for which the rig matters

	// validate reports the faults of the kind's own fields; nil: it has none that could be wrong.
	validate func(*validator, *Criterion)
	// settle fills in the rule's defaults, so that rules can be compared.
	settle func(*Criterion)
	// words describes the scoring rule.
	words func(*Criterion) string
	// choices returns the keys of the possible answers, and choice one of them; nil: answers are not chosen from a
	// list.
	choices func(*Criterion) []string
	choice  func(c *Criterion, key string) (Choice, bool)
	// line returns the points of a numeric answer as the corners of a line; nil: the answer is not a number.
	line func(*Criterion) [][2]float64
}

// Choice is one possible answer and its points.
type Choice struct {
	Key    string  `json:"key"`
	Title  string  `json:"title,omitempty"`
	Points float64 `json:"points"`
}

// The answers to a check.
const (
	Works      = "works"
	Workaround = "workaround"
	Fails      = "fails"
)

// Checks lists the answers to a check, best first.
var Checks = []string{Works, Workaround, Fails}

// kinds describes all kinds, in the order of display.
var kinds = []KindOf{
	{
		Key: Grade, Title: "grade, 0 to 10", Answer: "grade", Scored: true,
		words: func(*Criterion) string { return "a grade from 0 to 10" },
		line:  func(*Criterion) [][2]float64 { return [][2]float64{{0, 0}, {10, 100}} },
	},
	{
		Key: Check, Title: "works, with a workaround, or fails", Answer: "check", Scored: true,
		Fields:  []string{"workaroundPoints"},
		settle:  func(c *Criterion) { c.WorkaroundPoints = new(c.Workaround()) },
		words:   func(c *Criterion) string { return choiceWords(c.Choices()) },
		choices: func(*Criterion) []string { return Checks },
		choice:  checked,
	},
	{
		Key: Measure, Title: "a number with a unit", Answer: "runs", Scored: true, Values: true,
		Fields:   []string{"unit", "better", "curve", "runs", "plausible", "procedure", "reference"},
		validate: (*validator).measure,
		settle: func(c *Criterion) {
			c.Runs.Tolerance = new(c.Tolerance())
			if c.Runs.Summary == "median" {
				c.Runs.Summary = ""
			}
		},
		words: measured,
		line:  func(c *Criterion) [][2]float64 { return c.Curve.Line(c.Better) },
	},
	{
		Key: Count, Title: "how many of a list work", Answer: "count", Scored: true,
		Fields:   []string{"workaroundShare", "items"},
		validate: func(v *validator, c *Criterion) { v.In("items", func() { v.items(c.Items) }) },
		settle:   func(c *Criterion) { c.WorkaroundShare = new(c.WorkaroundWorth()) },
		words:    counted,
	},
	{
		Key: Level, Title: "one of ordered levels", Answer: "level", Scored: true,
		Fields:   []string{"levels"},
		validate: func(v *validator, c *Criterion) { v.In("levels", func() { v.levels(c.Levels) }) },
		words:    func(c *Criterion) string { return choiceWords(c.Choices()) },
		choices:  (*Criterion).LevelKeys,
		choice:   leveled,
	},
	{
		Key: Fact, Title: "a fact, recorded and never scored", Answer: "fact",
		validate: (*validator).fact,
		words:    func(*Criterion) string { return "recorded, never scored" },
	},
}

// Kinds lists all kinds, in the order of display.
var Kinds = func() []Kind {
	keys := make([]Kind, len(kinds))
	for i := range kinds {
		keys[i] = kinds[i].Key
	}
	return keys
}()

// unknownKind stands for an unknown kind: it cannot be answered or scored.
var unknownKind KindOf

// Built by init, since the descriptions refer to each other.
var (
	describedKinds  []KindOf
	describedShapes []ShapeOf
)

func init() { describedKinds, describedShapes = kinds, shapes }

// Of describes a kind.
func (k Kind) Of() *KindOf {
	for i := range describedKinds { // a loop over so few is faster than a map
		if describedKinds[i].Key == k {
			return &describedKinds[i]
		}
	}
	return &unknownKind
}

// The next three methods are called for every cell of a table. They compare with constants for speed; TestKinds and
// TestShapes check that they agree with the descriptions.

// Scored reports whether the criterion earns points.
func (c *Criterion) Scored() bool { return c.Kind != Fact && !c.Reference }

// Measured reports whether the criterion is scored by runs of values with a unit.
func (c *Criterion) Measured() bool { return c.Kind == Measure && !c.Reference }

// Relative reports whether the points of a value depend on the best of the field.
func (c *Criterion) Relative() bool { return c.Measured() && c.Curve != nil && c.Curve.Shape == Field }

// Choices returns the possible answers with their points; nil if answers are not chosen from a list.
func (c *Criterion) Choices() []Choice {
	of := c.Kind.Of()
	if of.choices == nil {
		return nil
	}
	var all []Choice
	for _, key := range of.choices(c) {
		x, _ := of.choice(c, key)
		all = append(all, x)
	}
	return all
}

// Choice finds a possible answer.
func (c *Criterion) Choice(key string) (Choice, bool) {
	if of := c.Kind.Of(); of.choice != nil {
		return of.choice(c, key)
	}
	return Choice{}, false
}

// Line returns the points of a numeric answer as the corners of a line, flat beyond its ends; nil if the criterion is
// not answered by a number. For a relative criterion, numbers are in units of the best of the field.
func (c *Criterion) Line() [][2]float64 {
	if of := c.Kind.Of(); of.line != nil {
		return of.line(c)
	}
	return nil
}

// Rule is the scoring rule in words.
func (c *Criterion) Rule() string {
	if of := c.Kind.Of(); of.words != nil {
		return of.words(c)
	}
	return ""
}

func checked(c *Criterion, key string) (Choice, bool) {
	switch key {
	case Works:
		return Choice{Works, "works", 100}, true
	case Workaround:
		return Choice{Workaround, "with a workaround", c.Workaround()}, true
	case Fails:
		return Choice{Fails, "fails", 0}, true
	}
	return Choice{}, false
}

func leveled(c *Criterion, key string) (Choice, bool) {
	for i := range c.Levels {
		if l := &c.Levels[i]; l.Key == key {
			return Choice{l.Key, l.Title, l.Points}, true
		}
	}
	return Choice{}, false
}

// choiceWords is choices with their points: "works 100, with a workaround 60, fails 0".
func choiceWords(choices []Choice) string {
	words := make([]string, len(choices))
	for i, x := range choices {
		words[i] = called(x.Title, x.Key) + " " + written(x.Points)
	}
	return strings.Join(words, ", ")
}

func counted(c *Criterion) string {
	if len(c.Items) == 0 {
		return "how many of a number work"
	}
	names := make([]string, len(c.Items))
	for i, it := range c.Items {
		names[i] = called(it.Title, it.Key)
	}
	return fmt.Sprintf("how many of %d work: %s", len(names), strings.Join(names, ", "))
}

func measured(c *Criterion) string {
	if c.Reference {
		return "never scored: it shows whether a rig has changed"
	}
	if c.Curve == nil {
		return ""
	}
	text := c.Better + " is better"
	if c.Runs.Expect > 1 {
		text += fmt.Sprintf(", %s of %d runs", called(c.Runs.Summary, "median"), c.Runs.Expect)
	}
	return text + ": " + c.Curve.Of().words(c.Curve, c.Unit)
}

func called(title, key string) string {
	if title == "" {
		return key
	}
	return title
}
