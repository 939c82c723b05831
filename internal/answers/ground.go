package answers

import (
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/comparing"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
)

// ground is what a checklist version and earlier versions with accepted reviews ask and score in the same way.
type ground struct {
	whole *checklist.Checklist
	list  *checklist.Checklist   // the whole version, reduced to it
	older []*checklist.Checklist // the newest first
}

// groundOf finds the ground on which editions that only have an accepted review on an earlier version can be ranked
// with those of a version.
func groundOf(state *ledger.Records, list *checklist.Checklist) *ground {
	return ledger.Known(state, "ground below "+list.Name(), func() *ground {
		g := &ground{whole: list}
		on := map[string]bool{}
		for _, e := range elsewhere(state, list) {
			on[e.Checklist] = true
		}
		for i := range state.Checklists.Lists {
			if c := &state.Checklists.Lists[i]; on[c.Name()] && c.Version < list.Version {
				g.older = append(g.older, c)
			}
		}
		slices.SortFunc(g.older, func(a, b *checklist.Checklist) int { return b.Version - a.Version })
		reduced, _ := comparing.Reduced(list, g.older)
		g.list = &reduced
		return g
	})
}

// ground returns the ground of the query.
func (q *Query) ground(state *ledger.Records) (*ground, error) {
	whole, err := Shown(state, q.Checklist)
	if err != nil {
		return nil, err
	}
	return groundOf(state, whole), nil
}

// versions returns the whole checklist version and the older ones.
func (g *ground) versions() []*checklist.Checklist {
	return append([]*checklist.Checklist{g.whole}, g.older...)
}

func (g *ground) tabulate(state *ledger.Records, opts scoring.Options) *scoring.Table {
	return comparing.Together(state.Input(g.whole), g.list, g.whole, g.older, opts)
}

// Ground describes the ground on which a result ranks the editions of several versions; nil if it does not.
type Ground struct {
	Versions     []string // the newest first
	Criteria, Of int      // number of scored ones, and how many the newest version asks
}

// Ground returns the ground on which the result ranks the editions of several versions.
func (r *Result) Ground() *Ground {
	if !r.Query.Ground {
		return nil
	}
	g, err := r.Query.ground(r.State)
	if err != nil {
		return nil // the result rests on it, so it exists
	}
	out := &Ground{Criteria: scored(g.list), Of: scored(g.whole)}
	for _, v := range g.versions() {
		out.Versions = append(out.Versions, v.Name())
	}
	return out
}

func scored(list *checklist.Checklist) (n int) {
	for i := range list.Sections {
		for j := range list.Sections[i].Criteria {
			if list.Sections[i].Criteria[j].Scored() {
				n++
			}
		}
	}
	return n
}
