package slip

import (
	"fmt"
	"slices"
	"strings"
)

// Edition is what distinguishes an edition from others.
type Edition struct {
	Key                   string // distribution/release/edition
	Distribution, Name    string // key, and name for people
	Version, Codename     string
	Variant, Line         string // the edition's own key, and its line
	Desktop, Architecture string
}

// architectures lists different names of the same architecture.
var architectures = map[string]string{
	"amd64":  "x86_64",
	"x86-64": "x86_64",
	"arm64":  "aarch64",
	"i386":   "i686",
	"i586":   "i686",
	"armhf":  "armv7l",
}

// names reports whether the system has the name of the edition's distribution.
func (s *System) names(e Edition) bool {
	fold := strings.EqualFold
	return fold(e.Distribution, s.ID) || fold(e.Name, s.Name) || fold(e.Distribution, s.Name)
}

// versioned reports whether the system can be of the edition's release. A rolling system states no version; all its
// snapshots are possible.
func (s *System) versioned(e Edition) bool {
	return s.Version == "" || strings.EqualFold(s.Version, "rolling") || strings.EqualFold(e.Version, s.Version) ||
		strings.HasPrefix(s.Version, e.Version+".")
}

func architecture(name string) string {
	name = strings.ToLower(name)
	if other := architectures[name]; other != "" {
		return other
	}
	return name
}

// Mismatches lists, in sentences, how the system differs from the edition; none if it can be that edition. What the
// system or the catalogue leaves open is not a mismatch.
func (s *System) Mismatches(e Edition) []string {
	var out []string
	if !s.names(e) {
		out = append(out, fmt.Sprintf("the system calls itself %s, and the review is of %s", s.Name, e.Name))
	} else if !s.versioned(e) {
		out = append(out, fmt.Sprintf("the system is version %s, and the review is of %s %s", s.Version, e.Name, e.Version))
	}
	if s.Architecture != "" && e.Architecture != "" && architecture(s.Architecture) != architecture(e.Architecture) {
		out = append(
			out, fmt.Sprintf("the system runs on %s, and the edition is built for %s", s.Architecture, e.Architecture),
		)
	}
	return out
}

// Match returns the editions that the system can be. Distribution and version must match; the rest narrows them down.
func (s *System) Match(editions []Edition) []Edition {
	fold := strings.EqualFold
	var found []Edition
	for _, e := range editions {
		if s.names(e) && s.versioned(e) {
			found = append(found, e)
		}
	}
	narrow := func(fits func(Edition) bool) {
		if some := slices.DeleteFunc(slices.Clone(found), func(e Edition) bool { return !fits(e) }); len(some) > 0 {
			found = some
		}
	}
	narrow(func(e Edition) bool {
		return s.Variant != "" && (fold(e.Variant, s.Variant) || fold(e.Line, s.Variant))
	})
	narrow(func(e Edition) bool { return s.Desktop != "" && fold(e.Desktop, s.Desktop) })
	narrow(func(e Edition) bool {
		return s.Architecture != "" && architecture(e.Architecture) == architecture(s.Architecture)
	})
	return found
}
