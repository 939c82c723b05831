package ops

import (
	"context"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// The memory that the service can hold before the garbage collector works harder: a fixed amount, and for large
// records a multiple of what it holds permanently.
const (
	memoryFloor  = 220 << 20
	memoryFactor = 1.35
	memoryLook   = 2 * time.Second
)

// keepSmall keeps the memory of the service near what it needs, until ctx ends. GOMEMLIMIT overrides it.
func keepSmall(ctx context.Context) {
	if os.Getenv("GOMEMLIMIT") != "" {
		return
	}
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	look := time.NewTicker(memoryLook)
	defer look.Stop()
	for {
		metrics.Read(live)
		debug.SetMemoryLimit(max(memoryFloor, int64(memoryFactor*float64(live[0].Value.Uint64()))))
		select {
		case <-ctx.Done():
			return
		case <-look.C:
		}
	}
}
