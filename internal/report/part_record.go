package report

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"dappertally/core/reading"
)

// recorded iterates over the content of an edition's reviews, the oldest first.
func (l *layout) recorded(edition string, do func(*reading.Review)) {
	for _, r := range slices.Backward(l.Records[edition]) {
		do(r)
	}
}

// findings fills in strengths, weaknesses and quirks, and the claims that were tested.
func (l *layout) findings(s *Section) {
	data := s.data(findingRecords)
	for _, e := range l.inOrder() {
		var found []reading.Finding
		var claims []reading.Claim
		l.recorded(e, func(r *reading.Review) {
			found = append(found, r.Findings...)
			claims = append(claims, r.Claims...)
		})
		if len(found)+len(claims) == 0 {
			continue
		}
		slices.SortStableFunc(found, func(a, b reading.Finding) int {
			return cmp.Or(
				cmp.Compare(slices.Index(reading.FindingSorts, a.Sort), slices.Index(reading.FindingSorts, b.Sort)),
				cmp.Compare(severity(b.Severity), severity(a.Severity)),
			)
		})
		var items []Item
		for i := range found {
			f := &found[i]
			items = append(items, Item{f.Title, findingSaid(f)})
			data.Add(e, f.Sort, f.Severity, f.Title, f.Text, f.Workaround, f.Fate, f.Outcome)
		}
		for _, c := range claims {
			items = append(items, Item{"Claim: " + c.Text, sentences(claimSaid(c.State)+", says "+c.By+".", c.Reason)})
			data.Add(e, "claim", "", c.Text, c.Reason, "", "", c.State)
		}
		s.add(Block{Heading: l.Name(e)}, Block{List: items})
	}
	if len(data.Rows) == 0 {
		s.note("No findings are recorded.")
	}
}

func severity(s string) int { return slices.Index([]string{"", "minor", "major", "blocking"}, s) }

func findingSaid(f *reading.Finding) string {
	what := f.Sort
	if f.Severity != "" {
		what = f.Severity + " " + what
	}
	if f.Seen != "" && f.Seen != "always" {
		what += ", seen " + f.Seen
	}
	if f.Fate == "fixed" {
		what += ", fixed since"
	} else if f.Fate == "still-there" {
		what += ", still present"
	}
	says := []string{strings.ToUpper(what[:1]) + what[1:] + "."}
	if f.Text != "" {
		says = append(says, sentence(f.Text))
	}
	if f.Workaround != "" {
		says = append(says, "Workaround: "+sentence(f.Workaround))
	}
	if f.Outcome != "" {
		says = append(says, "Reported: "+sentence(f.Outcome))
	}
	return strings.Join(says, " ")
}

func claimSaid(state string) string {
	switch state {
	case "upheld":
		return "Upheld"
	case "refuted":
		return "Refuted"
	}
	return "Not tested yet"
}

// sentence ends a text with a full stop.
func sentence(s string) string {
	s = strings.TrimSpace(s)
	if s != "" && !strings.ContainsAny(s[len(s)-1:], ".!?") {
		s += "."
	}
	return s
}

// verdicts fills in for whom an edition is recommended.
func (l *layout) verdicts(s *Section) {
	data := s.data(verdicts)
	for i := range l.Views {
		v := &l.Views[i]
		t := &Table{
			Caption: "Verdicts for " + said(v.Audience),
			Columns: []Column{
				{Title: "Edition", Left: true},
				{Title: "Verdict", Left: true},
				{Title: "Why", Left: true},
			},
		}
		for _, e := range l.inOrder() {
			var last *reading.Verdict
			l.recorded(e, func(r *reading.Review) {
				for j := range r.Verdicts {
					if r.Verdicts[j].Audience == v.Audience.Key {
						last = &r.Verdicts[j]
					}
				}
			})
			if last == nil {
				continue
			}
			why := sentence(last.Reason)
			if last.Conditions != "" {
				why += " Condition: " + sentence(last.Conditions)
			}
			row := Row{
				Cells: []Cell{
					l.editionCell(e),
					{Text: strings.ReplaceAll(last.Verdict, "-", " "), Strong: true},
					{Text: why},
				},
			}
			if len(last.Alternatives) > 0 {
				row.Cells[2].Small = "consider instead: " + l.names(last.Alternatives)
			}
			t.Rows = append(t.Rows, row)
			data.Add(v.Audience.Key, e, last.Verdict, last.Conditions, last.Reason, last.Alternatives)
		}
		if len(t.Rows) > 0 {
			s.add(Block{Heading: "For " + said(v.Audience)}, Block{Table: t})
		}
	}
	if len(data.Rows) == 0 {
		s.note("No verdict was given for these audiences.")
	}
}

