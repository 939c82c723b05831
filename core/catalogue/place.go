package catalogue

import (
	"cmp"
	"slices"
	"strings"
)

// Place is an edition with its release and distribution. Places are shared: do not modify them.
type Place struct {
	Distribution *Distribution
	Release      *Release
	Edition      *Edition
}

// Key is the edition's full key.
func (p Place) Key() string {
	return EditionKey(p.Distribution.Key, p.Release.Version, p.Edition.Key)
}

// Line names the edition line within its distribution.
func (p Place) Line() string { return cmp.Or(p.Edition.Line, p.Edition.Key) }

// Attributes lists the attributes by which editions are compared, as Value returns them.
var Attributes = []string{"desktop", "base", "model", "tier", "architecture", "profile", "purpose"}

// Value returns the value of an attribute: one of Attributes, or distribution or release. It is empty if the
// catalogue has none.
func (p Place) Value(attribute string) string {
	switch attribute {
	case "distribution":
		return p.Distribution.Key
	case "release":
		return p.Distribution.Key + "/" + p.Release.Version
	case "desktop":
		return p.Edition.Desktop
	case "base":
		if p.Release.BasedOn != "" {
			return p.Release.BasedOn
		}
		return strings.Join(p.Distribution.Family, ", ")
	case "model":
		return p.Distribution.Model
	case "tier":
		return p.Release.Tier
	case "architecture":
		return p.Edition.Architecture
	case "profile":
		return p.Edition.Profile
	case "purpose":
		return p.Edition.Purpose
	}
	return ""
}

// Is reports whether an edition has a value for an attribute, ignoring case. A base matches by its release or by its
// distribution.
func (p Place) Is(attribute, value string) bool {
	if attribute == "base" {
		on, _, _ := strings.Cut(p.Release.BasedOn, "/")
		return p.Release.BasedOn == value || on == value || (on == "" && slices.Contains(p.Distribution.Family, value))
	}
	return strings.EqualFold(p.Value(attribute), value)
}

// Places lists all editions of a catalogue.
func Places(distributions []Distribution) []Place {
	var all []Place
	for i := range distributions {
		d := &distributions[i]
		for j := range d.Releases {
			r := &d.Releases[j]
			for k := range r.Editions {
				all = append(all, Place{d, r, &r.Editions[k]})
			}
		}
	}
	return all
}
