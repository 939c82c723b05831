package answers

import (
	"context"
	"slices"
	"sort"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/store"
)

// leads returns who led at each of the moments by following the field. ok is false if every moment needs a whole
// ranking: if the query selects some rigs, several versions together or the newest of each line, or if there are
// several checklists to choose from.
func (s *Service) leads(
	ctx context.Context, state *ledger.Records, q Query, moments []time.Time,
) (all []Reign, ok bool, err error) {
	special := q.CommonRigs || q.Ground || q.Rigs != nil || q.Classes != nil || q.Group.Newest || q.By != ranking.By{}
	if special || (q.Checklist == "" && len(state.Checklists.Shown) > 1) {
		return nil, false, nil
	}
	h, err := s.history(ctx, state)
	if err != nil {
		return nil, false, err
	}
	l := reigning{state: state, history: h, query: q, moments: moments, courses: map[string]*scoring.Course{}}
	if !q.Group.Empty() {
		if err := KnownGroup(state, &q.Group); err != nil {
			return nil, false, err
		}
		l.only = q.Group.Of(state.Places())
	}
	for from := 0; from < len(moments); {
		shown, to := l.shownFrom(from)
		reigns, ok, err := l.between(ctx, shown, from, to)
		if err != nil || !ok {
			return nil, ok, err
		}
		all = append(all, reigns...)
		from = to
	}
	return all, true, nil
}

// reigning follows who leads.
type reigning struct {
	state   *ledger.Records
	history *store.History
	query   Query
	moments []time.Time
	only    map[string]bool
	courses map[string]*scoring.Course // by checklist version; nil if it cannot be followed
	turns   []time.Time                // moments at which the version or audience can change; sorted
}

// shownAt returns what a ranking of a moment shows; nothing if there is no checklist.
type shownAt struct {
	list     *checklist.Checklist
	audience checklist.Audience
}

// shownFrom returns what rankings show from a moment on, and the next moment at which that can change.
func (l *reigning) shownFrom(from int) (shownAt, int) {
	if l.turns == nil {
		l.turns = l.history.Turns()
		for _, at := range l.state.Checklists.InForce {
			l.turns = append(l.turns, at)
		}
		slices.SortFunc(l.turns, time.Time.Compare)
	}
	at := l.moments[from]
	next := sort.Search(len(l.turns), func(i int) bool { return l.turns[i].After(at) })
	to := len(l.moments)
	if next < len(l.turns) {
		to = sort.Search(len(l.moments), func(i int) bool { return !l.moments[i].Before(l.turns[next]) })
	}
	q := l.query
	q.At = &at
	list, audience, err := q.resolve(l.state.Before(l.history.At(at)))
	if err != nil {
		return shownAt{}, to // the audience or the checklist did not exist yet
	}
	return shownAt{list, audience}, to
}

// between returns who led from one moment on and before another.
func (l *reigning) between(ctx context.Context, shown shownAt, from, to int) ([]Reign, bool, error) {
	all := make([]Reign, to-from)
	for n := range all {
		all[n].From = l.moments[from+n]
	}
	if shown.list == nil {
		return all, true, nil
	}
	course, err := l.course(shown.list)
	if err != nil || course == nil {
		return nil, false, err
	}
	leads, err := ranking.Leads(ctx, course, from, to, shown.audience, l.only)
	if err != nil {
		return nil, false, ledger.Failed(err, "looking for who led when")
	}
	for n, x := range leads {
		if x.Edition != "" {
			all[n].Edition, all[n].Checklist, all[n].Score, all[n].Shared = x.Edition, shown.list.Name(), x.Score, x.Shared
		}
	}
	return all, true, nil
}

func (l *reigning) course(list *checklist.Checklist) (*scoring.Course, error) {
	name := list.Name()
	if course, known := l.courses[name]; known {
		return course, nil
	}
	q := l.query
	q.Group = catalogue.Group{}
	opts, err := q.options(l.state, list)
	if err != nil {
		return nil, err
	}
	now, err := Version(l.state, name)
	if err != nil {
		return nil, err
	}
	in, stays := l.state.Stays(l.history, now, l.moments)
	course, ok := scoring.NewCourse(in, opts, stays, len(l.moments))
	if !ok {
		course = nil
	}
	l.courses[name] = course
	return course, nil
}
