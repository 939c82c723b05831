package reporting

import (
	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/quality"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// liner follows editions back along their lines.
type liner struct {
	bundle  *bundle.Bundle
	results *Results
	byID    map[string]*reading.Review
	tables  map[string]*scoring.Table // tables of all accepted reviews, by checklist version
	grounds map[string]comparing.Ground
}

func (l *liner) lines() error {
	earlier := quality.LinesOf(l.bundle.Distributions)
	for _, e := range l.results.Editions {
		line := Line{Edition: e}
		var before *comparing.Side
		for _, release := range append(earlier[e], e) {
			side, ok := l.side(release, release == e)
			if !ok {
				continue
			}
			point, err := l.point(side)
			if err != nil {
				return err
			}
			line.Points = append(line.Points, point)
			if release == e && before != nil {
				if line.Succession, err = comparing.SucceedOn(*before, side, l.ground); err != nil {
					return err
				}
				l.results.Lines = append(l.results.Lines, line)
			}
			before = &side
		}
	}
	return nil
}

// side returns a release on the newest checklist version of its reviews; the edition that is reported on uses the
// report's version.
func (l *liner) side(edition string, itself bool) (comparing.Side, bool) {
	list := l.results.List
	for i := range l.bundle.Checklists {
		c := &l.bundle.Checklists[i]
		if !itself && c.Key == list.Key && c.Version < list.Version && l.hasAcceptedReview(edition, c) &&
			!l.hasAcceptedReview(edition, list) {
			list = c
		}
	}
	t := l.table(list)
	e := t.Row(edition)
	if e < 0 {
		return comparing.Side{}, false
	}
	audience, ok := list.Audience(l.results.Views[0].Audience.Key)
	if !ok {
		audience = checklist.Audience{}
	}
	card := t.Scorecard(e, audience)
	return comparing.Side{
		Table:   t,
		Card:    &card,
		Edition: edition,
		Reviews: reading.Chain(t.Own(e).Review, l.byID),
		Ground:  card.Overall,
	}, true
}

func (l *liner) hasAcceptedReview(edition string, c *checklist.Checklist) bool {
	for _, e := range l.table(c).Editions {
		if e == edition {
			return true
		}
	}
	return false
}

func (l *liner) table(c *checklist.Checklist) *scoring.Table {
	t := l.tables[c.Name()]
	if t == nil {
		t = scoring.Tabulate(l.bundle.Input(c), scoring.Options{CommonRigs: l.results.CommonRigs, Rigs: l.results.Rigs})
		l.tables[c.Name()] = t
	}
	return t
}

// point returns one release on the line of scores.
func (l *liner) point(s comparing.Side) (LinePoint, error) {
	own := s.Table.Checklist
	p := LinePoint{Edition: s.Edition, Checklist: own.Name(), Overall: s.Card.Overall, Ground: s.Card.Overall}
	p.Date = l.results.Places[s.Edition].Release.Date
	if own.Name() == l.results.List.Name() {
		return p, nil
	}
	g, err := l.ground(own, l.results.List)
	p.Ground = g.Of(s.Edition, own.Name())
	return p, err
}

// ground returns what two versions have in common, weighted by the newer one.
func (l *liner) ground(older, newer *checklist.Checklist) (comparing.Ground, error) {
	name := older.Name() + " " + newer.Name()
	if g, ok := l.grounds[name]; ok {
		return g, nil
	}
	audience := l.results.Views[0].Audience.Key
	if _, ok := newer.Audience(audience); !ok {
		audience = ""
	}
	g, err := comparing.CommonGround(
		l.bundle.Input(newer),
		older,
		newer,
		scoring.Options{Audience: audience, CommonRigs: l.results.CommonRigs, Rigs: l.results.Rigs},
	)
	l.grounds[name] = g
	return g, err
}
