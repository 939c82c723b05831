package advice_test

import (
	"fmt"
	"strings"
	"testing"

	"dappertally/core/advice"
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

func number(x float64) *float64 { return &x }

// sound is a checklist without any advice.
func sound() *checklist.Checklist {
	return &checklist.Checklist{
		Key: "desk", Version: 1, State: checklist.InForce,
		Sections: []checklist.Section{
			{Key: "speed", Weight: 60, Criteria: []checklist.Criterion{
				{
					Key:      "start",
					Kind:     checklist.Measure,
					Weight:   1,
					Better:   "lower",
					Guidance: "Use the watch.",
					Context:  checklist.Context{Method: "watch"},
					Runs:     checklist.Runs{Expect: 5},
					Curve:    &checklist.Curve{Shape: checklist.Span, Poor: 100, Ideal: 0},
				},
			}},
			{Key: "ease", Weight: 40, Criteria: []checklist.Criterion{
				{Key: "guide", Kind: checklist.Grade, Weight: 2, Guidance: "Read it."},
				{
					Key:      "wireless",
					Kind:     checklist.Check,
					Weight:   1,
					Guidance: "Join.",
					Gate:     number(60),
					Needs:    []string{"wireless"},
				},
			}},
		},
		Audiences: []checklist.Audience{{Key: "pensioner", Sections: map[string]float64{"speed": 30, "ease": 70}}},
	}
}

var rigs = []catalogue.Rig{{Key: "old", Class: "older", Equipment: []string{"wireless"}}}

func TestOfTheListAlone(t *testing.T) {
	for _, c := range []struct {
		name, sort, pointer, says string
		spoil                     func(*checklist.Checklist)
	}{
		{"sound", "", "", "", func(*checklist.Checklist) {}},
		{"sections that nearly weigh 100", advice.Weights, "/sections", "95", func(c *checklist.Checklist) { c.Sections[0].Weight = 55 }},
		{"an audience that nearly weighs 100", advice.Weights, "/audiences/0/sections", "110", func(c *checklist.Checklist) { c.Audiences[0].Sections["ease"] = 80 }},
		{"criteria that nearly weigh 100", advice.Weights, "/sections/1/criteria", "90", func(c *checklist.Checklist) {
			c.Sections[1].Criteria[0].Weight, c.Sections[1].Criteria[1].Weight = 50, 40
		}},
		{"a criterion that weighs nothing", advice.Weights, "/sections/1/criteria/0/weight", "guide has weight 0", func(c *checklist.Checklist) { c.Sections[1].Criteria[0].Weight = 0 }},
		{"no guidance", advice.Guidance, "/sections/0/criteria/0/guidance", "start has no guidance", func(c *checklist.Checklist) { c.Sections[0].Criteria[0].Guidance = "  " }},
		{"no method", advice.Method, "/sections/0/criteria/0/context", "no method", func(c *checklist.Checklist) { c.Sections[0].Criteria[0].Context.Method = "" }},
		{"a single run", advice.Unsettled, "/sections/0/criteria/0/runs/expect", "single run", func(c *checklist.Checklist) { c.Sections[0].Criteria[0].Runs.Expect = 1 }},
		{"a field curve", advice.Unsettled, "/sections/0/criteria/0/curve", "best of the field", func(c *checklist.Checklist) {
			c.Sections[0].Criteria[0].Curve = &checklist.Curve{Shape: checklist.Field}
		}},
		{"what no rig has", advice.Needs, "/sections/1/criteria/1/needs", "printer", func(c *checklist.Checklist) { c.Sections[1].Criteria[1].Needs = []string{"printer"} }},
		{"a class that a rig has", "", "", "", func(c *checklist.Checklist) { c.Sections[1].Criteria[1].Needs = []string{"older", "physical"} }},
	} {
		list := sound()
		c.spoil(list)
		found := advice.Of(list, rigs, nil)
		if c.sort == "" {
			if len(found) != 0 {
				t.Errorf("%s: %v", c.name, found)
			}
			continue
		}
		if len(found) != 1 || found[0].Sort != c.sort || found[0].Pointer != c.pointer ||
			!strings.Contains(found[0].Text, c.says) {
			t.Errorf("%s: %v", c.name, found)
		}
	}
}

// TestMixedRigs warns of rigs of different speed only where they can make a difference.
func TestMixedRigs(t *testing.T) {
	two := append([]catalogue.Rig{{Key: "new", Class: "current"}}, rigs...)
	for _, c := range []struct {
		name  string
		rigs  []catalogue.Rig
		spoil func(*checklist.Checklist)
		warns bool
	}{
		{"a single rig", rigs, func(*checklist.Checklist) {}, false},
		{"two rigs", two, func(*checklist.Checklist) {}, true},
		{"rigs are estimated", two, func(c *checklist.Checklist) { c.Policy.Rigs = "adjusted" }, false},
		{"nothing is measured", two, func(c *checklist.Checklist) { c.Sections = c.Sections[1:]; c.Audiences = nil }, false},
	} {
		list := sound()
		c.spoil(list)
		warned := false
		for _, a := range advice.Of(list, c.rigs, nil) {
			warned = warned || a.Sort == advice.MixedRigs && a.Pointer == "/policy/rigs"
		}
		if warned != c.warns {
			t.Errorf("%s: warned is %v", c.name, warned)
		}
	}
}

// points returns the points of start, guide and wireless for each edition.
func points(list *checklist.Checklist, rows ...[3]float64) *scoring.Columns {
	editions := make([]string, len(rows))
	for i := range rows {
		editions[i] = fmt.Sprintf("d%02d/1/e", i)
	}
	c := scoring.NewColumns(list, editions)
	for e, row := range rows {
		for i, p := range row {
			if p >= 0 {
				c.Set(e, i, scoring.Answered, p)
			}
		}
	}
	return c
}

func TestOfTheReadingsSoFar(t *testing.T) {
	apart := [][3]float64{
		{10, 80, 100},
		{20, 30, 60},
		{35, 70, 100},
		{50, 20, 0},
		{60, 90, 100},
		{70, 40, 60},
		{85, 60, 0},
		{95, 10, 100},
		{5, 55, 100},
		{44, 5, 60},
	}
	same := func(change func(i int, row *[3]float64)) [][3]float64 {
		rows := append([][3]float64{}, apart...)
		for i := range rows {
			change(i, &rows[i])
		}
		return rows
	}
	for _, c := range []struct {
		name, sort, says string
		rows             [][3]float64
		change           func(*checklist.Checklist)
	}{
		{"apart", "", "", apart, nil},
		{"a curve that gives almost everyone the same", advice.Alike, "start gives 9 of 10", same(func(i int, r *[3]float64) {
			if i > 0 {
				r[0] = 96 + float64(i)/3
			}
		}), nil},
		{"too few editions to tell", "", "", same(func(_ int, r *[3]float64) { r[0] = 97 })[:7], nil},
		{"a grade that tells none apart", advice.Alike, "guide gives all 10", same(func(_ int, r *[3]float64) { r[1] = 70 }), nil},
		{"a gate that bars everybody", advice.BarsAll, "wireless requires 60 points and bars all 10", same(func(i int, r *[3]float64) { r[2] = float64(5 * i) }), nil},
		{"an audience's gate that bars everybody", advice.BarsAll, "audience pensioner requires 99 points in start", apart, func(c *checklist.Checklist) {
			c.Audiences[0].Gates = map[string]float64{"start": 99}
		}},
		{"two that always move together", advice.MoveTogether, "start and guide", same(func(_ int, r *[3]float64) { r[1] = 0.9 * r[0] }), nil},
		{"two that move against each other", "", "", same(func(_ int, r *[3]float64) { r[1] = 100 - r[0] }), nil},
		{"not both answered", "", "", same(func(i int, r *[3]float64) {
			r[1] = 0.9 * r[0]
			if i%3 == 0 {
				r[1] = -1
			}
		}), nil},
	} {
		list := sound()
		if c.change != nil {
			c.change(list)
		}
		found := advice.Of(list, rigs, points(list, c.rows...))
		if c.sort == "" {
			if len(found) != 0 {
				t.Errorf("%s: %v", c.name, found)
			}
			continue
		}
		if len(found) != 1 || found[0].Sort != c.sort || !strings.Contains(found[0].Text, c.says) {
			t.Errorf("%s: %v", c.name, found)
		}
	}
}
