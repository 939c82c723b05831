package report

import (
	"fmt"
	"math"
	"regexp"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/comparing"
	"dappertally/core/reporting"
	"dappertally/core/scoring"
	"dappertally/internal/numerals"
)

// Reference is a figure that a text names in braces, such as {score EDITION}, and that is filled in from the results.
type Reference struct {
	Name, Takes, Says string
	value             func(*filler, *reporting.View, []string) (string, error)
}

// References lists the figures that a text can name. "for AUDIENCE" after any of them selects an audience other than
// the main one.
var References = []Reference{
	{"name", "EDITION", "its name", nameOf},
	{"score", "EDITION [SECTION or CRITERION]", "its score, or its points there", scoreOf},
	{"rank", "EDITION", "its rank", rankOf},
	{"range", "EDITION", "how low and how high its score can still become", rangeOf},
	{"coverage", "EDITION", "the share of the weight that is answered", coverageOf},
	{
		"difference",
		"EDITION EDITION [SECTION or CRITERION]",
		"how many points the first is ahead or behind",
		differenceOf,
	},
	{"value", "EDITION MEASURE RIG", "what was measured, with its unit", valueOf},
	{"change", "EDITION EDITION MEASURE RIG", "in percent of the second's value, better or worse", changeOf},
	{"first", "EDITION", "in which share of random rankings it is first", firstOf},
	{"ahead", "EDITION EDITION", "in which share of random rankings it is ahead of the other", aheadOf},
	{"tips", "SECTION", "at which weight of the section another edition leads", tipsAt},
	{"wins", "EDITION EDITION", "how many criteria each wins, and ties", winsOf},
	{"leader", "", "the edition with the highest score", leaderOf},
	{"editions", "", "number of editions in the report", countOf},
}

// Unfilled is a reference that cannot be filled in: its position in the text, and the reason.
type Unfilled struct {
	Line   int    `json:"line"`   // from 1
	Column int    `json:"column"` // in characters, from 1
	Text   string `json:"text"`   // as written
	Detail string `json:"detail"`
}

// braces matches references, and single braces. A preceding backslash escapes them.
var braces = regexp.MustCompile(`\\[{}]|\{[^{}]*\}|[{}]`)

// filler fills references in from results.
type filler struct{ *reporting.Results }

