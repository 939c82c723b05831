package comparing

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// TestRecordsOf walks readings by time: a record is what beats all before it, on any checklist; readings that were
// replaced, disturbed, only a bound or never accepted are not records.
func TestRecordsOf(t *testing.T) {
	lists := []checklist.Checklist{*desk(1), *desk(2)}
	higher := desk(3) // another checklist, on which more is better
	higher.Key, higher.Sections[0].Criteria[0].Key, higher.Sections[0].Criteria[0].Better = "games", "frames", "higher"
	lists = append(lists, *higher)
	day := func(n int) time.Time { return noon.AddDate(0, 0, n) }
	n := 0
	read := func(days int, value float64, change ...func(*reading.Reading)) func(*reading.Review) {
		return func(r *reading.Review) {
			n++
			x := reading.Reading{
				ID:        fmt.Sprintf("r%03d", n),
				Criterion: "start",
				Rig:       "old",
				Reviewer:  "ines",
				At:        day(days),
				Answer:    reading.Answer{Runs: []float64{value}},
			}
			if r.Checklist == "games@3" {
				x.Criterion = "frames"
			}
			for _, c := range change {
				c(&x)
			}
			r.Readings = append(r.Readings, x)
		}
	}
	on := func(rig string) func(*reading.Reading) { return func(x *reading.Reading) { x.Rig = rig } }
	replaces := func(id string) func(*reading.Reading) { return func(x *reading.Reading) { x.Replaces = id } }
	games := made(
		"a/1/x",
		3,
		func(r *reading.Review) { r.Checklist = "games@3" },
		read(1, 50),
		read(2, 49),
		read(3, 60),
		read(4, 60),
	)
	games.ID = "games"
	withdrawn := made("c/1/x", 1, read(3, 1))
	withdrawn.State = reading.Withdrawn
	late := made("d/1/x", 1, read(3, 2))
	accepted := day(40)
	late.Accepted = &accepted
	reviews := []reading.Review{
		games, withdrawn, late,
		made(
			"a/1/x",
			1,
			read(1, 30),
			read(2, 31),
			read(5, 25, func(x *reading.Reading) { x.Disturbance = "a recorder was running" }),
		),
		made(
			"b/2/x",
			2,
			read(3, 28),
			read(4, 20, func(x *reading.Reading) { x.Bound = "at-most" }),
			read(6, 26),
			read(7, 26),
			read(8, 5, on("new")),
			read(9, 3, func(x *reading.Reading) { x.Context.Phase = "live" }),
			read(
				9,
				24,
				func(x *reading.Reading) { x.Adjustment = &reading.Adjustment{Amount: 2, Reason: "a menu waits"} },
			),
		),
	}
	first := reviews[3].Readings[0].ID
	says := func(at *time.Time) string {
		var out []string
		for _, r := range RecordsOf(lists, scoring.Input{Reviews: reviews}, at) {
			var values []string
			for _, x := range r.Records {
				values = append(values, fmt.Sprintf("%v by %s", x.Value, x.Edition))
			}
			out = append(out, strings.Join([]string{r.Criterion, r.Rig, r.Phase}, " ")+": "+strings.Join(values, ", "))
		}
		return strings.Join(out, "; ")
	}
	moment := func(days int) *time.Time { at := day(days); return &at }
	for _, c := range []struct {
		name string
		at   *time.Time
		want string
	}{
		{"now", nil, "frames old : 50 by a/1/x, 60 by a/1/x; start new : 5 by b/2/x; start old : 30 by a/1/x, 2 by d/1/x; start old live: 3 by b/2/x"},
		{"before the late acceptance", moment(30), "frames old : 50 by a/1/x, 60 by a/1/x; start new : 5 by b/2/x; start old : 30 by a/1/x, 28 by b/2/x, 26 by b/2/x, 22 by b/2/x; start old live: 3 by b/2/x"},
		{"on the second day", moment(2), "frames old : 50 by a/1/x; start old : 30 by a/1/x"},
		{"before anything", moment(-9), ""},
	} {
		if got := says(c.at); got != c.want {
			t.Errorf("%s:\n%s, want\n%s", c.name, got, c.want)
		}
	}
	goesOn := func(r *reading.Review) { r.Continues = reviews[3].ID }
	reviews = append(reviews, made("a/1/x", 2, goesOn, read(2, 44, replaces(first))))
	if got, want := says(moment(30)), "31 by a/1/x, 28 by b/2/x"; !strings.Contains(got, want) ||
		strings.Contains(got, "30 by a/1/x") {
		t.Errorf("with the first replaced: %s, want %s", got, want)
	}
	if got := says(moment(1)); !strings.Contains(got, "30 by a/1/x") {
		t.Errorf("before it was replaced it stood: %s", got)
	}
}

// A front keeps everything that becomes a record when all candidates are walked by time, whatever their order.
func TestFront(t *testing.T) {
	random := rand.New(rand.NewPCG(5, 8))
	for round := range 500 {
		lower := round%2 == 0
		var all []candidate
		for i := range random.IntN(40) {
			value := float64(random.IntN(30))
			if random.IntN(3) == 0 {
				value += float64(random.IntN(5)) * tie / 2 // ties, and what is hardly apart
			}
			all = append(all, candidate{Record{noon.Add(time.Duration(random.IntN(20)) * time.Hour), value, "e"}, fmt.Sprint(i)})
		}
		f := front{lower: lower}
		for _, c := range all {
			f.add(c)
		}
		slices.SortFunc(all, inTime)
		var want []Record
		for _, c := range all {
			if len(want) == 0 || beats(c.Value, want[len(want)-1].Value, lower) {
				want = append(want, c.Record)
			}
		}
		if got := f.records(place{}).Records; !slices.Equal(got, want) {
			t.Fatalf("round %d: %v, want %v", round, got, want)
		}
	}
}
