package ranking

import "math"

// inOrder sorts the editions that are ranked by score, as sort does. They must be in the order of their keys.
func (f *field) inOrder() {
	if len(f.order) < radixFrom {
		f.sort(f.order, f.scores)
		return
	}
	f.radix(f.order)
}

// radixFrom is from how many editions on they are sorted by the bits of their scores: a sort that compares takes
// twice as long then.
const radixFrom = 4096

// radixBits is how many bits of a score are looked at in one pass.
const radixBits = 11

// radix sorts editions by score, highest first and without a score last, and leaves equals in the order that they are
// in: a radix sort that begins with the least significant digit.
func (f *field) radix(editions []int) {
	type keyed struct {
		key     uint64
		edition int32
	}
	from, to := make([]keyed, len(editions)), make([]keyed, len(editions))
	for n, e := range editions {
		from[n] = keyed{falling(f.scores[e]), int32(e)}
	}
	var ends [1 << radixBits]int32
	for shift := 0; shift < 64; shift += radixBits {
		clear(ends[:])
		for n := range from {
			ends[from[n].key>>shift&(1<<radixBits-1)]++
		}
		if ends[from[0].key>>shift&(1<<radixBits-1)] == int32(len(from)) {
			continue // all have the same digit
		}
		sum := int32(0)
		for d := range ends {
			ends[d], sum = sum, sum+ends[d]
		}
		for n := range from {
			d := from[n].key >> shift & (1<<radixBits - 1)
			to[ends[d]] = from[n]
			ends[d]++
		}
		from, to = to, from
	}
	for n := range from {
		editions[n] = int(from[n].edition)
	}
}

// falling is a score as a number that is the smaller the higher the score is; the largest where there is none.
func falling(score float64) uint64 {
	if math.IsNaN(score) {
		return math.MaxUint64
	}
	bits := math.Float64bits(score + 0) // -0 is 0
	if bits>>63 == 1 {
		return bits // the lower a negative score, the larger its bits
	}
	return ^bits &^ (1 << 63)
}
