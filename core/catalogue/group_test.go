package catalogue

import (
	"maps"
	"slices"
	"strings"
	"testing"
)

func TestGroup(t *testing.T) {
	edition := func(key, desktop string) Edition { return Edition{Key: key, Desktop: desktop, Architecture: "amd64"} }
	places := Places([]Distribution{
		{Key: "dell", Family: []string{"fen", "root"}, Model: "fixed", Releases: []Release{
			{
				Version:  "1",
				Date:     "2025-01-01",
				Tier:     "regular",
				Editions: []Edition{edition("h", "Hearth"), edition("s", "Stall")},
			},
			{
				Version:  "2",
				Date:     "2026-01-01",
				Tier:     "long-term",
				BasedOn:  "fen/9",
				Editions: []Edition{edition("h", "Hearth")},
			},
		}},
		{
			Key:      "fen",
			Model:    "rolling",
			Releases: []Release{{Version: "9", Date: "2025-06-01", Editions: []Edition{edition("h", "hearth")}}},
		},
	})
	for _, c := range []struct {
		name  string
		group Group
		want  string
	}{
		{"all", Group{}, "dell/1/h dell/1/s dell/2/h fen/9/h"},
		{"a distribution", Group{Distributions: []string{"fen"}}, "fen/9/h"},
		{"a family and who founded it", Group{Families: []string{"fen"}}, "dell/1/h dell/1/s dell/2/h fen/9/h"},
		{"further up", Group{Families: []string{"root"}}, "dell/1/h dell/1/s dell/2/h"},
		{"a desktop, in any case", Group{Attributes: map[string][]string{"desktop": {"HEARTH"}}}, "dell/1/h dell/2/h fen/9/h"},
		{"one of several", Group{Attributes: map[string][]string{"tier": {"long-term", "regular"}}}, "dell/1/h dell/1/s dell/2/h"},
		{"two attributes", Group{Attributes: map[string][]string{"desktop": {"hearth"}, "model": {"fixed"}}}, "dell/1/h dell/2/h"},
		{"a base by its release", Group{Attributes: map[string][]string{"base": {"fen/9"}}}, "dell/2/h"},
		{"a base by its distribution", Group{Attributes: map[string][]string{"base": {"fen"}}}, "dell/1/h dell/1/s dell/2/h"},
		{"dates, both included", Group{From: "2025-06-01", To: "2026-01-01"}, "dell/2/h fen/9/h"},
		{"the newest of each line", Group{Newest: true}, "dell/1/s dell/2/h fen/9/h"},
		{"the newest of those left", Group{Newest: true, To: "2025-12-31"}, "dell/1/h dell/1/s fen/9/h"},
		{"named ones", Group{Editions: []string{"fen/9/h", "dell/1/s"}}, "dell/1/s fen/9/h"},
		{"nobody", Group{Distributions: []string{"gone"}}, ""},
	} {
		if got := strings.Join(slices.Sorted(maps.Keys(c.group.Of(places))), " "); got != c.want {
			t.Errorf("%s: %s, want %s", c.name, got, c.want)
		}
		if c.group.Empty() != (c.name == "all") {
			t.Errorf("%s: empty is %t", c.name, c.group.Empty())
		}
	}
}
