package report

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"gonum.org/v1/plot/vg"

	"dappertally/core/comparing"
	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/internal/figure"
)

const (
	labelSize = vg.Length(10)
	smallSize = vg.Length(9)
)

// frame is how the rows of a figure lie: with their names beside them, or on a phone
// above them.
type frame struct {
	wide  vg.Length // of the whole
	names vg.Length // that names take at the left
	row   vg.Length // height of a row
	label vg.Length // of a row's name below the row's top
	mark  vg.Length // of what is drawn, likewise
}

var (
	broad = frame{wide: 500, names: 178, row: 21, label: 10.5, mark: 10.5}
	slim  = frame{wide: 330, row: 35, label: 9, mark: 24}
)

// rows is the height of n rows.
func (f *frame) rows(n int) vg.Length { return vg.Length(n) * f.row }

// beside is the frame with another width for names, where they stand beside their
// rows.
func (f frame) beside(names vg.Length) frame {
	if f.names > 0 {
		f.names = names
	}
	return f
}

// scale is a stretch of paper that stands for values from least to most.
type scale struct {
	left, width vg.Length
	least, most float64
}

func (s scale) x(v float64) vg.Length {
	v = min(max(v, s.least), s.most)
	return s.left + s.width*vg.Length((v-s.least)/(s.most-s.least))
}

// hundred draws the foot of a scale from 0 to 100.
func hundred(sheet *figure.Sheet, s scale, top, foot vg.Length) {
	for _, v := range []float64{0, 25, 50, 75, 100} {
		sheet.Line(sheet.Scheme.Rule, 0.6, s.x(v), top, s.x(v), foot)
		sheet.Text(s.x(v), foot+9, smallSize, sheet.Scheme.Soft, figure.Middle, fmt.Sprint(v))
	}
}

// rankingFigure shows scores as dots and the possible range as a bar through each.
func (l *layout) rankingFigure(v *reporting.View) *Figure {
	places := v.Ranking.Ranking
	says := make([]string, len(places))
	for i, p := range places {
		c := v.Card(p.Edition)
		says[i] = l.Name(p.Edition) + " " + oneDecimal(c.Overall)
		if x := between(c.Low, c.High); x != oneDecimal(c.Overall) {
			says[i] += " (possible " + x + ")"
		}
	}
	return &Figure{
		Key: keyFor("ranking", v), Title: "Ranking for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(places)) + 22 },
		Alt:  "Scores from 0 to 100 with their possible ranges, best first: " + strings.Join(says, "; "),
		Foot: "Dot: the score. Bar: how low and how high it could still become when what is not tested is filled in.",
		draw: func(sheet *figure.Sheet, f frame) {
			s := scale{f.names + 4, f.wide - f.names - 16, 0, 100}
			hundred(sheet, s, 0, f.rows(len(places)))
			for i, p := range places {
				c := v.Card(p.Edition)
				y := f.rows(i) + f.mark
				sheet.Text(0, f.rows(i)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.Name(p.Edition))
				sheet.Line(sheet.Scheme.Rule, 0.7, s.x(0), y, s.x(100), y)
				if c.Low != nil && c.High != nil {
					sheet.Line(sheet.Scheme.Accent, 3.5, s.x(*c.Low), y, s.x(*c.High), y)
				}
				sheet.Mark(0, sheet.Scheme.Ink, 4, s.x(*c.Overall), y)
				right := *c.Overall
				if c.High != nil {
					right = max(right, *c.High)
				}
				if right > 88 {
					left := *c.Overall
					if c.Low != nil {
						left = min(left, *c.Low)
					}
					sheet.Text(s.x(left)-8, y, smallSize, sheet.Scheme.Soft, figure.Right, oneDecimal(c.Overall))
				} else {
					sheet.Text(s.x(right)+8, y, smallSize, sheet.Scheme.Soft, figure.Left, oneDecimal(c.Overall))
				}
			}
		},
	}
}

// keyFor names a figure that there is one of for each audience.
func keyFor(name string, v *reporting.View) string {
	if v.Audience.Key == "" {
		return name
	}
	return name + "-" + v.Audience.Key
}

