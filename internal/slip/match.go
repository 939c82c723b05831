package slip

import (
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
var architectures = map[string]string{"amd64": "x86_64", "x86-64": "x86_64", "arm64": "aarch64", "i386": "i686", "i586": "i686", "armhf": "armv7l"}

// Match proposes the editions that the system may be, best first narrowed down by
// what it tells: distribution and version have to fit, the rest only picks.
func (s *System) Match(editions []Edition) []Edition {
	fold := strings.EqualFold
	var found []Edition
	for _, e := range editions {
		if !fold(e.Distribution, s.ID) && !fold(e.Name, s.Name) && !fold(e.Distribution, s.Name) {
			continue
		}
		// A rolling system tells no version; its snapshots are all possible.
		if s.Version == "" || fold(s.Version, "rolling") || fold(e.Version, s.Version) || strings.HasPrefix(s.Version, e.Version+".") {
			found = append(found, e)
		}
	}
	narrow := func(fits func(Edition) bool) {
		if some := slices.DeleteFunc(slices.Clone(found), func(e Edition) bool { return !fits(e) }); len(some) > 0 {
			found = some
		}
	}
	arch := func(name string) string {
		if other := architectures[strings.ToLower(name)]; other != "" {
			return other
		}
		return strings.ToLower(name)
	}
	narrow(func(e Edition) bool {
		return s.Variant != "" && (fold(e.Variant, s.Variant) || fold(e.Line, s.Variant))
	})
	narrow(func(e Edition) bool { return s.Desktop != "" && fold(e.Desktop, s.Desktop) })
	narrow(func(e Edition) bool { return s.Architecture != "" && arch(e.Architecture) == arch(s.Architecture) })
	return found
}
