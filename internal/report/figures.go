package report

import (
	"fmt"
	"math"
	"strings"

	"gonum.org/v1/plot/vg"

	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/internal/figure"
)

const (
	labelSize = vg.Length(10)
	smallSize = vg.Length(9)
)

// frame is how the rows of a figure are laid out: with their names beside them, or on a phone above them.
type frame struct {
	wide  vg.Length // width of the whole
	names vg.Length // width of the names at the left
	row   vg.Length // height of a row
	label vg.Length // from the row's top to the baseline of its name
	mark  vg.Length // from the row's top to the middle of the drawing
}

var (
	broad = frame{wide: 500, names: 178, row: 21, label: 10.5, mark: 10.5}
	slim  = frame{wide: 330, row: 35, label: 9, mark: 24}
)

// rows returns the height of n rows.
func (f *frame) rows(n int) vg.Length { return vg.Length(n) * f.row }

// beside returns the frame with another width for names, if these are beside their rows.
func (f frame) beside(names vg.Length) frame {
	if f.names > 0 {
		f.names = names
	}
	return f
}

// scale maps values from least to most to a horizontal range.
type scale struct {
	left, width vg.Length
	least, most float64
}

func (s scale) x(v float64) vg.Length {
	v = min(max(v, s.least), s.most)
	return s.left + s.width*vg.Length((v-s.least)/(s.most-s.least))
}

// hundred draws the axis of a scale from 0 to 100.
func hundred(sheet *figure.Sheet, s scale, top, foot vg.Length) {
	for _, v := range []float64{0, 25, 50, 75, 100} {
		sheet.Line(sheet.Scheme.Rule, 0.6, s.x(v), top, s.x(v), foot)
		sheet.Text(s.x(v), foot+9, smallSize, sheet.Scheme.Soft, figure.Middle, fmt.Sprint(v))
	}
}

// rangeBar draws the possible range of a score; nothing if it is not known.
func rangeBar(sheet *figure.Sheet, s scale, low, high *float64, y vg.Length) {
	if low != nil && high != nil {
		sheet.Line(sheet.Scheme.Accent, 3.5, s.x(*low), y, s.x(*high), y)
	}
}

// withRange formats a score with its possible range, if that is not the score itself.
func withRange(score, low, high *float64) string {
	said := oneDecimal(score)
	if x := between(low, high); score != nil && x != said {
		said += " (possible " + x + ")"
	}
	return said
}