// sectionsFigure shows each section's scores in a column of its own.
func (l *layout) sectionsFigure(v *reporting.View, order []string) *Figure {
	n := vg.Length(len(l.List.Sections))
	var says []string
	for _, e := range order {
		var by []string
		for i, s := range v.Card(e).Sections {
			by = append(by, l.sectionTitle(l.List.Sections[i].Key)+" "+oneDecimal(s.Score))
		}
		says = append(says, l.Name(e)+": "+strings.Join(by, ", "))
	}
	return &Figure{
		Key: "sections", Title: "Scores by section for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(order)) + 22 },
		Alt: "Scores by section, each from 0 to 100. " + strings.Join(says, "; "), Foot: "Each column is a section, from 0 on its left to 100 on its right.",
		draw: func(sheet *figure.Sheet, f frame) {
			wide, high := (f.wide-f.names)/n, 18+f.rows(len(order))
			for i := range l.List.Sections {
				s := scale{f.names + wide*vg.Length(i) + 6, wide - 40, 0, 100}
				hue := sheet.Scheme.Sections[i%8]
				sheet.Text(s.left, 7, smallSize, hue, figure.Left, l.sectionTitle(l.List.Sections[i].Key))
				sheet.Line(sheet.Scheme.Rule, 0.6, s.x(0), 18, s.x(0), high)
				sheet.Line(sheet.Scheme.Rule, 0.6, s.x(100), 18, s.x(100), high)
			}
			for row, e := range order {
				y := 18 + f.rows(row) + f.mark
				sheet.Text(0, 18+f.rows(row)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.Name(e))
				for i, x := range v.Card(e).Sections {
					s := scale{f.names + wide*vg.Length(i) + 6, wide - 40, 0, 100}
					sheet.Line(sheet.Scheme.Rule, 0.7, s.x(0), y, s.x(100), y)
					if x.Score != nil {
						sheet.Mark(0, sheet.Scheme.Sections[i%8], 3.6, s.x(*x.Score), y)
					}
					sheet.Text(s.left+s.width+6, y, smallSize, sheet.Scheme.Soft, figure.Left, oneDecimal(x.Score))
				}
			}
		},
	}
}

// contributionsFigure shows what adds to a difference as bars from a middle line.
func (l *layout) contributionsFigure(e *ranking.Explanation, shown []ranking.Contribution) *Figure {
	most := 0.0
	says := make([]string, len(shown))
	for i, c := range shown {
		most = max(most, math.Abs(c.Adds))
		says[i] = l.criterion(c.Key) + " " + signedTwo(c.Adds)
	}
	hue := map[string]int{}
	for i := range l.List.Sections {
		for j := range l.List.Sections[i].Criteria {
			hue[l.List.Sections[i].Criteria[j].Key] = i
		}
	}
	return &Figure{
		Key: "contributions", Title: "What puts " + l.Name(e.A) + " ahead of " + l.Name(e.B), high: func(f frame) vg.Length { return f.rows(len(shown)) + 18 },
		Alt:  fmt.Sprintf("What adds most to the %s points by which %s is ahead of %s: %s", oneDecimal(&e.Difference), l.Name(e.A), l.Name(e.B), strings.Join(says, "; ")),
		Foot: "To the right: for " + l.Name(e.A) + ". To the left: for " + l.Name(e.B) + ". In points of the overall score.",
		draw: func(sheet *figure.Sheet, f frame) {
			f = f.beside(200)
			high := f.rows(len(shown))
			s := scale{f.names + 50, f.wide - f.names - 100, -most, most}
			sheet.Line(sheet.Scheme.Ink, 0.8, s.x(0), 0, s.x(0), high)
			for i, c := range shown {
				y := f.rows(i) + f.mark
				sheet.Text(0, f.rows(i)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.criterion(c.Key))
				sheet.Box(sheet.Scheme.Sections[hue[c.Key]%8], min(s.x(0), s.x(c.Adds)), y-5, vg.Length(math.Abs(float64(s.x(c.Adds)-s.x(0)))), 10)
				if c.Adds >= 0 {
					sheet.Text(s.x(c.Adds)+5, y, smallSize, sheet.Scheme.Soft, figure.Left, signedTwo(c.Adds))
				} else {
					sheet.Text(s.x(c.Adds)-5, y, smallSize, sheet.Scheme.Soft, figure.Right, signedTwo(c.Adds))
				}
			}
			sheet.Text(s.x(0)-6, high+9, smallSize, sheet.Scheme.Soft, figure.Right, "for "+l.Places[e.B].Distribution.Name)
			sheet.Text(s.x(0)+6, high+9, smallSize, sheet.Scheme.Soft, figure.Left, "for "+l.Places[e.A].Distribution.Name)
		},
	}
}

// mostBeside is how many editions are drawn beside the baseline.
const mostBeside = 3