// shots fills in the standard screenshots, each for all editions side by side.
func (l *layout) shots(s *Section) {
	if len(l.Pictures) == 0 {
		s.note("No standard screenshots are recorded.")
		return
	}
	for _, shot := range l.List.Shots {
		var row []Shot
		for _, e := range l.inOrder() {
			for _, p := range l.Pictures {
				if p.Edition == e && p.Shot == shot.Key {
					row = append(row, Shot{Title: l.Name(e), Caption: p.Caption, Edition: e, SHA256: p.SHA256})
				}
			}
		}
		if len(row) > 0 {
			s.add(Block{Heading: titled(shot.Title, shot.Key)}, Block{Shots: row})
		}
	}
}

// contenders fills in what the editions are and aim to be.
func (l *layout) contenders(s *Section) {
	data := s.data(contenders)
	t := &Table{
		Caption: "The contenders",
		Columns: []Column{
			{Title: "Edition", Left: true},
			{Title: "Based on", Left: true},
			{Title: "Release", Left: true},
			{Title: "Supported until", Left: true},
			{Title: "Desktop", Left: true},
			{Title: "Requires", Left: true},
		},
	}
	var aims []Item
	order := slices.Clone(l.Editions)
	for _, e := range order {
		p := l.Places[e]
		why := ""
		if l.Given.Plan != nil {
			why = l.Given.Plan.Why[e]
		}
		family := strings.Join(p.Distribution.Family, ", ")
		if p.Release.BasedOn != "" {
			family = p.Release.BasedOn
		}
		var needs []string
		if n := p.Edition.Needs.MemoryMiB; n > 0 {
			needs = append(needs, fmt.Sprintf("%d MiB of memory", n))
		}
		if n := p.Edition.Needs.DiskGiB; n > 0 {
			needs = append(needs, fmt.Sprintf("%d GiB of disk", n))
		}
		model := strings.TrimSpace(p.Distribution.Model + " " + p.Release.Tier)
		t.Rows = append(
			t.Rows,
			Row{
				Cells: []Cell{
					l.editionCell(e),
					cell(none(family)),
					{Text: p.Release.Date, Small: model},
					cell(none(p.Release.EndOfSupport)),
					cell(none(p.Edition.Desktop)),
					cell(none(strings.Join(needs, ", "))),
				},
			},
		)
		says := sentences(sentence(p.Distribution.Aim), sentence(why))
		if says != "" {
			aims = append(aims, Item{l.Name(e), says})
		}
		data.Add(
			e,
			l.Name(e),
			family,
			p.Distribution.Model,
			p.Release.Date,
			p.Release.EndOfSupport,
			p.Edition.Desktop,
			p.Edition.Architecture,
			int(p.Edition.Needs.MemoryMiB),
			int(p.Edition.Needs.DiskGiB),
			p.Distribution.Aim,
			why,
		)
	}
	s.note("In alphabetical order (not a ranking).")
	s.add(Block{Table: t})
	if len(aims) > 0 {
		s.add(Block{List: aims})
	}
}

func none(s string) string { return cmp.Or(s, "–") }
