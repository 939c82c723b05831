package answers

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Line is an edition line: the same edition through successive releases.
type Line struct {
	Distribution string
	Line         string
	Releases     []OnLine // oldest first
}

// OnLine is one release on a line.
type OnLine struct {
	Place      catalogue.Place
	Edition    string
	Checklists []string // checklist versions of its accepted reviews, oldest first
}

// History is a line with the changes from release to release.
type History struct {
	Line
	State       *ledger.Records
	List        *checklist.Checklist // the checklist version for which the line is drawn
	Query       Query
	Audience    checklist.Audience
	Points      []LinePoint            // those with an accepted review on any version, oldest first
	Successions []comparing.Succession // each compared with the accepted release before it
}

// LinePoint is the score of one release of a line: on its own checklist version, and on the common ground of that and
// the version for which the line is drawn.
type LinePoint struct {
	Edition   string
	Date      string // date of the release
	Checklist string
	Overall   *float64
	Ground    *float64
	Common    int // criteria of the common ground; of the version itself if it is the same
}

// Lines lists the edition lines of the catalogue that have an accepted review.
func (s *Service) Lines(ctx context.Context, after int64) ([]Line, *ledger.Records, error) {
	state, err := s.ledger.State(ctx, after)
	if err != nil {
		return nil, nil, err
	}
	return linesOf(state), state, nil
}

func linesOf(state *ledger.Records) []Line {
	byKey := map[string]*Line{}
	var keys []string
	for _, p := range catalogue.Places(state.Catalogue.Distributions) {
		key := p.Distribution.Key + "/" + p.Line()
		if byKey[key] == nil {
			byKey[key] = &Line{Distribution: p.Distribution.Key, Line: p.Line()}
			keys = append(keys, key)
		}
		byKey[key].Releases = append(
			byKey[key].Releases, OnLine{Place: p, Edition: p.Key(), Checklists: state.AcceptedVersions(p.Key())},
		)
	}
	slices.Sort(keys)
	lines := []Line{}
	for _, key := range keys {
		l := byKey[key]
		slices.SortStableFunc(l.Releases, func(a, b OnLine) int {
			return cmp.Or(
				strings.Compare(a.Place.Release.Date, b.Place.Release.Date),
				comparing.CompareVersions(a.Place.Release.Version, b.Place.Release.Version),
			)
		})
		if slices.ContainsFunc(l.Releases, func(r OnLine) bool { return len(r.Checklists) > 0 }) {
			lines = append(lines, *l)
		}
	}
	return lines
}

// History returns the changes of an edition line from release to release. Each release is shown on the newest
// checklist version of its reviews; the line of scores is drawn on that, and on the common ground with the query's
// version.
func (s *Service) History(ctx context.Context, q Query, distribution, line string) (*History, error) {
	state, err := s.stateFor(ctx, &q)
	if err != nil {
		return nil, err
	}
	distribution = state.Catalogue.Resolve(distribution)
	lines := linesOf(state)
	i := slices.IndexFunc(lines, func(l Line) bool { return l.Distribution == distribution && l.Line == line })
	if i < 0 {
		return nil, problem.New(
			problem.NotFound, "there is no edition line %s/%s with an accepted review", distribution, line,
		)
	}
	name := "history of " + distribution + "/" + line + q.String()
	return ledger.Remember(ctx, state, name, func(ctx context.Context) (*History, error) {
		h := &History{
			Line:        lines[i],
			State:       state,
			Query:       q,
			Points:      []LinePoint{},
			Successions: []comparing.Succession{},
		}
		if h.List, h.Audience, err = q.resolve(state); err != nil {
			return nil, err
		}
		return h, s.follow(ctx, h)
	})
}

// follow adds each release of the line in turn.
func (s *Service) follow(ctx context.Context, h *History) error {
	var before *comparing.Side
	for _, r := range h.Releases {
		name := newestOf(r.Checklists, h.List.Key)
		if name == "" {
			continue
		}
		here, err := s.side(ctx, h, r.Edition, name)
		if err != nil {
			return err
		}
		if before != nil {
			succession, err := comparing.SucceedOn(*before, here, func(a, b *checklist.Checklist) (comparing.Ground, error) {
				return h.ground(ctx, a, b)
			})
			if err != nil {
				return err
			}
			h.Successions = append(h.Successions, succession)
		}
		before = &here
		point, err := h.point(ctx, r, here)
		if err != nil {
			return err
		}
		h.Points = append(h.Points, point)
	}
	return nil
}

// newestOf returns the newest of the versions of one checklist; versions are ordered oldest first.
func newestOf(names []string, key string) string {
	for _, name := range slices.Backward(names) {
		if strings.HasPrefix(name, key+"@") {
			return name
		}
	}
	return ""
}

// side returns an edition on a checklist version. If the version does not have the audience, its own weights apply.
func (s *Service) side(ctx context.Context, h *History, edition, name string) (comparing.Side, error) {
	q := h.Query
	q.Checklist, q.Group, q.Weights = name, catalogue.Group{}, Weights{}
	r, err := s.Rank(ctx, q)
	if q.Audience != "" && problem.IsKind(err, problem.NotFound) {
		q.Audience = ""
		r, err = s.Rank(ctx, q)
	}
	if err != nil {
		return comparing.Side{}, err
	}
	card, ok := r.Card(edition)
	if !ok {
		return comparing.Side{}, problem.New(problem.NotFound, "%s has no accepted review on %s", edition, name)
	}
	chain, err := s.ledger.Recorded(ctx, r.State.Chain(r.Table.Own(r.Table.Row(edition)).Review))
	return comparing.Side{
		Table:   r.Table,
		Card:    card,
		Edition: edition,
		Reviews: chain,
		Ground:  card.Overall,
	}, err
}

// ground scores what two versions have in common, weighted by the newer one.
func (h *History) ground(ctx context.Context, a, b *checklist.Checklist) (comparing.Ground, error) {
	if a.Version > b.Version {
		a, b = b, a
	}
	audience := h.Query.Audience
	if _, ok := b.Audience(audience); !ok {
		audience = ""
	}
	return ledger.Remember(
		ctx,
		h.State,
		"ground of "+a.Name()+" "+b.Name()+" "+audience,
		func(context.Context) (comparing.Ground, error) {
			g, err := comparing.CommonGround(h.State.Input(b), a, b, scoring.Options{Audience: audience})
			return g, refused(err)
		},
	)
}

// point returns one release on the line of scores.
func (h *History) point(ctx context.Context, r OnLine, side comparing.Side) (LinePoint, error) {
	list := side.Table.Checklist
	p := LinePoint{
		Edition:   r.Edition,
		Date:      r.Place.Release.Date,
		Checklist: list.Name(),
		Overall:   side.Card.Overall,
		Ground:    side.Card.Overall,
	}
	for _, c := range side.Table.Criteria {
		if c.Scored() {
			p.Common++
		}
	}
	if list.Name() == h.List.Name() {
		return p, nil
	}
	g, err := h.ground(ctx, list, h.List)
	p.Ground, p.Common = g.Of(r.Edition, list.Name()), len(g.Criteria)
	return p, err
}
