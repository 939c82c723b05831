package checklist

import (
	"slices"
	"strings"

	"dappertally/core/fault"
)

func (v *validator) criterion(c *Criterion) {
	of := c.Kind.Of()
	if of == &unknownKind {
		v.Field("kind", "must be %s, not %q", oneOf(Kinds), c.Kind)
		return
	}
	v.belongs(c)
	v.within("gate", c.Gate, 0, 100)
	v.within("workaroundPoints", c.WorkaroundPoints, 0, 100)
	v.within("workaroundShare", c.WorkaroundShare, 0, 1)
	if !slices.Contains([]Scope{"", ScopeEdition, ScopeRelease, ScopeDistribution}, c.Scope) {
		v.Field("scope", "must be edition, release or distribution, not %q", c.Scope)
	}
	if !slices.Contains([]string{"", "worst"}, c.Across) {
		v.Field("across", "must be worst or left out, not %q", c.Across)
	}
	v.In("context", func() { v.context(c.Context) })
	if of.validate != nil {
		of.validate(v, c)
	}
}

// oneOf joins words for a sentence: a, b or c.
func oneOf[T ~string](words []T) string {
	var text strings.Builder
	for i, w := range words {
		switch {
		case i > 0 && i == len(words)-1:
			text.WriteString(" or ")
		case i > 0:
			text.WriteString(", ")
		}
		text.WriteString(string(w))
	}
	return text.String()
}

// belongs reports fields of other kinds, which would silently have no effect.
func (v *validator) belongs(c *Criterion) {
	set := map[string]bool{
		"unit": c.Unit != "", "better": c.Better != "", "curve": c.Curve != nil, "runs": c.Runs != Runs{},
		"plausible": c.Plausible != nil, "workaroundPoints": c.WorkaroundPoints != nil,
		"workaroundShare": c.WorkaroundShare != nil, "items": c.Items != nil, "levels": c.Levels != nil,
		"procedure": c.Procedure != nil, "reference": c.Reference,
	}
	for i := range kinds {
		of := &kinds[i]
		for _, name := range of.Fields {
			if set[name] && of.Key != c.Kind {
				v.Field(name, "is only for a %s; this criterion is a %s", of.Key, c.Kind)
			}
		}
	}
}

func (v *validator) fact(c *Criterion) {
	if c.Gate != nil {
		v.Field("gate", "a fact is never scored and cannot bar an edition")
	}
	if c.Weight != 0 {
		v.Field("weight", "a fact is never scored and cannot have a weight")
	}
}

func (v *validator) context(c Context) {
	voc := v.list.Vocabulary
	for _, f := range []struct {
		name, key string
		known     []Named
	}{{"method", c.Method, voc.Methods}, {"setup", c.Setup, voc.Setups}, {"phase", c.Phase, voc.Phases}} {
		if !Registered(f.key, f.known) {
			v.Field(f.name, "%q is not in the checklist's vocabulary", f.key)
		}
	}
}

// Registered reports whether a context field can have a value: it is empty, in the vocabulary, or the vocabulary has
// no such field.
func Registered(key string, known []Named) bool {
	return key == "" || len(known) == 0 || slices.ContainsFunc(known, func(n Named) bool { return n.Key == key })
}

func (v *validator) measure(c *Criterion) {
	if r := c.Plausible; r != nil {
		v.In("plausible", func() {
			for _, bound := range []struct {
				name string
				x    *float64
			}{{"least", r.Least}, {"most", r.Most}} {
				if bound.x != nil && !Possible(*bound.x, c.Unit) {
					v.Field(bound.name, "%v %s is not possible as a measurement", *bound.x, c.Unit)
				}
			}
			if r.Least != nil && r.Most != nil && *r.Least >= *r.Most {
				v.Field("most", "must be more than least, %v, not %v", *r.Least, *r.Most)
			}
		})
	}
	v.In("runs", func() {
		if c.Runs.Expect < 0 || c.Runs.Expect > 1000 {
			v.Field("expect", "must be between 1 and 1000 runs")
		}
		if !slices.Contains([]string{"", "median", "mean", "best"}, c.Runs.Summary) {
			v.Field("summary", "must be median, mean or best, not %q", c.Runs.Summary)
		}
		if t := c.Runs.Tolerance; t != nil && (!(*t >= 0) || !finite(*t)) {
			v.Field("tolerance", "must be 0 or more (0.05 is 5 %%)")
		}
	})
	v.procedure(c)
	v.reference(c)
	if c.Better != "lower" && c.Better != "higher" {
		v.Field("better", "must be lower or higher, not %q", c.Better)
		return
	}
	if c.Reference {
		return
	}
	if c.Curve == nil {
		v.Field("curve", "is missing: a measure needs a scoring rule")
		return
	}
	v.In("curve", func() { v.curve(c) })
}

