package clock

import (
	"context"
	"os/exec"

	"dappertally/core/reading"
)

// Overhead is what timing adds to each run: starting a program that does nothing and waiting for its end.
type Overhead struct {
	Wall    float64 `json:"wall"`    // seconds, median
	PeakMiB float64 `json:"peakMiB"` // a run's peak memory below this cannot be measured
	Program string  `json:"program"` // the program that was run; empty: none was found
}

// idle are programs that do nothing.
var idle = []string{"/bin/true", "/usr/bin/true", "/run/current-system/sw/bin/true", "true"}

// MeasureOverhead runs a program that does nothing, and returns the cost.
func MeasureOverhead(ctx context.Context) (Overhead, error) {
	const runs = 15
	for _, program := range idle {
		path, err := exec.LookPath(program)
		if err != nil {
			continue
		}
		var walls, peaks []float64
		for range runs {
			run, err := execute(ctx, []string{path}, 0)
			if ctx.Err() != nil {
				return Overhead{}, ctx.Err()
			}
			if err != nil {
				break // a program that does not work gives no result
			}
			walls, peaks = append(walls, run.Wall), append(peaks, run.PeakMiB)
		}
		if len(walls) == runs {
			return Overhead{Wall: reading.Median(walls), PeakMiB: reading.Median(peaks), Program: path}, nil
		}
	}
	return Overhead{}, nil
}
