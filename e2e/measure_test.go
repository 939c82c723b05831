package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"
)

// procedures is a checklist that a client measures by itself, on any machine that has a shell.
const procedures = `
key: bench
version: 1
state: in-force
title: What a client measures
sections:
  - key: speed
    title: Speed
    weight: 1
    criteria:
      - {key: count, title: Counting, kind: measure, weight: 1, unit: s, better: lower, guidance: It counts., curve: {shape: ratio, poor: 100, ideal: 0.001},
         procedure: {steps: [{shell: "i=0; while [ $i -lt 20000 ]; do i=$((i+1)); done; echo counted >> $LOG"}], environment: {LOG: LOGFILE}, read: {figure: wall}, sampling: {least: 6, most: 9, precision: 0.5, discard: 1, settle: 0.01}}}
      - {key: said, title: What it says, kind: measure, weight: 1, unit: /s, better: higher, guidance: It says., curve: {shape: ratio, poor: 1, ideal: 1000},
         procedure: {steps: [{shell: "echo speed 42 per second; echo said >> $LOG"}], environment: {LOG: LOGFILE}, read: {figure: pattern, pattern: 'speed (\d+)'}, sampling: {least: 6, most: 6, settle: 0.01}}}
      - {key: broken, title: Broken, kind: measure, weight: 1, unit: s, better: lower, guidance: It fails., curve: {shape: ratio, poor: 10, ideal: 1},
         procedure: {steps: [{run: [ls, /no/such/place]}], read: {figure: wall}, sampling: {least: 6, most: 6, settle: 0.01}}}
      - {key: starts, title: Starts, kind: measure, weight: 1, unit: /s, better: higher, guidance: It starts., curve: {shape: ratio, poor: 1, ideal: 1000},
         procedure: {steps: [{shell: "echo 5"}], read: {figure: last}, sampling: {least: 6, most: 6, boots: 3, settle: 0.01}}}
      - {key: by-hand, title: By hand, kind: measure, weight: 1, unit: s, better: lower, guidance: A stopwatch., curve: {shape: ratio, poor: 10, ideal: 1}}
`

type measured struct {
	Criterion, State, Remark string
	Runs                     []float64
}

