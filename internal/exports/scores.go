// Package exports lays results and records out as tables that can be carried away,
// and, where they are records, taken in again.
package exports

import (
	"slices"
	"strconv"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/scoring"
	"dappertally/internal/service"
	"dappertally/internal/tables"
)

// Ranking is a ranking: the ranked first, then what is provisional, then what is
// barred, each with its reason.
func Ranking(r *service.Result) *tables.Table {
	t := &tables.Table{
		Name: "ranking",
		Columns: []string{
			"standing",
			"rank",
			"edition",
			"score",
			"low",
			"high",
			"coverage",
			"measuredShare",
			"deadHeat",
			"decidedBy",
			"rigsDiffer",
			"estimated",
			"gatesOpen",
			"reason",
			"checklist",
			"audience",
		},
	}
	add := func(edition, standing string, rank, score any, heat bool, decided, reason string) {
		c, ok := r.Card(edition)
		if !ok {
			return
		}
		t.Add(
			standing,
			rank,
			edition,
			score,
			tables.Number(c.Low),
			tables.Number(c.High),
			c.Coverage,
			c.MeasuredShare,
			heat,
			decided,
			c.RigsDiffer,
			strings.Join(c.Estimated, " "),
			strings.Join(c.GatesOpen, " "),
			reason,
			r.List.Name(),
			r.Audience.Key,
		)
	}
	for _, p := range r.Ranking.Ranking {
		add(p.Edition, "ranked", p.Rank, p.Overall, p.DeadHeat, p.DecidedBy, "")
	}
	for _, p := range r.Ranking.Provisional {
		reason := "too little coverage"
		if p.Overall == nil {
			reason = "no score"
		}
		add(p.Edition, "provisional", nil, tables.Number(p.Overall), false, "", reason)
	}
	for _, b := range r.Ranking.Barred {
		c, ok := r.Card(b.Edition)
		if !ok {
			continue
		}
		var gates []string
		for _, g := range c.Barred {
			gates = append(gates, g.Criterion)
		}
		add(b.Edition, "barred", nil, tables.Number(c.Overall), false, "", "failed a must: "+strings.Join(gates, " "))
	}
	return t
}

// Scorecards is a row for each edition, with a column for each section.
func Scorecards(r *service.Result) *tables.Table {
	t := &tables.Table{
		Name: "scorecards",
		Columns: []string{
			"edition",
			"distribution",
			"release",
			"checklist",
			"audience",
			"review",
			"overall",
			"total",
			"maximum",
			"low",
			"high",
			"coverage",
			"measuredShare",
			"rigsDiffer",
			"estimated",
			"barredBy",
			"gatesOpen",
		},
	}
	for i := range r.List.Sections {
		t.Columns = append(t.Columns, "section."+r.List.Sections[i].Key)
	}
	for i := range r.Cards {
		c := &r.Cards[i]
		distribution, release, _, _ := catalogue.SplitEdition(c.Edition)
		var barred []string
		for _, b := range c.Barred {
			barred = append(barred, b.Criterion)
		}
		row := []any{
			c.Edition,
			distribution,
			release,
			c.Checklist,
			r.Audience.Key,
			c.Review,
			tables.Number(c.Overall),
			tables.Number(c.Total),
			r.List.MaximumPoints(),
			tables.Number(c.Low),
			tables.Number(c.High),
			c.Coverage,
			c.MeasuredShare,
			c.RigsDiffer,
			strings.Join(c.Estimated, " "),
			strings.Join(barred, " "),
			strings.Join(c.GatesOpen, " "),
		}
		for _, s := range c.Sections {
			row = append(row, tables.Number(s.Score))
		}
		t.Add(row...)
	}
	return t
}

// Points is a row for each edition and criterion.
func Points(r *service.Result) *tables.Table {
	t := &tables.Table{
		Name: "points",
		Columns: []string{
			"edition",
			"section",
			"criterion",
			"title",
			"state",
			"points",
			"share",
			"estimated",
			"checklist",
			"audience",
		},
	}
	section := map[string]string{}
	for i := range r.List.Sections {
		for j := range r.List.Sections[i].Criteria {
			section[r.List.Sections[i].Criteria[j].Key] = r.List.Sections[i].Key
		}
	}
	for i := range r.Cards {
		for _, k := range r.Cards[i].Criteria {
			c, _ := r.List.Criterion(k.Key)
			t.Add(
				r.Cards[i].Edition,
				section[k.Key],
				k.Key,
				c.Title,
				string(k.State),
				tables.Number(k.Points),
				k.Weight,
				estimated(k.Estimates()),
				r.List.Name(),
				r.Audience.Key,
			)
		}
	}
	return t
}

// estimated is rigs with the values estimated on them, as rig=value, apart by spaces.
func estimated(all []scoring.Estimate) string {
	texts := make([]string, len(all))
	for i, x := range all {
		texts[i] = x.Rig + "=" + strconv.FormatFloat(x.Value, 'g', -1, 64)
	}
	return strings.Join(texts, " ")
}

// Names lists what can be exported.
var Names = []string{"catalogue", "readings", "reviews", "scorecards", "points", "ranking", "bundle"}

// Known reports whether there is such an export.
func Known(name string) bool { return slices.Contains(Names, name) }
