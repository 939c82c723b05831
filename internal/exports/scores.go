// Package exports lays results and records out as tables that can be exported, and, for records, imported again.
package exports

import (
	"slices"

	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/answers"
	"dappertally/internal/results"
	"dappertally/internal/tables"
)

// Ranking is a table of a ranking: the ranked editions, then the provisional ones, then the barred ones.
func Ranking(r *answers.Result) *tables.Table {
	wins := ranking.WinnersOf(r.Columns, r.Audience, &r.Ranking).Wins
	card := func(edition string) *scoring.Scorecard { c, _ := r.Card(edition); return c }
	return results.Ranking(results.Standings(&r.Ranking, card, r.Audience.Key, wins), results.SectionsOf(r.List))
}

// Scorecards is a table with a row for each edition.
func Scorecards(r *answers.Result) *tables.Table {
	return results.EachScorecard(r.Cards(), r.List, r.Audience.Key)
}

// Points is a table with a row for each edition and criterion.
func Points(r *answers.Result) *tables.Table {
	return results.EachPoints(r.Cards(), r.List, r.Audience)
}

// Names lists what can be exported.
var Names = []string{"catalogue", "readings", "reviews", "scorecards", "points", "ranking", "bundle"}

// Known reports whether there is such an export.
func Known(name string) bool { return slices.Contains(Names, name) }