func (v *validator) curve(c *Criterion) {
	s := c.Curve.Of()
	if s.validate == nil {
		v.Field("shape", "must be %s, not %q", oneOf(Shapes), c.Curve.Shape)
		return
	}
	s.validate(v, c)
}

// ends reports the faults of poor and ideal.
func (v *validator) ends(c *Criterion) {
	k := c.Curve
	v.noSteps(k)
	if !finite(k.Poor) || !finite(k.Ideal) {
		v.Add("poor and ideal must be numbers")
		return
	}
	if k.NeedsPositive() && (k.Poor <= 0 || k.Ideal <= 0) {
		v.Add("poor and ideal of a %s must be above 0", k.Shape)
	}
	if (c.Better == "lower") != (k.Ideal < k.Poor) || k.Ideal == k.Poor {
		v.Add("contradicts the direction: %s is better, but ideal is %v and poor is %v", c.Better, k.Ideal, k.Poor)
	}
}

func (v *validator) stepped(c *Criterion) {
	v.noEnds(c.Curve)
	v.In("points", func() { v.steps(c) })
}

func (v *validator) field(c *Criterion) {
	v.noEnds(c.Curve)
	v.noSteps(c.Curve)
	if c.Across == "worst" {
		v.Add("a field curve cannot be combined with the worst across contexts")
	}
}

func (v *validator) noSteps(k *Curve) {
	if k.Points != nil {
		v.Field("points", "is only for the shape steps")
	}
}

func (v *validator) noEnds(k *Curve) {
	if k.Poor != 0 || k.Ideal != 0 {
		v.Add("poor and ideal are only for the shapes span and ratio")
	}
}

func (v *validator) steps(c *Criterion) {
	p := c.Curve.Points
	if len(p) < 2 {
		v.Add("needs at least two steps")
	}
	for i := range p {
		v.In(i, func() {
			if !finite(p[i][0]) || !(p[i][1] >= 0 && p[i][1] <= 100) {
				v.Add("must be a value and its points between 0 and 100")
			}
			if i == 0 {
				return
			}
			if p[i][0] <= p[i-1][0] {
				v.Add("the value %v must come after %v", p[i][0], p[i-1][0])
			}
			if rises := p[i][1] - p[i-1][1]; (c.Better == "lower" && rises > 0) || (c.Better == "higher" && rises < 0) {
				v.Add("contradicts the direction: %s is better", c.Better)
			}
		})
	}
}

func (v *validator) items(items []Item) {
	seen := map[string]bool{}
	total := 0.0
	for i, it := range items {
		v.In(i, func() {
			v.key("key", it.Key)
			if seen[it.Key] {
				v.Field("key", "item %q is duplicated", it.Key)
			}
			seen[it.Key] = true
			v.weight("weight", or(it.Weight, 1))
			total += or(it.Weight, 1)
		})
	}
	if len(items) > 0 && total == 0 {
		v.Add("all items have weight 0")
	}
}

func (v *validator) levels(levels []Rung) {
	if len(levels) == 0 {
		v.Add("needs at least one level")
	}
	seen := map[string]bool{}
	for i, l := range levels {
		v.In(i, func() {
			v.key("key", l.Key)
			if seen[l.Key] {
				v.Field("key", "level %q is duplicated", l.Key)
			}
			seen[l.Key] = true
			v.within("points", &l.Points, 0, 100)
		})
	}
}

// ValidateRule reports the faults of a criterion on its own, without a checklist.
func ValidateRule(c *Criterion, book *fault.Book) {
	v := validator{book, &Checklist{}, map[string]*Criterion{}}
	v.criterion(c)
}
