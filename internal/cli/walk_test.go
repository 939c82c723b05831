package cli

import (
	"bufio"
	"bytes"
	"context"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"dappertally/core/checklist"
	"dappertally/internal/client"
	"dappertally/internal/slip"
)

const walked = `
key: desk
version: 1
state: in-force
sections:
  - key: speed
    weight: 50
    criteria:
      - {key: start, title: Cold start, guidance: Start the watch., kind: measure, weight: 1, unit: s, better: lower, context: {phase: fresh}, runs: {expect: 3}, curve: {shape: ratio, poor: 90, ideal: 9}}
      - {key: feel, kind: grade, weight: 1}
  - key: ease
    weight: 50
    criteria:
      - {key: wireless, kind: check, weight: 1}
      - {key: drivers, kind: level, weight: 1, levels: [{key: none, points: 0}, {key: by-hand, points: 40}, {key: guided, points: 100}]}
      - {key: archives, kind: count, weight: 1, items: [{key: zip}, {key: tar}, {key: rar}]}
      - {key: menus, kind: count, weight: 1}
      - {key: kernel, kind: fact}
`

// A review is walked through without a network: answers as people type them, back, skip
// and reasons.
func TestWalkOffline(t *testing.T) {
	dir := t.TempDir()
	list, file := filepath.Join(dir, "list.yaml"), filepath.Join(dir, "walk.slip")
	if err := os.WriteFile(list, []byte(walked), 0o600); err != nil {
		t.Fatal(err)
	}
	typed := []string{
		"fast", "26,4 25.9s 0:26", // start: refused, then three runs
		":b",                    // from feel back to start
		"1e9", "200000", "", "", // not possible as a measurement; hardly plausible, and not right after all; skipped
		":m noisy fan", "7/10", // feel, with a note
		"4", "3", // wireless: there is no fourth choice
		"gui",        // drivers, by its beginning
		"wkx", "wkf", // archives: a letter that is none, then one each
		":n", ":n none at hand", // menus: a reason is asked for
		":frobnicate", "6.14.2", // kernel
	}
	cmd := Command()
	cmd.SetArgs([]string{"review", "walk", "--slip", file, "--checklist", list, "--rig", "bench-old"})
	cmd.SetIn(strings.NewReader(strings.Join(typed, "\n") + "\n"))
	var out bytes.Buffer
	cmd.SetOut(&out)
	cmd.SetErr(&out)
	if err := cmd.Execute(); err != nil {
		t.Fatalf("%v\n%s", err, out.String())
	}
	x, err := slip.Load(file)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]string{}
	for _, r := range x.Readings {
		got[r.Criterion] += r.Answer + r.NotTested + "|" + r.Rig + "|" + r.Note
	}
	for criterion, want := range map[string]string{
		"start": "26.4 25.9 26|bench-old|", "feel": "7||noisy fan", "wireless": "fails||", "drivers": "guided||",
		"archives": "zip=worked tar=workaround rar=failed||", "menus": "none at hand||", "kernel": "6.14.2||",
	} {
		if got[criterion] != want {
			t.Errorf("%s: %q, want %q", criterion, got[criterion], want)
		}
	}
	for _, says := range []string{"1 of 7 · speed · Cold start (start)", "Start the watch.", "phase fresh, on bench-old, 3 runs", "s for each run, lower is better", "1 works, 2 workaround, 3 fails", "1 none, 2 by-hand, 3 guided", "There is no command :frobnicate", "not possible as a measurement", "outside the plausible range", "Give a reason", "7 answers recorded."} {
		if !strings.Contains(out.String(), says) {
			t.Errorf("it does not say %q:\n%s", says, out.String())
		}
	}
}

func TestWalkAsksForWhatItNeeds(t *testing.T) {
	dir := t.TempDir()
	list := filepath.Join(dir, "list.yaml")
	if err := os.WriteFile(list, []byte(walked), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct{ args, says string }{
		{"--slip " + dir + "/a.slip", "--checklist FILE"},
		{"--slip " + dir + "/a.slip --checklist " + list, "name it with --rig"},
		{"--slip " + dir + "/a.slip --checklist " + list + " --rig x --section nothing", "no section"},
		{"--slip " + dir + "/a.slip --checklist " + dir + "/none.yaml", "no such file"},
	} {
		cmd := Command()
		cmd.SetArgs(append([]string{"review", "walk"}, strings.Fields(c.args)...))
		cmd.SetIn(strings.NewReader("7\n"))
		cmd.SetOut(&bytes.Buffer{})
		cmd.SetErr(&bytes.Buffer{})
		if err := cmd.Execute(); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v, want %q", c.args, err, c.says)
		}
	}
}

func TestChoices(t *testing.T) {
	q := question{Criterion: &checklist.Criterion{Kind: checklist.Check}}
	for text, want := range map[string]string{"1": "works", "3": "fails", "F": "fails", "works": "works", "Works": "works", "wor": "wor", "worka": "workaround", "0": "0"} {
		if got := q.chosen(text); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
}

// walkerOver walks the list's questions on a service that is out of reach.
func walkerOver(t *testing.T, in io.Reader) (*walker, *bytes.Buffer) {
	t.Helper()
	t.Chdir(t.TempDir())
	if err := os.WriteFile("list.yaml", []byte(walked), 0o600); err != nil {
		t.Fatal(err)
	}
	cmd, out := Command(), &bytes.Buffer{}
	cmd.SetOut(out)
	cmd.SetContext(t.Context())
	list, err := readChecklist(cmd, "list.yaml")
	if err != nil {
		t.Fatal(err)
	}
	c := client.Connect("http://127.0.0.1:1", "")
	w := &walker{session: &session{}, cmd: cmd, list: list, in: bufio.NewReader(in)}
	w.save = &serviceKeeper{w: w, client: c, review: "r1", edition: "quaymark/22.1/latchwork"}
	if w.questions, err = questionsOf(list, &walkFlags{rig: "bench-old"}, nil); err != nil {
		t.Fatal(err)
	}
	return w, out
}

// If the service cannot be reached, an answer goes to the slip complete: confirmed, with its notes.
func TestWalkGoesOnWithASlip(t *testing.T) {
	w, out := walkerOver(t, strings.NewReader(":m seen twice\n200000\nthe disk is dying\ny\n7\n"))
	if err := w.each(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	x, err := slip.Load("quaymark-22.1-latchwork.slip")
	if err != nil {
		t.Fatal(err)
	}
	if len(x.Readings) != 2 || w.recorded != 2 || x.Review != "r1" {
		t.Fatalf("%+v\n%s", x, out)
	}
	if r := x.Readings[0]; !r.Confirm || r.Note != "seen twice; the disk is dying" || r.Criterion != "start" {
		t.Errorf("the confirmed answer: %+v", r)
	}
}

// Ctrl-C leaves the walk at once, even if nobody types.
func TestWalkIsLeft(t *testing.T) {
	typed, types := io.Pipe()
	defer types.Close()
	w, out := walkerOver(t, typed)
	ctx, left := context.WithCancel(t.Context())
	w.cmd.SetContext(ctx)
	left()
	if err := w.each(); err != nil || w.recorded != 0 {
		t.Errorf("%v\n%s", err, out)
	}
}
