package comparing

import (
	"fmt"
	"math"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
)

// Ground holds the scores of the editions of two checklist versions on what both versions ask and score in the same
// way, weighted by the newer version.
type Ground struct {
	Older    string        `json:"older"`
	Newer    string        `json:"newer"`
	Criteria []string      `json:"criteria"` // in the newer version's order
	Scores   []GroundScore `json:"scores"`   // by checklist, then edition
}

// GroundScore is one edition's score on the common ground; nil if no weighted criterion of it is answered.
type GroundScore struct {
	Edition   string   `json:"edition"`
	Checklist string   `json:"checklist"`
	Score     *float64 `json:"score"`
}

// Of returns an edition's score with its current review on a checklist version; nil if it has none.
func (g *Ground) Of(edition, list string) *float64 {
	for _, x := range g.Scores {
		if x.Edition == edition && x.Checklist == list {
			return x.Score
		}
	}
	return nil
}

// CommonGround scores the editions with an accepted review on either version, with the weights of an audience of the
// newer version.
func CommonGround(in scoring.Input, older, newer *checklist.Checklist, opts scoring.Options) (Ground, error) {
	ground, keys := checklist.CommonGround(older, newer)
	audience, ok := newer.Audience(opts.Audience)
	if !ok {
		return Ground{}, fmt.Errorf("checklist %s has no audience %q", newer.Name(), opts.Audience)
	}
	g := Ground{Older: older.Name(), Newer: newer.Name(), Criteria: keys, Scores: []GroundScore{}}
	for _, table := range tablesOn(in, &ground, []*checklist.Checklist{older, newer}, opts) {
		scores := table.Columns().Score(audience, false)
		for e, edition := range table.Editions {
			x := GroundScore{Edition: edition, Checklist: table.ListOf(e)}
			if score := scores.Overall[e]; !math.IsNaN(score) {
				x.Score = &score
			}
			g.Scores = append(g.Scores, x)
		}
	}
	return g, nil
}

// tablesOn returns the points of the accepted editions of both versions, reduced to the common ground.
func tablesOn(
	in scoring.Input,
	ground *checklist.Checklist,
	versions []*checklist.Checklist,
	opts scoring.Options,
) []*scoring.Table {
	tables := make([]*scoring.Table, len(versions))
	for i, version := range versions {
		asked := *ground
		asked.Key, asked.Version = version.Key, version.Version
		in.Checklist = &asked
		tables[i] = scoring.Tabulate(in, opts)
	}
	return tables
}
