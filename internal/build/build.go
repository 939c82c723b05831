// Package build says from what the program was built.
package build

import (
	"cmp"
	"runtime/debug"
	"strings"
)

// stamped is what make writes into the programs that it builds.
var stamped string

// Version is the day and the commit that the program was built from, or what the
// compiler knows of it where make has not said.
func Version() string {
	known := ""
	if info, ok := debug.ReadBuildInfo(); ok {
		known = info.Main.Version
	}
	return cmp.Or(stamped, known, "(unknown)")
}

// Stamped reports whether a version says what a program was built from.
func Stamped(version string) bool { return version != "" && !strings.HasPrefix(version, "(") }
