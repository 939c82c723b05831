package slip

import (
	"fmt"
	"slices"
	"strings"
)

// Edition is what of an edition tells it from others.
type Edition struct {
	Key                   string // distribution/release/edition
	Distribution, Name    string // key, and name for people
	Version, Codename     string
	Variant, Line         string // the edition's own key, and its line
	Desktop, Architecture string
}

// architectures are names of one and the same.
var architectures = map[string]string{
	"amd64":  "x86_64",
	"x86-64": "x86_64",
	"arm64":  "aarch64",
	"i386":   "i686",
	"i586":   "i686",
	"armhf":  "armv7l",
}

// names reports whether the system gives itself the name of the edition's distribution.
func (s *System) names(e Edition) bool {
	fold := strings.EqualFold
	return fold(e.Distribution, s.ID) || fold(e.Name, s.Name) || fold(e.Distribution, s.Name)
}

// versioned reports whether the system may be of the edition's release. A rolling
// system tells no version; its snapshots are all possible.
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

// Mismatches says, a sentence each, in what the system is not the edition; none where
// it may be it. What the system or the catalogue leaves open is no mismatch.
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

// Match proposes the editions that the system may be, best first narrowed down by
// what it tells: distribution and version have to fit, the rest only picks.
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
