package checklist

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

func (x *CriterionChange) tell(what, was, is string) {
	if was != is {
		x.Details = append(x.Details, fmt.Sprintf("%s: %s → %s", what, orNone(was), orNone(is)))
	}
}

// rules adds the differences in how the criterion is asked and scored.
func (x *CriterionChange) rules(old, new *Criterion) {
	a, b := rule(old), rule(new)
	x.tell("kind", string(a.Kind), string(b.Kind))
	x.tell("unit", a.Unit, b.Unit)
	x.tell("better", a.Better, b.Better)
	x.tell("method", a.Context.Method, b.Context.Method)
	x.tell("setup", a.Context.Setup, b.Context.Setup)
	x.tell("phase", a.Context.Phase, b.Context.Phase)
	x.tell("runs", strconv.Itoa(a.Runs.Expect), strconv.Itoa(b.Runs.Expect))
	x.tell("summary", a.Runs.Summary, b.Runs.Summary)
	x.tell("tolerance", optional(a.Runs.Tolerance), optional(b.Runs.Tolerance))
	x.tell("curve", a.Curve.String(), b.Curve.String())
	x.tell("points for a workaround", optional(a.WorkaroundPoints), optional(b.WorkaroundPoints))
	x.tell("share for a workaround", optional(a.WorkaroundShare), optional(b.WorkaroundShare))
	x.tell("items", items(a.Items), items(b.Items))
	x.tell("levels", levels(a.Levels), levels(b.Levels))
	x.tell("across", a.Across, b.Across)
	x.tell("scope", string(a.Scope), string(b.Scope))
	x.tell("surveyed fact", a.Survey, b.Survey)
}

func items(list []Item) string {
	out := make([]string, len(list))
	for i, it := range list {
		out[i] = it.Key
		if w := or(it.Weight, 1); w != 1 {
			out[i] += " (" + written(w) + ")"
		}
	}
	return strings.Join(out, ", ")
}

func levels(list []Rung) string {
	out := make([]string, len(list))
	for i, l := range list {
		out[i] = l.Key + " " + written(l.Points)
	}
	return strings.Join(out, ", ")
}

// believable describes the plausible range of a measure; empty for other kinds.
func believable(c *Criterion) string {
	if !c.Measured() {
		return ""
	}
	return c.PlausibleRange().In(c.Unit)
}

// worded returns which wording changed where the rule did not.
func worded(old, new *Criterion) []string {
	var out []string
	if old.Title != new.Title {
		out = append(out, fmt.Sprintf("title: %s → %s", orNone(old.Title), orNone(new.Title)))
	}
	if old.Guidance != new.Guidance {
		out = append(out, "guidance")
	}
	if was, is := believable(old), believable(new); was != is {
		out = append(out, fmt.Sprintf("plausible range: %s → %s", was, is))
	}
	for _, it := range new.Items {
		i := slices.IndexFunc(old.Items, func(o Item) bool { return o.Key == it.Key })
		if i >= 0 && old.Items[i].Title != it.Title {
			out = append(out, "title of item "+it.Key)
		}
	}
	for _, l := range new.Levels {
		i := slices.IndexFunc(old.Levels, func(o Rung) bool { return o.Key == l.Key })
		if i >= 0 && old.Levels[i].Title != l.Title {
			out = append(out, "title of level "+l.Key)
		}
	}
	return out
}

func written(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

func optional(x *float64) string {
	if x == nil {
		return ""
	}
	return written(*x)
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}
