package report

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/plot/vg"

	"dappertally/core/reporting"
	"dappertally/internal/figure"
)

// linesFigure shows scores over releases.
func (l *layout) linesFigure() *Figure {
	lines := l.Lines[:min(len(l.Lines), 8)]
	first, last := math.Inf(1), math.Inf(-1)
	least, most := 100.0, 0.0
	var says []string
	for _, line := range lines {
		var by []string
		for _, p := range line.Points {
			first, last = min(first, days(p.Date)), max(last, days(p.Date))
			for _, v := range []*float64{p.Overall, p.Ground} {
				if v != nil {
					least, most = min(least, *v), max(most, *v)
				}
			}
			by = append(
				by, fmt.Sprintf("%s %s (%s on common ground)", p.Date, oneDecimal(p.Overall), oneDecimal(p.Ground)),
			)
		}
		says = append(says, l.Name(line.Edition)+": "+strings.Join(by, ", "))
	}
	least, most = math.Floor(least/10)*10, min(math.Ceil(most/10)*10, 100)
	if most <= least {
		most = least + 10
	}
	if last <= first {
		last = first + 1
	}
	const top, high, left = vg.Length(6), vg.Length(196), vg.Length(26)
	return &Figure{
		Key: "releases", Title: "Scores over releases", high: func(f frame) vg.Length { return high + 20 },
		Alt: "Scores over releases. " + strings.Join(
			says, "; ",
		), Foot: "Lines: on what the checklist of the time and this report's checklist ask and score the same " +
			"way, which can be compared. Hollow: on its own, older checklist.",
		draw: func(sheet *figure.Sheet, f frame) {
			right := vg.Length(158) // the names at the ends of the lines
			x, y := scale{left, f.wide - left - right, first, last}, scale{0, high - top, least, most}
			for v := least; v <= most; v += 10 {
				sheet.Line(sheet.Scheme.Rule, 0.6, left, high-y.x(v), f.wide-right, high-y.x(v))
				sheet.Text(left-6, high-y.x(v), smallSize, sheet.Scheme.Soft, figure.Right, fmt.Sprint(v))
			}
			for year := yearOf(first); year <= yearOf(last)+1; year++ {
				at := float64(time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC).Unix()) / 86400
				if at >= first && at <= last {
					sheet.Line(sheet.Scheme.Rule, 0.6, x.x(at), top, x.x(at), high)
					sheet.Text(x.x(at), high+9, smallSize, sheet.Scheme.Soft, figure.Middle, fmt.Sprint(year))
				}
			}
			l.drawLines(sheet, lines, x, func(v float64) vg.Length { return high - y.x(v) }, f.wide-right)
		},
	}
}

func (l *layout) drawLines(
	sheet *figure.Sheet,
	lines []reporting.Line,
	x scale,
	y func(float64) vg.Length,
	end vg.Length,
) {
	type label struct {
		x, y vg.Length // where its line ends
		name string
	}
	var labels []label
	for n, line := range lines {
		stroke, ink, width := 1+n%3, sheet.Scheme.Soft, vg.Length(1.1)
		if line.Edition == l.Baseline {
			stroke, ink, width = 0, sheet.Scheme.Ink, 1.8
		}
		for i, p := range line.Points {
			if p.Ground == nil {
				continue
			}
			if i > 0 && line.Points[i-1].Ground != nil {
				sheet.Stroke(
					stroke,
					ink,
					width,
					x.x(days(line.Points[i-1].Date)),
					y(*line.Points[i-1].Ground),
					x.x(days(p.Date)),
					y(*p.Ground),
				)
			}
			if p.Overall != nil && *p.Overall != *p.Ground {
				sheet.Mark(3, ink, 3.2, x.x(days(p.Date)), y(*p.Overall))
			}
			sheet.Mark(0, ink, 3.2, x.x(days(p.Date)), y(*p.Ground))
		}
		if p := line.Points[len(line.Points)-1]; p.Overall != nil {
			labels = append(labels, label{x.x(days(p.Date)), y(*p.Overall), l.Name(line.Edition)})
		}
	}
	slices.SortFunc(labels, func(a, b label) int { return cmp.Compare(a.y, b.y) })
	above := vg.Length(-100)
	for _, one := range labels { // without overlaps
		above = max(one.y, above+12)
		sheet.Line(sheet.Scheme.Rule, 0.8, one.x+5, one.y, end+10, above)
		sheet.Text(end+13, above, smallSize, sheet.Scheme.Ink, figure.Left, one.name)
	}
}

func days(date string) float64 {
	t, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return 0 // dates were checked when they were recorded
	}
	return float64(t.Unix()) / 86400
}

func yearOf(days float64) int { return time.Unix(int64(days*86400), 0).UTC().Year() }
