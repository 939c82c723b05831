package results

import (
	"iter"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/scoring"
	"dappertally/internal/tables"
)

var scorecards = tables.Define("scorecards", "an edition's scorecard",
	tables.Text("checklist", "", "the checklist version"),
	tables.Text("audience", "", "key of the audience; empty: the checklist's own weights"),
	tables.Text("edition", "Edition", "its key"),
	tables.Text("distribution", "", "its key"),
	tables.Text("release", "", "its version"),
	tables.Text("review", "", "id of the review"),
	tables.Points("score", "Score", "0 to 100"),
	tables.Number("total", "Total", "on the checklist's own scale"),
	tables.Number("maximum", "", "the maximum of the total"),
	tables.Points("low", "Low", "what the score can still become, at worst"),
	tables.Points("high", "High", "what the score can still become, at best"),
	tables.Share("coverage", "Coverage", "share of the weight that is answered"),
	tables.Share("measuredShare", "Measured", "how much of the answered weight was measured"),
	tables.Truth("rigsDiffer", "", "measured on other rigs than the others, without estimates for the difference"),
	tables.Integer("estimatedMeasures", "", "measures whose points rest on estimated rigs; the points name them"),
	tables.Integer("gatesFailed", "", "gates that it failed; the points say which"),
	tables.Integer("gatesOpen", "", "gates that were not tested"),
	tables.Points("section.*", "", "the score of the section of that key"),
	tables.Beside("Barred by"),
)

// Scorecards is a table with a row for each edition.
func Scorecards(cards []scoring.Scorecard, list *checklist.Checklist, audience string) *tables.Table {
	t := scorecards.Table(perSection(SectionsOf(list))...)
	for i := range cards {
		t.Add(scorecard(&cards[i], list, audience)...)
	}
	return t
}

// EachScorecard is Scorecards with rows that are computed one by one.
func EachScorecard(cards iter.Seq[*scoring.Scorecard], list *checklist.Checklist, audience string) *tables.Table {
	t := scorecards.Table(perSection(SectionsOf(list))...)
	t.Stream = func(add func(cells ...any) error) error {
		for c := range cards {
			if err := add(scorecard(c, list, audience)...); err != nil {
				return err
			}
		}
		return nil
	}
	return t
}

func scorecard(c *scoring.Scorecard, list *checklist.Checklist, audience string) []any {
	distribution, release, _, _ := catalogue.SplitEdition(c.Edition)
	barred := make([]string, len(c.Barred))
	for j, b := range c.Barred {
		barred[j] = b.Criterion
	}
	return row(
		c.Checklist,
		audience,
		c.Edition,
		distribution,
		release,
		c.Review,
		c.Overall,
		c.Total,
		list.MaximumPoints(),
		c.Low,
		c.High,
		c.Coverage,
		c.MeasuredShare,
		c.RigsDiffer,
		len(c.Estimated),
		len(c.Barred),
		len(c.GatesOpen),
		scores(c.Sections),
		barred,
	)
}

// SectionsOf returns the sections of a checklist by key and title.
func SectionsOf(list *checklist.Checklist) []Section {
	out := make([]Section, len(list.Sections))
	for i := range list.Sections {
		s := &list.Sections[i]
		out[i] = Section{Key: s.Key, Title: s.Title}
		if s.Title == "" {
			out[i].Title = s.Key
		}
	}
	return out
}

var points = tables.Define(
	"points",
	"an edition's points in a criterion",
	tables.Text("checklist", "", "the checklist version"),
	tables.Text("audience", "", "key of the audience; empty: the checklist's own weights"),
	tables.Text("edition", "Edition", "its key"),
	tables.Text("section", "Section", "its key"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Text("title", "", "the criterion's title"),
	tables.Text("state", "State", "answered, not tested, or not applicable"),
	tables.Text("reason", "Reason", "why it was not tested or does not apply"),
	tables.Points("points", "Points", "0 to 100"),
	tables.Share("share", "Share", "of the overall score").To(1),
	tables.Points("gate", "Gate", "the points that the audience requires; empty: none"),
	tables.List(
		"estimatedRigs", "Estimated rigs", "rigs with an estimate, because the edition was not measured on them",
	),
)

// Points is a table with a row for each edition and scored criterion.
func Points(cards []scoring.Scorecard, list *checklist.Checklist, audience checklist.Audience) *tables.Table {
	t := points.Table()
	for i := range cards {
		for j := range cards[i].Criteria {
			t.Add(pointsOf(&cards[i], j, list, audience)...)
		}
	}
	return t
}

// EachPoints is Points with rows that are computed one by one.
func EachPoints(
	cards iter.Seq[*scoring.Scorecard], list *checklist.Checklist, audience checklist.Audience,
) *tables.Table {
	t := points.Table()
	t.Stream = func(add func(cells ...any) error) error {
		for c := range cards {
			for j := range c.Criteria {
				if err := add(pointsOf(c, j, list, audience)...); err != nil {
					return err
				}
			}
		}
		return nil
	}
	return t
}

// pointsOf returns the row of a scorecard's criterion j.
func pointsOf(card *scoring.Scorecard, j int, list *checklist.Checklist, audience checklist.Audience) []any {
	k := &card.Criteria[j]
	c := criterion(list, k.Key)
	var reason string
	if k.Remarks != nil {
		reason = k.Reason
	}
	var gate any
	if needs, ok := audience.Gate(c); ok {
		gate = needs
	}
	var rigs []string
	for _, x := range k.Estimates() {
		rigs = append(rigs, x.Rig)
	}
	return []any{
		card.Checklist,
		audience.Key,
		card.Edition,
		list.SectionOf(k.Key),
		k.Key,
		c.Title,
		string(k.State),
		reason,
		k.Points,
		k.Weight,
		gate,
		rigs,
	}
}

// criterion returns a criterion of the checklist; for an unknown one, only the key is set.
func criterion(list *checklist.Checklist, key string) *checklist.Criterion {
	if c, ok := list.Criterion(key); ok {
		return c
	}
	return &checklist.Criterion{Key: key}
}
