package quality

import (
	"math"
	"math/rand/v2"
	"testing"

	"dappertally/core/reading"
)

// A field gives the same results as examining each of the others.
func TestFieldOfOthers(t *testing.T) {
	random := rand.New(rand.NewPCG(3, 4))
	for round := range 400 {
		var values []float64
		for range 2 + random.IntN(12) {
			v := math.Round(10*math.Exp(random.NormFloat64())) / 10 // with ties, and some that are not positive
			if random.IntN(8) == 0 {
				v = -v
			}
			values = append(values, v)
		}
		var all field
		for _, v := range values {
			all.add(v)
		}
		all.sort()
		for own, value := range values {
			var logs []float64
			for edition, v := range values {
				if edition != own && v > 0 {
					logs = append(logs, math.Log(v))
				}
			}
			others := all.without(value)
			if others.len() != len(logs) {
				t.Fatalf("round %d: %d others of %v without %v, not %d", round, others.len(), values, value, len(logs))
			}
			if len(logs) == 0 {
				continue
			}
			m := reading.Median(logs)
			if got := others.median(); got != m {
				t.Fatalf("round %d: median %v of %v without %v, not %v", round, got, values, value, m)
			}
			if got, want := others.mad(m), reading.MAD(logs, m); got != want {
				t.Fatalf("round %d: deviation %v of %v without %v, not %v", round, got, values, value, want)
			}
		}
	}
}
