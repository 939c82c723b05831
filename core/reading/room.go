package reading

import "time"

// Room is reusable memory for the readings of one review after another.
type Room struct {
	Readings []Reading
	Numbers  []float64
	Times    []time.Time
}

// Of returns memory for so many readings with so many numbers and times; what it returned before is no longer valid.
// The numbers and times are empty and can be appended to without reallocation.
func (r *Room) Of(readings, numbers, times int) ([]Reading, []float64, []time.Time) {
	if cap(r.Readings) < readings {
		r.Readings = make([]Reading, readings)
	}
	r.Readings = r.Readings[:readings]
	clear(r.Readings)
	if cap(r.Numbers) < numbers {
		r.Numbers = make([]float64, numbers)
	}
	if cap(r.Times) < times {
		r.Times = make([]time.Time, times)
	}
	return r.Readings, r.Numbers[:0], r.Times[:0]
}
