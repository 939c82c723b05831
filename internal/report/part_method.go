package report

import (
	"fmt"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/internal/numerals"
	"dappertally/internal/results"
)

// method fills in how the results were made, and how to compute them again.
func (l *layout) method(s *Section) {
	if p := l.Given.Plan; p != nil {
		s.note("The question: " + sentence(p.Question))
		var items []Item
		if len(p.Equal) > 0 {
			items = append(items, Item{"The same for all", sentence(strings.Join(p.Equal, ", "))})
		}
		for _, x := range p.Held {
			items = append(items, Item{"Kept equal", sentence(x)})
		}
		for _, x := range p.LeftOut {
			items = append(items, Item{"Left out", sentence(x)})
		}
		if len(items) > 0 {
			s.add(Block{List: items})
		}
	}
	s.note(
		fmt.Sprintf(
			"Every edition was reviewed against the same checklist, %s, version %d. The checklist's "+
				"scoring rules turn readings into points, and sections add up by weight. Readings made under "+
				"a disturbance, or differently than the checklist asks, are kept but never score. What was "+
				"not tested counts neither for nor against an edition: it lowers its coverage and widens its "+
				"possible range.",
			titled(l.List.Title, l.List.Key),
			l.List.Version,
		),
	)
	if len(l.Views) > 0 {
		s.add(Block{Table: l.weightsTable()})
	}
	s.note(l.looked())
	if says := l.boots(); says != "" {
		s.note(says)
	}
	if field := l.field(); len(field) > 0 {
		s.note(
			"In " + strings.Join(
				field, ", ",
			) + " the best of all accepted editions on the checklist has 100 points, so that an edition " +
				"reviewed later can change the points of the others.",
		)
	}
	if l.Revision > 0 {
		s.note(
			"Everything here can be recomputed without this site: download the report's bundle, whose " +
				"SHA-256 is " + l.Bundle + ", and run dtally compute with the arguments that the report's JSON lists with each result.",
		)
	}
}

// boots returns how many runs and starts of the machine the measures rest on; empty if there are no runs.
func (l *layout) boots() string {
	starts := map[[2]string]bool{} // of a rig
	runs, known := 0, 0
	l.usable(func(_ string, c *checklist.Criterion, x *reading.Reading) {
		if !c.Measured() || x.Disturbance != "" {
			return
		}
		runs += len(x.Answer.Runs)
		for _, b := range x.Boots {
			known += b.Runs
			starts[[2]string{x.Rig, b.ID}] = true
		}
	})
	if runs == 0 {
		return ""
	}
	says := "The measures are from " + numerals.Count(runs, "run") + "."
	if known == 0 {
		return says + " In how many starts of the machine they were made is not recorded."
	}
	return says + fmt.Sprintf(
		" %s of them were made in %s of the machines; for the others that is not recorded. Runs of "+
			"one start are not independent. If both sides have at least four starts, the medians of the "+
			"starts decide whether a difference is too close to call (Kalibera and Jones, ISMM 2013); a "+
			"value with fewer starts is marked.",
		formatNumber(ptr(float64(known))), numerals.Count(len(starts), "start"),
	)
}

// looked describes the moment and the rigs of the results.
func (l *layout) looked() string {
	says := []string{"The records are as of " + l.Moment.UTC().Format("2 January 2006, 15:04 UTC") + "."}
	if l.Spec.At != nil {
		says[0] = "The records are as of " + l.Moment.UTC().
			Format("2 January 2006, 15:04 UTC") + "."
	}
	if len(l.Rigs) > 0 {
		named := make([]string, len(l.Rigs))
		for i, r := range l.Rigs {
			named[i] = l.rig(r)
		}
		says = append(says, "Measures count only on "+strings.Join(named, " and ")+".")
	}
	if l.CommonRigs {
		says = append(says, "Measures count only on rigs that all editions were measured on.")
	}
	if l.List.Policy.AdjustsRigs() && !l.CommonRigs {
		says = append(
			says,
			"If an edition was not measured on a rig that others were measured on, its score uses an "+
				"estimate: the least-squares mean of the additive layout of editions and rigs (Searle, Speed "+
				"and Milliken, The American Statistician 34, 1980).",
		)
	}
	return strings.Join(says, " ")
}

// field names the criteria in which the best edition sets the scale.
func (l *layout) field() []string {
	var names []string
	for i := range l.List.Sections {
		for j := range l.List.Sections[i].Criteria {
			if c := &l.List.Sections[i].Criteria[j]; c.Relative() {
				names = append(names, titled(c.Title, c.Key))
			}
		}
	}
	return names
}

// checklist fills in the questions and their weights.
func (l *layout) checklist(s *Section) {
	s.Data = results.Criteria(l.List, l.main().Audience)
	for n := range l.List.Sections {
		sec := &l.List.Sections[n]
		t := &Table{
			Caption: "Criteria of " + titled(sec.Title, sec.Key),
			Columns: []Column{
				{Title: "Criterion", Left: true},
				{Title: "Answered by", Left: true},
				{Title: "Weight"},
				{Title: "Required points"},
			},
		}
		for i := range sec.Criteria {
			c := &sec.Criteria[i]
			v := l.main()
			kind := string(c.Kind)
			if c.Unit != "" {
				kind += " in " + c.Unit
			}
			if c.Better != "" {
				kind += ", " + c.Better + " is better"
			}
			gate, must := v.Audience.Gate(c)
			weight, reach := "–", "–"
			if c.Scored() {
				weight = formatNumber(ptr(v.Audience.CriterionWeight(c)))
			}
			if must {
				reach = oneDecimalOf(gate)
			}
			t.Rows = append(
				t.Rows, Row{Cells: []Cell{cell(titled(c.Title, c.Key)), cell(kind), cell(weight), cell(reach)}},
			)
		}
		s.add(Block{Heading: titled(sec.Title, sec.Key) + ", " + sectionShare(l.main(), n)}, Block{Table: t})
	}
}

func ptr[T any](x T) *T { return &x }

// rigs fills in the machines.
func (l *layout) rigs(s *Section) {
	s.Data = results.Rigs(l.Machines)
	t := &Table{
		Caption: "The rigs",
		Columns: []Column{
			{Title: "Rig", Left: true},
			{Title: "Class", Left: true},
			{Title: "Processor", Left: true},
			{Title: "Memory"},
			{Title: "Graphics", Left: true},
			{Title: "Storage", Left: true},
			{Title: "Weight"},
		},
	}
	for _, r := range l.Machines {
		weight := 1.0
		if r.Weight != nil {
			weight = *r.Weight
		}
		class := r.Class
		if r.Virtual && class != "virtual" {
			class = strings.TrimSpace(class + ", virtual")
		}
		cpu := r.CPU
		if r.Cores > 0 {
			cpu = strings.TrimPrefix(cpu+", "+numerals.Count(r.Cores, "core"), ", ")
		}
		memory := "–"
		if r.MemoryMiB > 0 {
			memory = fmt.Sprintf("%d MiB", r.MemoryMiB)
		}
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					{Text: l.rig(r.Key), Small: strings.Join(r.Equipment, ", ")},
					cell(none(class)),
					cell(none(cpu)),
					cell(memory),
					cell(none(r.Graphics)),
					cell(none(r.Storage)),
					cell(formatNumber(&weight)),
				},
			},
		)
	}
	s.add(Block{Table: t})
}
