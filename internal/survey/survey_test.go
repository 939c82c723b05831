package survey

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// TestHere compares the survey of the machine that runs the tests with the output of its own commands.
func TestHere(t *testing.T) {
	s := At("/")
	before := time.Now()
	v := Take(t.Context(), s, time.Now())
	if took := time.Since(before); took > 10*time.Second { // the machine may be busy with other tests
		t.Errorf("one pass took %s", took)
	}
	for _, c := range []struct{ key, command string }{
		{"kernel.version", "uname -r"},
		{"machine.architecture", "uname -m"},
		{"machine.cores", "grep -c ^processor /proc/cpuinfo"},
		{"os.name", ". /etc/os-release && echo $NAME"},
		{"packages.deb", "dpkg-query -W -f '${db:Status-Abbrev}\n' | grep -c '^.i'"},
		{"memory.swap", "awk '/SwapTotal/ {print $2/1024}' /proc/meminfo"},
		{"desktop.display-server", "echo $XDG_SESSION_TYPE"},
		{"locales.count", "locale -a | grep -vc '^C$\\|^C\\.\\|^POSIX$'"},
	} {
		out, err := exec.Command("sh", "-c", c.command).Output()
		want := strings.TrimSpace(string(out))
		if (err != nil && want == "") || want == "" {
			continue // the machine has no such command
		}
		if got := v.Text(c.key); got != want && !strings.EqualFold(got, want) {
			t.Errorf("%s: the survey says %q, %s says %q", c.key, got, c.command, want)
		}
	}
	for key, command := range map[string]string{
		"memory.available": "awk '/MemTotal/ {t=$2} /MemAvailable/ {a=$2} END {print (t-a)/1024}' /proc/meminfo",
		"disk.used":        "df -kP / | awk 'END {print $3/1048576}'",
		"tasks.kernel":     "grep -lE '^PPid:\t2$' /proc/[0-9]*/status | wc -l",
	} {
		near(t, key, command)
	}
}

// near compares a changing fact with a command before and after it. Since other tests use and free memory of this
// machine meanwhile, it surveys again before it reports a difference.
func near(t *testing.T, key, command string) {
	t.Helper()
	ask := func() (x float64) {
		out, err := exec.Command("sh", "-c", command).Output()
		if _, scanned := fmt.Sscan(string(out), &x); err != nil || scanned != nil {
			t.Fatalf("%s: %v, %q", command, err, out)
		}
		return x
	}
	const within, tries = 0.3, 4
	var says string
	for range tries {
		before := ask()
		v := Take(t.Context(), At("/"), time.Now())
		after := ask()
		f := v.Fact(key)
		if f == nil || f.Value == nil {
			t.Errorf("%s is unknown, %s says %v", key, command, after)
			return
		}
		got := f.Value.Number
		if got > min(before, after)*(1-within)-1 && got < max(before, after)*(1+within)+1 {
			return
		}
		says = fmt.Sprintf("%s: the survey says %v, %s says %v before and %v after", key, got, command, before, after)
	}
	t.Errorf("%s, and so on %d times", says, tries)
}

func TestAgain(t *testing.T) {
	root := t.TempDir()
	write := func(available int) {
		t.Helper()
		if err := os.MkdirAll(filepath.Join(root, "proc"), 0o755); err != nil {
			t.Fatal(err)
		}
		info := fmt.Sprintf("MemTotal: 1024000 kB\nMemAvailable: %d kB\n", available)
		if err := os.WriteFile(filepath.Join(root, "proc/meminfo"), []byte(info), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	write(512000)
	s := At(root)
	v := Take(t.Context(), s, time.Now())
	for _, available := range []int{614400, 409600} {
		write(available)
		v.Again(t.Context(), s)
	}
	f := v.Fact("memory.available")
	if got := fmt.Sprint(f.Runs); got != "[500 400 600]" {
		t.Errorf("runs are %s; they stay in the order made", got)
	}
	if f.Value.Number != 500 {
		t.Errorf("the value is %v, not the median", f.Value.Number)
	}
	if total := v.Fact("machine.memory"); total.Runs != nil {
		t.Errorf("the total does not move, and has the runs %v", total.Runs)
	}
}

func TestDiffer(t *testing.T) {
	older, _ := tree(t, "testdata/quaymark.txtar")
	newer, _ := tree(t, "testdata/gullhaven.txtar")
	a, b := Take(t.Context(), At(older), time.Now()), Take(t.Context(), At(newer), time.Now())
	says := map[string]string{}
	for _, d := range Differ(&a, &b, false) {
		says[d.Key] = d.Says
	}
	for key, want := range map[string]string{
		"os.name": "changed", "packages.formats": "only B: rpm, snap; only A: deb, flatpak", "start.total": "+47.3 s, +138.3 % of A",
		"packages.rpm": "only B tells", "firewall.state": "changed", "packages.count": "-4, -50.0 % of A",
	} {
		if says[key] != want {
			t.Errorf("%s: %q, want %q", key, says[key], want)
		}
	}
	if says["desktop.display-server"] != "" || says["system.uptime"] != "" {
		t.Error("what is the same, or tells nothing, is told")
	}
	a.Fact("start.total").Method = "stopwatch"
	for _, d := range Differ(&a, &b, false) {
		if d.Key == "start.total" && d.Says != "not comparable: read by stopwatch and by start-log" {
			t.Errorf("two methods meet: %s", d.Says)
		}
	}
}

// TestSlowCommand surveys with a command that hangs: the survey ends in time and names it.
func TestSlowCommand(t *testing.T) {
	root := t.TempDir()
	bin := filepath.Join(root, "usr/bin")
	if err := os.MkdirAll(bin, 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(filepath.Join(bin, "locale"), []byte("#!/bin/sh\nsleep 30\n"), 0o755); err != nil {
		t.Fatal(err)
	}
	s := At(root)
	s.Patience = 200 * time.Millisecond
	start := time.Now()
	v := Take(context.Background(), s, time.Now())
	if took := time.Since(start); took > 5*time.Second {
		t.Errorf("the pass took %s", took)
	}
	if f := v.Fact("locales.count"); !strings.Contains(f.Unknown, "took longer than 200ms") {
		t.Errorf("got %+v", f)
	}
}

// TestRelativeRoot surveys a folder that is named by a relative path.
func TestRelativeRoot(t *testing.T) {
	root, _ := tree(t, "testdata/quaymark.txtar")
	t.Chdir(filepath.Dir(root))
	s := At(filepath.Base(root))
	s.Patience = 10 * time.Second
	v := Take(t.Context(), s, time.Now())
	if got := v.Text("updates.waiting"); got != "3" {
		t.Errorf("a command below a relative root says %q: %+v", got, v.Fact("updates.waiting"))
	}
}