// Fill fills in the references of a text. Those that cannot be filled in stay as they are.
func Fill(results *reporting.Results, text string) (string, []Unfilled) {
	r := filler{results}
	var faults []Unfilled
	var out strings.Builder
	end := 0
	for _, at := range braces.FindAllStringIndex(text, -1) {
		out.WriteString(text[end:at[0]])
		found := text[at[0]:at[1]]
		end = at[1]
		if strings.HasPrefix(found, `\`) {
			out.WriteString(found[1:])
			continue
		}
		value, err := r.braced(found)
		if err != nil {
			before := text[:at[0]]
			faults = append(
				faults,
				Unfilled{
					1 + strings.Count(before, "\n"),
					1 + len([]rune(before[strings.LastIndexByte(before, '\n')+1:])),
					clipped(found),
					err.Error(),
				},
			)
			value = found
		}
		out.WriteString(value)
	}
	out.WriteString(text[end:])
	return out.String(), faults
}

// braced returns the replacement of something in braces.
func (r *filler) braced(found string) (string, error) {
	if len(found) == 1 {
		return "", fmt.Errorf("a brace is not closed; close it, or write \\%s for a brace", found)
	}
	return r.reference(found[1 : len(found)-1])
}

// clipped shortens what is quoted.
func clipped(found string) string {
	if words := []rune(found); len(words) > 60 {
		return string(words[:60]) + "…"
	}
	return found
}

func (r *filler) reference(text string) (string, error) {
	words := strings.Fields(text)
	if len(words) == 0 {
		return "", fmt.Errorf("the braces are empty; write \\{ for a brace")
	}
	view := &r.Views[0]
	if n := len(words); n > 2 && words[n-2] == "for" {
		i := slices.IndexFunc(r.Views, func(v reporting.View) bool { return v.Audience.Key == words[n-1] })
		if i < 0 {
			return "", fmt.Errorf("the report has no audience %q", words[n-1])
		}
		view, words = &r.Views[i], words[:n-2]
	}
	i := slices.IndexFunc(References, func(x Reference) bool { return x.Name == words[0] })
	if i < 0 {
		return "", fmt.Errorf(
			"%q is not a known figure; the figures are %s. Write \\{ for a brace", words[0], names(),
		)
	}
	least, most := takes(References[i].Takes)
	if n := len(words) - 1; n < least || n > most {
		return "", fmt.Errorf(
			"write {%s}: %s", strings.TrimSpace(References[i].Name+" "+References[i].Takes), References[i].Says,
		)
	}
	return References[i].value(r, view, words[1:])
}

func names() string {
	all := make([]string, len(References))
	for i, x := range References {
		all[i] = x.Name
	}
	return strings.Join(all, ", ")
}

// takes returns how many words a reference takes.
func takes(words string) (least, most int) {
	must, may, _ := strings.Cut(words, "[")
	least = len(strings.Fields(must))
	if may != "" {
		return least, least + 1
	}
	return least, least
}

// card returns the scorecard of an edition named in a text.
func (r *filler) card(v *reporting.View, edition string) (*scoring.Scorecard, error) {
	if c := v.Card(edition); c != nil {
		return c, nil
	}
	if _, _, _, ok := catalogue.SplitEdition(edition); !ok {
		return nil, fmt.Errorf("%q is not an edition; write distribution/release/edition", edition)
	}
	return nil, fmt.Errorf("%s is not in this report; it is about %s", edition, strings.Join(r.Editions, ", "))
}

func nameOf(r *filler, v *reporting.View, w []string) (string, error) {
	_, err := r.card(v, w[0])
	return r.Name(w[0]), err
}

// pointsOf returns an edition's score, or its points in a section or criterion.
func (r *filler) pointsOf(v *reporting.View, edition string, in []string) (*float64, error) {
	c, err := r.card(v, edition)
	if err != nil {
		return nil, err
	}
	points := c.Overall
	if len(in) > 0 {
		if points, err = within(c, in[0]); err != nil {
			return nil, fmt.Errorf("%s has no section and no criterion %q", r.List.Name(), in[0])
		}
	}
	if points == nil {
		return nil, fmt.Errorf("%s has no score there", r.Name(edition))
	}
	return points, nil
}

func within(c *scoring.Scorecard, key string) (*float64, error) {
	for _, s := range c.Sections {
		if s.Key == key {
			return s.Score, nil
		}
	}
	for _, x := range c.Criteria {
		if x.Key == key {
			return x.Points, nil
		}
	}
	return nil, fmt.Errorf("there is no %q", key)
}

func scoreOf(r *filler, v *reporting.View, w []string) (string, error) {
	points, err := r.pointsOf(v, w[0], w[1:])
	if err != nil {
		return "", err
	}
	return numerals.Rounded(*points, 1), nil
}

func rankOf(r *filler, v *reporting.View, w []string) (string, error) {
	if _, err := r.card(v, w[0]); err != nil {
		return "", err
	}
	p := v.Place(w[0])
	if p == nil {
		return "", fmt.Errorf("%s is not ranked", r.Name(w[0]))
	}
	return fmt.Sprint(p.Rank), nil
}

func rangeOf(r *filler, v *reporting.View, w []string) (string, error) {
	c, err := r.card(v, w[0])
	if err != nil {
		return "", err
	}
	if c.Low == nil || c.High == nil {
		return "", fmt.Errorf("%s has no score with a range", r.Name(w[0]))
	}
	return numerals.Rounded(*c.Low, 1) + " to " + numerals.Rounded(*c.High, 1), nil
}

func coverageOf(r *filler, v *reporting.View, w []string) (string, error) {
	c, err := r.card(v, w[0])
	if err != nil {
		return "", err
	}
	return numerals.Rounded(100*c.Coverage, 0) + " %", nil
}

func differenceOf(r *filler, v *reporting.View, w []string) (string, error) {
	a, err := r.pointsOf(v, w[0], w[2:])
	if err != nil {
		return "", err
	}
	b, err := r.pointsOf(v, w[1], w[2:])
	if err != nil {
		return "", err
	}
	apart := *a - *b
	unit := " points"
	if numerals.Rounded(math.Abs(apart), 1) == "1.0" {
		unit = " point"
	}
	return numerals.Rounded(math.Abs(apart), 1) + unit, nil
}

// onRig returns an edition's measure on a rig.
func (r *filler) onRig(v *reporting.View, edition, measure, rig string) (*scoring.OnRig, string, error) {
	c, err := r.card(v, edition)
	if err != nil {
		return nil, "", err
	}
	criterion, ok := r.List.Criterion(measure)
	if !ok || criterion.Unit == "" && criterion.Better == "" {
		return nil, "", fmt.Errorf("%s has no measure %q", r.List.Name(), measure)
	}
	for i := range c.Criteria {
		if c.Criteria[i].Key != measure {
			continue
		}
		for j := range c.Criteria[i].Rigs {
			if x := &c.Criteria[i].Rigs[j]; x.Rig == rig {
				return x, criterion.Unit, nil
			}
		}
	}
	return nil, "", fmt.Errorf("%s was not measured there: %s on %s", r.Name(edition), measure, rig)
}

func valueOf(r *filler, v *reporting.View, w []string) (string, error) {
	x, unit, err := r.onRig(v, w[0], w[1], w[2])
	if err != nil {
		return "", err
	}
	return strings.TrimSpace(formatNumber(x.Value) + " " + unit), nil
}

// changeOf describes a difference in the only fair way: with its base, in words, and not at all if the scatter is
// larger.
func changeOf(r *filler, v *reporting.View, w []string) (string, error) {
	for _, e := range w[:2] {
		if _, _, err := r.onRig(v, e, w[2], w[3]); err != nil {
			return "", err
		}
	}
	c, err := comparing.Compare(r.Table, w[1], []string{w[0]})
	if err != nil {
		return "", err
	}
	for _, row := range c.Rows {
		if row.Edition != w[0] || row.Criterion != w[2] || row.Rig != w[3] {
			continue
		}
		switch {
		case row.Verdict == comparing.NotComparable:
			return "", fmt.Errorf("the two are not comparable there: %s", row.Reason)
		case row.Verdict == comparing.TooClose:
			return "too close to call", nil
		case row.Percent == nil:
			return "", fmt.Errorf("%s has 0 there, so there is no percentage", r.Name(w[1]))
		}
		return numerals.Rounded(math.Abs(*row.Percent), 0) + " % " + string(row.Verdict), nil
	}
	return "", fmt.Errorf("the two have nothing in common there")
}

func firstOf(r *filler, v *reporting.View, w []string) (string, error) {
	i, err := r.varied(v, w[0])
	if err != nil {
		return "", err
	}
	return numerals.Rounded(100*v.Steadiness.Editions[i].First, 0) + " %", nil
}

func aheadOf(r *filler, v *reporting.View, w []string) (string, error) {
	a, err := r.varied(v, w[0])
	if err != nil {
		return "", err
	}
	b, err := r.varied(v, w[1])
	if err != nil {
		return "", err
	}
	if v.Steadiness.Beats == nil || a == b {
		return "", fmt.Errorf(
			"how often one is ahead of the other needs two different editions, and at most 50 in the " +
				"report",
		)
	}
	return numerals.Rounded(100**v.Steadiness.Beats[a][b], 0) + " %", nil
}

// varied returns the result of a ranked edition under variation.
func (r *filler) varied(v *reporting.View, edition string) (int, error) {
	if _, err := r.card(v, edition); err != nil {
		return 0, err
	}
	for i := range v.Steadiness.Editions {
		if v.Steadiness.Editions[i].Edition == edition {
			return i, nil
		}
	}
	return 0, fmt.Errorf("%s is not ranked", r.Name(edition))
}

func tipsAt(r *filler, v *reporting.View, w []string) (string, error) {
	if v.Tipping == nil {
		return "", fmt.Errorf("the checklist's balance has no tipping points")
	}
	for _, s := range v.Tipping.Sections {
		if s.Key != w[0] {
			continue
		}
		var says []string
		if s.Down != nil {
			says = append(says, "below "+numerals.Rounded(100*s.Down.Share, 0)+" % "+r.Name(s.Down.Leader)+" leads")
		}
		if s.Up != nil {
			says = append(says, "above "+numerals.Rounded(100*s.Up.Share, 0)+" % "+r.Name(s.Up.Leader)+" leads")
		}
		if len(says) == 0 {
			return "no weight changes the lead", nil
		}
		return strings.Join(says, ", "), nil
	}
	return "", fmt.Errorf("%s has no section %q", r.List.Name(), w[0])
}

func winsOf(r *filler, v *reporting.View, w []string) (string, error) {
	for _, e := range w {
		if _, err := r.card(v, e); err != nil {
			return "", err
		}
	}
	for _, p := range r.Match.Pairs {
		switch {
		case p.A == w[0] && p.B == w[1]:
			return fmt.Sprintf("%d to %d, %d ties", p.Wins, p.Losses, p.Ties), nil
		case p.A == w[1] && p.B == w[0]:
			return fmt.Sprintf("%d to %d, %d ties", p.Losses, p.Wins, p.Ties), nil
		}
	}
	return "", fmt.Errorf("an edition cannot win against itself")
}

func leaderOf(r *filler, v *reporting.View, _ []string) (string, error) {
	if len(v.Ranking.Ranking) == 0 {
		return "", fmt.Errorf("no edition is ranked")
	}
	return r.Name(v.Ranking.Ranking[0].Edition), nil
}

func countOf(r *filler, _ *reporting.View, _ []string) (string, error) {
	return fmt.Sprint(len(r.Editions)), nil
}
