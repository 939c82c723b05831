// Package build holds which version of the product a program is, and what it was built from.
package build

import (
	_ "embed"
	"fmt"
	"runtime/debug"
	"strings"
)

//go:embed VERSION
var release string

// stamped is the day and the commit, which make writes into the programs that it builds.
var stamped string

// Schema is the version of the database's schema that this version of the product needs.
const Schema = 24

// Released is the version of the database's schema of the last release. Programs that need it, or a newer one, work
// beside this one: migrations after it only add.
const Released = 24

// Release is the version of the product, such as 1.2.0. The changelog has what each brought.
func Release() string { return strings.TrimSpace(release) }

// Commit is the day and the commit that the program was built from, such as 2026-11-30.ce3e6b2; empty where neither
// make nor the compiler knows it.
func Commit() string {
	if stamped != "" {
		return stamped
	}
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return ""
	}
	var day, commit string
	for _, s := range info.Settings {
		switch s.Key {
		case "vcs.revision":
			commit = s.Value[:min(7, len(s.Value))]
		case "vcs.time":
			day, _, _ = strings.Cut(s.Value, "T")
		}
	}
	if commit == "" {
		return ""
	}
	return day + "." + commit
}

// Version is release and commit, such as 1.2.0+2026-11-30.ce3e6b2.
func Version() string {
	if commit := Commit(); commit != "" {
		return Release() + "+" + commit
	}
	return Release()
}

// Stamped reports whether a version says what a program was built from.
func Stamped(version string) bool { return strings.Contains(version, "+") }

// Lines are version, commit and schema, as a program shows them when it is asked for its version.
func Lines() string {
	commit := Commit()
	if commit == "" {
		commit = "(unknown)"
	}
	return fmt.Sprintf("%s\ncommit %s\nschema %d (works beside programs with schema %d or newer)",
		Release(), commit, Schema, Released)
}
