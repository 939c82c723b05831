package planning

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Subject is what is known of a contender.
type Subject struct {
	catalogue.Place
	Review    string // the review that takes its readings; empty: none is open or accepted
	Checklist string // of that review
}

// Warning is something to settle before work is wasted.
type Warning struct {
	Sort     string   `json:"sort"` // differs, alike, rig, review, checklist, absent, runs, stage, memory
	Says     string   `json:"says"`
	Editions []string `json:"editions,omitempty"`
}

// Warnings returns what would waste the comparison: contenders that differ in what is to be held equal, or are alike
// in the attribute in question; rigs that lack what criteria need; missing reviews and reviews on another checklist
// version; editions that were never on a rig on which others were; too few runs. Subjects and usable readings are by
// edition key.
func Warnings(
	p *Plan,
	list *checklist.Checklist,
	subjects map[string]Subject,
	rigs []catalogue.Rig,
	readings map[string][]reading.Reading,
) []Warning {
	w := warner{plan: p, list: list, subjects: subjects, out: []Warning{}}
	for _, a := range p.Equal {
		w.differs(a)
	}
	if p.Asks != "" {
		w.alike(p.Asks)
		if p.Asks == "base" && !slices.Contains(p.Equal, "desktop") {
			w.differs("desktop")
		}
	}
	w.stages()
	w.reviews()
	for i := range rigs {
		if slices.Contains(p.Rigs, rigs[i].Key) {
			w.rig(&rigs[i])
		}
	}
	w.absent(readings)
	w.runs()
	return w.out
}

type warner struct {
	plan     *Plan
	list     *checklist.Checklist
	subjects map[string]Subject
	out      []Warning
}

func (w *warner) add(sort string, editions []string, format string, args ...any) {
	w.out = append(w.out, Warning{sort, fmt.Sprintf(format, args...), editions})
}

// by groups the contenders by their value of an attribute.
func (w *warner) by(attribute string) map[string][]string {
	groups := map[string][]string{}
	for _, c := range w.plan.Contenders {
		if s, ok := w.subjects[c.Edition]; ok {
			v := s.Value(attribute)
			groups[v] = append(groups[v], c.Edition)
		}
	}
	return groups
}

func (w *warner) differs(attribute string) {
	groups := w.by(attribute)
	if len(groups) < 2 {
		return
	}
	var parts, all []string
	for _, v := range slices.Sorted(maps.Keys(groups)) {
		parts = append(parts, orNone(v)+": "+strings.Join(groups[v], ", "))
		all = append(all, groups[v]...)
	}
	why := "should be equal"
	if !slices.Contains(w.plan.Equal, attribute) {
		why = "differs too, so that its effect cannot be separated from the " + w.plan.Asks
	}
	slices.Sort(all)
	w.add("differs", all, "the %s %s (%s)", attribute, why, strings.Join(parts, "; "))
}

func orNone(s string) string {
	if s == "" {
		return "none stated"
	}
	return s
}

func (w *warner) alike(attribute string) {
	if groups := w.by(attribute); len(groups) == 1 {
		for v := range groups {
			w.add(
				"alike",
				nil,
				"the question is about the %s, and all contenders have the same: %s",
				attribute,
				orNone(v),
			)
		}
	}
}

func (w *warner) stages() {
	var early []string
	for _, c := range w.plan.Contenders {
		if s, ok := w.subjects[c.Edition]; ok && s.Release.Stage == "pre-release" {
			early = append(early, c.Edition)
		}
	}
	if len(early) > 0 && len(early) < len(w.plan.Contenders) {
		w.add("stage", early, "%s: a pre-release beside final releases", strings.Join(early, ", "))
	}
}

func (w *warner) reviews() {
	var none, other []string
	for _, c := range w.plan.Contenders {
		switch s := w.subjects[c.Edition]; {
		case s.Review == "":
			none = append(none, c.Edition)
		case s.Checklist != w.plan.Checklist:
			other = append(other, c.Edition+" on "+s.Checklist)
		}
	}
	if len(none) > 0 {
		w.add("review", none, "no review to record in yet: %s", strings.Join(none, ", "))
	}
	if len(other) > 0 {
		w.add(
			"checklist",
			nil,
			"reviewed on another checklist than %s, so that only the common ground compares: %s",
			w.plan.Checklist,
			strings.Join(other, ", "),
		)
	}
}

func (w *warner) rig(r *catalogue.Rig) {
	if r.Retired {
		w.add("rig", nil, "%s is retired", r.Key)
	}
	for _, key := range w.plan.Criteria {
		c, ok := w.list.Criterion(key)
		if !ok {
			continue
		}
		var lacks []string
		for _, need := range c.Needs {
			if !r.Meets(need) {
				lacks = append(lacks, need)
			}
		}
		if len(lacks) > 0 {
			w.add("rig", nil, "%s cannot be tested on %s: it has no %s", key, r.Key, strings.Join(lacks, ", "))
		}
	}
	for _, c := range w.plan.Contenders {
		s, ok := w.subjects[c.Edition]
		if ok && r.MemoryMiB > 0 && s.Edition.Needs.MemoryMiB > r.MemoryMiB {
			w.add(
				"memory",
				[]string{c.Edition},
				"%s requires %d MiB of memory; %s has %d",
				c.Edition,
				s.Edition.Needs.MemoryMiB,
				r.Key,
				r.MemoryMiB,
			)
		}
	}
}

// absent finds editions that were never on a rig on which others were.
func (w *warner) absent(readings map[string][]reading.Reading) {
	for _, rig := range w.plan.Rigs {
		var there, not []string
		for _, c := range w.plan.Contenders {
			on := func(x reading.Reading) bool { return x.Rig == rig && slices.Contains(w.plan.Criteria, x.Criterion) }
			if slices.ContainsFunc(readings[c.Edition], on) {
				there = append(there, c.Edition)
			} else {
				not = append(not, c.Edition)
			}
		}
		if len(there) > 0 && len(not) > 0 {
			w.add(
				"absent",
				not,
				"%s has nothing of the plan on %s, where %s has",
				strings.Join(not, ", "),
				rig,
				strings.Join(there, ", "),
			)
		}
	}
}

func (w *warner) runs() {
	for _, key := range w.plan.Criteria {
		c, ok := w.list.Criterion(key)
		if ok && w.plan.Runs > 0 && c.Measured() && w.plan.Runs < c.Runs.Expect {
			w.add("runs", nil, "%s expects %d runs; %d are planned", key, c.Runs.Expect, w.plan.Runs)
		}
	}
}
