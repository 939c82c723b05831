package checklist

import (
	"encoding/json"
	"slices"

	"dappertally/core/fault"
)

// Edit is one step of a proposed change. It is exactly one of three: a criterion to drop; a criterion to add to a
// section, or to replace the one with its key; or a section with its new weight.
type Edit struct {
	Drop      string     `json:"drop,omitempty"`
	Section   string     `json:"section,omitempty"`
	Criterion *Criterion `json:"criterion,omitempty"`
	Weight    *float64   `json:"weight,omitempty"`
}

// Subject is the key of the criterion or section that the edit is about.
func (e *Edit) Subject() string {
	switch {
	case e.Drop != "":
		return e.Drop
	case e.Criterion != nil:
		return e.Criterion.Key
	}
	return e.Section
}

// Apply makes the edits in a copy of the checklist. It reports the faults of the edits, or else those of the
// resulting checklist.
func Apply(list *Checklist, edits []Edit, book *fault.Book) *Checklist {
	next := list.Clone()
	if len(edits) == 0 {
		book.Field("edits", "there is nothing to change")
	}
	book.In("edits", func() {
		for i := range edits {
			book.In(i, func() { next.apply(&edits[i], book) })
		}
	})
	if len(book.List()) > 0 {
		return next
	}
	var faults fault.Book
	Validate(next, &faults)
	for _, f := range faults.List() {
		book.Add("the checklist would not be valid: %s: %s", f.Pointer, f.Detail)
	}
	return next
}

func (c *Checklist) apply(e *Edit, book *fault.Book) {
	section := slices.IndexFunc(c.Sections, func(s Section) bool { return s.Key == e.Section })
	switch {
	case e.Drop != "" && e.Criterion == nil && e.Weight == nil:
		if !c.remove(e.Drop) {
			book.Field("drop", "there is no criterion %q", e.Drop)
		}
		c.forget(e.Drop)
	case e.Criterion != nil && e.Drop == "" && e.Weight == nil:
		if section < 0 {
			book.Field("section", "there is no section %q", e.Section)
			return
		}
		c.put(section, *e.Criterion)
	case e.Weight != nil && e.Drop == "" && e.Criterion == nil:
		if section < 0 {
			book.Field("section", "there is no section %q", e.Section)
			return
		}
		c.Sections[section].Weight = *e.Weight
	default:
		book.Add("must be exactly one of: drop, section with criterion, section with weight")
	}
}

func (c *Checklist) remove(criterion string) bool {
	for i := range c.Sections {
		s := &c.Sections[i]
		if n := len(s.Criteria); n > 0 {
			s.Criteria = slices.DeleteFunc(s.Criteria, func(x Criterion) bool { return x.Key == criterion })
			if len(s.Criteria) < n {
				return true
			}
		}
	}
	return false
}

// forget removes references to a criterion.
func (c *Checklist) forget(criterion string) {
	c.Policy.Decisive = slices.DeleteFunc(c.Policy.Decisive, func(key string) bool { return key == criterion })
	for i := range c.Audiences {
		delete(c.Audiences[i].Criteria, criterion)
		delete(c.Audiences[i].Gates, criterion)
	}
}

// put replaces the criterion with the same key if it is in the section, and otherwise appends it to the section.
func (c *Checklist) put(section int, criterion Criterion) {
	s := &c.Sections[section]
	if i := slices.IndexFunc(s.Criteria, func(x Criterion) bool { return x.Key == criterion.Key }); i >= 0 {
		s.Criteria[i] = criterion
		return
	}
	c.remove(criterion.Key)
	s.Criteria = append(s.Criteria, criterion)
}

// Clone returns a deep copy.
func (c *Checklist) Clone() *Checklist {
	data, err := json.Marshal(c)
	if err == nil {
		var copied Checklist
		if err = json.Unmarshal(data, &copied); err == nil {
			return &copied
		}
	}
	panic(
		"checklist " + c.Name() + " does not survive being written: " + err.Error(),
	) // only NaN fails, which no valid checklist holds
}

// Overlap names what the edits are about that differs between two checklists: edits made for the one would undo the
// change made to the other.
func Overlap(base, other *Checklist, edits []Edit) []string {
	var names []string
	for i := range edits {
		e := &edits[i]
		if e.Weight != nil {
			a, hadA := base.section(e.Section)
			b, hadB := other.section(e.Section)
			if hadA != hadB || (hadA && a.Weight != b.Weight) {
				names = append(names, "section "+e.Section)
			}
			continue
		}
		a, hadA := base.Criterion(e.Subject())
		b, hadB := other.Criterion(e.Subject())
		if hadA != hadB || (hadA && !sameText(a, b)) {
			names = append(names, e.Subject())
		}
	}
	return names
}

func sameText(a, b any) bool {
	x, errX := json.Marshal(a)
	y, errY := json.Marshal(b)
	return errX == nil && errY == nil && string(x) == string(y)
}

// AskedAlike reports whether answers to the old criterion can be carried over to the new one: question, kind, unit,
// items, levels, context and scope are the same. The scoring rule may differ.
func AskedAlike(old, new *Criterion) bool {
	a, b := rule(old), rule(new)
	return AnswersStill(old, new) && a.Context == b.Context && a.Scope == b.Scope && a.Better == b.Better &&
		slices.EqualFunc(a.Levels, b.Levels, func(x, y Rung) bool { return x.Key == y.Key })
}

// EditsBetween returns the edits that turn one checklist into another: criteria added, changed, moved and dropped,
// and changed section weights. rest describes the differences that no edit can express.
func EditsBetween(from, to *Checklist) (edits []Edit, rest []string) {
	for i := range to.Sections {
		s := &to.Sections[i]
		old, ok := from.section(s.Key)
		if !ok {
			rest = append(rest, "section "+s.Key+" is new")
			continue
		}
		if old.Weight != s.Weight {
			edits = append(edits, Edit{Section: s.Key, Weight: &s.Weight})
		}
		for j := range s.Criteria {
			c := &s.Criteria[j]
			if was, ok := from.Criterion(c.Key); !ok || !sameText(was, c) || from.SectionOf(c.Key) != s.Key {
				edits = append(edits, Edit{Section: s.Key, Criterion: c})
			}
		}
	}
	for i := range from.Sections {
		if _, ok := to.section(from.Sections[i].Key); !ok {
			rest = append(rest, "section "+from.Sections[i].Key+" was removed")
		}
		for _, c := range from.Sections[i].Criteria {
			if !has(to, c.Key) {
				edits = append(edits, Edit{Drop: c.Key})
			}
		}
	}
	if len(rest) > 0 {
		return edits, rest
	}
	made := from.Clone()
	for i := range edits {
		made.apply(&edits[i], &fault.Book{})
	}
	d := Differ(made, to)
	for _, a := range d.Audiences {
		rest = append(rest, "audience "+a.Key)
	}
	return edits, append(rest, d.Rest...)
}
