//go:build !quickpasswords

package people

// The cost of a password's hash (RFC 9106, second recommended option).
const (
	argonTime   = 3
	argonMemory = 64 << 10 // KiB
)