// rankingFigure shows scores as dots and the possible range as a bar through each.
func (l *layout) rankingFigure(v *reporting.View) *Figure {
	places := v.Ranking.Ranking
	says := make([]string, len(places))
	for i, p := range places {
		c := v.Card(p.Edition)
		says[i] = l.Name(p.Edition) + " " + withRange(c.Overall, c.Low, c.High)
	}
	return &Figure{
		Key: keyFor(
			"ranking", v,
		), Title: "Ranking for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(places)) + 22 },
		Alt:  "Scores from 0 to 100 with their possible ranges, best first: " + strings.Join(says, "; "),
		Foot: "Dot: the score. Bar: how low and how high it can still become while criteria are untested.",
		draw: func(sheet *figure.Sheet, f frame) {
			s := scale{f.names + 4, f.wide - f.names - 16, 0, 100}
			hundred(sheet, s, 0, f.rows(len(places)))
			for i, p := range places {
				c := v.Card(p.Edition)
				y := f.rows(i) + f.mark
				sheet.Text(0, f.rows(i)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.Name(p.Edition))
				sheet.Line(sheet.Scheme.Rule, 0.7, s.x(0), y, s.x(100), y)
				rangeBar(sheet, s, c.Low, c.High, y)
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

// keyFor returns the key of a figure that exists once for each audience.
func keyFor(name string, v *reporting.View) string {
	if v.Audience.Key == "" {
		return name
	}
	return name + "-" + v.Audience.Key
}

// sectionsFigure shows the scores of each section in a separate column.
func (l *layout) sectionsFigure(v *reporting.View, order []string) *Figure {
	n := vg.Length(len(l.List.Sections))
	var says []string
	for _, e := range order {
		var by []string
		for i, s := range v.Card(e).Sections {
			by = append(by, l.sectionTitle(l.List.Sections[i].Key)+" "+withRange(s.Score, s.Low, s.High))
		}
		says = append(says, l.Name(e)+": "+strings.Join(by, ", "))
	}
	return &Figure{
		Key: "sections", Title: "Scores by section for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(order)) + 22 },
		Alt: "Scores by section, each from 0 to 100. " + strings.Join(
			says, "; ",
		), Foot: "Each column is a section, from 0 on its left to 100 on its right. Bar: how low and how high " +
			"the score can still become while criteria are untested.",
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
					rangeBar(sheet, s, x.Low, x.High, y)
					if x.Score != nil {
						sheet.Mark(0, sheet.Scheme.Sections[i%8], 3.6, s.x(*x.Score), y)
					}
					sheet.Text(s.left+s.width+6, y, smallSize, sheet.Scheme.Soft, figure.Left, oneDecimal(x.Score))
				}
			}
		},
	}
}

// contributionsFigure shows the parts of a difference as bars from a middle line.
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
		Alt: fmt.Sprintf(
			"Largest contributions to the %s points by which %s is ahead of %s: %s",
			oneDecimal(&e.Difference),
			l.Name(e.A),
			l.Name(e.B),
			strings.Join(says, "; "),
		),
		Foot: "To the right: in favour of " + l.Name(e.A) + ". To the left: in favour of " + l.Name(
			e.B,
		) + ". In points of the overall score.",
		draw: func(sheet *figure.Sheet, f frame) {
			f = f.beside(200)
			high := f.rows(len(shown))
			s := scale{f.names + 50, f.wide - f.names - 100, -most, most}
			sheet.Line(sheet.Scheme.Ink, 0.8, s.x(0), 0, s.x(0), high)
			for i, c := range shown {
				y := f.rows(i) + f.mark
				sheet.Text(0, f.rows(i)+f.label, labelSize, sheet.Scheme.Ink, figure.Left, l.criterion(c.Key))
				sheet.Box(
					sheet.Scheme.Sections[hue[c.Key]%8],
					min(s.x(0), s.x(c.Adds)),
					y-5,
					vg.Length(math.Abs(float64(s.x(c.Adds)-s.x(0)))),
					10,
				)
				if c.Adds >= 0 {
					sheet.Text(s.x(c.Adds)+5, y, smallSize, sheet.Scheme.Soft, figure.Left, signedTwo(c.Adds))
				} else {
					sheet.Text(s.x(c.Adds)-5, y, smallSize, sheet.Scheme.Soft, figure.Right, signedTwo(c.Adds))
				}
			}
			sheet.Text(
				s.x(0)-6, high+9, smallSize, sheet.Scheme.Soft, figure.Right, "for "+l.Places[e.B].Distribution.Name,
			)
			sheet.Text(
				s.x(0)+6, high+9, smallSize, sheet.Scheme.Soft, figure.Left, "for "+l.Places[e.A].Distribution.Name,
			)
		},
	}
}

// steadinessFigure shows the share of varied rankings in which an edition reached each rank, as a strip for each
// edition.
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
		Key: keyFor(
			"steadiness", v,
		), Title: "How often each edition takes each rank, for " + said(v.Audience), high: func(f frame) vg.Length { return f.rows(len(places)) + 20 },
		Alt: "Shares of ranks when the weights are varied at random. " + strings.Join(
			says, "; ",
		), Foot: "One column for each rank; the fuller its cell, the more often. Values in percent, from one " +
			"percent up.",
		draw: func(sheet *figure.Sheet, f frame) {
			const cell = vg.Length(21)
			wide := min((f.wide-f.names)/vg.Length(max(ranks, 1)), 44)
			for rank := range ranks {
				sheet.Text(
					f.names+wide*(vg.Length(rank)+0.5),
					7,
					smallSize,
					sheet.Scheme.Soft,
					figure.Middle,
					fmt.Sprint(rank+1),
				)
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
						sheet.Text(
							left+wide/2-1,
							top+cell/2,
							smallSize,
							sheet.Scheme.Ink,
							figure.Middle,
							fmt.Sprint(math.Round(100*x)),
						)
					}
				}
			}
		},
	}
}

// Ranking draws the ranking of a result's first view.
func Ranking(r *reporting.Results) *Figure {
	l := layout{Document: &Document{}, Results: r}
	return l.rankingFigure(&r.Views[0])
}
