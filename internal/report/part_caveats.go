package report

import (
	"fmt"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
)

// caveats fills in everything that a reader has to know before trusting a figure. Nobody can leave it out or shorten
// it.
func (l *layout) caveats(s *Section) {
	data := s.data(caveats)
	heading := func(title, says string, items []Item) {
		if len(items) == 0 {
			return
		}
		s.add(Block{Heading: title})
		s.note(says)
		s.add(Block{List: items})
	}
	at := func(sort string, x *reading.Reading, edition, says string) Item {
		data.Add(sort, edition, x.Criterion, x.Rig, says)
		return Item{l.Name(edition), l.where(x) + ": " + sentence(says)}
	}
	var adjusted, disturbed, bounded []Item
	l.usable(func(edition string, c *checklist.Criterion, x *reading.Reading) {
		switch {
		case x.Disturbance != "":
			disturbed = append(disturbed, at("disturbed", x, edition, x.Disturbance))
		case x.Adjustment != nil:
			adjusted = append(
				adjusted,
				at(
					"adjusted",
					x,
					edition,
					fmt.Sprintf(
						"%s %s subtracted from every run, %s", formatNumber(&x.Adjustment.Amount), c.Unit, x.Adjustment.Reason,
					),
				),
			)
		case x.Bound != "":
			bounded = append(
				bounded, at("bound", x, edition, "only "+strings.ReplaceAll(x.Bound, "-", " ")+" the value is known"),
			)
		}
	})
	heading("Adjusted", "A known offset was subtracted; the raw values are kept.", adjusted)
	heading("Measured under a disturbance", "These readings are kept but do not score.", disturbed)
	heading(
		"Known only roughly",
		"These score as stated, set no record, and are too close to call if the bound leaves it open.",
		bounded,
	)
	heading(
		"Estimated rigs",
		"These editions were not measured on every rig. Their scores use an estimate for the missing "+
			"rig, from least squares over all editions. An estimate is not a reading: it is not used in "+
			"comparisons or records.",
		l.estimated(s),
	)
	heading("Readings that scatter or have too few runs", "", l.scattered(s))
	heading("Answered, but not counted", "These answers are recorded but score no points.", l.uncounted(s))
	heading("Not tested", "What could not be tested counts neither for nor against an edition.", l.untested(s))
	heading("Where reviewers differ most", "", l.apart(s))
	heading(
		"Grades changed after other grades could be seen",
		"Reviewers grade without seeing each other's grades. These grades were changed afterwards "+
			"and score as they are now; agreement uses the grade before the change.",
		l.changed(s),
	)
	heading(
		"How the systems were set up",
		"Compared with "+l.Name(l.Baseline)+": what was chosen at installation or changed by hand on one side only.",
		l.treated(s),
	)
	heading("Standing", "", l.flagged(s))
	l.people(s)
	if len(data.Rows) == 0 {
		s.note(
			"There is nothing to declare: no adjustments, disturbances or scattering runs, everything " +
				"was tested, and no reviewer has declared an interest.",
		)
	}
}

// usable iterates over the readings that the results use.
func (l *layout) usable(do func(edition string, c *checklist.Criterion, x *reading.Reading)) {
	for e := range l.Table.Editions {
		own := l.Table.Own(e)
		for i, c := range l.Table.Criteria {
			for _, x := range own.Of(i) {
				do(l.Table.Editions[e], c, x)
			}
		}
	}
}

// where describes the subject of a reading, and the rig.
func (l *layout) where(x *reading.Reading) string {
	if x.Rig == "" {
		return l.criterion(x.Criterion)
	}
	return l.criterion(x.Criterion) + " on " + l.rig(x.Rig)
}

