package reading_test

import (
	"fmt"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// The value of a reading is its runs in one number, by what the criterion asks for; a
// known offset of the method is taken off each run first.
func ExampleValue() {
	start := checklist.Criterion{Key: "cold-start", Kind: checklist.Measure, Unit: "s"}
	r := reading.Reading{Answer: reading.Answer{Runs: []float64{21.4, 20.6, 35.0}}}
	fmt.Println("median:", reading.Value(&r, &start))
	start.Runs.Summary = "best"
	start.Better = "lower"
	fmt.Println("best:", reading.Value(&r, &start))
	// Output:
	// median: 21.4
	// best: 20.6
}

// Runs of a quiet machine scatter little; a disturbed one is an outlier.
func ExampleSpread() {
	runs := []float64{20, 20.2, 20.4, 20.6, 31}
	spread, _ := reading.Spread(runs)
	fmt.Printf("scatter %.1f %%, outlying: %v\n", 100*spread, reading.Outlying(runs, 0.05))
	// Output: scatter 1.5 %, outlying: [4]
}
