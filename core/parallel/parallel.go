// Package parallel shares work among the processors.
package parallel

import (
	"runtime"
	"sync"
	"sync/atomic"
)

// Each calls do with the numbers below n, in any order and at once. If a call panics, it panics with the same value
// when all have ended.
func Each(n int, do func(i int)) {
	var next atomic.Int64
	var broken atomic.Value
	var workers sync.WaitGroup
	for range min(n, runtime.GOMAXPROCS(0)) {
		workers.Go(func() {
			defer func() {
				if v := recover(); v != nil {
					broken.Store([]any{v})
				}
			}()
			for i := int(next.Add(1)) - 1; i < n; i = int(next.Add(1)) - 1 {
				do(i)
			}
		})
	}
	workers.Wait()
	if v, ok := broken.Load().([]any); ok {
		panic(v[0])
	}
}
