package policy

import (
	"strings"
	"testing"

	"dappertally/core/comparing"
	"dappertally/core/fault"
)

// TestValidateComponents names what is wrong with lists of versions, and puts sound ones in the order of their days.
func TestValidateComponents(t *testing.T) {
	versions := func(of ...string) (all []comparing.Version) {
		for _, x := range of {
			version, date, _ := strings.Cut(x, " ")
			all = append(all, comparing.Version{Version: version, Date: date})
		}
		return all
	}
	for _, c := range []struct {
		name       string
		components []comparing.Component
		faults     []string // pointer and part of the message
	}{
		{"none", nil, nil},
		{"without versions", []comparing.Component{{Fact: "kernel"}}, nil},
		{"two", []comparing.Component{
			{Fact: "kernel", Versions: versions("6.4 2026-04-21", "6.2 2026-02-01")}, {Fact: "desktop",
				Versions: versions("v5 2025-12-31")},
		}, nil},
		{"without a name", []comparing.Component{{}}, []string{"/components/0/fact must be the key"}},
		{"a long name", []comparing.Component{{Fact: strings.Repeat("x", 65)}},
			[]string{"/components/0/fact must be the key"}},
		{"twice", []comparing.Component{{Fact: "kernel"}, {Fact: "kernel"}},
			[]string{"/components/1/fact kernel is duplicated"}},
		{"no version", []comparing.Component{{Fact: "kernel", Versions: versions("new 2026-04-21")}},
			[]string{`/components/0/versions/0/version must be a version number, not "new"`}},
		{"a long version", []comparing.Component{{Fact: "kernel", Versions: versions("6." + strings.Repeat("1",
			70) + " 2026-04-21")}},
			[]string{"/components/0/versions/0/version must be"}},
		{"a version twice", []comparing.Component{{Fact: "kernel", Versions: versions("6.2 2026-02-01", "6.2 2026-03-01")}},
			[]string{"/components/0/versions/1/version 6.2 is duplicated"}},
		{"days that are none", []comparing.Component{{Fact: "kernel", Versions: versions("6.2 2026-02-30",
			"6.3 tomorrow", "6.4 2026-2-1", "6.5")}},
			[]string{"/components/0/versions/0/date must be a day", "/components/0/versions/1/date must be a day",
				"/components/0/versions/2/date must be a day", "/components/0/versions/3/date must be a day"}},
	} {
		var book fault.Book
		validateComponents(&book, c.components)
		faults := book.List()
		if len(faults) != len(c.faults) {
			t.Errorf("%s: %v, want %q", c.name, faults, c.faults)
			continue
		}
		for i, f := range faults {
			if !strings.HasPrefix(f.Pointer+" "+f.Detail, c.faults[i]) {
				t.Errorf("%s: %s %s, want %s", c.name, f.Pointer, f.Detail, c.faults[i])
			}
		}
		for _, x := range c.components {
			for i := 1; i < len(x.Versions) && len(faults) == 0; i++ {
				if x.Versions[i].Date < x.Versions[i-1].Date {
					t.Errorf("%s: the versions are in the order %v", c.name, x.Versions)
				}
			}
		}
	}
}
