package ranking

import (
	"math"
	"math/bits"
)

// digitsFrom is from how many editions on they are sorted by the digits of their scores: a comparison sort then takes
// five times as long.
const digitsFrom = 4096

// The number of bits of a digit, and the number of leading differing digits to sort by.
const (
	digitBits = 10
	digits    = 3
	digitMask = 1<<digitBits - 1
)

// farthest is how far an edition may be from its place after sorting by these digits. If one is farther, many scores
// differ only in later digits, and a comparison sort follows.
const farthest = 64

// keyed is an edition with those digits, which are smaller for a higher score.
type keyed struct{ key, edition uint32 }

// inOrder sorts the ranked editions by score, like sort does. They must be ordered by key.
func (f *field) inOrder() {
	if len(f.order) < digitsFrom || !f.byDigits() {
		f.sort(f.order, f.scores)
	}
}

// byDigits sorts by digits, the last first and stable, and then corrects the order of scores that differ in later
// digits. It reports whether these were few; otherwise it changes nothing.
func (f *field) byDigits() bool {
	var differ uint64
	first := falling(f.scores[f.order[0]])
	for _, e := range f.order {
		differ |= falling(f.scores[e]) ^ first
	}
	later := max(bits.Len64(differ)-digits*digitBits, 0)
	from, to := make([]keyed, len(f.order)), make([]keyed, len(f.order))
	for n, e := range f.order {
		from[n] = keyed{uint32(falling(f.scores[e]) >> later & (1<<(digits*digitBits) - 1)), uint32(e)}
	}
	for shift := 0; shift < digits*digitBits; shift += digitBits {
		var ends [1 << digitBits]int32
		for n := range from {
			ends[from[n].key>>shift&digitMask]++
		}
		sum := int32(0)
		for d := range ends {
			ends[d], sum = sum, sum+ends[d]
		}
		for n := range from {
			d := from[n].key >> shift & digitMask
			to[ends[d]] = from[n]
			ends[d]++
		}
		from, to = to, from
	}
	for n := 1; n < len(from); n++ {
		x, at := from[n], n
		for ; at > 0 && from[at-1].key == x.key && f.above(x.edition, from[at-1].edition); at-- {
			if n-at >= farthest {
				return false
			}
			from[at] = from[at-1]
		}
		from[at] = x
	}
	for n := range from {
		f.order[n] = int(from[n].edition)
	}
	return true
}

func (f *field) above(a, b uint32) bool { return falling(f.scores[a]) < falling(f.scores[b]) }

// falling maps a score to a number that is smaller for a higher score; the largest number if there is no score.
func falling(score float64) uint64 {
	if math.IsNaN(score) {
		return math.MaxUint64
	}
	b := math.Float64bits(score + 0) // -0 is 0
	if b>>63 == 1 {
		return b // the lower a negative score, the larger its bits
	}
	return ^b &^ (1 << 63)
}
