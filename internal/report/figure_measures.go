package report

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/plot/vg"

	"dappertally/core/comparing"
	"dappertally/internal/figure"
	"dappertally/internal/numerals"
)

// mostBeside is how many editions are drawn side by side in a figure of measures, and mostFigures the highest number
// of such figures.
const (
	mostBeside  = 3
	mostFigures = 4
)

// measuresFigures shows measures as ratios to the baseline, oriented so that the right is better, with the spread of
// their runs and a mark for each rig; a few editions in each figure.
func (l *layout) measuresFigures() []*Figure {
	var others []string
	for _, e := range l.inOrder() {
		if e != l.Baseline && len(others) < mostBeside*mostFigures {
			others = append(others, e)
		}
	}
	foot := "Right of the middle line is better than " + l.Name(
		l.Baseline,
	) + ", left is worse; from half as good to twice as good. The bar goes from the lowest to the " +
		"highest run; pale: too close to call."
	var figures []*Figure
	for some := range slices.Chunk(others, mostBeside) {
		f := l.measuresOf(some)
		f.Foot = foot
		if n := len(figures); n > 0 {
			f.Key = fmt.Sprintf("%s-%d", f.Key, n+1)
			f.Foot = "As above."
		}
		figures = append(figures, f)
	}
	if n := len(l.Editions) - 1 - len(others); n > 0 {
		figures[len(figures)-1].Foot += " The tables have " + numerals.Count(n, "more edition") + "."
	}
	return figures
}

// measuresOf draws the measures of a few editions relative to the baseline's.
func (l *layout) measuresOf(editions []string) *Figure {
	rigs := l.rigsMeasured()
	criteria, better := l.comparedOf(editions)
	var says []string
	for _, e := range editions {
		for _, r := range l.Comparison.Rows {
			if r.Edition == e && r.Percent != nil {
				says = append(
					says,
					fmt.Sprintf(
						"%s, %s%s: %s %s",
						l.Name(e),
						l.criterion(r.Criterion),
						l.onRig(r.Rig),
						percent(r.Percent),
						r.Verdict,
					),
				)
			}
		}
	}
	const head = vg.Length(32)
	return &Figure{
		Key: "measures", Title: "Measures of " + l.names(editions) + " against " + l.Name(l.Baseline),
		high: func(f frame) vg.Length { return l.legend(nil, f, rigs) + head + f.rows(len(criteria)) + 16 },
		Alt:  "Measures as ratios to " + l.Name(l.Baseline) + ". " + strings.Join(says, "; "),
		draw: func(sheet *figure.Sheet, f frame) {
			f = f.beside(158)
			top := l.legend(sheet, f, rigs)
			wide := (f.wide - f.names) / mostBeside
			for n, e := range editions {
				s := scale{f.names + wide*vg.Length(n) + 8, wide - 16, -math.Ln2, math.Ln2}
				l.drawAgainst(sheet, s, e, criteria, rigs, better, f, top, top+head)
			}
			for row, key := range criteria {
				sheet.Text(0, top+head+f.rows(row)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.criterion(key))
			}
		},
	}
}

// comparedOf lists the criteria that have a ratio for one of the editions, and the better direction of every
// criterion.
func (l *layout) comparedOf(editions []string) (criteria []string, better map[string]string) {
	better = map[string]string{}
	for i := range l.List.Sections {
		for j := range l.List.Sections[i].Criteria {
			c := &l.List.Sections[i].Criteria[j]
			better[c.Key] = c.Better
			if slices.ContainsFunc(l.Comparison.Rows, func(r comparing.Row) bool {
				return r.Criterion == c.Key && slices.Contains(editions, r.Edition) && ratio(&r, c.Better) > 0
			}) {
				criteria = append(criteria, c.Key)
			}
		}
	}
	return criteria, better
}

// drawAgainst draws one edition's measures relative to the baseline's, with its name at the top and its rows from
// first on.
func (l *layout) drawAgainst(
	sheet *figure.Sheet,
	s scale,
	edition string,
	criteria, rigs []string,
	better map[string]string,
	f frame,
	top, first vg.Length,
) {
	p, high := l.Places[edition], first+f.rows(len(criteria))
	sheet.Text(
		s.left, top+10, smallSize, sheet.Scheme.Ink, figure.Left, titled(p.Distribution.Name, p.Distribution.Key),
	)
	sheet.Text(s.left, top+22, smallSize, sheet.Scheme.Soft, figure.Left, p.Release.Version+" "+p.Edition.Label())
	sheet.Line(sheet.Scheme.Ink, 0.8, s.x(0), first, s.x(0), high)
	for _, v := range []float64{-math.Ln2, math.Ln2} {
		sheet.Line(sheet.Scheme.Rule, 0.6, s.x(v), first, s.x(v), high)
	}
	sheet.Text(s.left, high+9, smallSize, sheet.Scheme.Soft, figure.Left, "half")
	sheet.Text(s.left+s.width, high+9, smallSize, sheet.Scheme.Soft, figure.Right, "twice")
	for row, key := range criteria {
		y := first + f.rows(row) + f.mark
		sheet.Line(sheet.Scheme.Rule, 0.5, s.x(-math.Ln2), y, s.x(math.Ln2), y)
		for i, rig := range rigs {
			if x := l.row(key, rig, edition); x != nil {
				drawRatio(sheet, s, x, better[key], i, y+vg.Length(i-len(rigs)/2)*3)
			}
		}
	}
}

// legend draws the marks of the rigs, in as many lines as needed, and returns its height; without a sheet it only
// returns that.
func (l *layout) legend(sheet *figure.Sheet, f frame, rigs []string) vg.Length {
	const line = vg.Length(14)
	left, y := vg.Length(4), line/2
	for i, rig := range rigs {
		wide := 24 + vg.Length(len(l.rig(rig)))*5.2
		if left > 4 && left+wide > f.wide {
			left, y = 4, y+line
		}
		if sheet != nil {
			sheet.Mark(i, sheet.Scheme.Ink, 3, left, y)
			sheet.Text(left+7, y, smallSize, sheet.Scheme.Soft, figure.Left, l.rig(rig))
		}
		left += wide
	}
	return y + line/2
}

// ratio returns the ratio of a row's value to its baseline's, above 1 being better; 0 if there is none.
func ratio(r *comparing.Row, better string) float64 { return turned(r.Value, r.BaselineValue, better) }

func turned(value, base *float64, better string) float64 {
	if value == nil || base == nil || *value <= 0 || *base <= 0 {
		return 0
	}
	if better == "lower" {
		return *base / *value
	}
	return *value / *base
}

func drawRatio(sheet *figure.Sheet, s scale, x *comparing.Row, better string, mark int, y vg.Length) {
	r := ratio(x, better)
	if r <= 0 {
		return
	}
	ink := sheet.Scheme.Ink
	if x.Verdict == comparing.TooClose {
		ink = sheet.Scheme.Soft
	}
	if x.Runs != nil {
		a, b := turned(&x.Runs.Least, x.BaselineValue, better), turned(&x.Runs.Most, x.BaselineValue, better)
		if a > 0 && b > 0 {
			sheet.Line(sheet.Scheme.Accent, 1.6, s.x(math.Log(a)), y, s.x(math.Log(b)), y)
		}
	}
	sheet.Mark(mark, ink, 3, s.x(math.Log(r)), y)
}
