package bundle_test

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/fault"
	"dappertally/core/reading"
)

const sound = `{"format": "dapper-tally/bundle", "version": 1,
"checklists": [{"key": "desk", "version": 1, "state": "in-force", "sections": [{"key": "all", "weight": 1, "criteria": [
  {"key": "start", "kind": "measure", "weight": 1, "unit": "s", "better": "lower", "curve": {"shape": "span", "poor": 60, "ideal": 5}},
  {"key": "guide", "kind": "grade", "weight": 1},
  {"key": "media", "kind": "count", "weight": 1, "items": [{"key": "film"}, {"key": "music"}]},
  {"key": "kernel", "kind": "fact"}]}]}],
"distributions": [{"key": "mossgate", "family": [], "model": "fixed", "releases": [{"version": "12", "date": "2026-06-11", "editions": [{"key": "hearth"}]}]}],
"rigs": [{"key": "bench-a", "virtual": false}],
"reviews": [{"id": "00000000-0000-7000-8000-000000000001", "edition": "mossgate/12/hearth", "checklist": "desk@1", "state": "accepted", "accepted": "2026-07-01T10:00:00Z", "readings": [
  {"id": "00000000-0000-7000-8000-00000000000a", "criterion": "start", "reviewer": "ines", "rig": "bench-a", "at": "2026-06-20T09:00:00Z", "answer": {"runs": [20, 21.5]}},
  {"id": "00000000-0000-7000-8000-00000000000b", "criterion": "guide", "reviewer": "ines", "at": "2026-06-20T09:05:00Z", "answer": {"grade": 7}},
  {"id": "00000000-0000-7000-8000-00000000000c", "criterion": "guide", "reviewer": "ines", "at": "2026-06-20T09:10:00Z", "answer": {"grade": 8}, "replaces": "00000000-0000-7000-8000-00000000000b"}]}]}`

func TestParseFaults(t *testing.T) {
	if _, err := bundle.Parse(strings.NewReader(sound), 1<<20); err != nil {
		t.Fatalf("a sound bundle: %v", err)
	}
	for _, c := range []struct{ name, old, new, pointer, says string }{
		{"syntax", `"version": 1,`, `"version": 1,,`, "", "line 1"},
		{"not a number", `[20, 21.5]`, `[20, NaN]`, "", "is not JSON"},
		{"number out of range", `21.5`, `1e999`, "/reviews/0/readings/0/answer/runs/1", "out of range"},
		{"unknown key", `"state": "accepted", "acc`, `"mood": "good", "state": "accepted", "acc`, "/reviews/0/mood", "unknown key"},
		{"key twice", `"virtual": false`, `"virtual": false, "virtual": true`, "/rigs/0/virtual", "duplicated"},
		{"key missing", `"family": [], `, ``, "/distributions/0/family", "is missing"},
		{"wrong type", `"grade": 7`, `"grade": "seven"`, "/reviews/0/readings/1/answer/grade", "must be a number"},
		{"wrong kind of answer", `"grade": 7`, `"check": "works"`, "/reviews/0/readings/1/answer/check", "its answer is grade"},
		{"two answers", `"grade": 7`, `"grade": 7, "check": "works"`, "/reviews/0/readings/1/answer", "exactly one"},
		{"no answer", `"grade": 7`, ``, "/reviews/0/readings/1/answer", "it has nothing"},
		{"grade too high", `"grade": 7`, `"grade": 11`, "/reviews/0/readings/1/answer/grade", "between 0 and 10"},
		{"other format", `dapper-tally/bundle`, `something`, "/format", "must be"},
		{"other version", `"version": 1,
`, `"version": 2,
`, "/version", "reads no other"},
		{"time", `2026-06-20T09:00:00Z`, `yesterday`, "/reviews/0/readings/0/at", "not a time"},
		{"no such rig", `"rig": "bench-a"`, `"rig": "bench-z"`, "/reviews/0/readings/0/rig", "no rig"},
		{"no such edition", `mossgate/12/hearth`, `mossgate/13/hearth`, "/reviews/0/edition", "no edition"},
		{"no such checklist", `"checklist": "desk@1"`, `"checklist": "desk@9"`, "/reviews/0/checklist", "no checklist"},
		{"no such criterion", `"criterion": "start"`, `"criterion": "stop"`, "/reviews/0/readings/0/criterion", "no criterion"},
		{"replaces nothing", `00000000b"}]`, `000000099"}]`, "/reviews/0/readings/2/replaces", "no reading"},
		{"replaces another criterion", `"replaces": "00000000-0000-7000-8000-00000000000b"`, `"replaces": "00000000-0000-7000-8000-00000000000a"`, "/reviews/0/readings/2/replaces", "another criterion"},
		{"replaces in a circle", `"answer": {"grade": 7}`, `"answer": {"grade": 7}, "replaces": "00000000-0000-7000-8000-00000000000c"`, "/reviews/0/readings/1/replaces", "circular"},
		{"id twice", `00000000b", "crit`, `00000000a", "crit`, "/reviews/0/readings/1/id", "duplicated"},
		{"accepted without a time", `"accepted": "2026-07-01T10:00:00Z", `, ``, "/reviews/0/accepted", "is missing"},
		{"curve against direction", `"poor": 60`, `"poor": 1`, "/checklists/0/sections/0/criteria/0/curve", "contradicts the direction"},
	} {
		text := strings.Replace(sound, c.old, c.new, 1)
		if text == sound {
			t.Errorf("%s: nothing was spoiled", c.name)
			continue
		}
		_, err := bundle.Parse(strings.NewReader(text), 1<<20)
		var faults fault.List
		if !errors.As(err, &faults) {
			t.Errorf("%s: got %v", c.name, err)
			continue
		}
		if !holds(faults, c.pointer, c.says) {
			t.Errorf("%s: want a fault at %q saying %q, got %v", c.name, c.pointer, c.says, faults)
		}
	}
}