// scattered lists readings that scatter or have too few runs, grouped by edition and problem.
func (l *layout) scattered(s *Section) []Item {
	doubtful := map[string]string{}
	for i := range l.Quality.Readings {
		if q := &l.Quality.Readings[i]; q.Unsteady {
			doubtful[q.ID+q.Edition] = "runs scatter by " + share(*q.Spread) + ", more than the tolerance of the criterion"
		} else if q.TooFew {
			doubtful[q.ID+q.Edition] = numerals.Count(q.Runs, "run") + ", fewer than the criterion expects"
		}
	}
	var all []alike
	l.usable(func(edition string, _ *checklist.Criterion, x *reading.Reading) {
		says := doubtful[x.ID+edition]
		if says == "" || x.Disturbance != "" {
			return
		}
		s.Data.Add("scatter", edition, x.Criterion, x.Rig, says)
		i := slices.IndexFunc(all, func(a alike) bool { return a.edition == edition && a.says == says })
		if i < 0 {
			i = len(all)
			all = append(all, alike{edition: edition, says: says, rigs: map[string][]string{}})
		}
		all[i].add(x)
	})
	items := make([]Item, len(all))
	for i := range all {
		items[i] = Item{l.Name(all[i].edition), l.places(&all[i]) + " – " + sentence(all[i].says)}
	}
	return items
}

// alike is readings of one edition with the same problem.
type alike struct {
	edition, says string
	criteria      []string
	rigs          map[string][]string // by criterion
}

func (a *alike) add(x *reading.Reading) {
	if !slices.Contains(a.criteria, x.Criterion) {
		a.criteria = append(a.criteria, x.Criterion)
	}
	if x.Rig != "" && !slices.Contains(a.rigs[x.Criterion], x.Rig) {
		a.rigs[x.Criterion] = append(a.rigs[x.Criterion], x.Rig)
	}
}

// places names criteria, each with its rigs.
func (l *layout) places(a *alike) string {
	names := make([]string, len(a.criteria))
	for i, c := range a.criteria {
		names[i] = l.criterion(c)
		var on []string
		for _, rig := range a.rigs[c] {
			on = append(on, l.rig(rig))
		}
		if len(on) > 0 {
			names[i] += " on " + listed(on)
		}
	}
	return strings.Join(names, "; ")
}

// estimated lists the rigs on which scores rest without a reading.
func (l *layout) estimated(s *Section) []Item {
	var items []Item
	v := l.main()
	for i := range v.Cards {
		card := &v.Cards[i]
		for _, x := range card.Criteria {
			c, _ := l.List.Criterion(x.Key)
			for _, y := range x.Estimates() {
				if y.Weight == 0 || x.Weight == 0 {
					continue
				}
				says := numerals.Estimated(y, c.Unit)
				items = append(items, Item{l.Name(card.Edition), l.criterion(x.Key) + ": " + sentence(says)})
				s.Data.Add("estimated", card.Edition, x.Key, y.Rig, says)
			}
		}
	}
	return items
}

// untested lists what was not tested or does not apply, with the reason.
func (l *layout) untested(s *Section) []Item {
	var items []Item
	v := l.main()
	for i := range v.Cards {
		c := &v.Cards[i]
		byReason := map[string][]string{}
		var reasons []string
		for _, x := range c.Criteria {
			if x.State == scoring.Answered {
				continue
			}
			reason := stateSaid(x.State)
			if x.Remarks != nil && x.Reason != "" {
				reason += ": " + x.Reason
			}
			if byReason[reason] == nil {
				reasons = append(reasons, reason)
			}
			byReason[reason] = append(byReason[reason], l.criterion(x.Key))
			s.Data.Add(stateSaid(x.State), c.Edition, x.Key, "", reason)
		}
		for _, reason := range reasons {
			items = append(
				items, Item{l.Name(c.Edition), strings.Join(byReason[reason], ", ") + " – " + sentence(reason)},
			)
		}
	}
	return items
}

// uncounted lists the answers that do not count, with what would make them count.
func (l *layout) uncounted(s *Section) []Item {
	var items []Item
	for e, edition := range l.Table.Editions {
		for _, g := range l.Table.Gaps(e) {
			if g.Bounded {
				continue // listed as only roughly known
			}
			where := l.criterion(g.Criterion)
			if g.Rig != "" {
				where += " on " + l.rig(g.Rig)
			}
			says := g.Why + "; to make it count: " + g.Fix
			items = append(items, Item{l.Name(edition), where + ": " + sentence(says)})
			s.Data.Add("not counted", edition, g.Criterion, g.Rig, says)
		}
	}
	return items
}

