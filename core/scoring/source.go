package scoring

import (
	"runtime"
	"sync"
	"sync/atomic"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// Source keeps the readings of an input's reviews apart from these, so that they need not all be held whole.
type Source interface {
	// Readings is the readings of a review that the input has without any, by time, then id. Where room is not nil they
	// are in its memory, and hold until it is used again.
	Readings(review *reading.Review, room *reading.Room) []reading.Reading
	// Row is what compute gives, which may be remembered: it depends on the checklist version, the review and those that
	// it continues alone.
	Row(list *checklist.Checklist, review *reading.Review, compute func() *Row) *Row
}

// readings is the readings of a review of the input.
func (in *Input) readings(r *reading.Review, room *reading.Room) []reading.Reading {
	if r.Readings == nil && in.Source != nil {
		return in.Source.Readings(r, room)
	}
	return r.Readings
}

// Prepare has the source remember the rows of all current reviews on the input's checklist
// version.
func (in Input) Prepare() {
	t := newTable(in.Checklist)
	t.in, t.reviews = in, in.byID()
	t.makeRows(currentReviews(&in, nil))
}

// Workers is how many goroutines Each visits from.
func (in *Input) Workers() int {
	if len(in.Reviews) < fewRows {
		return 1
	}
	return runtime.GOMAXPROCS(0)
}

// Each visits every review with its readings, which hold until visit returns, from several
// goroutines at once; worker tells which, from 0.
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
