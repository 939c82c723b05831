package checklist

import (
	"cmp"
	"fmt"
	"reflect"
	"slices"
	"strings"
)

func (d *Difference) audiences(older, newer *Checklist) {
	for _, a := range newer.Audiences {
		change := Amended{Key: a.Key, Title: a.Title, Details: []string{}}
		i := slices.IndexFunc(older.Audiences, func(o Audience) bool { return o.Key == a.Key })
		switch {
		case i < 0:
			change.Sorts = []string{Added}
		case !reflect.DeepEqual(weighing(older.Audiences[i]), weighing(a)):
			change.Sorts = []string{WeightChanged}
			change.Details = weighed(older.Audiences[i], a)
		case older.Audiences[i].Title != a.Title:
			change.Sorts = []string{Wording}
		default:
			continue
		}
		d.Audiences = append(d.Audiences, change)
	}
	for _, a := range older.Audiences {
		if _, ok := newer.Audience(a.Key); !ok {
			d.Audiences = append(
				d.Audiences, Amended{Key: a.Key, Title: a.Title, Sorts: []string{Dropped}, Details: []string{}},
			)
		}
	}
}

func weighing(a Audience) [3]map[string]float64 {
	full := func(m map[string]float64) map[string]float64 {
		if m == nil {
			return map[string]float64{}
		}
		return m
	}
	return [3]map[string]float64{full(a.Sections), full(a.Criteria), full(a.Gates)}
}

// weighed returns which weights and gates of an audience differ.
func weighed(old, new Audience) []string {
	out := []string{}
	for i, what := range []string{"section", "criterion", "gate"} {
		was, is := weighing(old)[i], weighing(new)[i]
		for _, key := range union(was, is) {
			x, hadX := was[key]
			y, hasY := is[key]
			if hadX != hasY || !equal(x, y) {
				out = append(out, fmt.Sprintf("%s %s: %s → %s", what, key, asListed(x, hadX), asListed(y, hasY)))
			}
		}
	}
	return out
}

func union(a, b map[string]float64) []string {
	var keys []string
	for k := range a {
		keys = append(keys, k)
	}
	for k := range b {
		if _, ok := a[k]; !ok {
			keys = append(keys, k)
		}
	}
	slices.Sort(keys)
	return keys
}

func asListed(x float64, own bool) string {
	if !own {
		return "as in the checklist"
	}
	return written(x)
}

// rest returns what else differs, one line each.
func rest(older, newer *Checklist) []string {
	out := []string{}
	tell := func(what, was, is string) {
		if was != is {
			out = append(out, fmt.Sprintf("%s: %s → %s", what, orNone(was), orNone(is)))
		}
	}
	tell("title", older.Title, newer.Title)
	tell("points of a perfect score", written(older.MaximumPoints()), written(newer.MaximumPoints()))
	p, q := older.Policy, newer.Policy
	tell("coverage required", written(p.CoverageNeeded()), written(q.CoverageNeeded()))
	tell("dead heat within", written(p.Margin()), written(q.Margin()))
	tell("balance", written(p.Exponent()), written(q.Exponent()))
	tell("reviewers' points", p.Reviewers, q.Reviewers)
	tell("grades apart", written(p.GradesApart()), written(q.GradesApart()))
	tell("tie-breakers", strings.Join(p.Decisive, ", "), strings.Join(q.Decisive, ", "))
	tell("rigs without measures of an edition", cmp.Or(p.Rigs, AsMeasured), cmp.Or(q.Rigs, AsMeasured))
	tell("methods", keys(older.Vocabulary.Methods), keys(newer.Vocabulary.Methods))
	tell("setups", keys(older.Vocabulary.Setups), keys(newer.Vocabulary.Setups))
	tell("phases", keys(older.Vocabulary.Phases), keys(newer.Vocabulary.Phases))
	tell("shots", keys(older.Shots), keys(newer.Shots))
	tell("reference for the rigs", referenceKey(older), referenceKey(newer))
	out = append(out, ruleChanges(older.Measuring.Conditions, newer.Measuring.Conditions)...)
	for _, f := range newer.Kit {
		i := slices.IndexFunc(older.Kit, func(o KitFile) bool { return o.Name == f.Name })
		switch {
		case i < 0:
			out = append(out, "test file: "+f.Name+" is new")
		case older.Kit[i].SHA256 != f.SHA256:
			out = append(out, "test file: "+f.Name+" has other content")
		}
	}
	for _, f := range older.Kit {
		if !slices.ContainsFunc(newer.Kit, func(n KitFile) bool { return n.Name == f.Name }) {
			out = append(out, "test file: "+f.Name+" was removed")
		}
	}
	return out
}

func keys(list []Named) string {
	out := make([]string, len(list))
	for i, n := range list {
		out[i] = n.Key
	}
	return strings.Join(out, ", ")
}

func referenceKey(c *Checklist) string {
	if r := c.ReferenceCriterion(); r != nil {
		return r.Key
	}
	return ""
}
