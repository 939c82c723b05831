package e2e

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"dappertally/internal/survey"
)

// quaymark creates the files of a system that name it, with memory and a kernel.
func quaymark(t *testing.T) string {
	t.Helper()
	root := t.TempDir()
	for name, content := range map[string]string{
		"etc/os-release": "NAME=Quaymark\nID=quaymark\nVERSION_ID=22.1\nVARIANT_ID=latchwork\n", "proc/sys/kernel/osrelease": "6.9.1-quay\n",
		"proc/meminfo": "MemTotal: 4096000 kB\nMemAvailable: 3072000 kB\n", "etc/ufw/ufw.conf": "ENABLED=no\n",
	} {
		at := filepath.Join(root, name)
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(at, []byte(content), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	return root
}

// handed is the outcome for each entry, as submit prints it.
func handed(t *testing.T, out string) (fates map[string]string, tally map[string]int) {
	t.Helper()
	var said struct {
		Edition string
		Steps   []struct{ Fate, Subject string }
	}
	if err := json.Unmarshal([]byte(out), &said); err != nil {
		t.Fatalf("%v in %s", err, out)
	}
	if said.Edition != "quaymark/22.1/latchwork" {
		t.Errorf("it went to %s", said.Edition)
	}
	fates, tally = map[string]string{}, map[string]int{}
	for _, s := range said.Steps {
		fates[s.Subject] = s.Fate
		tally[s.Fate]++
	}
	return fates, tally
}

// TestSlip takes facts, times, frames and answers without a service, submits them, again, interrupted and corrected.
func TestSlip(t *testing.T) {
	t.Parallel()
	away := newClient(t, "http://127.0.0.1:1") // nothing listens there
	file := filepath.Join(t.TempDir(), "quaymark.slip")
	log := filepath.Join(t.TempDir(), "run.csv")
	var frames strings.Builder
	frames.WriteString("frame;ms\n")
	for i := range 4000 {
		fmt.Fprintf(&frames, "%d;%s\n", i, strings.Replace(fmt.Sprintf("%.3f", 15+5*math.Sin(float64(i))), ".", ",", 1))
	}
	if err := os.WriteFile(log, []byte(frames.String()), 0o644); err != nil {
		t.Fatal(err)
	}
	away.must(
		"survey",
		"--root",
		quaymark(t),
		"--repeat",
		"3",
		"--every",
		"10ms",
		"--slip",
		file,
		"--rig",
		"bench-old",
		"--phase",
		"updated",
	)
	away.must(
		"clock",
		"--runs",
		"3",
		"--settle",
		"0s",
		"--criterion",
		"unpack-folder",
		"--phase",
		"updated",
		"--rig",
		"bench-old",
		"--slip",
		file,
		"--",
		"sleep",
		"0.05",
	)
	away.must(
		"frames",
		log,
		log,
		"--into",
		"flight-average=average",
		"--into",
		"flight-low=low-1-tail",
		"--rig",
		"bench-old",
		"--slip",
		file,
	)
	away.must("record", "smoothness", "7,5", "--rig", "bench-old", "--slip", file)
	away.must("record", "printing", "--not-tested", "no printer at hand", "--slip", file)
	for i := range 60 { // enough for an interruption
		away.must("record", "cold-start", fmt.Sprint(20+i), "--rig", "bench-old", "--slip", file)
	}
	if says := away.fails(5, "submit", file, "--yes"); !strings.Contains(says, "cannot be reached") {
		t.Errorf("without a service: %s", says)
	}

	server := serve(t)
	ines := newClient(t, server).login("ines")
	reader := newClient(t, server)
	if says := reader.fails(2, "submit", file, "--yes"); !strings.Contains(says, "needs an account") {
		t.Errorf("a reader submits: %s", says)
	}
	if says := ines.fails(2, "submit", file); !strings.Contains(says, "--yes") {
		t.Errorf("nobody was asked: %s", says)
	}
	fates, tally := handed(t, ines.must("submit", file, "--dry-run", "--output", "json"))
	if fates["memory-idle"] != "new" || fates["memory-used"] != "left out" || fates["firewall"] != "new" ||
		fates["kernel"] != "new" ||
		tally["refused"] != 0 {
		t.Errorf("what it will do: %v", fates)
	}

	// Killed as soon as the service has the first of them.
	cmd := exec.Command(filepath.Join(bin, "dtally"), "submit", file, "--yes", "--server", server)
	cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+ines.home)
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); {
		if strings.Contains(ines.must("state", "list", "quaymark/22.1/latchwork"), "s-") {
			break
		}
	}
	_ = cmd.Process.Signal(syscall.SIGKILL)
	_ = cmd.Wait() // it was killed
	ines.must("submit", file, "--yes")
	_, tally = handed(t, ines.must("submit", file, "--yes", "--output", "json"))
	if tally["new"]+tally["replaces"]+tally["refused"] != 0 || tally["same"] < 65 {
		t.Errorf("submitted again: %v", tally)
	}
	readings := ines.must("review", "show", "quaymark/22.1/latchwork", "--output", "json")
	for _, want := range []string{`"6.9.1-quay"`, `"memory-available"`, `"method": "clock"`, "no printer at hand"} {
		if !strings.Contains(readings, want) {
			t.Errorf("the review has no %s", want)
		}
	}
	if n := strings.Count(readings, `"runs": [
          1000,
          1000,
          1000
        ]`); n != 1 {
		t.Errorf("memory at idle was recorded %d times", n)
	}

	correct(t, file, "answer: 7,5", `answer: "8"`)
	if fates, tally = handed(t, ines.must("submit", file, "--yes", "--output", "json")); fates["smoothness"] != "replaces" ||
		tally["replaces"] != 1 {
		t.Errorf("corrected: %v", tally)
	}
	correct(t, file, `answer: "8"`, `answer: "80"`)
	if says := ines.fails(4, "submit", file, "--yes"); !strings.Contains(says, "nothing is sent") {
		t.Errorf("refused: %s", says)
	}
	correct(t, file, "rig: bench-old", "rig: bench-gone")
	if says := ines.fails(4, "submit", file, "--yes"); !strings.Contains(says, "nothing is sent") {
		t.Errorf("an unknown rig: %s", says)
	}
}

