package catalogue

import (
	"strings"
	"testing"

	"dappertally/core/fault"
)

func world() ([]Distribution, []Rig) {
	return []Distribution{{Key: "mossgate", Family: []string{"heathbase"}, Model: "fixed", Releases: []Release{
		{
			Version:      "12",
			Date:         "2026-06-11",
			Tier:         "long-term",
			Stage:        "final",
			EndOfSupport: "2031-06-11",
			Replaces:     []string{"11"},
			Editions:     []Edition{{Key: "hearthside"}, {Key: "awning"}},
		},
	}}}, []Rig{{Key: "bench-a", Class: "older"}}
}

func TestValidate(t *testing.T) {
	for _, c := range []struct {
		name          string
		spoil         func([]Distribution, []Rig)
		pointer, says string
	}{
		{"nothing", func([]Distribution, []Rig) {}, "", ""},
		{"model", func(d []Distribution, _ []Rig) { d[0].Model = "sometimes" }, "/distributions/0/model", "fixed, rolling"},
		{"based on itself", func(d []Distribution, _ []Rig) { d[0].Family = []string{"mossgate"} }, "/distributions/0/family/0", "itself"},
		{"version", func(d []Distribution, _ []Rig) { d[0].Releases[0].Version = "a/b" }, "/distributions/0/releases/0/version", "not a version"},
		{"date", func(d []Distribution, _ []Rig) { d[0].Releases[0].Date = "2026-02-30" }, "/distributions/0/releases/0/date", "not a date"},
		{"support ends early", func(d []Distribution, _ []Rig) { d[0].Releases[0].EndOfSupport = "2020-01-01" }, "/distributions/0/releases/0/endOfSupport", "before"},
		{"replaces itself", func(d []Distribution, _ []Rig) { d[0].Releases[0].Replaces = []string{"12"} }, "/distributions/0/releases/0/replaces", "itself"},
		{"edition twice", func(d []Distribution, _ []Rig) { d[0].Releases[0].Editions[1].Key = "hearthside" }, "/distributions/0/releases/0/editions/1/key", "duplicated"},
		{"needs", func(d []Distribution, _ []Rig) { d[0].Releases[0].Editions[0].Needs.DiskGiB = -1 }, "/distributions/0/releases/0/editions/0/needs", "0 or more"},
		{"class", func(_ []Distribution, r []Rig) { r[0].Class = "huge" }, "/rigs/0/class", "older, current"},
		{"weight", func(_ []Distribution, r []Rig) { w := -1.0; r[0].Weight = &w }, "/rigs/0/weight", "between 0"},
	} {
		ds, rigs := world()
		c.spoil(ds, rigs)
		var book fault.Book
		book.In("distributions", func() { Validate(ds, &book) })
		book.In("rigs", func() { ValidateRigs(rigs, &book) })
		faults := book.List()
		if c.pointer == "" {
			if len(faults) != 0 {
				t.Errorf("%s: %v", c.name, faults)
			}
			continue
		}
		if len(faults) != 1 || faults[0].Pointer != c.pointer || !strings.Contains(faults[0].Detail, c.says) {
			t.Errorf("%s: want a fault at %s saying %q, got %v", c.name, c.pointer, c.says, faults)
		}
	}
}

func TestKeys(t *testing.T) {
	for key, ok := range map[string]bool{"a/b/c": true, "a/b": false, "a/b/c/d": false, "a//c": false, "": false, "/b/c": false} {
		if _, _, _, got := SplitEdition(key); got != ok {
			t.Errorf("%q is an edition's key: %v, want %v", key, got, ok)
		}
	}
	if ReleaseOf("a/b/c") != "a/b" || DistributionOf("a/b/c") != "a" || DistributionOf("") != "" {
		t.Error("the parts of a key are wrong")
	}
}

func TestLabel(t *testing.T) {
	for _, c := range []struct {
		edition Edition
		want    string
	}{
		{Edition{Key: "hearth", Desktop: "Hearthside", Profile: "full"}, "Hearthside"},
		{Edition{Key: "hearth", Desktop: "Hearthside", Purpose: "classroom"}, "Hearthside classroom"},
		{Edition{Key: "tiny", Desktop: "Awning", Profile: "minimal"}, "Awning minimal"},
		{Edition{Key: "server"}, "server"},
	} {
		if got := c.edition.Label(); got != c.want {
			t.Errorf("%+v is called %q, want %q", c.edition, got, c.want)
		}
	}
}
