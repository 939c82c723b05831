package checklist

import (
	"reflect"
	"slices"
)

// SameRule reports whether two criteria are asked and scored in the same way: everything is equal except weight,
// gate, title, guidance, needs, plausible range and procedure. A missing field equals its default; titles of items
// and levels are wording. If procedures give figures that cannot be compared, method or setup differ too.
func SameRule(a, b *Criterion) bool {
	return reflect.DeepEqual(rule(a), rule(b))
}

func rule(c *Criterion) Criterion {
	r := *c
	r.Weight, r.Gate, r.Title, r.Guidance, r.Needs, r.Plausible, r.Procedure = 0, nil, "", "", nil, nil, nil
	if r.Scope == ScopeEdition {
		r.Scope = ""
	}
	if settle := c.Kind.Of().settle; settle != nil {
		settle(&r)
	}
	r.Items, r.Levels = nil, nil
	for _, it := range c.Items {
		weight := or(it.Weight, 1)
		r.Items = append(r.Items, Item{Key: it.Key, Weight: &weight})
	}
	for _, l := range c.Levels {
		r.Levels = append(r.Levels, Rung{Key: l.Key, Points: l.Points})
	}
	return r
}

// AnswersStill reports whether answers to the old criterion are valid for the new one: kind, unit and items are the
// same. Points may differ.
func AnswersStill(old, new *Criterion) bool {
	a, b := rule(old), rule(new)
	return a.Kind == b.Kind && a.Unit == b.Unit && reflect.DeepEqual(a.Items, b.Items)
}

// CommonGround returns the newer checklist reduced to the scored criteria that the older one asks and scores in the
// same way, and the keys of these criteria.
func CommonGround(older, newer *Checklist) (ground Checklist, keys []string) {
	ground, keys = *newer, []string{}
	ground.Sections = slices.Clone(newer.Sections)
	for i := range ground.Sections {
		s := &ground.Sections[i]
		s.Criteria = nil
		for _, c := range newer.Sections[i].Criteria {
			if old, ok := older.Criterion(c.Key); ok && c.Scored() && SameRule(old, &c) {
				s.Criteria = append(s.Criteria, c)
				keys = append(keys, c.Key)
			}
		}
	}
	return ground, keys
}
