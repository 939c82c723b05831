package cli

import (
	"fmt"

	"dappertally/core/ranking"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var effectTable = tables.Define("effect", "effect of a change on an edition in the ranking",
	tables.Text("edition", "Edition", "its key"),
	tables.Integer("rankNow", "Rank now", "empty: not ranked"),
	tables.Integer("rankThen", "Then", ""),
	tables.Beside("Places"),
	tables.Points("scoreNow", "Score now", ""),
	tables.Points("scoreThen", "Then", ""),
	tables.Share("coverageNow", "Coverage now", ""),
	tables.Share("coverageThen", "Then", ""),
)

// effectSheet shows what a proposed checklist would change in the ranking.
func effectSheet(e *ranking.Effect) *sheet {
	t := sheetOf(effectTable)
	t.heading = "Effect on the ranking"
	if e.TauB != nil {
		t.heading += fmt.Sprintf(" · tau-b %s (1: same order)", numerals.Rounded(*e.TauB, 2))
	}
	if len(e.NotTested) > 0 {
		t.heading += " · not tested yet: " + list(e.NotTested)
	}
	for _, m := range e.Moves {
		t.Add(m.Edition, m.Now, m.Then, places(m.Now, m.Then), m.ScoreNow, m.ScoreThen, m.CoverageNow, m.CoverageThen)
	}
	return t
}

// places formats how many places an edition gains or loses.
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
