package ops

import (
	"context"
	"os"
	"runtime/debug"
	"runtime/metrics"
	"time"
)

// What the service may hold before the collector works harder: some memory in any case, and
// in a large field as many times what it holds for good.
const (
	memoryFloor  = 220 << 20
	memoryFactor = 1.35
	memoryLook   = 2 * time.Second
)

// keepSmall has the collector keep what the service holds near what it needs, until ctx
// ends. Who sets GOMEMLIMIT decides instead.
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
