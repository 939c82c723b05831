//go:build quickpasswords

package people

// The tests sign in hundreds of times. Hashes that cost next to nothing save a quarter of their time.
const (
	argonTime   = 1
	argonMemory = 8 * argonThreads // KiB, the least
)