func (l *layout) apart(s *Section) []Item {
	var items []Item
	for _, d := range l.Quality.Disagreements {
		says := fmt.Sprintf("grades %s apart", formatNumber(&d.Spread))
		items = append(items, Item{l.Name(d.Edition), l.criterion(d.Criterion) + ": " + sentence(says)})
		s.Data.Add("reviewers apart", d.Edition, d.Criterion, "", says)
	}
	return items
}

func (l *layout) changed(s *Section) []Item {
	var items []Item
	for i := range l.Quality.Changed {
		x := &l.Quality.Changed[i]
		says := fmt.Sprintf("from %s to %s", formatNumber(&x.From), formatNumber(&x.To))
		items = append(items, Item{l.Name(x.Edition), l.criterion(x.Criterion) + ": " + sentence(says)})
		s.Data.Add("grade changed", x.Edition, x.Criterion, "", says)
	}
	return items
}

func (l *layout) treated(s *Section) []Item {
	var items []Item
	for _, t := range l.Systems {
		if len(t.OnlyHere)+len(t.OnlyBaseline) == 0 {
			continue
		}
		var says []string
		if len(t.OnlyHere) > 0 {
			says = append(says, "only here: "+strings.Join(t.OnlyHere, ", "))
		}
		if len(t.OnlyBaseline) > 0 {
			says = append(says, "only there: "+strings.Join(t.OnlyBaseline, ", "))
		}
		items = append(items, Item{l.Name(t.Edition), sentence(strings.Join(says, "; "))})
		s.Data.Add("set up differently", t.Edition, "", "", strings.Join(says, "; "))
	}
	return items
}

// flagged lists why an edition is not ranked, or what is special about its score, and what it borrows.
func (l *layout) flagged(s *Section) []Item {
	var items []Item
	add := func(edition, says string) {
		items = append(items, Item{l.Name(edition), sentence(says)})
		s.Data.Add("standing", edition, "", "", says)
	}
	v := l.main()
	for i := range v.Cards {
		c := &v.Cards[i]
		if why := l.placeWords(v, c.Edition); why != "" {
			add(c.Edition, why)
		}
		for _, f := range l.flags(c) {
			add(c.Edition, f)
		}
		from := map[string][]string{}
		var lenders []string
		for _, x := range c.Criteria {
			if lender := x.Lender(); lender != "" {
				if from[lender] == nil {
					lenders = append(lenders, lender)
				}
				from[lender] = append(from[lender], l.criterion(x.Key))
			}
		}
		for _, lender := range lenders {
			add(c.Edition, "answered at "+l.Name(lender)+", because it applies to both: "+strings.Join(from[lender], ", "))
		}
	}
	return items
}

// people lists who reviewed, for how long, and their interests.
func (l *layout) people(s *Section) {
	var items []Item
	var said []string
	for _, e := range l.Editions {
		days := 0
		var interests []string
		l.recorded(e, func(r *reading.Review) {
			for _, u := range r.Use {
				days += u.Days
			}
			for _, d := range r.Disclosures {
				if !slices.Contains(interests, d.Text) {
					interests = append(interests, d.Text)
				}
			}
		})
		if days > 0 {
			says := "used for " + numerals.Count(days, "day")
			items = append(items, Item{l.Name(e), sentence(says)})
			s.Data.Add("use", e, "", "", says)
		}
		for _, d := range interests {
			s.Data.Add("interest", e, "", "", d)
			if !slices.Contains(said, d) {
				said = append(said, d)
				items = append(items, Item{"A reviewer's interest", sentence(d)})
			}
		}
	}
	if len(items)+len(l.Given.Reviewers) == 0 {
		return
	}
	s.add(Block{Heading: "Who reviewed"})
	if len(l.Given.Reviewers) > 0 {
		s.note("Reviewed by " + listed(l.Given.Reviewers) + ".")
		s.Data.Add("reviewers", "", "", "", strings.Join(l.Given.Reviewers, ", "))
	}
	if len(items) > 0 {
		s.add(Block{List: items})
	}
}
