package checklist

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
)

// procedures returns what differs between two procedures, either of which may be nil.
func procedures(old, new *Procedure) []string {
	switch {
	case old == nil:
		return []string{"a client can measure it automatically: " + commands(new.Steps)}
	case new == nil:
		return []string{"no longer measured automatically"}
	}
	var x CriterionChange
	x.tell("steps", commands(old.Steps), commands(new.Steps))
	x.tell("before each run", commands(old.Before), commands(new.Before))
	x.tell("test files", strings.Join(old.Kit, ", "), strings.Join(new.Kit, ", "))
	x.tell("environment", variables(old.Environment), variables(new.Environment))
	x.tell("limit of a run", inSeconds(old.LimitTime()), inSeconds(new.LimitTime()))
	x.tell("needs of the procedure", needs(old), needs(new))
	x.tell("figure", old.Read.String(), new.Read.String())
	a, b := old.Sampling, new.Sampling
	x.tell("minimum runs", unlessZero(a.Least), unlessZero(b.Least))
	x.tell("maximum runs", unlessZero(a.Most), unlessZero(b.Most))
	x.tell("precision", written(old.WantedPrecision()), written(new.WantedPrecision()))
	x.tell("discarded runs", unlessZero(a.Discard), unlessZero(b.Discard))
	x.tell("starts of the machine", unlessZero(a.Boots), unlessZero(b.Boots))
	x.tell("file caches", cmp.Or(a.Caches, CachesKept), cmp.Or(b.Caches, CachesKept))
	x.tell("time to settle", inSeconds(old.SettleTime()), inSeconds(new.SettleTime()))
	return append(x.Details, ruleChanges(old.Conditions, new.Conditions)...)
}

// ruleChanges returns what differs between rules for conditions.
func ruleChanges(old, new []Rule) []string {
	var x CriterionChange
	for _, k := range ConditionKinds {
		x.tell("rule", ruleOn(old, k.Condition), ruleOn(new, k.Condition))
	}
	return x.Details
}

func ruleOn(rules []Rule, on Condition) string {
	i := slices.IndexFunc(rules, func(r Rule) bool { return r.When == on })
	if i < 0 {
		return ""
	}
	return rules[i].String()
}

// String is what is read, in words.
func (r Read) String() string {
	text := string(r.Figure)
	for _, more := range []string{r.Pattern, r.Pointer, r.Fact, r.Frames, r.Column, r.File, r.Unit} {
		if more != "" {
			text += " " + more
		}
	}
	return text
}

func commands(steps []Step) string {
	out := make([]string, len(steps))
	for i, s := range steps {
		out[i] = s.String()
	}
	return strings.Join(out, "; ")
}

func variables(environment map[string]string) string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(environment)) {
		out = append(out, name+"="+environment[name])
	}
	return strings.Join(out, " ")
}

func needs(p *Procedure) string {
	out := make([]string, len(p.Needs))
	for i, n := range p.Needs {
		out[i] = string(n)
	}
	return strings.Join(out, ", ")
}

func inSeconds(s float64) string { return written(s) + " s" }

// unlessZero formats a number; empty for zero, which stands for the default.
func unlessZero(n int) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprint(n)
}
