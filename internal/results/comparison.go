package results

import (
	"fmt"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/internal/numerals"
	"dappertally/internal/tables"
)

var comparison = tables.Define("comparison", "an edition's value in a measure on a rig, against the baseline's",
	tables.Text("edition", "Edition", "its key"),
	tables.Text("baseline", "", "the edition that it is compared with"),
	tables.Text("section", "", "its key"),
	tables.Text("criterion", "Measure", "its key"),
	tables.Text("rig", "Rig", "its key"),
	tables.Number("baselineValue", "Baseline", "in the unit"),
	tables.Number("value", "Value", "in the unit"),
	tables.Text("unit", "Unit", "of both values").Yields(),
	tables.Text("better", "Better", "higher or lower"),
	tables.Number("difference", "Difference", "value minus baselineValue").Yields(),
	tables.Percent("percent", "Change", "the difference in percent of the baseline"),
	tables.Text("verdict", "Verdict", "better, worse, too close to call, or not comparable"),
	tables.Number("least", "", "the lowest run"),
	tables.Number("most", "", "the highest run"),
	tables.Integer("runs", "", "how many"),
	tables.Text("reason", "", "why the two are not comparable"),
	tables.Integer("boots", "", "starts of the machine that the runs were made in; empty: not known"),
	tables.Integer("baselineBoots", "", "the same of the baseline"),
	tables.Text("caution", "", "if the starts are too few to separate one from another"),
)

// Comparison is a table of measures side by side, by rig.
func Comparison(rows []comparing.Row, list *checklist.Checklist, name Namer) *tables.Table {
	t := comparison.Table()
	for i := range rows {
		r := &rows[i]
		c := criterion(list, r.Criterion)
		difference, percent, verdict := toldApart(r)
		var least, most, runs any
		if r.Runs != nil {
			least, most, runs = r.Runs.Least, r.Runs.Most, r.Runs.Count
		}
		t.Add(
			name.cell(r.Edition),
			r.Baseline,
			list.SectionOf(r.Criterion),
			r.Criterion,
			r.Rig,
			r.BaselineValue,
			r.Value,
			c.Unit,
			c.Better,
			tables.As{Data: r.Difference, Text: difference},
			tables.As{Data: r.Percent, Text: percent},
			tables.As{Data: string(r.Verdict), Text: verdict},
			least,
			most,
			runs,
			r.Reason,
			known(r.Boots),
			known(r.BaselineBoots),
			r.Caution,
		)
	}
	return t
}

// known returns a number of starts of the machine; nil if it is not known.
func known(starts int) any {
	if starts == 0 {
		return nil
	}
	return starts
}

// toldApart formats a row for people: without a figure if the difference may be noise.
func toldApart(r *comparing.Row) (difference, percent, verdict string) {
	difference, percent, verdict = withoutCaution(r)
	if r.Caution != "" {
		verdict += ", " + r.Caution
	}
	return difference, percent, verdict
}

func withoutCaution(r *comparing.Row) (difference, percent, verdict string) {
	difference, percent, verdict = numerals.Signed(r.Difference), numerals.Change(r.Percent), string(r.Verdict)
	switch {
	case r.Verdict == comparing.NotComparable:
		verdict += ": " + r.Reason
	case r.Verdict == comparing.TooClose && r.Difference != nil && *r.Difference == 0:
		return "=", "=", "equal"
	case r.Verdict == comparing.TooClose && r.Percent != nil:
		return "≈", "≈", fmt.Sprintf("too close (%s)", percent)
	}
	return difference, percent, verdict
}

var headToHead = tables.Define("headToHead", "how two editions compare in a criterion or a side-by-side test",
	tables.Text("a", "Edition", "key of the first edition"),
	tables.Text("b", "Against", "key of the second edition"),
	tables.Text("criterion", "Criterion", "its key; empty for a side-by-side test"),
	tables.Text("placing", "Side by side", "the question of a side-by-side test"),
	tables.Text("outcome", "Outcome", "for a: win, loss, or tie"),
)

// HeadToHead is a table with a row for each pair of editions and what decides between them.
func HeadToHead(pairs []comparing.Pair) *tables.Table {
	t := headToHead.Table()
	for i := range pairs {
		for _, m := range pairs[i].Criteria {
			t.Add(pairs[i].A, pairs[i].B, m.Criterion, m.Placing, string(m.Outcome))
		}
	}
	return t
}

var facts = tables.Define("facts", "a fact of an edition, beside the others'",
	tables.Text("criterion", "Fact", "its key"),
	tables.Text("edition", "Edition", "its key"),
	tables.Text("value", "Has", "the fact, as text"),
	tables.Beside("Against the first"),
)

// Fact is one cell of facts side by side.
type Fact struct {
	Criterion, Edition, Value string
	Name, Against             string // for people
}

// Facts is a table of facts side by side.
func Facts(all []Fact) *tables.Table {
	t := facts.Table()
	last := ""
	for i := range all {
		f := &all[i]
		shown := f.Criterion
		if shown == last {
			shown = ""
		}
		last = f.Criterion
		t.Add(tables.As{Data: f.Criterion, Text: shown}, tables.As{Data: f.Edition, Text: f.Name}, f.Value, f.Against)
	}
	return t
}

var developments = tables.Define("developments", "what happened to a criterion or fact from one release to the next",
	tables.Text("edition", "", "key of the newer release's edition"),
	tables.Text("development", "What happened to it", "improved, worse, newly answered, fact changed …"),
	tables.Text("criterion", "Criterion", "its key"),
	tables.Points("older", "", "points of the earlier release"),
	tables.Points("newer", "", "points of the newer one"),
	tables.Text("was", "", "the earlier fact"),
	tables.Text("is", "", "the newer fact"),
	tables.BesideNumber("Was"),
	tables.BesideNumber("Is"),
	tables.Beside("Detail"),
)

// Development is what became of a criterion, with its description for people.
type Development struct {
	Edition string
	*comparing.Developed
	Was, Is, Detail string
}

// Developments is a table of what became of criteria from release to release.
func Developments(all []Development) *tables.Table {
	t := developments.Table()
	for i := range all {
		d := &all[i]
		t.Add(
			d.Edition,
			string(d.Development),
			d.Criterion,
			d.Older,
			d.Newer,
			d.Developed.Was,
			d.Developed.Is,
			d.Was,
			d.Is,
			d.Detail,
		)
	}
	return t
}
