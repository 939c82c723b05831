package checklist

import (
	"math"
	"strings"
	"testing"

	"dappertally/core/fault"
)

func number(x float64) *float64 { return &x }

// sound is a checklist with every kind, without a fault.
func sound() *Checklist {
	return &Checklist{
		Key: "workshop", Version: 1, State: InForce,
		Vocabulary: Vocabulary{Methods: []Named{{Key: "stopwatch"}}, Phases: []Named{{Key: "fresh"}}},
		Policy:     Policy{Decisive: []string{"start"}},
		Sections: []Section{
			{Key: "performance", Weight: 60, Criteria: []Criterion{
				{
					Key:     "start",
					Kind:    Measure,
					Weight:  2,
					Unit:    "s",
					Better:  "lower",
					Context: Context{Method: "stopwatch"},
					Curve:   &Curve{Shape: Ratio, Poor: 90, Ideal: 9},
				},
				{
					Key:    "steps",
					Kind:   Measure,
					Weight: 1,
					Better: "higher",
					Curve:  &Curve{Shape: Steps, Points: [][2]float64{{1, 0}, {2, 100}}},
				},
				{Key: "kernel", Kind: Fact},
			}},
			{Key: "usability", Weight: 40, Criteria: []Criterion{
				{Key: "guide", Kind: Grade, Weight: 1},
				{Key: "wireless", Kind: Check, Weight: 1, Gate: number(60)},
				{Key: "media", Kind: Count, Weight: 1, Items: []Item{{Key: "film"}, {Key: "music", Weight: number(2)}}},
				{Key: "setup", Kind: Level, Weight: 1, Levels: []Rung{{Key: "none"}, {Key: "guided", Points: 80}}},
			}},
		},
		Audiences: []Audience{
			{
				Key:      "pensioner",
				Sections: map[string]float64{"usability": 70},
				Criteria: map[string]float64{"guide": 4},
				Gates:    map[string]float64{"wireless": 100},
			},
		},
	}
}

