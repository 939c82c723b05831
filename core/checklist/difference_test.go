package checklist

import (
	"math"
	"slices"
	"strings"
	"testing"
)

func TestDiffer(t *testing.T) {
	older := sound()
	newer := older.Clone()
	newer.Version = 2
	start, _ := newer.Criterion("start")
	start.Weight, start.Curve.Ideal = 4, 12
	guide, _ := newer.Criterion("guide")
	guide.Guidance = "Read it aloud."
	wireless, _ := newer.Criterion("wireless")
	*wireless.Gate = 80
	wireless.Needs = []string{"wireless"}
	newer.Sections[0].Criteria = slices.DeleteFunc(
		newer.Sections[0].Criteria, func(c Criterion) bool { return c.Key == "steps" },
	)
	newer.Sections[1].Criteria = append(newer.Sections[1].Criteria, Criterion{Key: "telemetry", Kind: Check, Weight: 1})
	newer.Audiences[0].Sections["usability"] = 80
	newer.Title = "Second"
	d := Differ(older, newer)

	sorts := map[string][]string{}
	details := map[string]string{}
	for _, c := range d.Criteria {
		sorts[c.Key] = c.Sorts
		details[c.Key] = strings.Join(c.Details, "; ")
	}
	for key, want := range map[string][]string{
		"start": {WeightChanged, RuleChange}, "guide": {Wording}, "wireless": {GateChange, NeedsOther},
		"steps": {Dropped}, "telemetry": {Added},
	} {
		if !slices.Equal(sorts[key], want) {
			t.Errorf("%s: %v, want %v", key, sorts[key], want)
		}
	}
	if len(d.Criteria) != 5 {
		t.Errorf("%d criteria differ, want 5: %v", len(d.Criteria), sorts)
	}
	for key, want := range map[string]string{
		"start": "weight: 2 → 4; curve: ratio from 90 to 9 → ratio from 90 to 12", "wireless": "gate: 60 → 80", "guide": "guidance",
	} {
		if !strings.Contains(details[key], want) {
			t.Errorf("%s is told as %q, want %q", key, details[key], want)
		}
	}
	// The criteria media and setup did not change, but a fifth criterion was added.
	var shifted []string
	for _, c := range d.Shifted {
		shifted = append(shifted, c.Key)
		if math.Abs(c.OldShare-0.1) > 1e-12 || math.Abs(c.NewShare-0.08) > 1e-12 {
			t.Errorf("share of %s: %v → %v, want 0.1 → 0.08", c.Key, c.OldShare, c.NewShare)
		}
	}
	if !slices.Equal(shifted, []string{"media", "setup"}) {
		t.Errorf("shifted: %v", shifted)
	}
	if len(d.Audiences) != 1 || d.Audiences[0].Details[0] != "section usability: 70 → 80" {
		t.Errorf("audiences: %+v", d.Audiences)
	}
	if len(d.Rest) != 1 || !strings.Contains(d.Rest[0], "none → Second") {
		t.Errorf("rest: %v", d.Rest)
	}
}

func TestNothingDiffers(t *testing.T) {
	d := Differ(sound(), sound())
	if len(d.Sections)+len(d.Criteria)+len(d.Shifted)+len(d.Audiences)+len(d.Rest) != 0 {
		t.Errorf("a list differs from itself: %+v", d)
	}
}

func TestSameRule(t *testing.T) {
	base := sound()
	for _, c := range []struct {
		name                     string
		criterion                string
		change                   func(*Criterion)
		rule, answers, askedLike bool
	}{
		{"weight, title, guidance, gate and needs", "wireless", func(c *Criterion) {
			c.Weight, c.Title, c.Guidance, c.Gate, c.Needs = 9, "x", "y", nil, []string{"wireless"}
		}, true, true, true},
		{"a default written out", "wireless", func(c *Criterion) { c.WorkaroundPoints = number(60) }, true, true, true},
		{"scope of the edition written out", "guide", func(c *Criterion) { c.Scope = ScopeEdition }, true, true, true},
		{"title of an item", "media", func(c *Criterion) { c.Items[0].Title = "Film" }, true, true, true},
		{"weight of an item", "media", func(c *Criterion) { c.Items[0].Weight = number(3) }, false, false, false},
		{"a curve", "start", func(c *Criterion) { c.Curve.Poor = 80 }, false, true, true},
		{"points of a level", "setup", func(c *Criterion) { c.Levels[1].Points = 90 }, false, true, true},
		{"another level", "setup", func(c *Criterion) { c.Levels = append(c.Levels, Rung{Key: "full", Points: 100}) }, false, true, false},
		{"the method", "start", func(c *Criterion) { c.Context.Method = "" }, false, true, false},
		{"the unit", "start", func(c *Criterion) { c.Unit = "ms" }, false, false, false},
		{"the kind", "guide", func(c *Criterion) { c.Kind = Check }, false, false, false},
		{"the scope", "guide", func(c *Criterion) { c.Scope = ScopeRelease }, false, true, false},
	} {
		old, _ := base.Criterion(c.criterion)
		next, _ := base.Clone().Criterion(c.criterion)
		c.change(next)
		if got := SameRule(old, next); got != c.rule {
			t.Errorf("%s: same rule is %v", c.name, got)
		}
		if got := AnswersStill(old, next); got != c.answers {
			t.Errorf("%s: answers still is %v", c.name, got)
		}
		if got := AskedAlike(old, next); got != c.askedLike {
			t.Errorf("%s: asked alike is %v", c.name, got)
		}
	}
}

func TestShares(t *testing.T) {
	list := sound()
	for _, a := range append([]Audience{{}}, list.Audiences...) {
		sum := 0.0
		for _, share := range Shares(list, a) {
			sum += share
		}
		if math.Abs(sum-1) > 1e-12 {
			t.Errorf("shares for %q sum to %v", a.Key, sum)
		}
	}
	if got := Shares(list, list.Audiences[0])["guide"]; math.Abs(got-70.0/130*4/7) > 1e-12 {
		t.Errorf("guide's share for pensioners is %v", got)
	}
}
