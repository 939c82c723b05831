package front

import (
	"fmt"
	"io"
	"math"

	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"

	"dappertally/internal/figure"
	"dappertally/internal/numerals"
)

// A picture for link previews has 1200 by 630 pixels, the usual proportions.
const (
	pictureWide vg.Length = 900 // in points
	pictureHigh vg.Length = 472.5
	pictureDPI            = 96
	margin      vg.Length = 48
)

// inPicture is how many entries of a ranking are drawn.
const inPicture = 6

// RankingPicture draws the first of a ranking as a PNG.
func RankingPicture(w io.Writer, r *Ranking, team string) error {
	return picture(w, func(s *figure.Sheet) {
		c := s.Scheme
		heading(s, r.Title, fmt.Sprintf("%s · %s ranked · %s", r.Checklist, numerals.Count(r.Count, "edition"), team))
		const first, row = 168, 46
		for i, e := range r.Entries[:min(len(r.Entries), inPicture)] {
			y := vg.Length(first + row*i)
			s.Text(margin+44, y, 24, c.Ink, figure.Right, fmt.Sprint(e.Rank))
			s.Line(c.Accent, 1.5, margin+58, y-row/2, margin+58, y+row/2)
			s.Text(margin+74, y, 22, c.Ink, figure.Left, cut(e.Distribution+" "+e.Release+" "+e.Edition, 38))
			bar(s, margin+500, y, 220, e.Overall, -1)
			s.Text(pictureWide-margin, y, 22, c.Ink, figure.Right, numerals.Score(e.Overall))
		}
	})
}

// ScorecardPicture draws an edition's score and its sections as a PNG.
func ScorecardPicture(w io.Writer, card *Scorecard, team string) error {
	return picture(w, func(s *figure.Sheet) {
		c := s.Scheme
		standing := "not ranked"
		if card.Rank > 0 {
			standing = fmt.Sprintf("rank %d of %d", card.Rank, card.Ranked)
		}
		heading(s, cut(card.Distribution+" "+card.Release+" "+card.Edition, 42), card.Checklist+" · "+standing+" · "+team)
		s.Text(margin, 230, 84, c.Ink, figure.Left, numerals.Score(card.Overall))
		s.Text(margin, 300, 18, c.Soft, figure.Left, "of 100 points")
		shown := card.Sections[:min(len(card.Sections), 6)]
		for i, x := range shown {
			y := vg.Length(190 + 42*i)
			s.Text(margin+300, y, 20, c.Ink, figure.Left, cut(x.Title, 22))
			bar(s, margin+520, y, 200, x.Score, i)
			s.Text(pictureWide-margin, y, 20, c.Ink, figure.Right, numerals.Score(x.Score))
		}
	})
}

func picture(w io.Writer, paint func(*figure.Sheet)) error {
	canvas := vgimg.NewWith(vgimg.UseWH(pictureWide, pictureHigh), vgimg.UseDPI(pictureDPI))
	s := figure.NewSheet(draw.New(canvas), &figure.Light)
	s.Box(s.Scheme.Paper, 0, 0, pictureWide, pictureHigh)
	s.Box(s.Scheme.Accent, 0, 0, 9, pictureHigh)
	s.Text(pictureWide-margin, pictureHigh-30, 16, s.Scheme.Soft, figure.Right, "Dapper Tally")
	paint(s)
	if _, err := (vgimg.PngCanvas{Canvas: canvas}).WriteTo(w); err != nil {
		return fmt.Errorf("drawing a preview: %w", err)
	}
	return nil
}

func heading(s *figure.Sheet, title, below string) {
	s.Text(margin, 60, 36, s.Scheme.Ink, figure.Left, cut(title, 44))
	s.Text(margin, 104, 18, s.Scheme.Soft, figure.Left, cut(below, 88))
}

// bar draws a score from 0 to 100 as a bar, in the hue of a section; below 0 in ink.
func bar(s *figure.Sheet, x, y, wide vg.Length, score *float64, section int) {
	s.Box(s.Scheme.Wash, x, y-5, wide, 14)
	if score == nil {
		return
	}
	ink := s.Scheme.Ink
	if section >= 0 {
		ink = s.Scheme.Sections[section%len(s.Scheme.Sections)]
	}
	s.Box(ink, x, y-5, wide*vg.Length(math.Min(math.Max(*score, 0), 100)/100), 14)
}

// cut shortens a text to a number of letters.
func cut(text string, most int) string {
	letters := []rune(text)
	if len(letters) <= most {
		return text
	}
	return string(letters[:most-1]) + "…"
}
