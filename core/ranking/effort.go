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
func Preparing(editions int, shake string) time.Duration {
	if shake == ShakeWeights || shake == "" {
		return 0
	}
	return time.Duration(editions) * perReread
}

// DrawTime is about how long one draw takes on one processor, for so many editions and
// criteria and, where readings are shaken, so many runs.
func DrawTime(editions, criteria, runs int, shake string) time.Duration {
	t := time.Duration(editions*criteria)*perPoints + time.Duration(editions)*perPlace
	if shake != ShakeReadings {
		t += time.Duration(criteria) * perWeight
	}
	if shake == ShakeReadings || shake == ShakeBoth {
		t += time.Duration(runs) * perRun
	}
	return max(t, time.Nanosecond)
}