// measuresFigure shows measures as ratios to the baseline, turned so that the right is
// better, with the spread of their runs, a mark for each rig.
func (l *layout) measuresFigure() *Figure {
	var others []string
	for _, e := range l.inOrder() {
		if e != l.Baseline && len(others) < mostBeside {
			others = append(others, e)
		}
	}
	rigs := l.rigsMeasured()
	var criteria, says []string
	better := map[string]string{}
	for i := range l.List.Sections {
		for j := range l.List.Sections[i].Criteria {
			c := &l.List.Sections[i].Criteria[j]
			better[c.Key] = c.Better
			if slices.ContainsFunc(l.Comparison.Rows, func(r comparing.Row) bool {
				return r.Criterion == c.Key && slices.Contains(others, r.Edition) && ratio(&r, c.Better) > 0
			}) {
				criteria = append(criteria, c.Key)
			}
		}
	}
	for _, e := range others {
		for _, r := range l.Comparison.Rows {
			if r.Edition == e && r.Percent != nil {
				says = append(says, fmt.Sprintf("%s, %s%s: %s %s", l.Name(e), l.criterion(r.Criterion), l.onRig(r.Rig), percent(r.Percent), r.Verdict))
			}
		}
	}
	foot := "Right of the middle line is better than " + l.Name(l.Baseline) + ", left is worse; from half as good to twice as good. The bar goes from the least to the greatest run; pale: too close to call."
	if n := len(l.Editions) - 1 - len(others); n > 0 {
		foot += " The tables have " + plural(n, "more edition", "more editions") + "."
	}
	return &Figure{
		Key: "measures", Title: "Measures against " + l.Name(l.Baseline), high: func(f frame) vg.Length { return l.legend(nil, f, rigs) + 32 + f.rows(len(criteria)) + 16 }, Foot: foot,
		Alt: "Measures as ratios to " + l.Name(l.Baseline) + ". " + strings.Join(says, "; "),
		draw: func(sheet *figure.Sheet, f frame) {
			f = f.beside(158)
			head := l.legend(sheet, f, rigs)
			top := head + 32
			wide, high := (f.wide-f.names)/vg.Length(max(len(others), 1)), top+f.rows(len(criteria))
			for n, e := range others {
				s := scale{f.names + wide*vg.Length(n) + 8, wide - 16, -math.Ln2, math.Ln2}
				p := l.Places[e]
				sheet.Text(s.left, head+10, smallSize, sheet.Scheme.Ink, figure.Left, titled(p.Distribution.Name, p.Distribution.Key))
				sheet.Text(s.left, head+22, smallSize, sheet.Scheme.Soft, figure.Left, p.Release.Version+" "+p.Edition.Label())
				sheet.Line(sheet.Scheme.Ink, 0.8, s.x(0), top, s.x(0), high)
				for _, v := range []float64{-math.Ln2, math.Ln2} {
					sheet.Line(sheet.Scheme.Rule, 0.6, s.x(v), top, s.x(v), high)
				}
				sheet.Text(s.left, high+9, smallSize, sheet.Scheme.Soft, figure.Left, "half")
				sheet.Text(s.left+s.width, high+9, smallSize, sheet.Scheme.Soft, figure.Right, "twice")
				for row, key := range criteria {
					y := top + f.rows(row) + f.mark
					sheet.Line(sheet.Scheme.Rule, 0.5, s.x(-math.Ln2), y, s.x(math.Ln2), y)
					for i, rig := range rigs {
						if x := l.row(key, rig, e); x != nil {
							drawRatio(sheet, s, x, better[key], i, y+vg.Length(i-len(rigs)/2)*3)
						}
					}
				}
			}
			for row, key := range criteria {
				sheet.Text(0, top+f.rows(row)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.criterion(key))
			}
		},
	}
}

// legend tells the marks of the rigs, in as many lines as it takes, and how high it is;
// without a sheet it only tells that.
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

// ratio is a row's value to its baseline's, above 1 being better; 0 where there is none.
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
			by = append(by, fmt.Sprintf("%s %s (%s on common ground)", p.Date, oneDecimal(p.Overall), oneDecimal(p.Ground)))
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
	const high, left = vg.Length(190), vg.Length(26)
	return &Figure{
		Key: "releases", Title: "Scores over releases", high: func(f frame) vg.Length { return high + 20 },
		Alt: "Scores over releases. " + strings.Join(says, "; "), Foot: "Filled: the score on the list of its time. Hollow: on what that list and this report's ask and score alike, which is what may be compared.",
		draw: func(sheet *figure.Sheet, f frame) {
			right := vg.Length(158) // the names at the ends of the lines
			x, y := scale{left, f.wide - left - right, first, last}, scale{0, high, least, most}
			for v := least; v <= most; v += 10 {
				sheet.Line(sheet.Scheme.Rule, 0.6, left, high-y.x(v), f.wide-right, high-y.x(v))
				sheet.Text(left-6, high-y.x(v), smallSize, sheet.Scheme.Soft, figure.Right, fmt.Sprint(v))
			}
			for year := yearOf(first); year <= yearOf(last)+1; year++ {
				at := float64(time.Date(year, 1, 1, 0, 0, 0, 0, time.UTC).Unix()) / 86400
				if at >= first && at <= last {
					sheet.Line(sheet.Scheme.Rule, 0.6, x.x(at), 0, x.x(at), high)
					sheet.Text(x.x(at), high+9, smallSize, sheet.Scheme.Soft, figure.Middle, fmt.Sprint(year))
				}
			}
			l.drawLines(sheet, lines, x, func(v float64) vg.Length { return high - y.x(v) }, f.wide-right)
		},
	}
}

