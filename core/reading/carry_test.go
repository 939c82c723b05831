package reading_test

import (
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

// TestCarry sorts criteria by their outcome in the next version of a list.
func TestCarry(t *testing.T) {
	list := func(version int, criteria ...checklist.Criterion) *checklist.Checklist {
		return &checklist.Checklist{
			Key:      "desk",
			Version:  version,
			Sections: []checklist.Section{{Key: "all", Weight: 1, Criteria: criteria}},
		}
	}
	grade := func(key string) checklist.Criterion {
		return checklist.Criterion{Key: key, Kind: checklist.Grade, Weight: 1}
	}
	measure := func(key, unit string) checklist.Criterion {
		return checklist.Criterion{
			Key: key, Kind: checklist.Measure, Weight: 1, Unit: unit, Better: "lower",
			Curve: &checklist.Curve{Shape: checklist.Span, Poor: 9, Ideal: 1},
		}
	}
	fact := func(key string) checklist.Criterion { return checklist.Criterion{Key: key, Kind: checklist.Fact} }
	renamed, heavier, note := grade("guide"), grade("guide"), fact("codename")
	renamed.Title, heavier.Weight = "The guide", 7
	for _, c := range []struct {
		name         string
		older, newer *checklist.Checklist
		read         string // the criteria that were answered
		want         reading.Carried
		kept         string
	}{
		{"nothing changed", list(1, grade("guide")), list(2, grade("guide")), "guide guide",
			reading.Carried{Kept: []string{"guide"}, Unchanged: true}, "guide guide"},
		{"another title, another weight", list(1, grade("guide")), list(2, heavier), "guide",
			reading.Carried{Kept: []string{"guide"}, Unchanged: true}, "guide"},
		{"a title alone", list(1, grade("guide")), list(2, renamed), "guide",
			reading.Carried{Kept: []string{"guide"}, Unchanged: true}, "guide"},
		{"another unit is another question", list(1, measure("start", "s")), list(2, measure("start", "ms")), "start",
			reading.Carried{AskedAgain: []string{"start"}}, ""},
		{"another kind too", list(1, grade("guide")), list(2, measure("guide", "s")), "guide",
			reading.Carried{AskedAgain: []string{"guide"}}, ""},
		{"a new question that scores", list(1, grade("guide")), list(2, grade("guide"), grade("sound")), "guide",
			reading.Carried{Kept: []string{"guide"}, New: []string{"sound"}}, "guide"},
		{"a new fact scores nothing", list(1, grade("guide")), list(2, grade("guide"), note), "guide",
			reading.Carried{Kept: []string{"guide"}, New: []string{"codename"}, Unchanged: true}, "guide"},
		{"not answered before", list(1, grade("guide"), grade("sound")), list(2, grade("guide"), grade("sound")), "sound",
			reading.Carried{Kept: []string{"sound"}, Unread: []string{"guide"}, Unchanged: true}, "sound"},
		{"not asked any more", list(1, grade("guide"), grade("sound"), grade("fonts")), list(2, grade("guide")), "sound guide",
			reading.Carried{Kept: []string{"guide"}, Dropped: []string{"sound"}, Unchanged: true}, "guide"},
	} {
		var readings []reading.Reading
		for _, key := range strings.Fields(c.read) {
			readings = append(readings, reading.Reading{Criterion: key})
		}
		got, kept := reading.Carry(c.older, c.newer, readings)
		for _, x := range []struct {
			what      string
			got, want []string
		}{
			{"kept", got.Kept, c.want.Kept}, {"asked again", got.AskedAgain, c.want.AskedAgain}, {"new", got.New, c.want.New},
			{"unread", got.Unread, c.want.Unread}, {"dropped", got.Dropped, c.want.Dropped},
		} {
			if strings.Join(x.got, " ") != strings.Join(x.want, " ") {
				t.Errorf("%s: %s are %v, want %v", c.name, x.what, x.got, x.want)
			}
		}
		if got.Unchanged != c.want.Unchanged {
			t.Errorf("%s: unchanged is %v", c.name, got.Unchanged)
		}
		var keys []string
		for _, x := range kept {
			keys = append(keys, x.Criterion)
		}
		if strings.Join(keys, " ") != c.kept {
			t.Errorf("%s: readings of %v go along, want %s", c.name, keys, c.kept)
		}
	}
}
