package checklist

import (
	"math"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/fault"
)

// Validate reports every fault of a checklist version.
func Validate(c *Checklist, book *fault.Book) {
	v := validator{book, c, map[string]*Criterion{}}
	v.key("key", c.Key)
	if c.Version < 1 {
		book.Field("version", "must be 1 or more, not %d", c.Version)
	}
	if !slices.Contains([]State{Draft, InForce, Retired}, c.State) {
		book.Field("state", "must be draft, in-force or retired, not %q", c.State)
	}
	if c.Maximum < 0 || !finite(c.Maximum) {
		book.Field("maximum", "must be more than 0")
	}
	book.In("vocabulary", v.vocabulary)
	book.In("shots", func() { v.named(c.Shots) })
	book.In("kit", v.kit)
	book.In("sections", v.sections)
	book.In("policy", v.policy)
	book.In("audiences", v.audiences)
	book.In("measuring", v.measuring)
}

type validator struct {
	*fault.Book
	list     *Checklist
	criteria map[string]*Criterion
}

func (v *validator) key(field, key string) { NoteKey(v.Book, field, key) }

func (v *validator) weight(field string, w float64) {
	if w < 0 || !finite(w) {
		v.Field(field, "must be 0 or more, not %v", w)
	}
}

func (v *validator) within(field string, x *float64, low, high float64) {
	if x != nil && !(*x >= low && *x <= high) {
		v.Field(field, "must be between %v and %v, not %v", low, high, *x)
	}
}

func (v *validator) named(list []Named) {
	seen := map[string]bool{}
	for i, n := range list {
		v.In(i, func() {
			v.key("key", n.Key)
			if seen[n.Key] {
				v.Field("key", "%q is duplicated", n.Key)
			}
			seen[n.Key] = true
		})
	}
}

func (v *validator) vocabulary() {
	v.In("methods", func() { v.named(v.list.Vocabulary.Methods) })
	v.In("setups", func() { v.named(v.list.Vocabulary.Setups) })
	v.In("phases", func() { v.named(v.list.Vocabulary.Phases) })
}

var hash = regexp.MustCompile(`^[0-9a-f]{64}$`)

func (v *validator) kit() {
	for i, f := range v.list.Kit {
		v.In(i, func() {
			if f.Name == "" || strings.ContainsAny(f.Name, "/\\\x00") {
				v.Field("name", "must be a plain file name")
			}
			if f.Size < 0 {
				v.Field("size", "must be 0 or more bytes")
			}
			if !hash.MatchString(f.SHA256) {
				v.Field("sha256", "must be 64 hexadecimal digits in lower case")
			}
		})
	}
}

func (v *validator) sections() {
	if len(v.list.Sections) == 0 {
		v.Add("a checklist needs at least one section")
		return
	}
	seen := map[string]bool{}
	total := 0.0
	for i := range v.list.Sections {
		s := &v.list.Sections[i]
		v.In(i, func() {
			v.key("key", s.Key)
			if seen[s.Key] {
				v.Field("key", "section %q is duplicated", s.Key)
			}
			seen[s.Key] = true
			v.weight("weight", s.Weight)
			total += s.Weight
			v.In("criteria", func() { v.section(s) })
		})
	}
	if total == 0 {
		v.Add("all sections have weight 0")
	}
}

func (v *validator) section(s *Section) {
	total := 0.0
	for i := range s.Criteria {
		c := &s.Criteria[i]
		v.In(i, func() {
			v.key("key", c.Key)
			if v.criteria[c.Key] != nil {
				v.Field("key", "criterion %q is duplicated", c.Key)
			}
			v.criteria[c.Key] = c
			v.weight("weight", c.Weight)
			v.criterion(c)
		})
		if c.Scored() {
			total += c.Weight
		}
	}
	if total == 0 && s.Weight > 0 {
		v.Add("section %q has a weight, but none of its criteria has one", s.Key)
	}
}

func (v *validator) policy() {
	p := &v.list.Policy
	v.within("minCoverage", p.MinCoverage, 0, 1)
	v.within("deadHeat", p.DeadHeat, 0, 100)
	v.within("balance", p.Balance, -10, 1)
	v.within("disagreement", p.Disagreement, 0, 10)
	if !slices.Contains([]string{"", "mean", "median"}, p.Reviewers) {
		v.Field("reviewers", "must be mean or median, not %q", p.Reviewers)
	}
	if !slices.Contains([]string{"", AsMeasured, Adjusted}, p.Rigs) {
		v.Field("rigs", "must be %s or %s, not %q", AsMeasured, Adjusted, p.Rigs)
	}
	v.In("decisive", func() {
		for i, key := range p.Decisive {
			v.In(i, func() {
				v.scored(key)
				if slices.Contains(p.Decisive[:i], key) {
					v.Add("%q is duplicated", key)
				}
			})
		}
	})
}

// scored reports a key that does not name a scored criterion.
func (v *validator) scored(key string) {
	switch c := v.criteria[key]; {
	case c == nil:
		v.Add("there is no criterion %q", key)
	case !c.Scored():
		v.Add("criterion %q is a fact and is never scored", key)
	}
}

func (v *validator) audiences() {
	seen := map[string]bool{}
	for i := range v.list.Audiences {
		a := &v.list.Audiences[i]
		v.In(i, func() {
			v.key("key", a.Key)
			if seen[a.Key] {
				v.Field("key", "audience %q is duplicated", a.Key)
			}
			seen[a.Key] = true
			v.audience(a)
		})
	}
}

func (v *validator) audience(a *Audience) {
	total := 0.0
	for i := range v.list.Sections {
		total += a.SectionWeight(&v.list.Sections[i])
	}
	if total == 0 {
		v.Field("sections", "all sections have weight 0 for this audience")
	}
	v.In("sections", func() {
		for _, key := range sorted(a.Sections) {
			v.weight(key, a.Sections[key])
			if !slices.ContainsFunc(v.list.Sections, func(s Section) bool { return s.Key == key }) {
				v.Field(key, "there is no section %q", key)
			}
		}
	})
	v.In("criteria", func() {
		for _, key := range sorted(a.Criteria) {
			v.weight(key, a.Criteria[key])
			v.In(key, func() { v.scored(key) })
		}
	})
	v.In("gates", func() {
		for _, key := range sorted(a.Gates) {
			gate := a.Gates[key]
			v.within(key, &gate, 0, 100)
			v.In(key, func() { v.scored(key) })
		}
	})
}

func sorted(m map[string]float64) []string {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return keys
}

func finite(x float64) bool { return !math.IsNaN(x) && !math.IsInf(x, 0) }