func (l *layout) drawLines(sheet *figure.Sheet, lines []reporting.Line, x scale, y func(float64) vg.Length, end vg.Length) {
	type label struct {
		x, y vg.Length // where its line ends
		hue  int
		name string
	}
	var labels []label
	for n, line := range lines {
		ink := sheet.Scheme.Sections[n%8]
		for i, p := range line.Points {
			if p.Ground == nil {
				continue
			}
			if i > 0 && line.Points[i-1].Ground != nil {
				sheet.Line(ink, 1.2, x.x(days(line.Points[i-1].Date)), y(*line.Points[i-1].Ground), x.x(days(p.Date)), y(*p.Ground))
			}
			if p.Overall != nil && *p.Overall != *p.Ground {
				sheet.Mark(3, ink, 3.2, x.x(days(p.Date)), y(*p.Ground))
				sheet.Mark(0, ink, 3.2, x.x(days(p.Date)), y(*p.Overall))
			} else {
				sheet.Mark(0, ink, 3.2, x.x(days(p.Date)), y(*p.Ground))
			}
		}
		if p := line.Points[len(line.Points)-1]; p.Overall != nil {
			labels = append(labels, label{x.x(days(p.Date)), y(*p.Overall), n % 8, l.Name(line.Edition)})
		}
	}
	slices.SortFunc(labels, func(a, b label) int { return cmp.Compare(a.y, b.y) })
	above := vg.Length(-100)
	for _, one := range labels { // none on top of another
		above = max(one.y, above+12)
		sheet.Line(sheet.Scheme.Sections[one.hue], 0.5, one.x+4, one.y, end+10, above)
		sheet.Text(end+13, above, smallSize, sheet.Scheme.Ink, figure.Left, one.name)
	}
}

func days(date string) float64 {
	t, err := time.Parse(time.DateOnly, date)
	if err != nil {
		return 0 // dates were checked when they were written down
	}
	return float64(t.Unix()) / 86400
}

func yearOf(days float64) int { return time.Unix(int64(days*86400), 0).UTC().Year() }

// steadinessFigure shows in which share of shaken rankings an edition came to which
// rank, as a strip for each.
func (l *layout) steadinessFigure(v *reporting.View) *Figure {
	st := &v.Steadiness
	places := v.Ranking.Ranking
	ranks := len(places)
	shares := map[string][]float64{}
	for _, e := range st.Editions {
		shares[e.Edition] = e.Ranks
	}
	says := make([]string, len(places))
	for i, p := range places {
		var by []string
		for rank, x := range shares[p.Edition] {
			if x >= 0.005 {
				by = append(by, fmt.Sprintf("rank %d in %s", rank+1, share(x)))
			}
		}
		says[i] = l.Name(p.Edition) + ": " + strings.Join(by, ", ")
	}
	return &Figure{
		Key: keyFor("steadiness", v), Title: "How often each edition comes to each rank, for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(places)) + 20 },
		Alt: "Shares of ranks when weights are shaken. " + strings.Join(says, "; "), Foot: "A column for each rank; the fuller its cell, the more often. Figures in percent, from one percent up.",
		draw: func(sheet *figure.Sheet, f frame) {
			const cell = vg.Length(21)
			wide := min((f.wide-f.names)/vg.Length(max(ranks, 1)), 44)
			for rank := range ranks {
				sheet.Text(f.names+wide*(vg.Length(rank)+0.5), 7, smallSize, sheet.Scheme.Soft, figure.Middle, fmt.Sprint(rank+1))
			}
			for i, p := range places {
				top := 16 + f.rows(i) + f.mark - cell/2
				sheet.Text(0, 16+f.rows(i)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.Name(p.Edition))
				for rank, x := range shares[p.Edition] {
					left := f.names + wide*vg.Length(rank) + 1
					sheet.Box(sheet.Scheme.Wash, left, top+1, wide-2, cell-2)
					if x >= 0.005 {
						full := (cell - 2) * vg.Length(x)
						sheet.Box(sheet.Scheme.Rule, left, top+cell-1-full, wide-2, full)
					}
					if x >= 0.01 && wide >= 14 {
						sheet.Text(left+wide/2-1, top+cell/2, smallSize, sheet.Scheme.Ink, figure.Middle, fmt.Sprint(math.Round(100*x)))
					}
				}
			}
		},
	}
}

// Ranking draws the ranking of the first of a result's views.
func Ranking(r *reporting.Results) *Figure {
	l := layout{Document: &Document{}, Results: r}
	return l.rankingFigure(&r.Views[0])
}
