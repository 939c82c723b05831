// Package advice reviews a checklist as a careful colleague would: it finds what is valid but probably not intended.
// Advice is never an error.
package advice

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/measuring"
	"dappertally/core/scoring"
)

// Advice is one remark that somebody should look at.
type Advice struct {
	Pointer string `json:"pointer"` // JSON pointer into the checklist
	Sort    string `json:"sort"`
	Text    string `json:"text"`
}

// The sorts of advice.
const (
	Weights      = "weights"       // weights do not add up to what was probably intended, or count nothing
	Guidance     = "guidance"      // is missing
	Method       = "method"        // is missing
	Unsettled    = "rule"          // a rule whose result depends on chance
	Needs        = "needs"         // a level or step that no value can reach
	Unused       = "unused"        // a word of the vocabulary that no rule uses
	Alike        = "same points"   // a criterion that hardly tells editions apart
	BarsAll      = "gate"          // a gate that no edition passes
	MoveTogether = "move together" // two criteria that measure the same thing
	MixedRigs    = "rigs"          // scores that depend on which rigs were used
)

// Of returns advice on a checklist: on its own, on the rigs that its criteria need, and on the points that the
// readings so far get under it, if there are any.
func Of(list *checklist.Checklist, rigs []catalogue.Rig, points *scoring.Columns) []Advice {
	b := &book{list: list, advice: []Advice{}}
	b.weights()
	b.mixedRigs(rigs)
	b.vocabulary()
	b.rules("/measuring/conditions", list.Measuring.Conditions)
	b.reference()
	b.each(func(at string, c *checklist.Criterion) { b.criterion(at, c, rigs) })
	if points != nil && len(points.Editions) > 0 {
		b.experience(points)
	}
	return b.advice
}

type book struct {
	list   *checklist.Checklist
	advice []Advice
}

func (b *book) add(pointer, sort, format string, args ...any) {
	b.advice = append(b.advice, Advice{pointer, sort, fmt.Sprintf(format, args...)})
}

func (b *book) each(visit func(pointer string, c *checklist.Criterion)) {
	for i := range b.list.Sections {
		for j := range b.list.Sections[i].Criteria {
			visit(fmt.Sprintf("/sections/%d/criteria/%d", i, j), &b.list.Sections[i].Criteria[j])
		}
	}
}

// mixedRigs warns where an edition measured on the faster of several rigs would score
// higher for that alone.
func (b *book) mixedRigs(rigs []catalogue.Rig) {
	if b.list.Policy.AdjustsRigs() || len(rigs) < 2 {
		return
	}
	for i := range b.list.Sections {
		for _, c := range b.list.Sections[i].Criteria {
			if c.Measured() && c.Across == "" {
				b.add(
					"/policy/rigs",
					MixedRigs,
					"an edition measured only on the faster rigs scores higher because of that; with rigs: "+
						"adjusted, missing rigs are estimated",
				)
				return
			}
		}
	}
}

// nearlyHundred is how far a sum of weights can be from 100 and still look as if shares in percent were intended.
const nearlyHundred = 20

func (b *book) weights() {
	var sum float64
	for i, s := range b.list.Sections {
		sum += s.Weight
		if s.Weight == 0 {
			b.add(
				fmt.Sprintf("/sections/%d/weight", i),
				Weights,
				"section %s has weight 0: its criteria are asked but do not count",
				s.Key,
			)
		}
		var within float64
		for _, c := range s.Criteria {
			within += c.Weight
		}
		b.hundred(fmt.Sprintf("/sections/%d/criteria", i), "the criteria of section "+s.Key, within)
	}
	b.hundred("/sections", "the sections", sum)
	for i, a := range b.list.Audiences {
		var sum float64
		for j := range b.list.Sections {
			sum += a.SectionWeight(&b.list.Sections[j])
		}
		b.hundred(fmt.Sprintf("/audiences/%d/sections", i), "the sections, as audience "+a.Key+" weighs them,", sum)
	}
}

func (b *book) hundred(pointer, what string, sum float64) {
	if off := math.Abs(sum - 100); off > 1e-9 && off <= nearlyHundred {
		b.add(
			pointer,
			Weights,
			"%s weigh %s together, not 100; the shares still add up to 100 %%, but probably not to the "+
				"intended ones",
			what,
			written(sum),
		)
	}
}