// TestMeasure measures a review on this machine: killed and resumed, asked for, handed in, and without a service.
func TestMeasure(t *testing.T) {
	server := serve(t)
	marit := newClient(t, server).login("marit")
	folder := t.TempDir()
	log := filepath.Join(folder, "log")
	list := filepath.Join(folder, "list.yaml")
	write := func(text string) {
		t.Helper()
		if err := os.WriteFile(list, []byte(strings.ReplaceAll(text, "LOGFILE", log)), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write(procedures)
	marit.must("checklist", "add", list)
	marit.must("review", "add", "ivybeck/5.4/hearthside", "--checklist", "bench@1")
	var reviews struct {
		Reviews []struct{ ID, Checklist string }
	}
	decode(t, marit.must("review", "list", "--output", "json"), &reviews)
	review := ""
	for _, r := range reviews.Reviews {
		if r.Checklist == "bench@1" {
			review = r.ID
		}
	}
	// The machine is said to be at rest, whatever else the tests keep it busy with.
	root := filepath.Join(folder, "root")
	if err := os.MkdirAll(filepath.Join(root, "proc/sys/kernel/random"), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(root, "proc/sys/kernel/random/boot_id"), []byte("one\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	to := func(more ...string) []string {
		return append([]string{"measure", "--review", review, "--rig", "bench-old", "--output", "json", "--root", root}, more...)
	}
	var plan []struct{ Criterion, LeftOut string }
	decode(t, marit.must(to("--list")...), &plan)
	if len(plan) != 4 {
		t.Errorf("planned: %+v", plan)
	}
	// Nobody agreed to run these commands, and there is no terminal to ask at.
	journal := filepath.Join(folder, "a.journal")
	if says := marit.fails(2, to("--journal", journal)...); !strings.Contains(says, "Run these commands on this machine?") ||
		!strings.Contains(says, "ls /no/such/place") {
		t.Errorf("without a terminal: %s", says)
	}
	// Killed on the way, and resumed.
	cut := exec.Command(filepath.Join(bin, "dtally"), to("count", "said", "broken", "--journal", journal, "--yes", "--seed", "11")...)
	cut.Env = append(os.Environ(), "XDG_CONFIG_HOME="+marit.home, "DTALLY_SERVER="+server, "DTALLY_TOKEN=")
	if err := cut.Start(); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); lines(journal) < 6 && time.Now().Before(end); {
		time.Sleep(10 * time.Millisecond)
	}
	if err := cut.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cut.Wait() // it was killed
	before := lines(journal)
	if says := marit.fails(1, to("count", "said", "broken", "--journal", journal, "--yes")...); !strings.Contains(says, "--resume") {
		t.Errorf("over a journal that is there: %s", says)
	}
	if says := marit.fails(1, to("count", "--journal", journal, "--yes", "--resume")...); !strings.Contains(says, "are not those of") {
		t.Errorf("other criteria into the same journal: %s", says)
	}
	var got []measured
	decode(t, marit.must(to("count", "said", "broken", "--journal", journal, "--yes", "--resume")...), &got)
	if len(got) != 3 || lines(journal) <= before {
		t.Fatalf("%d lines before, %d after; %+v", before, lines(journal), got)
	}
	for _, m := range got {
		switch m.Criterion {
		case "count":
			if len(m.Runs) < 6 || len(m.Runs) > 9 || slices.Min(m.Runs) <= 0 {
				t.Errorf("counting: %+v", m)
			}
		case "said":
			if len(m.Runs) != 6 || slices.Max(m.Runs) != 42 || slices.Min(m.Runs) != 42 || m.State != "precise" {
				t.Errorf("said: %+v", m)
			}
		case "broken":
			if m.State != "given up" || !strings.Contains(m.Remark, "/no/such/place") {
				t.Errorf("broken: %+v", m)
			}
		}
	}
	slip := filepath.Join(folder, "a.slip")
	readings := strings.Count(read(t, slip), "- id: ")
	marit.must(to("count", "said", "broken", "--journal", journal, "--yes", "--resume")...) // once more adds nothing
	if n := strings.Count(read(t, slip), "- id: "); n != readings || n == 0 {
		t.Errorf("%d readings on the slip, %d after it was ended again", readings, n)
	}
	ines := newClient(t, server).login("ines")
	ines.must("hand-in", slip, "--review", review, "--yes", "--shift", "-8760h")
	var left []struct{ Criterion string }
	decode(t, ines.must(to("--list")...), &left)
	if len(left) != 4-readings {
		t.Errorf("%d readings were handed in, and %d procedures are left", readings, len(left))
	}
	// Runs that belong to several starts of the machine end with what to do.
	out, says, code := marit.run("", to("starts", "--journal", filepath.Join(folder, "b.journal"), "--yes")...)
	if code != 0 || !strings.Contains(says, "Restart the machine") || !strings.Contains(out, "under way") {
		t.Errorf("over several starts: %d %s %s", code, out, says)
	}
	// A run sheet needs no service.
	sheet := filepath.Join(folder, "stick.sheet")
	marit.must("measure", "pack", sheet, "--review", review)
	away := newClient(t, "http://127.0.0.1:1")
	decode(t, away.must("measure", "said", "--sheet", sheet, "--rig", "bench-new", "--yes", "--root", root, "--journal", filepath.Join(folder, "c.journal"), "--output", "json"), &got)
	if len(got) != 1 || got[0].Criterion != "said" {
		t.Errorf("by the run sheet: %+v", got)
	}
	if says := away.fails(2, "measure", "--sheet", sheet); !strings.Contains(says, "--rig") {
		t.Errorf("without a rig: %s", says)
	}
	if err := os.WriteFile(sheet, []byte("no zip"), 0o644); err != nil {
		t.Fatal(err)
	}
	away.fails(1, "measure", "--sheet", sheet, "--rig", "bench-new", "--yes")
}

func lines(file string) int {
	data, _ := os.ReadFile(file) // not there yet: none
	return strings.Count(string(data), "\n")
}

func read(t *testing.T, file string) string {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}
