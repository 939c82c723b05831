// Package build holds the product's version, and what this program was built from.
package build

import (
	_ "embed"
	"fmt"
	"runtime/debug"
	"strings"
)

//go:embed VERSION
var release string

// stamped is the day and the commit, which make sets in the programs that it builds.
var stamped string

// Schema is the version of the database's schema that this program needs.
const Schema = 24

// Released is the schema version of the last release. Programs that need it, or a newer one, work beside this one:
// later migrations only add.
const Released = 24

// Release is the version of the product, such as 1.2.0. The changelog describes each version.
func Release() string { return strings.TrimSpace(release) }

// Commit is the day and the commit that the program was built from, such as 2026-11-30.ce3e6b2; empty if neither make
// nor the compiler knows it.
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

// Version returns release and commit, such as 1.2.0+2026-11-30.ce3e6b2.
func Version() string {
	if commit := Commit(); commit != "" {
		return Release() + "+" + commit
	}
	return Release()
}

// Stamped reports whether a version includes what the program was built from.
func Stamped(version string) bool { return strings.Contains(version, "+") }

// Lines returns version, commit and schema, for --version.
func Lines() string {
	commit := Commit()
	if commit == "" {
		commit = "(unknown)"
	}
	return fmt.Sprintf("%s\ncommit %s\nschema %d (works beside programs with schema %d or newer)",
		Release(), commit, Schema, Released)
}