// TestOldState reads a submitted review, with the present and the old name of the state.
func TestOldState(t *testing.T) {
	for _, state := range []string{"submitted", "handed-in"} {
		text := strings.Replace(sound, `"state": "accepted", "accepted": "2026-07-01T10:00:00Z"`, `"state": "`+state+`"`, 1)
		b, err := bundle.Parse(strings.NewReader(text), 1<<20)
		if err != nil {
			t.Fatalf("%s: %v", state, err)
		}
		if got := b.Reviews[0].State; got != reading.Submitted {
			t.Errorf("%s is read as %s", state, got)
		}
	}
}

func TestParseTellsAllAtOnce(t *testing.T) {
	text := strings.NewReplacer(`"grade": 7`, `"grade": 70`, `"grade": 8`, `"grade": -1`, `"rig": "bench-a"`, `"rig": "bench-z"`).
		Replace(sound)
	_, err := bundle.Parse(strings.NewReader(text), 1<<20)
	var faults fault.List
	if !errors.As(err, &faults) || len(faults) != 3 {
		t.Errorf("three faults were planted, got %v", err)
	}
}

func TestParseBoundsSize(t *testing.T) {
	_, err := bundle.Parse(strings.NewReader(sound), 100)
	if err == nil || !strings.Contains(err.Error(), "larger than") {
		t.Errorf("got %v", err)
	}
}

// TestWriteIsCanonical reads and writes the golden bundles: writing again gives the same bytes.
func TestWriteIsCanonical(t *testing.T) {
	files, _ := filepath.Glob("../testdata/golden/*.bundle.json")
	for _, file := range files {
		data, err := os.ReadFile(file)
		if err != nil {
			t.Fatal(err)
		}
		var first, second bytes.Buffer
		rewrite(t, bytes.NewBuffer(data), &first)
		rewrite(t, bytes.NewBuffer(first.Bytes()), &second)
		if !bytes.Equal(first.Bytes(), second.Bytes()) {
			t.Errorf("%s: written twice, it differs", file)
		}
	}
}

func rewrite(t *testing.T, from, to *bytes.Buffer) {
	t.Helper()
	b, err := bundle.Parse(from, 64<<20)
	if err != nil {
		t.Fatal(err)
	}
	if err := bundle.Write(to, b); err != nil {
		t.Fatal(err)
	}
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(sound))
	f.Add(
		[]byte(
			`{"format":"dapper-tally/bundle","version":1,"checklists":[],"distributions":[],"rigs":[],"reviews":[]}`,
		),
	)
	f.Add([]byte(`{"reviews":[{"readings":[{"answer":{"runs":[]}}]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		b, err := bundle.Parse(bytes.NewReader(data), 1<<20)
		if (b == nil) == (err == nil) {
			t.Errorf("bundle %v with error %v", b, err)
		}
	})
}

// TestMemoryIsBounded reads an input that consists only of faults: beyond the limit no more of them are kept.
func TestMemoryIsBounded(t *testing.T) {
	input := `{"format":"dapper-tally/bundle","version":1,"checklists":[],"distributions":[],"rigs":[],"reviews":[{"readings":[` + strings.Repeat(
		"{},", 400_000,
	) + `{}]}]}`
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, err := bundle.Parse(strings.NewReader(input), 64<<20)
	runtime.ReadMemStats(&after)
	var faults fault.List
	if !errors.As(err, &faults) || len(faults) != fault.Limit {
		t.Fatalf("%d faults, want %d", len(faults), fault.Limit)
	}
	if used := after.TotalAlloc - before.TotalAlloc; used > 200<<20 {
		t.Errorf("%d MiB were allocated for an input of %d", used>>20, len(input)>>20)
	}
}

func TestCarriedFrom(t *testing.T) {
	carry := func(change func(b *bundle.Bundle)) error {
		b, err := bundle.Parse(strings.NewReader(sound), 1<<20)
		if err != nil {
			t.Fatal(err)
		}
		second := *b.Checklists[0].Clone()
		second.Version++
		b.Checklists = append(b.Checklists, second)
		next := b.Reviews[0]
		next.ID, next.Checklist, next.Carried = "019b8c6a-0000-7000-8000-000000000099", second.Name(), b.Reviews[0].ID
		b.Reviews = append(b.Reviews, next)
		change(b)
		return b.Validate().Err()
	}
	if err := carry(func(*bundle.Bundle) {}); err != nil {
		t.Errorf("carried over as it should be: %v", err)
	}
	last := func(b *bundle.Bundle) *reading.Review { return &b.Reviews[len(b.Reviews)-1] }
	for _, c := range []struct {
		says   string
		change func(b *bundle.Bundle)
	}{
		{"no review", func(b *bundle.Bundle) { last(b).Carried = "019b8c6a-0000-7000-8000-00000000dead" }},
		{"no older version", func(b *bundle.Bundle) { last(b).Checklist = b.Checklists[0].Name() }},
	} {
		if err := carry(c.change); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("want %q, got %v", c.says, err)
		}
	}
}

func holds(faults fault.List, pointer, says string) bool {
	for _, f := range faults {
		if f.Pointer == pointer && strings.Contains(f.Detail, says) {
			return true
		}
	}
	return false
}
