package checklists

import (
	"context"
	"fmt"
	"math"
	"slices"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Changeover is the progress of a newer version in force towards replacing the shown version.
type Changeover struct {
	Shown, Newer *checklist.Checklist
	Ranked       int     // editions ranked on the shown version
	Moved        int     // those of them with an accepted review on the newer one as well
	Share        float64 // of the ranked, 0–1, at which the newer version is shown automatically; 0: never
}

// Reached reports whether enough editions have a review on the newer version for it to be shown.
func (s *Changeover) Reached() bool {
	return s.Share > 0 && s.Moved > 0 && float64(s.Moved) >= s.Share*float64(s.Ranked)-scoring.Slack
}

// ChangeoverOf returns the progress of the newest version in force of a checklist; nil if it is the shown one.
func ChangeoverOf(ctx context.Context, state *ledger.Records, key string) (*Changeover, error) {
	return ledger.Remember(ctx, state, "changeover of "+key, func(ctx context.Context) (*Changeover, error) {
		shown, err := answers.Shown(state, key)
		if err != nil {
			return nil, err
		}
		newest, err := scoring.Newest(state.Checklists.Lists, key)
		if err != nil || newest.Version <= shown.Version {
			return nil, nil
		}
		q := answers.Query{Checklist: shown.Name()}
		r, err := q.Result(ctx, state)
		if err != nil {
			return nil, err
		}
		s := &Changeover{
			Shown:  shown,
			Newer:  newest,
			Ranked: len(r.Ranking.Ranking),
			Share:  state.Checklists.ShowShare[key],
		}
		on := map[string]bool{}
		for _, x := range state.Input(newest).Reviews {
			if x.Checklist == newest.Name() && x.State == reading.Accepted {
				on[x.Edition] = true
			}
		}
		for _, p := range r.Ranking.Ranking {
			if on[p.Edition] {
				s.Moved++
			}
		}
		if s.Ranked == 0 { // without any edition to wait for, one on the newer version is enough
			s.Ranked, s.Moved = len(on), len(on)
		}
		return s, nil
	})
}

// KeepShown keeps the shown version when a newer one comes into force, since that one has no results yet. A version
// without results is not kept.
func KeepShown(tx *store.Tx, state *ledger.Records, newer *checklist.Checklist) error {
	if newer.State != checklist.InForce || state.Checklists.Shown[newer.Key] > 0 {
		return nil
	}
	current, err := scoring.Newest(state.Checklists.Lists, newer.Key)
	if err != nil || current.Version >= newer.Version {
		return nil // there is none, or it stays the newest
	}
	stands := slices.ContainsFunc(
		state.Input(current).Reviews, func(r reading.Review) bool { return r.Checklist == current.Name() },
	)
	if !stands {
		return nil
	}
	return show(tx, newer.Key, current.Version, state.Checklists.ShowShare[newer.Key])
}

// show sets the version that is shown, and logs it.
func show(tx *store.Tx, key string, number int, share float64) error {
	if err := tx.Show(key, number, share); err != nil {
		return err
	}
	return tx.Log("shown", store.SortChecklist, key, fmt.Sprint(number))
}

// Succeed shows the newest version in force if the announced share of the ranked editions has a review on it. It is
// called after reviews were accepted; an error does not undo them, and the next acceptance tries again. It returns
// the number of the newest change.
func (s *Service) Succeed(ctx context.Context, who *access.Actor, key string, change int64) int64 {
	state, err := s.ledger.Latest(ctx)
	var shown int64
	if err == nil {
		shown, err = s.succeedOn(ctx, who, state, key)
	}
	if err != nil {
		s.ledger.Log.WarnContext(ctx, "the shown version stays for now", "checklist", key, "error", err)
	}
	return max(change, shown)
}

func (s *Service) succeedOn(ctx context.Context, who *access.Actor, state *ledger.Records, key string) (int64, error) {
	next, err := ChangeoverOf(ctx, state, key)
	if err != nil || next == nil || !next.Reached() {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		shown, err := tx.ShownNow(key)
		if err != nil {
			return err
		}
		if shown != next.Shown.Version {
			return problem.New(problem.Conflict, "somebody else changed the shown version")
		}
		return show(tx, key, next.Newer.Version, 0)
	})
}

// Show sets the version that is shown by default; 0 stands for the newest in force. share is the share of the ranked
// editions, 0–1, that must have a review on the newest version in force for it to be shown automatically; 0 leaves
// that to a lead.
func (s *Service) Show(ctx context.Context, who *access.Actor, key string, number int, share float64) (int64, error) {
	if err := who.Permit(EditChecklist); err != nil {
		return 0, err
	}
	if math.IsNaN(share) || share < 0 || share > 1 {
		return 0, problem.Field("/share", "must be between 0 and 1, not %v", share)
	}
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return 0, err
	}
	if _, known := state.Checklists.Shown[key]; !known {
		return 0, problem.New(problem.NotFound, "there is no checklist %q", key)
	}
	if number > 0 {
		list, err := answers.Version(state, fmt.Sprintf("%s@%d", key, number))
		if err != nil {
			return 0, err
		}
		if list.State == checklist.Draft {
			return 0, problem.New(
				problem.Conflict, "%s is a draft without results to show", list.Name(),
			)
		}
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error { return show(tx, key, number, share) })
	if err == nil {
		change = s.Succeed(ctx, who, key, change)
	}
	return change, err
}
