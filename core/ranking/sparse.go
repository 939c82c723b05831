package ranking

// SparseSteadiness is Steadiness with only the ranks that each edition reached, which keeps it small for a large
// field.
type SparseSteadiness struct {
	Draws    int            `json:"draws"`
	Kappa    float64        `json:"kappa"`
	Vary     string         `json:"shake"`
	Seed     uint64         `json:"seed"`
	Editions []EditionRanks `json:"editions"` // by edition
	Beats    [][]*float64   `json:"beats"`    // as in Steadiness
}

// EditionRanks is the ranks that an edition reached.
type EditionRanks struct {
	Edition string  `json:"edition"`
	First   float64 `json:"first"` // share of draws in which it was first
	Low     int     `json:"low"`   // 5th percentile of its ranks
	High    int     `json:"high"`  // 95th
	Mean    float64 `json:"mean"`
	// Shares are by rank; a draw in which it tied counts in equal parts. From a thousand editions on, only the first
	// 500 of the ranking have shares; others have nil.
	Shares []RankShare `json:"shares"`
}

// RankShare is the share of draws in which an edition reached a rank.
type RankShare struct {
	Rank  int     `json:"rank"` // 1 is best
	Share float64 `json:"share"`
}

// AtLeast removes the shares below a bound.
func (r EditionRanks) AtLeast(share float64) EditionRanks {
	kept := []RankShare{}
	for _, x := range r.Shares {
		if x.Share >= share {
			kept = append(kept, x)
		}
	}
	r.Shares = kept
	return r
}

// Sparse returns the result without the ranks that an edition did not reach.
func (s *Steadiness) Sparse() SparseSteadiness {
	sparse := SparseSteadiness{
		Draws: s.Draws, Kappa: s.Kappa, Vary: s.Vary, Seed: s.Seed, Beats: s.Beats,
		Editions: make([]EditionRanks, len(s.Editions)),
	}
	for i, e := range s.Editions {
		r := EditionRanks{Edition: e.Edition, First: e.First, Low: e.Low, High: e.High, Shares: []RankShare{}}
		for n, share := range e.Ranks {
			if share > 0 {
				r.Shares = append(r.Shares, RankShare{n + 1, share})
				r.Mean += float64(n+1) * share
			}
		}
		sparse.Editions[i] = r
	}
	return sparse
}

// whole returns the result with all ranks.
func (s *SparseSteadiness) whole() Steadiness {
	whole := Steadiness{
		Draws: s.Draws, Kappa: s.Kappa, Vary: s.Vary, Seed: s.Seed, Beats: s.Beats,
		Editions: make([]EditionShares, len(s.Editions)),
	}
	for i, r := range s.Editions {
		whole.Editions[i] = r.whole(len(s.Editions))
	}
	return whole
}

// whole returns an edition's share of each of n ranks.
func (r EditionRanks) whole(ranks int) EditionShares {
	e := EditionShares{Edition: r.Edition, First: r.First, Low: r.Low, High: r.High, Ranks: make([]float64, ranks)}
	for _, x := range r.Shares {
		e.Ranks[x.Rank-1] = x.Share
	}
	return e
}