// TestSurveyStraight records a survey directly in the review that dtally at has set.
func TestSurveyStraight(t *testing.T) {
	t.Parallel()
	server := serve(t)
	ines := newClient(t, server).login("ines")
	root := quaymark(t)
	if says := ines.fails(4, "survey", "--root", root, "--review", "quaymark/22.1/latchwork", "--yes"); !strings.Contains(
		says, "nothing is sent",
	) {
		t.Errorf("without a phase: %s", says)
	}
	ines.must("at", "quaymark/22.1/latchwork", "--rig", "bench-new", "--phase", "updated")
	fates, tally := handed(
		t, ines.must("survey", "--root", root, "--review", "quaymark/22.1/latchwork", "--yes", "--output", "json"),
	)
	if fates["memory-idle"] != "new" || fates["kernel"] != "new" || tally["refused"] != 0 {
		t.Errorf("%v", fates)
	}
	if out := ines.must("review", "show", "quaymark/22.1/latchwork", "--output", "json"); !strings.Contains(
		out,
		`"6.9.1-quay"`,
	) {
		t.Error("the review has no surveyed kernel")
	}
	if out := ines.must("state", "list", "quaymark/22.1/latchwork"); !strings.Contains(out, "bench-new") ||
		!strings.Contains(out, "surveyed") {
		t.Errorf("the states:\n%s", out)
	}
	if says := ines.fails(2, "survey", "--root", root, "--review", "x", "--slip", "y"); !strings.Contains(
		says, "choose one",
	) {
		t.Errorf("both: %s", says)
	}
	for _, wrong := range [][]string{
		{"survey", "--repeat", "0"}, {"survey", "--root", "/etc/passwd"}, {"clock"}, {"clock", "true"}, {"clock", "--runs", "0", "--", "true"}, {"clock", "--caches", "warm", "--", "true"},
		{"clock", "--", "true", "--"}, {"clock", "--criterion", "x", "--", "true"}, {"clock", "--slip", "y", "--", "true"}, {"clock", "--figure", "colour", "--", "true"},
		{"frames", "x.csv", "--unit", "min"}, {"frames", "x.csv", "--picture", "x.gif"}, {"frames", "x.csv", "--delimiter", "::"}, {"frames", "x.csv", "--into", "a=b"}, {"record", "wireless", "--slip", "y"},
	} {
		ines.fails(2, wrong...)
	}
	ines.fails(3, "survey", "--root", "/nowhere")
	ines.fails(3, "survey", "diff", "/nowhere", "/nowhere")
	ines.fails(3, "frames", "/nowhere.csv")
	if says := ines.fails(1, "clock", "--settle", "0s", "--", "sh", "-c", "echo the disk is full >&2; exit 3"); !strings.Contains(
		says, "the disk is full",
	) {
		t.Errorf("a failing command: %s", says)
	}
}

func correct(t *testing.T, file, from, to string) {
	t.Helper()
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	if !strings.Contains(string(data), from) {
		t.Fatalf("the slip has no %s", from)
	}
	if err := os.WriteFile(file, []byte(strings.ReplaceAll(string(data), from, to)), 0o644); err != nil {
		t.Fatal(err)
	}
}

// TestEmptyRoot runs the client alone in a folder, as on a system without other programs.
func TestEmptyRoot(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("changing the root needs root")
	}
	root := t.TempDir()
	static := filepath.Join(root, "dtally")
	build := exec.Command("go", "build", "-trimpath", "-ldflags", "-s -w", "-o", static, "dappertally/cmd/dtally")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	if info, err := os.Stat(static); err != nil || info.Size() > 25<<20 {
		t.Errorf("%d bytes, %v", info.Size(), err)
	}
	if err := os.WriteFile(filepath.Join(root, "log.csv"), []byte("ms\n10\n20\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	in := func(args ...string) string {
		t.Helper()
		cmd := exec.Command("/dtally", args...)
		cmd.SysProcAttr = &syscall.SysProcAttr{Chroot: root}
		cmd.Dir, cmd.Env = "/", []string{}
		out, err := cmd.CombinedOutput()
		if err != nil {
			t.Errorf("%v: %v\n%s", args, err, out)
		}
		return string(out)
	}
	var v survey.Survey
	if err := json.Unmarshal([]byte(in("survey", "--output", "json")), &v); err != nil || len(v.Facts) < 40 {
		t.Errorf("%d facts, %v", len(v.Facts), err)
	}
	for _, f := range v.Facts {
		if f.Value == nil && f.Unknown == "" {
			t.Errorf("%s does not say why it is unknown", f.Key)
		}
	}
	if out := in("frames", "log.csv"); !strings.Contains(out, "average\t\t66.66666666666667") {
		t.Errorf("frames: %s", out)
	}
	if out := in("clock", "--runs", "2", "--settle", "0s", "--", "/dtally", "--help"); !strings.Contains(
		out, "/dtally --help",
	) {
		t.Errorf("clock: %s", out)
	}
	in("survey", "--slip", "/a.slip")
	in("record", "wireless", "works", "--slip", "/a.slip")
	left, err := os.ReadDir(root)
	if err != nil || len(left) != 3 {
		t.Errorf("left behind: %v, %v", left, err)
	}
}
