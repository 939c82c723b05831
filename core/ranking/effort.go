package ranking

import "time"

// What one draw costs on one processor, measured on a server of 2024.
const (
	perWeight = 75 * time.Nanosecond   // per weight drawn
	perPoints = 2 * time.Nanosecond    // per criterion of an edition, summed
	perPlace  = 200 * time.Nanosecond  // per edition, sorted
	perRun    = 40 * time.Nanosecond   // per run drawn
	perReread = 150 * time.Microsecond // once per edition whose readings are read again
)

// Preparing estimates the time on one processor until the first draw, for a number of editions.
func Preparing(editions int, vary string) time.Duration {
	if vary == VaryWeights || vary == "" {
		return 0
	}
	return time.Duration(editions) * perReread
}

// DrawTime estimates the time of one draw on one processor, for a number of editions and criteria and, if readings
// are varied, of runs.
func DrawTime(editions, criteria, runs int, vary string) time.Duration {
	t := time.Duration(editions*criteria)*perPoints + time.Duration(editions)*perPlace
	if vary != VaryReadings {
		t += time.Duration(criteria) * perWeight
	}
	if vary == VaryReadings || vary == VaryBoth {
		t += time.Duration(runs) * perRun
	}
	return max(t, time.Nanosecond)
}
