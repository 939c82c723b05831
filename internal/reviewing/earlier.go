package reviewing

import (
	"cmp"
	"context"
	"slices"

	"dappertally/core/catalogue"
	"dappertally/core/comparing"
	"dappertally/core/reading"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
)

// EarlierFinding is a finding of an earlier review of the same edition line.
type EarlierFinding struct {
	Finding reading.Finding
	Edition string // edition of its review
	Review  string
	// FollowedBy is the finding in this review that follows it up; empty if none does yet.
	FollowedBy string
}

// Unfollowed returns the current findings for the release before, along the edition's line, and what this review says
// about each, without those that were found to be fixed there.
func (s *Service) Unfollowed(ctx context.Context, who *access.Actor, review string) ([]EarlierFinding, error) {
	r, err := s.Review(ctx, who, review)
	if err != nil {
		return nil, err
	}
	state, err := s.ledger.State(ctx, 0)
	if err != nil {
		return nil, err
	}
	here, err := s.Entries(ctx, who, review)
	if err != nil {
		return nil, err
	}
	followed := map[string]string{}
	for _, e := range here {
		if e.Finding != nil && e.Finding.Follows != "" {
			followed[e.Finding.Follows] = e.Finding.ID
		}
	}
	out := []EarlierFinding{}
	before := state.Previous(r.Edition)
	if before == nil {
		return out, nil
	}
	whole, err := s.ledger.Recorded(ctx, []*reading.Review{before})
	if err != nil {
		return nil, err
	}
	for _, f := range whole[0].Findings {
		if f.Fate != "fixed" {
			out = append(out, EarlierFinding{f, before.Edition, before.ID, followed[f.ID]})
		}
	}
	return out, nil
}

// Fate is what became of a finding in a later release.
type Fate struct {
	Edition string
	Fate    string
}

// Fates returns, by the id of a finding, what became of it in later releases according to accepted reviews, including
// chains of follow-ups.
func Fates(state *ledger.Records) map[string][]Fate {
	return ledger.Known(
		state,
		"fates of findings",
		func() map[string][]Fate {
			fates := map[string][]Fate{}
			follows := map[string]string{}
			all := state.Follows()
			for _, f := range all {
				follows[f.ID] = f.Follows
			}
			for _, f := range all {
				id := f.Follows
				for seen := 0; id != "" && seen < 100; seen++ {
					fates[id] = append(fates[id], Fate{f.Edition, f.Fate})
					id = follows[id]
				}
			}
			return fates
		},
	)
}

// Beside is the context that a reviewer sees next to an entry field.
type Beside struct {
	Edition  string            // of the release before on the line; empty: none was reviewed
	Review   string            // its accepted review
	Readings []reading.Reading // its current ones
	Records  []comparing.Records
}

// Beside returns the results of the release before, and the current records.
func (s *Service) Beside(ctx context.Context, who *access.Actor, review string) (Beside, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return Beside{}, err
	}
	r, err := s.Review(ctx, who, review)
	if err != nil {
		return Beside{}, err
	}
	state, err := s.ledger.State(ctx, 0)
	if err != nil {
		return Beside{}, err
	}
	out := Beside{Readings: []reading.Reading{}}
	if before := state.Previous(r.Edition); before != nil {
		out.Edition, out.Review, out.Readings = before.Edition, before.ID, state.Usable(before)
	}
	out.Records, err = answers.RecordsOf(ctx, state)
	return out, err
}

// PreRelease reports whether an edition belongs to a pre-release, and returns the edition of the final release that
// replaced it, if it is out.
func PreRelease(state *ledger.Records, edition string) (pre bool, final string) {
	p, ok := state.Place(edition)
	if !ok || p.Release.Stage != "pre-release" {
		return false, ""
	}
	line := cmp.Or(p.Edition.Line, p.Edition.Key)
	for _, r := range p.Distribution.Releases {
		if r.Stage == "pre-release" || !slices.Contains(r.Replaces, p.Release.Version) {
			continue
		}
		for _, e := range r.Editions {
			if cmp.Or(e.Line, e.Key) == line {
				final = catalogue.EditionKey(p.Distribution.Key, r.Version, e.Key)
			}
		}
	}
	return true, final
}
