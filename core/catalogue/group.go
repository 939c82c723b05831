package catalogue

import (
	"slices"
	"strings"
)

// Group filters editions. If a field has several values, one of them must match; an empty field matches everything.
type Group struct {
	Editions      []string            `json:"editions,omitempty"` // full keys
	Distributions []string            `json:"distributions,omitempty"`
	Families      []string            `json:"families,omitempty"`     // the distribution, or one of its bases
	Attributes    map[string][]string `json:"attributes,omitempty"`   // by one of Attributes
	From          string              `json:"releasedFrom,omitempty"` // release date from, YYYY-MM-DD, inclusive
	To            string              `json:"releasedTo,omitempty"`   // release date to, inclusive
	Newest        bool                `json:"newest,omitempty"`       // only the newest matching release of each line
}

// Empty reports whether the group matches everything.
func (g *Group) Empty() bool {
	return len(g.Editions) == 0 && len(g.Distributions) == 0 && len(g.Families) == 0 && len(g.Attributes) == 0 &&
		g.From == "" &&
		g.To == "" &&
		!g.Newest
}

// Of returns the keys of the given editions that belong to the group.
func (g *Group) Of(places []Place) map[string]bool {
	in := map[string]bool{}
	newest := map[string]Place{}
	named := make(map[string]bool, len(g.Editions))
	for _, key := range g.Editions {
		named[key] = true
	}
	for _, p := range places {
		if (len(named) > 0 && !named[p.Key()]) || !g.has(p) {
			continue
		}
		if !g.Newest {
			in[p.Key()] = true
			continue
		}
		line := p.Distribution.Key + "/" + p.Line()
		if old, ok := newest[line]; !ok || p.Release.Date > old.Release.Date ||
			(p.Release.Date == old.Release.Date && p.Release.Version > old.Release.Version) {
			newest[line] = p
		}
	}
	for _, p := range newest {
		in[p.Key()] = true
	}
	return in
}

// has reports whether a place matches every field but the keys.
func (g *Group) has(p Place) bool {
	if len(g.Distributions) > 0 && !slices.Contains(g.Distributions, p.Distribution.Key) {
		return false
	}
	if len(g.Families) > 0 && !slices.ContainsFunc(g.Families, func(f string) bool {
		return p.Distribution.Key == f || slices.Contains(p.Distribution.Family, f)
	}) {
		return false
	}
	for attribute, values := range g.Attributes {
		if len(values) > 0 && !slices.ContainsFunc(values, func(v string) bool { return p.Is(attribute, v) }) {
			return false
		}
	}
	return (g.From == "" || strings.Compare(p.Release.Date, g.From) >= 0) &&
		(g.To == "" || strings.Compare(p.Release.Date, g.To) <= 0)
}
