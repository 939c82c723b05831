package cli

import (
	"fmt"

	"dappertally/core/ranking"
	"dappertally/internal/numerals"
)

// effectSheet tells what a proposed checklist would do to the ranking.
func effectSheet(e *ranking.Effect) *sheet {
	t := &sheet{
		columns: []string{"Edition", ">Rank now", ">Then", "Places", ">Score now", ">Then", ">Coverage now", ">Then"},
	}
	t.heading = "Effect on the ranking"
	if e.TauB != nil {
		t.heading += fmt.Sprintf(" · tau-b %s (1: the same order)", numerals.Rounded(*e.TauB, 2))
	}
	if len(e.NotTested) > 0 {
		t.heading += " · not tested yet: " + list(e.NotTested)
	}
	for _, m := range e.Moves {
		t.add(
			m.Edition,
			rank(m.Now),
			rank(m.Then),
			places(m.Now, m.Then),
			numerals.Score(m.ScoreNow),
			numerals.Score(m.ScoreThen),
			numerals.Share(m.CoverageNow),
			numerals.Share(m.CoverageThen),
		)
	}
	return t
}

func rank(r *int) string {
	if r == nil {
		return "–"
	}
	return fmt.Sprint(*r)
}

// places says how many places an edition gains or loses.
func places(now, then *int) string {
	switch {
	case now == nil && then == nil:
		return ""
	case now == nil:
		return "joins the ranking"
	case then == nil:
		return "leaves the ranking"
	case *now == *then:
		return "same"
	case *now > *then:
		return fmt.Sprintf("gains %d", *now-*then)
	}
	return fmt.Sprintf("loses %d", *then-*now)
}
