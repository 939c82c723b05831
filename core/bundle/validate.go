package bundle

import (
	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
)

// Validate reports every fault in the bundle's content. Decode checks its form.
func (b *Bundle) Validate() fault.List {
	v := validator{
		Bundle:   b,
		lists:    map[string]*checklist.Checklist{},
		rigs:     map[string]bool{},
		editions: map[string]bool{},
	}
	if b.Format != Format {
		v.Field("format", "must be %q, not %q", Format, clip(b.Format))
	}
	if b.Version != Version {
		v.Field("version", "must be %d, not %d: this program reads no other version", Version, b.Version)
	}
	v.In("checklists", v.checklists)
	v.In("distributions", func() { v.editions = catalogue.Validate(b.Distributions, &v.Book) })
	v.In("rigs", func() { v.rigs = catalogue.ValidateRigs(b.Rigs, &v.Book) })
	v.In("reviews", v.reviews)
	return v.List()
}

type validator struct {
	*Bundle
	fault.Book
	lists    map[string]*checklist.Checklist
	rigs     map[string]bool
	editions map[string]bool
}

func (v *validator) checklists() {
	for i := range v.Checklists {
		v.In(i, func() {
			c := &v.Checklists[i]
			checklist.Validate(c, &v.Book)
			if v.lists[c.Name()] != nil {
				v.Field("version", "%s is duplicated", c.Name())
			}
			v.lists[c.Name()] = c
		})
	}
}

func (v *validator) reviews() {
	reviews := map[string]*reading.Review{}
	for i := range v.Reviews {
		r := &v.Reviews[i]
		v.In(i, func() {
			if reviews[r.ID] != nil {
				v.Field("id", "%s is duplicated", r.ID)
			}
			reviews[r.ID] = r
			v.review(r)
		})
	}
	continued := func(id string) string {
		if r := reviews[id]; r != nil {
			return r.Continues
		}
		return ""
	}
	for i := range v.Reviews {
		r := &v.Reviews[i]
		v.In(i, func() {
			if r.Continues != "" && reviews[r.Continues] == nil {
				v.Field("continues", "there is no review %q here", clip(r.Continues))
			}
			if r.Carried != "" {
				v.carried(r, reviews[r.Carried])
			}
			if circular(r.ID, continued) {
				v.Field("continues", "is circular")
				return
			}
			v.replacements(reading.Chain(r, reviews))
		})
	}
}

// carried checks that a review was carried over from a review of the same edition, on an older version of the same
// checklist.
func (v *validator) carried(r, from *reading.Review) {
	if from == nil {
		v.Field("carriedFrom", "there is no review %q here", clip(r.Carried))
		return
	}
	if from.Edition != r.Edition {
		v.Field("carriedFrom", "%s reviews %s, not this edition", from.ID, from.Edition)
	}
	older, newer := v.lists[from.Checklist], v.lists[r.Checklist]
	if older != nil && newer != nil && (older.Key != newer.Key || older.Version >= newer.Version) {
		v.Field(
			"carriedFrom", "%s was made on %s, which is no older version of %s", from.ID, from.Checklist, r.Checklist,
		)
	}
}

func (v *validator) review(r *reading.Review) {
	reading.ValidateReview(r, &v.Book)
	if !v.editions[r.Edition] {
		v.Field("edition", "there is no edition %q among the distributions", clip(r.Edition))
	}
	list := v.lists[r.Checklist]
	if list == nil {
		v.Field("checklist", "there is no checklist %q here (name it KEY@VERSION)", clip(r.Checklist))
	}
	if list != nil {
		v.entries(r, list)
	}
	// Ids are unique within a review: a review that was carried over to a newer checklist has readings with the same
	// ids as the older one.
	readings := map[string]bool{}
	v.In("readings", func() {
		for j := range r.Readings {
			x := &r.Readings[j]
			v.In(j, func() {
				if readings[x.ID] {
					v.Field("id", "%s is duplicated", x.ID)
				}
				readings[x.ID] = true
				if x.Rig != "" && !v.rigs[x.Rig] {
					v.Field("rig", "there is no rig %q", clip(x.Rig))
				}
				if list != nil {
					reading.Validate(x, list, &v.Book)
				}
			})
		}
	})
}

// listOf names the list of a review that holds the entries of a part.
var listOf = map[string]string{
	"system": "states", "finding": "findings", "change": "changes", "claim": "claims", "journal": "journal", "experience": "experience",
	"verdict": "verdicts", "advice": "advice", "use": "use", "disclosure": "disclosures", "evidence": "evidence",
}

// entries checks a review's states and record, and that no two have the same id.
func (v *validator) entries(r *reading.Review, list *checklist.Checklist) {
	known := map[string]bool{}
	at := map[string]int{}
	entries := r.Entries()
	for i := range entries {
		e := &entries[i]
		part, head := e.Part()
		v.In(listOf[part], func() {
			v.In(at[part], func() {
				reading.ValidatePart(e, list, &v.Book)
				if known[head.ID] {
					v.Field("id", "%s is duplicated", clip(head.ID))
				}
			})
		})
		known[head.ID] = true
		at[part]++
	}
}

// replacements checks which readings the readings of a chain replace. They must belong to the same chain and
// criterion, be replaced once, and form no circle.
func (v *validator) replacements(chain []*reading.Review) {
	there := map[string]*reading.Reading{}
	for _, r := range chain {
		for j := range r.Readings {
			there[r.Readings[j].ID] = &r.Readings[j]
		}
	}
	replaces := func(id string) string {
		if x := there[id]; x != nil {
			return x.Replaces
		}
		return ""
	}
	by := map[string]string{}
	check := func(x *reading.Reading) {
		switch old := there[x.Replaces]; {
		case x.Replaces == "":
			return
		case old == nil:
			v.Field("replaces", "there is no reading %q in this review or those that it continues", clip(x.Replaces))
		case old.Criterion != x.Criterion:
			v.Field("replaces", "%s answers another criterion, %s", x.Replaces, old.Criterion)
		case by[x.Replaces] != "":
			v.Field("replaces", "%s is already replaced, by %s", x.Replaces, by[x.Replaces])
		case circular(x.ID, replaces):
			v.Field("replaces", "is circular")
		}
		by[x.Replaces] = x.ID
	}
	v.In("readings", func() {
		for j := range chain[0].Readings {
			v.In(j, func() { check(&chain[0].Readings[j]) })
		}
	})
}

// circular reports whether following next from id comes back to id.
func circular(id string, next func(string) string) bool {
	seen := map[string]bool{}
	for n := next(id); n != "" && !seen[n]; n = next(n) {
		if n == id {
			return true
		}
		seen[n] = true
	}
	return false
}