func (b *book) vocabulary() {
	v := b.list.Vocabulary
	for _, f := range []struct {
		name  string
		terms []checklist.Named
		of    func(checklist.Context) string
	}{
		{"methods", v.Methods, func(c checklist.Context) string { return c.Method }},
		{"setups", v.Setups, func(c checklist.Context) string { return c.Setup }},
	} {
		used := map[string]bool{}
		b.each(func(_ string, c *checklist.Criterion) { used[f.of(c.Context)] = true })
		for i, t := range f.terms {
			if !used[t.Key] && t.Title == "" {
				b.add(
					fmt.Sprintf("/vocabulary/%s/%d", f.name, i),
					Unused,
					"%s is used by no rule and has no title: what is it for?",
					t.Key,
				)
			}
		}
	}
}

func (b *book) criterion(at string, c *checklist.Criterion, rigs []catalogue.Rig) {
	if strings.TrimSpace(c.Guidance) == "" {
		b.add(at+"/guidance", Guidance, "%s has no guidance: two reviewers will check it in different ways", c.Key)
	}
	if c.Scored() && c.Weight == 0 {
		b.add(at+"/weight", Weights, "%s has weight 0: it is asked but does not count", c.Key)
	}
	for _, need := range c.Needs {
		if len(rigs) > 0 && !slices.ContainsFunc(rigs, func(r catalogue.Rig) bool { return r.Meets(need) }) {
			b.add(at+"/needs", Needs, "%s needs %s, which no rig has: it can never be tested", c.Key, need)
		}
	}
	if !c.Measured() {
		return
	}
	if c.Context.Method == "" && c.Across != "worst" {
		b.add(at+"/context", Method, "%s names no method: values of different tools would be compared", c.Key)
	}
	if r := c.PlausibleRange(); c.Curve != nil && c.Curve.Of().Ends &&
		(!r.Holds(c.Curve.Poor) || !r.Holds(c.Curve.Ideal)) {
		b.add(
			at+"/plausible",
			Unsettled,
			"%s has its poor or ideal value outside the plausible range of %s",
			c.Key,
			r.In(c.Unit),
		)
	}
	if c.Runs.Expect == 1 {
		b.add(at+"/runs/expect", Unsettled, "%s expects a single run: scatter and difference cannot be separated", c.Key)
	}
	if p := c.Procedure; p != nil {
		b.procedure(at+"/procedure", c, p)
	}
	if c.Relative() {
		b.add(
			at+"/curve",
			Unsettled,
			"%s is scored against the best of the field: a new edition can change the points of all "+
				"others",
			c.Key,
		)
	}
}

// procedure reports what makes the runs of a procedure less useful than they cost.
func (b *book) procedure(at string, c *checklist.Criterion, p *checklist.Procedure) {
	if c.MostRuns() < measuring.Fewest {
		b.add(
			at+"/sampling/most", Unsettled, "%s has at most %d runs: %d or more are needed to know how precise its median is",
			c.Key, c.MostRuns(), measuring.Fewest,
		)
	}
	if p.Sampling.Boots < comparing.Enough && c.Weight > 0 {
		b.add(
			at+"/sampling/boots", Unsettled,
			"%s spreads its runs over fewer than %d starts of the machine: runs of one start are less "+
				"independent than they look, and comparisons will show this", c.Key, comparing.Enough,
		)
	}
	b.rules(at+"/conditions", p.Conditions)
	for i, s := range p.Steps {
		if s.Shell != "" {
			b.add(
				fmt.Sprintf("%s/steps/%d", at, i), Unsettled,
				"%s is measured together with a shell: a program with its arguments (run) avoids that", c.Key,
			)
		}
	}
	if p.Requires(checklist.NeedsNetwork) && !p.Read.Figure.Printed() {
		b.add(at+"/needs", Unsettled, "%s times something that needs the network: it measures the network too", c.Key)
	}
}

// reference reports procedures in a checklist without a criterion that shows whether a rig itself has changed.
func (b *book) reference() {
	procedures := 0
	b.each(func(_ string, c *checklist.Criterion) {
		if c.Procedure != nil {
			procedures++
		}
	})
	if procedures > 0 && b.list.ReferenceCriterion() == nil {
		b.add("/measuring", Unsettled,
			"no procedure is the reference for the rigs: nothing will show whether a rig has changed")
	}
}

// rules reports rules that let disturbed runs count.
func (b *book) rules(at string, rules []checklist.Rule) {
	for i, r := range rules {
		k := r.When.Of()
		if k != nil && r.Do == checklist.Notice && k.Do != checklist.Notice {
			b.add(fmt.Sprintf("%s/%d", at, i), Unsettled, "runs count although %s: %s is only noted", k.Title, r.When)
		}
	}
}

func written(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
