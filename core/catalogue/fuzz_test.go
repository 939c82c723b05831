package catalogue_test

import (
	"strings"
	"testing"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
)

// FuzzOSRelease reads any os-release file: the proposed catalogue entries have valid keys, or none.
func FuzzOSRelease(f *testing.F) {
	f.Add("NAME=\"Moss Gate\"\nID=mossgate\nVERSION_ID=12\nVARIANT_ID=hearthside\n")
	f.Add("ID='unclosed\nNAME=\\\"\n#x\n=\n")
	f.Add("NAME=" + strings.Repeat("0", 65))
	f.Add("ID=ÄÖ\x00\nVERSION_ID=1/2\n")
	f.Fuzz(func(t *testing.T, content string) {
		named := catalogue.NamedBy(catalogue.ParseOSRelease(content))
		d, _, e := named.Entries()
		for _, key := range []string{d.Key, e.Key} {
			if key != "" && !checklist.ValidKey(key) {
				t.Errorf("%q is not a key", key)
			}
		}
	})
}
