package slip

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"dappertally/core/checklist"
	"dappertally/core/reading"
)

var noon = time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC)

func noted(criterion, answer string) Reading {
	return Reading{ID: uuid.Must(uuid.NewV7()).String(), Criterion: criterion, Answer: answer, At: noon}
}

func TestAppendKeepsWhatPeopleWrote(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a.slip")
	quaymark := &System{Name: "Quaymark", ID: "quaymark", Version: "22.1"}
	if err := Append(name, &Slip{System: quaymark, Readings: []Reading{noted("cold-start", "26.4 25.9")}}); err != nil {
		t.Fatal(err)
	}
	data, _ := os.ReadFile(name)
	corrected := strings.Replace(
		string(data), "26.4 25.9", "26.4 25.9 # the third was interrupted", 1,
	) + "rig: bench-old\n"
	if err := os.WriteFile(name, []byte(corrected), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := Append(name, &Slip{System: quaymark, States: []State{{Key: "s1", At: noon, Facts: map[string]any{"a": 1, "b": []string{"x"}}}}, Readings: []Reading{noted("wireless", "works")}}); err != nil {
		t.Fatal(err)
	}
	data, _ = os.ReadFile(name)
	for _, kept := range []string{"# the third was interrupted", "rig: bench-old", "Sending it twice is safe"} {
		if !strings.Contains(string(data), kept) {
			t.Errorf("%q is gone:\n%s", kept, data)
		}
	}
	s, err := Load(name)
	if err != nil || len(s.Readings) != 2 || len(s.States) != 1 || s.Rig != "bench-old" {
		t.Errorf("%+v, %v", s, err)
	}
	if err := Append(name, &Slip{System: &System{Name: "Mossgate", ID: "mossgate"}}); err == nil ||
		!strings.Contains(err.Error(), "was started on Quaymark 22.1 and this is Mossgate") {
		t.Errorf("another system's facts go onto the same slip: %v", err)
	}
}

func TestAppendAtOnce(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a.slip")
	var all sync.WaitGroup
	for i := range 20 {
		all.Go(func() {
			if err := Append(name, &Slip{Readings: []Reading{noted(fmt.Sprintf("c%d", i), "1")}}); err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	if s, err := Load(name); err != nil || len(s.Readings) != 20 {
		t.Errorf("%d readings of 20, %v", len(s.Readings), err)
	}
	if left, _ := os.ReadDir(filepath.Dir(name)); len(left) != 1 {
		t.Errorf("left behind: %v", left)
	}
}

func TestParseTellsWhatIsWrong(t *testing.T) {
	const head = "format: dapper-tally/slip\nversion: 1\n"
	id := uuid.Must(uuid.NewV7()).String()
	for _, c := range []struct{ name, text, says string }{
		{"empty", "", "is empty"},
		{"no YAML", "a: [", "line 1"},
		{"something else", "format: x\nversion: 1\n", "is no slip"},
		{"of a later version", "format: dapper-tally/slip\nversion: 2\n", "is no slip"},
		{"a field misspelt", head + "fase: fresh\n", "line 3: a slip has no field fase here"},
		{"no id", head + "readings:\n  - {criterion: a, answer: x, at: 2026-01-01T00:00:00Z}\n", `the id "" is not a UUID`},
		{"twice", head + "readings:\n  - &r {id: " + id + ", criterion: a, answer: x, at: 2026-01-01T00:00:00Z}\n  - *r\n", "is duplicated"},
		{"no criterion", head + "readings:\n  - {id: " + id + ", answer: x, at: 2026-01-01T00:00:00Z}\n", "needs a criterion or a fact"},
		{"no time", head + "readings:\n  - {id: " + id + ", criterion: a, answer: x}\n", "its time, at, is missing"},
		{"two answers", head + "readings:\n  - {id: " + id + ", criterion: a, answer: x, notTested: y, at: 2026-01-01T00:00:00Z}\n", "exactly one of answer"},
		{"an unknown state", head + "readings:\n  - {id: " + id + ", criterion: a, answer: x, state: s9, at: 2026-01-01T00:00:00Z}\n", `no state "s9"`},
		{"no time that is", head + "readings:\n  - {id: " + id + ", criterion: a, answer: x, at: yesterday}\n", "line 4"},
		{"a fact in a fact", head + "states:\n  - {key: s1, at: 2026-01-01T00:00:00Z, facts: {a: {b: c}}}\n", "not a text, a number or a list"},
	} {
		if _, err := Parse([]byte(c.text)); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v; want %q", c.name, err, c.says)
		}
	}
}

func TestConvert(t *testing.T) {
	for _, c := range []struct {
		from, to string
		want     float64
	}{{"s", "s", 90}, {"", "s", 90}, {"s", "min", 1.5}, {"s", "ms", 90000}, {"MiB", "GiB", 90. / 1024}, {"GB", "MiB", 90e9 / (1 << 20)}} {
		got, err := Convert([]float64{90}, c.from, c.to)
		if err != nil || got[0] != c.want {
			t.Errorf("90 %s in %s: %v, %v", c.from, c.to, got, err)
		}
	}
	for _, c := range [][2]string{{"s", "MiB"}, {"frames/s", "s"}, {"s", ""}} {
		if got, err := Convert([]float64{1}, c[0], c[1]); err == nil {
			t.Errorf("%s is taken for %s: %v", c[0], c[1], got)
		}
	}
}

func list() *checklist.Checklist {
	measure := func(key, unit, survey, method, phase string) checklist.Criterion {
		return checklist.Criterion{
			Key:     key,
			Kind:    checklist.Measure,
			Unit:    unit,
			Better:  "lower",
			Survey:  survey,
			Context: checklist.Context{Method: method, Phase: phase},
			Curve:   &checklist.Curve{Shape: checklist.Span, Poor: 1, Ideal: 0},
		}
	}
	return &checklist.Checklist{
		Key: "w", Version: 1,
		Vocabulary: checklist.Vocabulary{
			Methods: []checklist.Named{
				{Key: "memory-available"},
				{Key: "stopwatch"},
				{Key: "clock"},
			}, Phases: []checklist.Named{{Key: "fresh"}, {Key: "updated"}},
		},
		Sections: []checklist.Section{{Key: "a", Criteria: []checklist.Criterion{
			measure("memory", "GiB", "memory.available", "memory-available", "updated"),
			measure("memory-fresh", "MiB", "memory.available", "memory-available", "fresh"),
			measure("memory-any", "MiB", "memory.available", "", ""),
			measure("start", "s", "start.total", "stopwatch", ""),
			measure("copy", "min", "", "clock", ""),
			{
				Key:    "firewall",
				Kind:   checklist.Level,
				Survey: "firewall.state",
				Levels: []checklist.Rung{{Key: "off"}, {Key: "on"}},
			},
			{Key: "formats", Kind: checklist.Fact, Survey: "packages.formats"},
			{
				Key:    "which",
				Kind:   checklist.Count,
				Survey: "packages.formats",
				Items:  []checklist.Item{{Key: "deb"}, {Key: "snap"}},
			},
			{Key: "virtual", Kind: checklist.Check, Survey: "system.virtual"},
			{Key: "taste", Kind: checklist.Grade, Survey: "os.name"},
		}}},
	}
}

func TestSteps(t *testing.T) {
	s := &Slip{
		Rig: "bench-old", Phase: "updated",
		States: []State{{Key: "s-1", At: noon, Disturbance: "a recorder", Facts: map[string]any{
			"memory.available": 512.0, "start.total": 30.0, "firewall.state": "on: ufw", "packages.formats": []any{"deb", "flatpak"}, "system.virtual": "no", "os.name": "Quaymark",
		}}},
		Readings: []Reading{noted("copy", "90 120"), noted("copy", "x"), noted("none", "1")},
	}
	s.Readings[0].Unit = "s"
	got := map[string]string{}
	for _, x := range s.Steps(list(), There{Reviewer: "ines"}) {
		says := string(x.Fate)
		if x.Reading != nil {
			says += " " + asJSON(
				x.Reading.Answer,
			) + " " + x.Reading.Context.Method + " " + x.Reading.Disturbance + " " + x.Reading.System
		}
		got[x.Subject] += says + x.Why + "|"
	}
	for subject, want := range map[string]string{
		"s-1":          "new|",
		"memory":       `new {"runs":[0.5]} memory-available a recorder s-1|`,
		"memory-fresh": "left outit is asked in the phase fresh, and the survey was in updated|",
		"memory-any":   `new {"runs":[512]} memory-available a recorder s-1|`,
		"start":        "left outit needs the method stopwatch, and the survey used start-log|",
		"firewall":     `new {"level":"on"}   s-1|`,
		"formats":      `new {"fact":["deb","flatpak"]}   s-1|`,
		"which":        `new {"count":{"worked":["deb"],"failed":["snap"]}}   s-1|`,
		"virtual":      `new {"check":"fails"}   s-1|`,
		"taste":        "left outit is a grade, which needs a person|",
		"copy":         `new {"runs":[1.5,2]} clock  |refused"x" is not a number|`,
		"none":         `refusedchecklist w@1 has no criterion "none"|`,
	} {
		if got[subject] != want {
			t.Errorf("%s: %q, want %q", subject, got[subject], want)
		}
	}
	s.Phase = ""
	for _, x := range s.Steps(list(), There{}) {
		if x.Subject == "memory" && (x.Fate != Refused || !strings.Contains(x.Why, "--phase")) {
			t.Errorf("no phase is said: %+v", x)
		}
	}
}

// TestStepsAgain submits the same slip again, then corrected, then with the correction undone.
func TestStepsAgain(t *testing.T) {
	s := &Slip{
		States:   []State{{Key: "s-1", At: noon, Facts: map[string]any{"memory.available": 512.0}}},
		Readings: []Reading{noted("copy", "1.5")},
	}
	there := There{Reviewer: "ines"}
	expect := func(want string) {
		t.Helper()
		var fates []string
		for _, x := range s.Steps(list(), there) {
			fates = append(fates, string(x.Fate))
			switch {
			case x.Fate != New && x.Fate != Replace:
			case x.State != nil:
				there.States = []reading.System{*x.State}
				there.States[0].Reviewer = "ines"
			default:
				x.Reading.Received = &noon
				there.Readings = append(there.Readings, *x.Reading)
			}
		}
		if got := strings.Join(fates, ", "); got != want {
			t.Errorf("%s, want %s", got, want)
		}
	}
	s.Phase = "updated"
	expect("new, new, new, left out, new")
	expect("same, same, same, left out, same")
	s.Readings[0].Answer = "2"
	expect("same, replaces, same, left out, same")
	expect("same, same, same, left out, same")
	s.Readings[0].Answer, s.States[0].Note = "1.5", "looked at again"
	expect("replaces, replaces, same, left out, same")
	expect("same, same, same, left out, same")
}

func TestMatch(t *testing.T) {
	editions := []Edition{
		{
			Key:          "q/22.1/latch",
			Distribution: "quaymark",
			Name:         "Quaymark",
			Version:      "22.1",
			Variant:      "latch",
			Desktop:      "Latchwork",
			Architecture: "amd64",
		},
		{
			Key:          "q/22.1/awning",
			Distribution: "quaymark",
			Name:         "Quaymark",
			Version:      "22.1",
			Variant:      "awning",
			Desktop:      "Awning",
			Architecture: "amd64",
		},
		{
			Key:          "q/22.1/awning-arm",
			Distribution: "quaymark",
			Name:         "Quaymark",
			Version:      "22.1",
			Variant:      "awning-arm",
			Desktop:      "Awning",
			Architecture: "arm64",
		},
		{
			Key:          "q/22.0/latch",
			Distribution: "quaymark",
			Name:         "Quaymark",
			Version:      "22.0",
			Variant:      "latch",
			Desktop:      "Latchwork",
		},
		{
			Key:          "d/2026-05/awning",
			Distribution: "driftmoor",
			Name:         "Driftmoor Linux",
			Version:      "2026-05",
			Variant:      "awning",
		},
		{
			Key:          "d/2026-11/awning",
			Distribution: "driftmoor",
			Name:         "Driftmoor Linux",
			Version:      "2026-11",
			Variant:      "awning",
		},
	}
	for _, c := range []struct {
		system System
		want   string
	}{
		{System{ID: "quaymark", Version: "22.1", Variant: "Latch"}, "q/22.1/latch"},
		{System{ID: "quaymark", Version: "22.1.4", Desktop: "awning", Architecture: "aarch64"}, "q/22.1/awning-arm"},
		{System{ID: "quaymark", Version: "22.1", Desktop: "Awning", Architecture: "x86_64"}, "q/22.1/awning"},
		{System{ID: "quaymark", Version: "22.10"}, ""},
		{System{Name: "Driftmoor Linux", ID: "dm"}, "d/2026-05/awning d/2026-11/awning"},
		{System{Name: "Mossgate", ID: "mossgate"}, ""},
	} {
		var keys []string
		for _, e := range c.system.Match(editions) {
			keys = append(keys, e.Key)
		}
		if got := strings.Join(keys, " "); got != c.want {
			t.Errorf("%+v: %q, want %q", c.system, got, c.want)
		}
	}
}
