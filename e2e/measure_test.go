package e2e

import (
	"bytes"
	"dappertally/e2e/browser"
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
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
      - {key: count, title: Counting, kind: measure, weight: 1, unit: s, better: lower, guidance: It counts.,
         curve: {shape: ratio, poor: 100, ideal: 0.001},
         procedure: {
           steps: [{shell: "i=0; while [ $i -lt 20000 ]; do i=$((i+1)); done; echo counted >> $LOG"}],
           environment: {LOG: LOGFILE}, read: {figure: wall},
           sampling: {least: 6, most: 9, precision: 0.5, discard: 1, settle: 0.01}}}
      - {key: said, title: What it says, kind: measure, weight: 1, unit: /s, better: higher, guidance: It says.,
         curve: {shape: ratio, poor: 1, ideal: 1000},
         procedure: {
           steps: [{shell: "echo speed 42 per second; echo said >> $LOG"}], environment: {LOG: LOGFILE},
           read: {figure: pattern, pattern: 'speed (\d+)'}, sampling: {least: 6, most: 6, settle: 0.01}}}
      - {key: broken, title: Broken, kind: measure, weight: 1, unit: s, better: lower, guidance: It fails.,
         curve: {shape: ratio, poor: 10, ideal: 1},
         procedure: {
           steps: [{run: [ls, /no/such/place]}], read: {figure: wall},
           sampling: {least: 6, most: 6, settle: 0.01}}}
      - {key: starts, title: Starts, kind: measure, weight: 1, unit: /s, better: higher, guidance: It starts.,
         curve: {shape: ratio, poor: 1, ideal: 1000},
         procedure: {
           steps: [{shell: "echo 5"}], read: {figure: last},
           sampling: {least: 6, most: 6, boots: 3, settle: 0.01}}}
      - {key: slow, title: Slow, kind: measure, weight: 1, unit: s, better: lower, guidance: It takes its time.,
         curve: {shape: ratio, poor: 10, ideal: 1},
         procedure: {
           steps: [{run: [sleep, "0.5"]}], read: {figure: wall},
           sampling: {least: 200, most: 200, settle: 0.1}}}
      - {key: by-hand, title: By hand, kind: measure, weight: 1, unit: s, better: lower, guidance: A stopwatch.,
         curve: {shape: ratio, poor: 10, ideal: 1}}
`

type measured struct {
	Criterion, State, Remark string
	Runs                     []float64
}

// TestMeasure measures a review on this machine: killed and resumed, with a question, submitted, and without a service.
func TestMeasure(t *testing.T) {
	b := newBenchTest(t)
	var plan []struct{ Criterion, LeftOut string }
	decode(t, b.marit.must(b.on("--list")...), &plan)
	if len(plan) != 5 {
		t.Errorf("planned: %+v", plan)
	}
	// Nobody agreed to run these commands, and there is no terminal for the question.
	if says := b.marit.fails(2, b.on("--journal", b.journal)...); !strings.Contains(
		says,
		"Run these commands on this machine?",
	) ||
		!strings.Contains(says, "ls /no/such/place") {
		t.Errorf("without a terminal: %s", says)
	}
	b.killedAndResumed()
	b.submitted()
	// If runs over several starts of the machine are left, the output says what to do.
	out, says, code := b.marit.run("", b.on("starts", "--journal", filepath.Join(b.folder, "b.journal"), "--yes")...)
	if code != 0 || !strings.Contains(says, "Restart the machine") || !strings.Contains(out, "in progress") {
		t.Errorf("over several starts: %d %s %s", code, out, says)
	}
	b.byRunSheet()
	b.restarted()
	b.seenAndStopped()
}

// benchTest is a review on a checklist with procedures, and a machine that reports being at rest, although other tests
// keep it busy.
type benchTest struct {
	t                             *testing.T
	server, folder, root, journal string
	review                        string
	marit                         *client
}

func newBenchTest(t *testing.T) *benchTest {
	t.Helper()
	folder := t.TempDir()
	b := &benchTest{
		t: t, server: serve(t), folder: folder,
		root: filepath.Join(folder, "root"), journal: filepath.Join(folder, "a.journal"),
	}
	b.marit = newClient(t, b.server).login("marit")
	list := filepath.Join(folder, "list.yaml")
	boot := filepath.Join(b.root, "proc/sys/kernel/random/boot_id")
	if err := os.MkdirAll(filepath.Dir(boot), 0o755); err != nil {
		t.Fatal(err)
	}
	for file, text := range map[string]string{
		list: strings.ReplaceAll(procedures, "LOGFILE", filepath.Join(folder, "log")), boot: "one\n",
	} {
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	b.marit.must("checklist", "add", list)
	b.marit.must("review", "add", "ivybeck/5.4/hearthside", "--checklist", "bench@1")
	var reviews struct {
		Reviews []struct{ ID, Checklist string }
	}
	decode(t, b.marit.must("review", "list", "--output", "json"), &reviews)
	for _, r := range reviews.Reviews {
		if r.Checklist == "bench@1" {
			b.review = r.ID
		}
	}
	return b
}

func (b *benchTest) on(more ...string) []string {
	return append(
		[]string{"measure", "--review", b.review, "--rig", "bench-old", "--output", "json", "--root", b.root},
		more...)
}

func (b *benchTest) slip() string { return filepath.Join(b.folder, "a.slip") }

// readings returns the number of readings on the slip.
func (b *benchTest) readings() int { return strings.Count(read(b.t, b.slip()), "criterion: ") }

func (b *benchTest) killedAndResumed() {
	t := b.t
	cut := exec.Command(
		filepath.Join(
			bin,
			"dtally",
		),
		b.on("count", "said", "broken", "--journal", b.journal, "--yes", "--seed", "11")...)
	cut.Env = append(os.Environ(), "XDG_CONFIG_HOME="+b.marit.home, "DTALLY_SERVER="+b.server, "DTALLY_TOKEN=")
	if err := cut.Start(); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); lines(b.journal) < 6 && time.Now().Before(end); {
		time.Sleep(10 * time.Millisecond)
	}
	if err := cut.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cut.Wait() // it was killed
	before := lines(b.journal)
	if says := b.marit.fails(1, b.on("count", "said", "broken", "--journal", b.journal, "--yes")...); !strings.Contains(
		says,
		"--resume",
	) {
		t.Errorf("over a journal that is there: %s", says)
	}
	if says := b.marit.fails(1, b.on("count", "--journal", b.journal, "--yes", "--resume")...); !strings.Contains(
		says,
		"earlier runs do not compare",
	) {
		t.Errorf("other criteria into the same journal: %s", says)
	}
	var got []measured
	decode(t, b.marit.must(b.on("count", "said", "broken", "--journal", b.journal, "--yes", "--resume")...), &got)
	if len(got) != 3 || lines(b.journal) <= before {
		t.Fatalf("%d lines before, %d after; %+v", before, lines(b.journal), got)
	}
	count, said, broken := got[0], got[1], got[2]
	if len(count.Runs) < 6 || len(count.Runs) > 9 || slices.Min(count.Runs) <= 0 {
		t.Errorf("counting: %+v", count)
	}
	if len(said.Runs) != 6 || slices.Max(said.Runs) != 42 || slices.Min(said.Runs) != 42 || said.State != "precise" {
		t.Errorf("said: %+v", said)
	}
	if broken.State != "given up" || !strings.Contains(broken.Remark, "/no/such/place") {
		t.Errorf("broken: %+v", broken)
	}
	readings := b.readings()
	b.marit.must(
		b.on("count", "said", "broken", "--journal", b.journal, "--yes", "--resume")...) // again adds nothing
	if n := b.readings(); n != readings || n != 2 {
		t.Errorf("%d readings on the slip, %d after it was ended again", readings, n)
	}
}

// submitted submits the slip twice: its readings are there once, with every run as evidence, and are not measured
// again.
func (b *benchTest) submitted() {
	t := b.t
	ines := newClient(t, b.server).login("ines")
	for range 2 {
		ines.must("submit", b.slip(), "--review", b.review, "--yes", "--shift", "-8760h")
	}
	var shown struct {
		Entries []struct {
			Entry struct {
				Evidence *struct{ Name, SHA256 string }
			}
		}
	}
	record := string(ines.get("/reviews/" + b.review + "/entries"))
	decode(t, record, &shown)
	files := 0
	for _, e := range shown.Entries {
		if x := e.Entry.Evidence; x != nil && strings.HasPrefix(x.Name, "runs-") {
			files++
			if runs := string(ines.get("/files/" + x.SHA256)); strings.Count(runs, "\n") != lines(b.journal) {
				t.Errorf("%d lines of evidence, %d of the journal", strings.Count(runs, "\n"), lines(b.journal))
			}
		}
	}
	var recorded struct {
		Readings []struct {
			Answer struct{ Runs []float64 }
			Boots  []struct {
				ID   string
				Runs int
			}
		}
	}
	decode(t, string(ines.get("/reviews/"+b.review+"/readings")), &recorded)
	for _, r := range recorded.Readings {
		if len(r.Boots) != 1 || r.Boots[0].ID != "one" || r.Boots[0].Runs != len(r.Answer.Runs) {
			t.Errorf("starts of the machine: %+v", r)
		}
	}
	if len(recorded.Readings) != 2 {
		t.Errorf("%d readings, not 2", len(recorded.Readings))
	}
	if files != 1 {
		t.Errorf("the runs are %d times in evidence: %s", files, record)
	}
	var left []struct{ Criterion string }
	decode(t, ines.must(b.on("--list")...), &left)
	if len(left) != 3 {
		t.Errorf("two readings were submitted, and %d procedures are left", len(left))
	}
}

// byRunSheet measures with a run sheet, without a service.
func (b *benchTest) byRunSheet() {
	t := b.t
	sheet := filepath.Join(b.folder, "stick.sheet")
	b.marit.must("measure", "pack", sheet, "--review", b.review)
	away := newClient(t, "http://127.0.0.1:1")
	var got []measured
	decode(t, away.must("measure", "said", "--sheet", sheet, "--rig", "bench-new", "--yes", "--root", b.root,
		"--journal", filepath.Join(b.folder, "c.journal"), "--output", "json"), &got)
	if len(got) != 1 || got[0].Criterion != "said" || len(got[0].Runs) != 6 {
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

// seenAndStopped watches a measurement from a run sheet in the console, and stops it there.
func (b *benchTest) seenAndStopped() {
	t := b.t
	ines := newClient(t, b.server).login("ines")
	journal, sheet := filepath.Join(b.folder, "seen.journal"), filepath.Join(b.folder, "seen.sheet")
	ines.must("measure", "pack", sheet, "--review", b.review)
	going := exec.Command(
		filepath.Join(bin, "dtally"), b.on("slow", "--sheet", sheet, "--journal", journal, "--yes")...)
	going.Env = append(os.Environ(), "XDG_CONFIG_HOME="+ines.home, "DTALLY_SERVER="+b.server, "DTALLY_TOKEN=")
	var heard bytes.Buffer
	going.Stderr = &heard
	if err := going.Start(); err != nil {
		t.Fatal(err)
	}
	ctx := tab(t)
	do(t, ctx, browser.SignIn(b.server, "ines", secret("ines")), chromedp.Navigate(b.server+"/desk/"+b.review),
		browser.Until(`document.querySelectorAll("[data-measurement=bench-old] circle").length >= 2 &&
			document.querySelector("[data-measurement]").textContent.includes("ines since")`),
		press("Stop"), says("[data-measurement]", "ines asked to stop it"))
	ended := make(chan error, 1)
	go func() { ended <- going.Wait() }()
	select {
	case err := <-ended:
		if err == nil || !strings.Contains(heard.String(), "stopped from the console by ines") ||
			!strings.Contains(heard.String(), "--resume") {
			t.Errorf("%v: %s", err, heard.String())
		}
	case <-time.After(30 * time.Second):
		_ = going.Process.Kill()
		t.Error("it was not stopped from the console")
	}
	do(t, ctx, browser.Until(`!document.querySelector("[data-measurement]")`))
}

// restarted measures over three starts of a machine that a command pretends to restart.
func (b *benchTest) restarted() {
	t := b.t
	if os.Geteuid() != 0 {
		t.Log("units of systemd are written by root alone")
		return
	}
	programs := filepath.Join(b.folder, "bin")
	for _, folder := range []string{programs, filepath.Join(b.root, "run/systemd/system")} {
		if err := os.MkdirAll(folder, 0o755); err != nil {
			t.Fatal(err)
		}
	}
	asked := filepath.Join(b.folder, "asked")
	script := "#!/bin/sh\necho \"$@\" >> " + asked + "\n"
	if err := os.WriteFile(filepath.Join(programs, "systemctl"), []byte(script), 0o755); err != nil {
		t.Fatal(err)
	}
	t.Setenv("PATH", programs+":"+os.Getenv("PATH"))
	journal := filepath.Join(b.folder, "over starts.journal")
	out, says, code := b.marit.run("", b.on("starts", "--journal", journal, "--yes", "--restart")...)
	if code != 0 || !strings.Contains(says, "The machine restarts in 5s") {
		t.Fatalf("%d %s %s", code, out, says)
	}
	unit := filepath.Join(b.root, "etc/systemd/system/dtally-measure.service")
	wanted := filepath.Join(b.root, "etc/systemd/system/multi-user.target.wants/dtally-measure.service")
	for _, boot := range []string{"second", "third"} {
		if to, err := os.Readlink(wanted); err != nil || to != "/etc/systemd/system/dtally-measure.service" {
			t.Errorf("the unit is not wanted: %s, %v", to, err)
		}
		_, line, _ := strings.Cut(read(t, unit), "ExecStart=")
		line, _, _ = strings.Cut(line, "\n")
		var args []string
		for _, quoted := range regexp.MustCompile(`"(?:[^"\\]|\\.)*"`).FindAllString(line, -1) {
			arg, err := strconv.Unquote(quoted)
			if err != nil {
				t.Fatalf("%s: %v", quoted, err)
			}
			args = append(args, arg)
		}
		if err := os.WriteFile(filepath.Join(b.root, "proc/sys/kernel/random/boot_id"), []byte(boot), 0o644); err != nil {
			t.Fatal(err)
		}
		again := exec.Command(args[0], args[1:]...)
		again.Env = append(os.Environ(), "XDG_CONFIG_HOME="+b.marit.home, "DTALLY_SERVER=http://127.0.0.1:1")
		if says, err := again.CombinedOutput(); err != nil {
			t.Fatalf("in the %s start: %v: %s", boot, err, says)
		}
	}
	if got := read(t, asked); got != "reboot\nreboot\n" {
		t.Errorf("asked of systemctl: %q", got)
	}
	for _, gone := range []string{unit, wanted, strings.TrimSuffix(journal, ".journal") + ".sheet"} {
		if _, err := os.Lstat(gone); !errors.Is(err, os.ErrNotExist) {
			t.Errorf("%s is left behind: %v", gone, err)
		}
	}
	slip := read(t, strings.TrimSuffix(journal, ".journal")+".slip")
	if strings.Count(slip, "runs: 2") != 3 || !strings.Contains(slip, "restarted by dtally measure") {
		t.Errorf("the slip: %s", slip)
	}
	newClient(t, b.server).login("ines").must("submit", strings.TrimSuffix(journal, ".journal")+".slip",
		"--review", b.review, "--yes", "--shift", "-8760h")
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
