package scoring

import (
	"runtime"
	"sync"
	"sync/atomic"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Source provides the readings of an input's reviews separately, so that they need not all be in memory.
type Source interface {
	// Readings returns the readings of a review that the input has without any, by time, then id. If room is not nil
	// they are in its memory, and valid until it is used again.
	Readings(review *reading.Review, room *reading.Room) []reading.Reading
	// Row returns the result of compute, which it may remember: it depends only on the checklist version, the review
	// and those that it continues.
	Row(list *checklist.Checklist, review *reading.Review, compute func() *Row) *Row
}

// readings returns the readings of a review of the input.
func (in *Input) readings(r *reading.Review, room *reading.Room) []reading.Reading {
	if r.Readings == nil && in.Source != nil {
		return in.Source.Readings(r, room)
	}
	return r.Readings
}

// Prepare lets the source remember the rows of all current reviews on the input's checklist version.
func (in Input) Prepare() {
	t := newTable(in.Checklist)
	t.in, t.reviews = in, in.byID()
	t.makeRows(currentReviews(&in, nil))
}

// Workers returns from how many goroutines Each calls visit.
func (in *Input) Workers() int {
	if len(in.Reviews) < fewRows {
		return 1
	}
	return runtime.GOMAXPROCS(0)
}

// Each calls visit for every review with its readings, which are valid until visit returns, from several goroutines
// at once; worker is the number of the goroutine, from 0.
func (in *Input) Each(visit func(worker int, r *reading.Review, readings []reading.Reading)) {
	var next atomic.Int64
	var all sync.WaitGroup
	for worker := range in.Workers() {
		all.Go(func() {
			var room reading.Room
			for {
				n := int(next.Add(1)) - 1
				if n >= len(in.Reviews) {
					return
				}
				r := &in.Reviews[n]
				visit(worker, r, in.readings(r, &room))
			}
		})
	}
	all.Wait()
}
