package results

import (
	"fmt"

	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var rankings = tables.Define(
	"ranking",
	"an edition in a ranking: the ranked by rank, then the provisional, then the barred",
	tables.Text("checklist", "", "the checklist version that the ranking is on"),
	tables.Text("audience", "", "key of the audience; empty: the checklist's own weights"),
	tables.Text("standing", "", "ranked, provisional or barred"),
	tables.Integer("rank", "Rank", "1 is best; editions in a dead heat share the rank of its first"),
	tables.Truth("deadHeat", "", "others are too close to call"),
	tables.Text("edition", "Edition", "its key"),
	tables.Points("score", "Score", "0 to 100"),
	tables.Beside("Possible").Yields(),
	tables.Points("low", "", "what the score can still become, at worst"),
	tables.Points("high", "", "what the score can still become, at best"),
	tables.BesideNumber("Ranks").Yields(),
	tables.BesideNumber("Places"),
	tables.Points("section.*", "", "the score of the section of that key"),
	tables.Share("coverage", "Coverage", "share of the weight that is answered"),
	tables.Share("measuredShare", "Measured", "how much of the answered weight was measured").Yields(),
	tables.BesideNumber("Wins").Yields(),
	tables.Integer("winsAlone", "", "criteria in which only this edition has the most points of all ranked"),
	tables.Integer("winsShared", "", "criteria in which it shares the most points"),
	tables.Text("decidedBy", "", "the criterion that decided a dead heat"),
	tables.Truth("rigsDiffer", "", "measured on other rigs than the others, without estimates for the difference"),
	tables.Integer("estimatedMeasures", "", "measures whose points rest on estimated rigs; the points name them"),
	tables.Integer("gatesFailed", "", "gates that it failed; the points say which"),
	tables.Integer("gatesOpen", "", "gates that were not tested"),
	tables.Beside("Remarks"),
)

// Standing is the position of an edition in a ranking. The last group is words for people, which can be empty.
type Standing struct {
	Checklist, Audience, Edition string
	Rank                         int // 0: not ranked
	DeadHeat                     bool
	DecidedBy                    string
	Score, Low, High             *float64
	Coverage, MeasuredShare      float64
	RigsDiffer                   bool
	Estimated, GatesOpen         []string
	Barred                       []scoring.Bar
	Sections                     []scoring.SectionScore
	Wins                         ranking.Wins

	Name, Ranks, Places, Remarks string
}

// Standings returns all positions in a ranking: the ranked editions, the provisional, the barred. card returns an
// edition's scorecard.
func Standings(
	r *ranking.Ranking,
	card func(edition string) *scoring.Scorecard,
	audience string,
	wins map[string]ranking.Wins,
) []Standing {
	var rows []Standing
	for i := range r.Ranking {
		p := &r.Ranking[i]
		s := standingOf(card(p.Edition), audience, &p.Overall)
		s.Rank, s.DeadHeat, s.DecidedBy, s.Wins = p.Rank, p.DeadHeat, p.DecidedBy, wins[p.Edition]
		rows = append(rows, s)
	}
	for i := range r.Provisional {
		rows = append(rows, standingOf(card(r.Provisional[i].Edition), audience, r.Provisional[i].Overall))
	}
	for i := range r.Barred {
		c := card(r.Barred[i].Edition)
		rows = append(rows, standingOf(c, audience, c.Overall))
	}
	return rows
}

func standingOf(c *scoring.Scorecard, audience string, score *float64) Standing {
	return Standing{
		Checklist:     c.Checklist,
		Audience:      audience,
		Edition:       c.Edition,
		Score:         score,
		Low:           c.Low,
		High:          c.High,
		Coverage:      c.Coverage,
		MeasuredShare: c.MeasuredShare,
		RigsDiffer:    c.RigsDiffer,
		Estimated:     c.Estimated,
		GatesOpen:     c.GatesOpen,
		Barred:        c.Barred,
		Sections:      c.Sections,
	}
}

// Is returns the name of the position: ranked, provisional or barred.
func (s *Standing) Is() string {
	switch {
	case s.Rank > 0:
		return "ranked"
	case len(s.Barred) > 0:
		return "barred"
	}
	return "provisional"
}

func (s *Standing) rank() any {
	if s.Rank == 0 {
		return tables.As{Text: numerals.None}
	}
	text := fmt.Sprint(s.Rank)
	if s.DeadHeat {
		text = "=" + text
	}
	return tables.As{Data: s.Rank, Text: text}
}

func (s *Standing) wins() (text string, alone, shared any) {
	switch {
	case s.Rank == 0:
		return numerals.None, nil, nil
	case s.Wins.Shared == 0:
		return fmt.Sprint(s.Wins.Alone), s.Wins.Alone, 0
	}
	return fmt.Sprintf("%d+%d", s.Wins.Alone, s.Wins.Shared), s.Wins.Alone, s.Wins.Shared
}

// Ranking is a table of a ranking; the rows are in the given order.
func Ranking(rows []Standing, sections []Section) *tables.Table {
	t := rankings.Table(perSection(sections)...)
	for i := range rows {
		s := &rows[i]
		name := s.Name
		if name == "" {
			name = s.Edition
		}
		wins, alone, shared := s.wins()
		t.Add(row(
			s.Checklist,
			s.Audience,
			s.Is(),
			s.rank(),
			s.DeadHeat,
			tables.As{Data: s.Edition, Text: name},
			s.Score,
			numerals.Score(s.Low)+"–"+numerals.Score(s.High),
			s.Low,
			s.High,
			s.Ranks,
			s.Places,
			scores(s.Sections),
			s.Coverage,
			s.MeasuredShare,
			wins,
			alone,
			shared,
			s.DecidedBy,
			s.RigsDiffer,
			len(s.Estimated),
			len(s.Barred),
			len(s.GatesOpen),
			s.Remarks,
		)...)
	}
	return t
}
