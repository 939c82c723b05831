package ranking

import (
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Winners is which ranked editions are best in each section and criterion.
type Winners struct {
	Sections []Winner        `json:"sections"` // in the checklist's order
	Criteria []Winner        `json:"criteria"` // scored ones, in the checklist's order
	Wins     map[string]Wins `json:"-"`        // of criteria, by edition
}

// Winner is the editions with the most points: several if they tie, none if no ranked edition has points.
type Winner struct {
	Key      string   `json:"key"`
	Points   *float64 `json:"points"`
	Editions []string `json:"editions"`
	// Those of them whose points rest on estimated rigs; only for criteria.
	Estimated []string `json:"estimated,omitempty"`
}

// Wins counts the criteria in which an edition has the most points of all ranked.
type Wins struct {
	Alone  int `json:"alone"`
	Shared int `json:"shared"` // of these, shared with others
}

// WinnersOf finds the winners among the ranked editions. A criterion in which all editions that answered it are equal
// counts for nobody.
func WinnersOf(points *scoring.Columns, a checklist.Audience, r *Ranking) Winners {
	w := Winners{Sections: []Winner{}, Criteria: []Winner{}, Wins: map[string]Wins{}}
	places := r.places()
	var ranked []int
	for e, edition := range points.Editions {
		if _, ok := places[edition]; ok {
			ranked = append(ranked, e)
		}
	}
	scores := points.Score(a, true)
	for s := range points.Checklist.Sections {
		winner, _ := best(points, ranked, func(e int) (float64, bool) {
			x := scores.Sections[s][e]
			return x, !math.IsNaN(x)
		})
		winner.Key = points.Checklist.Sections[s].Key
		w.Sections = append(w.Sections, winner)
	}
	for i, c := range points.Criteria {
		if !c.Scored() {
			continue
		}
		winner, told := best(points, ranked, func(e int) (float64, bool) { return points.Points(i, e) })
		winner.Key = c.Key
		for _, e := range ranked {
			if points.Estimated(i, e) && slices.Contains(winner.Editions, points.Editions[e]) {
				winner.Estimated = append(winner.Estimated, points.Editions[e])
			}
		}
		w.Criteria = append(w.Criteria, winner)
		for _, edition := range winner.Editions {
			wins := w.Wins[edition]
			switch {
			case !told:
			case len(winner.Editions) == 1:
				wins.Alone++
			default:
				wins.Shared++
			}
			w.Wins[edition] = wins
		}
	}
	return w
}

// best returns the editions with the most points; told is false if all editions with points are equal.
func best(points *scoring.Columns, editions []int, of func(e int) (float64, bool)) (w Winner, told bool) {
	w.Editions = []string{}
	have := 0
	for _, e := range editions {
		x, ok := of(e)
		if !ok {
			continue
		}
		have++
		switch {
		case w.Points == nil || x > *w.Points+scoring.Slack:
			w.Points, w.Editions = &x, []string{points.Editions[e]}
		case x >= *w.Points-scoring.Slack:
			w.Editions = append(w.Editions, points.Editions[e])
		}
	}
	return w, len(w.Editions) < have
}
