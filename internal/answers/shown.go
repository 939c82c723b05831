package answers

import (
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/scoring"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// Version finds a checklist version by key@version.
func Version(state *ledger.Records, name string) (*checklist.Checklist, error) {
	for i := range state.Checklists.Lists {
		if list := &state.Checklists.Lists[i]; list.Name() == name {
			return list, nil
		}
	}
	return nil, problem.New(problem.NotFound, "there is no checklist version %q", name)
}

// Shown returns the version for results: the requested one, or the one that the lead chose to show, or the newest in
// force.
func Shown(state *ledger.Records, name string) (*checklist.Checklist, error) {
	if !strings.Contains(name, "@") {
		if name == "" {
			name = leading(state)
		}
		if chosen := state.Checklists.Shown[name]; chosen > 0 {
			return Version(state, fmt.Sprintf("%s@%d", name, chosen))
		}
	}
	list, err := scoring.Newest(state.Checklists.Lists, name)
	if errors.Is(err, scoring.ErrNoChecklist) {
		return nil, problem.New(problem.NoChecklist, "no checklist is in force yet")
	}
	if err != nil {
		return nil, problem.New(problem.NotFound, "%s", err)
	}
	return list, nil
}

// leading returns the checklist with the most current reviews; the first by key if several are equal.
func leading(state *ledger.Records) string {
	current := state.CurrentCounts()
	best := ""
	for _, key := range slices.Sorted(maps.Keys(state.Checklists.Shown)) {
		if best == "" || current[key] > current[best] {
			best = key
		}
	}
	return best
}

// IsShown reports whether a version is the one shown by default.
func IsShown(state *ledger.Records, list *checklist.Checklist) bool {
	chosen, err := Shown(state, list.Key)
	return err == nil && chosen.Version == list.Version
}
