package reading_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/reading"
)

// TestChangedGrades tells corrections from grades that were changed with the others' in
// sight.
func TestChangedGrades(t *testing.T) {
	start := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	type given struct {
		id, reviewer string
		grade        float64
		replaces     string
	}
	for _, c := range []struct {
		name  string
		given []given // in the order in which they were recorded
		id    string  // the one that is changed; empty: none
		from  float64
		seen  string
	}{
		{"each gave one", []given{{"a", "ines", 0, ""}, {"b", "odile", 6.5, ""}}, "", 0, ""},
		{"changed after looking", []given{{"a", "ines", 0, ""}, {"b", "odile", 6.5, ""}, {"c", "ines", 6.5, "a"}}, "c", 0, "odile"},
		{"the other had graded before", []given{{"b", "odile", 6.5, ""}, {"a", "ines", 0, ""}, {"c", "ines", 6.5, "a"}}, "c", 0, "odile"},
		{"corrected alone", []given{{"a", "ines", 1, ""}, {"c", "ines", 7, "a"}, {"b", "odile", 6.5, ""}}, "", 0, ""},
		{"corrected alone, then changed", []given{{"a", "ines", 1, ""}, {"c", "ines", 7, "a"}, {"b", "odile", 6.5, ""}, {"d", "ines", 6, "c"}}, "d", 7, "odile"},
		{"changed twice", []given{{"a", "ines", 1, ""}, {"b", "odile", 6.5, ""}, {"c", "ines", 4, "a"}, {"d", "ines", 6.5, "c"}}, "d", 1, "odile"},
		{"changed and changed back", []given{{"a", "ines", 1, ""}, {"b", "odile", 6.5, ""}, {"c", "ines", 4, "a"}, {"d", "ines", 1, "c"}}, "c", 1, "odile"},
		{"two could be seen", []given{{"b", "tomas", 5, ""}, {"c", "odile", 5, ""}, {"a", "ines", 1, ""}, {"d", "ines", 5, "a"}}, "d", 1, "odile tomas"},
		{"nobody else graded", []given{{"a", "ines", 1, ""}, {"c", "ines", 4, "a"}}, "", 0, ""},
		{"the other was changed too", []given{{"a", "ines", 1, ""}, {"b", "odile", 6.5, ""}, {"e", "odile", 2, "b"}, {"c", "ines", 6.5, "a"}}, "c", 1, "odile"},
	} {
		var all []reading.Reading
		for i, g := range c.given {
			received := start.Add(time.Duration(i) * time.Minute)
			all = append(all, reading.Reading{
				ID: g.id, Criterion: "guide", Reviewer: g.reviewer, Replaces: g.replaces, At: start, Received: &received,
				Answer: reading.Answer{Grade: new(g.grade)},
			}, reading.Reading{ // the same reviewer's grade of something else is no concern of this one
				ID: "x" + g.id, Criterion: "fonts", Reviewer: g.reviewer, At: start, Received: &received,
				Answer: reading.Answer{Grade: new(g.grade)},
			})
		}
		slices.Reverse(all)
		found := reading.ChangedGrades(all)
		got, ok := found[c.id]
		if _, back := found["d"]; back && c.name == "changed and changed back" {
			t.Errorf("%s: the last grade is the first again: %+v", c.name, found)
		}
		if ok != (c.id != "") || !ok && len(found) > 0 || got.From != c.from || strings.Join(got.Seen, " ") != c.seen {
			t.Errorf("%s: %+v", c.name, found)
		}
	}
}
