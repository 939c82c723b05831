package parallel

import (
	"sync/atomic"
	"testing"
)

// TestEach has every number done once, whatever their number, and hands on a panic when the others have ended.
func TestEach(t *testing.T) {
	for _, n := range []int{0, 1, 2, 1000} {
		done := make([]int32, n)
		Each(n, func(i int) { atomic.AddInt32(&done[i], 1) })
		for i, times := range done {
			if times != 1 {
				t.Errorf("of %d, number %d was done %d times", n, i, times)
			}
		}
	}
	var others atomic.Int32
	defer func() {
		if v := recover(); v != "broken" || others.Load() == 0 {
			t.Errorf("after %d others: %v", others.Load(), v)
		}
	}()
	Each(100, func(i int) {
		if i == 50 {
			panic("broken")
		}
		others.Add(1)
	})
}
