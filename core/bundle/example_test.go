package bundle_test

import (
	"fmt"
	"strings"

	"dappertally/core/bundle"
)

// Parse reports all faults of a bundle, each with a JSON pointer to its place.
func ExampleParse() {
	_, err := bundle.Parse(
		strings.NewReader(`{"format": "dapper-tally/bundle", "version": 1, "rigs": [{"key": "bench-old"}]}`),
		1<<20,
	)
	fmt.Println(err)
	// Output:
	// /rigs/0/virtual: is missing
	// /checklists: is missing
	// /distributions: is missing
	// /reviews: is missing
}
