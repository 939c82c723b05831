package ranking

import "time"

// What one draw costs on one processor, measured on a server of 2024.
const (
	perWeight = 75 * time.Nanosecond   // that is drawn
	perPoints = 2 * time.Nanosecond    // of one criterion of one edition, summed up
	perPlace  = 200 * time.Nanosecond  // of an edition that is put in order
	perRun    = 40 * time.Nanosecond   // that is drawn anew
	perReread = 150 * time.Microsecond // of an edition whose readings are read again, once
)

// Preparing is about how long it takes on one processor until the first draw of so many
// editions.
func Preparing(editions int, vary string) time.Duration {
	if vary == VaryWeights || vary == "" {
		return 0
	}
	return time.Duration(editions) * perReread
}

// DrawTime is about how long one draw takes on one processor, for so many editions and
// criteria and, where readings are varied, so many runs.
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
