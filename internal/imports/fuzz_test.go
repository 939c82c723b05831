package imports_test

import (
	"strings"
	"testing"

	"dappertally/internal/imports"
)

// FuzzReadCatalogue reads any catalogue file: each entry has a key or the reason why it cannot be read.
func FuzzReadCatalogue(f *testing.F) {
	f.Add("csv", "kind,key,name\ndistribution,mossgate,Mossgate\nrelease,mossgate/12,\n")
	f.Add(
		"yaml",
		"distributions:\n- key: mossgate\n  releases:\n  - version: \"12\"\n    editions: [{key: hearthside}]\n",
	)
	f.Add("json", `{"rigs":[{"key":"bench-old"}]}`)
	f.Add("jsonl", "{\"kind\":\"rig\",\"key\":\"bench-old\"}\n")
	f.Add("yaml", "distributions: 7\n")
	f.Add("csv", "kind,key\nnonsense,\x00\n")
	f.Fuzz(func(t *testing.T, form, text string) {
		if form == "xlsx" {
			return
		}
		entries, err := imports.ReadCatalogue(strings.NewReader(text), form)
		if err != nil {
			return
		}
		for _, e := range entries {
			if e.Key == "" && e.Fault == "" {
				t.Errorf("an entry has neither a key nor a fault: %+v", e)
			}
		}
	})
}
