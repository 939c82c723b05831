package scoring

// pool hands out small slices cut from large blocks. A table needs hundreds of thousands of slices of one or two
// elements, and allocating each one separately would dominate the time of scoring.
type pool[T any] struct {
	block []T // the rest of whole
	whole []T
	size  int // size of the next block
}

const (
	firstBlock   = 64
	largestBlock = 8192
)

// alloc returns n zeroed elements; appending to them never overwrites a neighbour.
func (p *pool[T]) alloc(n int) []T {
	if n == 0 {
		return []T{}
	}
	if n > len(p.block) {
		p.size = min(max(2*p.size, firstBlock), largestBlock)
		p.whole = make([]T, max(n, p.size))
		p.block = p.whole
	}
	cut := p.block[:n:n]
	p.block = p.block[n:]
	return cut
}

// one returns a single element with that value.
func (p *pool[T]) one(value T) *T {
	cut := p.alloc(1)
	cut[0] = value
	return &cut[0]
}

// again takes back everything that was handed out, for reuse.
func (p *pool[T]) again() {
	clear(p.whole[:len(p.whole)-len(p.block)])
	p.block = p.whole
}
