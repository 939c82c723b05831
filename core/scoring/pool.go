package scoring

// pool hands out small slices cut from large blocks: a table needs hundreds of
// thousands of slices of one or two elements, and allocating each by itself is
// what scoring would spend its time on.
type pool[T any] struct {
	block []T // what is left of whole
	whole []T
	size  int // of the next block
}

const (
	firstBlock   = 64
	largestBlock = 8192
)

// alloc cuts n zeroed elements; appending to them never reaches a neighbour.
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

// one is a single element with that value.
func (p *pool[T]) one(value T) *T {
	cut := p.alloc(1)
	cut[0] = value
	return &cut[0]
}

// again takes back what was handed out, to hand it out again.
func (p *pool[T]) again() {
	clear(p.whole[:len(p.whole)-len(p.block)])
	p.block = p.whole
}