func TestValidate(t *testing.T) {
	if faults := validate(sound()); len(faults) != 0 {
		t.Fatalf("a sound checklist has faults: %v", faults)
	}
	for _, c := range []struct {
		name    string
		spoil   func(*Checklist)
		pointer string
		says    string
	}{
		{"key", func(c *Checklist) { c.Key = "Work Shop" }, "/key", "not a key"},
		{"version", func(c *Checklist) { c.Version = 0 }, "/version", "1 or more"},
		{"state", func(c *Checklist) { c.State = "done" }, "/state", "draft, in-force or retired"},
		{"no sections", func(c *Checklist) { c.Sections = nil }, "/sections", "at least one"},
		{"negative weight", func(c *Checklist) { c.Sections[0].Weight = -1 }, "/sections/0/weight", "0 or more"},
		{"weight not a number", func(c *Checklist) { c.Sections[1].Criteria[0].Weight = math.NaN() }, "/sections/1/criteria/0/weight", "0 or more"},
		{"all sections weigh nothing", func(c *Checklist) { c.Sections[0].Weight, c.Sections[1].Weight = 0, 0 }, "/sections", "weight 0"},
		{"a section's criteria weigh nothing", func(c *Checklist) {
			c.Sections[0].Criteria[0].Weight, c.Sections[0].Criteria[1].Weight = 0, 0
		}, "/sections/0/criteria", "none of its criteria"},
		{"twice the same criterion", func(c *Checklist) { c.Sections[1].Criteria[0].Key = "start" }, "/sections/1/criteria/0/key", "duplicated"},
		{"unknown kind", func(c *Checklist) { c.Sections[0].Criteria[0].Kind = "guess" }, "/sections/0/criteria/0/kind", "must be grade"},
		{"curve against direction", func(c *Checklist) { c.Sections[0].Criteria[0].Curve.Ideal = 200 }, "/sections/0/criteria/0/curve", "contradicts the direction"},
		{"ratio at zero", func(c *Checklist) { c.Sections[0].Criteria[0].Curve.Ideal = 0 }, "/sections/0/criteria/0/curve", "above 0"},
		{"steps against direction", func(c *Checklist) { c.Sections[0].Criteria[1].Curve.Points[1][1] = -1 }, "/sections/0/criteria/1/curve/points/1", "contradicts the direction"},
		{"steps out of order", func(c *Checklist) { c.Sections[0].Criteria[1].Curve.Points[1][0] = 1 }, "/sections/0/criteria/1/curve/points/1", "must come after"},
		{"a single step", func(c *Checklist) { c.Sections[0].Criteria[1].Curve.Points = [][2]float64{{1, 0}} }, "/sections/0/criteria/1/curve/points", "at least two"},
		{"no curve", func(c *Checklist) { c.Sections[0].Criteria[0].Curve = nil }, "/sections/0/criteria/0/curve", "is missing"},
		{"field with worst", func(c *Checklist) {
			c.Sections[0].Criteria[0].Across, c.Sections[0].Criteria[0].Curve = "worst", &Curve{Shape: Field}
		}, "/sections/0/criteria/0/curve", "cannot be combined with"},
		{"method not registered", func(c *Checklist) { c.Sections[0].Criteria[0].Context.Method = "guessing" }, "/sections/0/criteria/0/context/method", "vocabulary"},
		{"unit of a grade", func(c *Checklist) { c.Sections[1].Criteria[0].Unit = "s" }, "/sections/1/criteria/0/unit", "is only for a measure"},
		{"gate too high", func(c *Checklist) { *c.Sections[1].Criteria[1].Gate = 101 }, "/sections/1/criteria/1/gate", "between 0 and 100"},
		{"gate of a fact", func(c *Checklist) { c.Sections[0].Criteria[2].Gate = number(1) }, "/sections/0/criteria/2/gate", "fact"},
		{"item twice", func(c *Checklist) { c.Sections[1].Criteria[2].Items[1].Key = "film" }, "/sections/1/criteria/2/items/1/key", "duplicated"},
		{"no levels", func(c *Checklist) { c.Sections[1].Criteria[3].Levels = nil }, "/sections/1/criteria/3/levels", "at least one"},
		{"balance", func(c *Checklist) { c.Policy.Balance = number(2) }, "/policy/balance", "between -10 and 1"},
		{"decisive unknown", func(c *Checklist) { c.Policy.Decisive = []string{"luck"} }, "/policy/decisive/0", "no criterion"},
		{"audience's section unknown", func(c *Checklist) { c.Audiences[0].Sections["luck"] = 1 }, "/audiences/0/sections/luck", "no section"},
		{"audience weighs a fact", func(c *Checklist) { c.Audiences[0].Criteria["kernel"] = 1 }, "/audiences/0/criteria/kernel", "fact"},
		{"audience weighs nothing", func(c *Checklist) { c.Audiences[0].Sections = map[string]float64{"usability": 0, "performance": 0} }, "/audiences/0/sections", "weight 0"},
	} {
		list := sound()
		c.spoil(list)
		faults := validate(list)
		if !holds(faults, c.pointer, c.says) {
			t.Errorf("%s: want a fault at %s saying %q, got %v", c.name, c.pointer, c.says, faults)
		}
	}
}

func TestValidateTellsAllAtOnce(t *testing.T) {
	list := sound()
	list.Key, list.Version, list.Sections[0].Weight = "", 0, -1
	if faults := validate(list); len(faults) != 3 {
		t.Errorf("three faults were planted, %d told: %v", len(faults), faults)
	}
}

func validate(c *Checklist) fault.List {
	var book fault.Book
	Validate(c, &book)
	return book.List()
}

func holds(faults fault.List, pointer, says string) bool {
	for _, f := range faults {
		if f.Pointer == pointer && strings.Contains(f.Detail, says) {
			return true
		}
	}
	return false
}
