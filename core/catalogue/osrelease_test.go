package catalogue

import "testing"

func TestParseOSRelease(t *testing.T) {
	vars := ParseOSRelease(
		"# a remark\nNAME=\"Tarrow \\\"Quay\\\"\"\nID='quay'\nVERSION_ID=22.1\n  EMPTY=\nBROKEN\nPRICE=\\$5\nPRETTY_NAME='it costs $5'\r\nNAME2=a=b\n",
	)
	for name, want := range map[string]string{
		"NAME": `Tarrow "Quay"`, "ID": "quay", "VERSION_ID": "22.1", "EMPTY": "", "PRICE": "$5", "PRETTY_NAME": "it costs $5", "NAME2": "a=b",
	} {
		if got, ok := vars[name]; !ok || got != want {
			t.Errorf("%s is %q, want %q", name, got, want)
		}
	}
	if _, ok := vars["BROKEN"]; ok {
		t.Error("a line without = is a variable")
	}
}

func TestNamedEntries(t *testing.T) {
	for _, c := range []struct {
		named                          Named
		distribution, release, edition string
		model, architecture            string
	}{
		{Named{Name: "Tarrow Quay", ID: "quay", Version: "22.1", Variant: "latch", Architecture: "x86_64"}, "quay", "22.1", "latch", "fixed", "amd64"},
		{Named{Name: "Tarrow Quay OS", Version: "3", Desktop: "Pebble Dash"}, "tarrow-quay-os", "3", "pebble-dash", "fixed", ""},
		{Named{ID: "drift", Architecture: "riscv64"}, "drift", "", "standard", "rolling", "riscv64"},
	} {
		d, r, e := c.named.Entries()
		if d.Key != c.distribution || r.Version != c.release || e.Key != c.edition || d.Model != c.model ||
			e.Architecture != c.architecture {
			t.Errorf("%+v: %+v, %+v, %+v", c.named, d, r, e)
		}
	}
}
