package lookup_test

import (
	"strings"
	"testing"

	"dappertally/internal/lookup"
)

func TestFind(t *testing.T) {
	all := []lookup.Entry{
		{Sort: "edition", Key: "mossgate/12/hearthside", Title: "Mossgate 12 Hearthside"},
		{Sort: "edition", Key: "mossgate/12.1/hearthside", Title: "Mossgate 12.1 Hearthside"},
		{Sort: "edition", Key: "upper-moss/1/awning", Title: "Uppermoss 1 Awning"},
		{Sort: "criterion", Key: "cold-start", Title: "Cold start of the browser", Detail: "performance"},
		{Sort: "person", Key: "odile", Title: "Ódile Farrant"},
	}
	for _, c := range []struct {
		text  string
		limit int
		want  string
	}{
		{"moss", 9, "mossgate/12/hearthside mossgate/12.1/hearthside upper-moss/1/awning"},
		{"moss", 1, "mossgate/12/hearthside"},
		{"hearth 12.1", 9, "mossgate/12.1/hearthside"},
		{"MOSS aw", 9, "upper-moss/1/awning"},
		{"performance", 9, "cold-start"},
		{"cold-st", 9, "cold-start"},
		{"ódile", 9, "odile"},
		{"moss nothing", 9, ""},
		{"  ", 9, ""},
		{"%_\\", 9, ""},
	} {
		var keys []string
		for _, e := range lookup.Find(c.text, c.limit, all) {
			keys = append(keys, e.Key)
		}
		if got := strings.Join(keys, " "); got != c.want {
			t.Errorf("%q: %s, want %s", c.text, got, c.want)
		}
	}
}
