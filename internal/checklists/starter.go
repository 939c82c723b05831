package checklists

import (
	"sync"

	"dappertally/core/bundle"
	"dappertally/core/checklist"
	"dappertally/internal/plainyaml"
	"dappertally/internal/schema"
)

var starter = sync.OnceValues(func() (checklist.Checklist, error) {
	var c checklist.Checklist
	data, err := plainyaml.ToJSON([]byte(schema.Starter))
	if err != nil {
		return c, err
	}
	return c, bundle.Decode(data, &c).Err()
})

// Starter returns the checklist that a team can begin with: a draft, with four sections and every kind of criterion.
func Starter() (checklist.Checklist, error) { return starter() }
