package slip

import (
	"strings"
	"testing"
)

func TestMismatches(t *testing.T) {
	edition := Edition{
		Key:          "quaymark/22.1/latchwork",
		Distribution: "quaymark",
		Name:         "Quaymark",
		Version:      "22.1",
		Architecture: "amd64",
	}
	for _, c := range []struct {
		name   string
		system System
		says   []string
	}{
		{"the same", System{Name: "Quaymark", ID: "quaymark", Version: "22.1", Architecture: "x86_64"}, nil},
		{"a point release", System{Name: "Quaymark Linux", ID: "quaymark", Version: "22.1.4"}, nil},
		{"nothing told", System{Name: "quaymark"}, nil},
		{"rolling", System{Name: "Quaymark", Version: "rolling"}, nil},
		{"another version", System{Name: "Quaymark", ID: "quaymark", Version: "22.0"}, []string{"version 22.0"}},
		{"22.10 is not 22.1", System{Name: "Quaymark", ID: "quaymark", Version: "22.10"}, []string{"version 22.10"}},
		{"another system", System{Name: "Mossgate", ID: "mossgate", Version: "22.1"}, []string{"calls itself Mossgate"}},
		{"another machine", System{Name: "Quaymark", Version: "22.1", Architecture: "aarch64"}, []string{"runs on aarch64"}},
		{"all of it", System{Name: "Mossgate", Version: "12", Architecture: "arm64"}, []string{"calls itself Mossgate", "runs on arm64"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := c.system.Mismatches(edition)
			if len(got) != len(c.says) {
				t.Fatalf("%q, want %q", got, c.says)
			}
			for i, says := range c.says {
				if !strings.Contains(got[i], says) {
					t.Errorf("%q does not say %q", got[i], says)
				}
			}
		})
	}
}
