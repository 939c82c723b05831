package measure

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
)

// machine is a made-up machine at rest, below a folder in which a test changes what the kernel reports.
func machine(t *testing.T) Machine {
	t.Helper()
	m := Machine{Root: t.TempDir()}
	for name, text := range map[string]string{
		"proc/sys/kernel/random/boot_id": "boot-1",
		"proc/stat":                      "cpu 100 0 50 900 0 0 0 0 0 0\n",
		"proc/pressure/memory":           "some avg10=0.00 avg60=0.00 avg300=0.00 total=1000\nfull total=0\n",
		"proc/vmstat":                    "pswpin 10\n",
		"proc/meminfo":                   "MemTotal: 8000000 kB\nMemAvailable: 4096000 kB\n",
		"sys/devices/system/cpu/cpu0/thermal_throttle/x_throttle_count": "5\n",
		"sys/devices/system/cpu/cpu0/cpufreq/scaling_governor":          "powersave",
		"sys/class/power_supply/AC/type":                                "Mains",
		"sys/class/power_supply/AC/online":                              "1",
		"sys/class/power_supply/BAT0/type":                              "Battery",
	} {
		set(t, m, name, text)
	}
	return m
}

func set(t *testing.T, m Machine, name, text string) {
	t.Helper()
	file := filepath.Join(m.Root, name)
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		t.Fatal(err)
	}
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
}

func criterion(key, line string, p checklist.Procedure) *checklist.Criterion {
	p.Steps = []checklist.Step{{Shell: line}}
	p.Sampling.Settle = 0.001
	if p.Read.Figure == "" {
		p.Read.Figure = checklist.LastNumber
	}
	return &checklist.Criterion{Key: key, Kind: checklist.Measure, Unit: "s", Procedure: &p}
}

func bench(t *testing.T, m Machine, file string, criteria ...*checklist.Criterion) *Bench {
	t.Helper()
	j, err := Create(file, Header{Review: "r", Seed: 7})
	if errors.Is(err, os.ErrExist) || err != nil && strings.Contains(err.Error(), "exists already") {
		j, err = Resume(file)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { j.Close() })
	b := New(&checklist.Checklist{}, criteria, j, m)
	b.Patience = 300 * time.Millisecond
	return b
}

func TestBench(t *testing.T) {
	folder := t.TempDir()
	if err := os.WriteFile(filepath.Join(folder, "text.txt"), []byte("12345"), 0o644); err != nil {
		t.Fatal(err)
	}
	log := filepath.Join(folder, "log")
	least := checklist.Sampling{Least: 3, Most: 4}
	a := criterion(
		"kit",
		"wc -c < text.txt; echo a >> "+log,
		checklist.Procedure{Kit: []string{"text.txt"}, Sampling: checklist.Sampling{Least: 6, Most: 6, Discard: 2}},
	)
	b := criterion(
		"json",
		`echo '{"runs":[{"ms":"2.5"}]}' > out.json; echo b >> `+log,
		checklist.Procedure{
			Read:     checklist.Read{Figure: checklist.ByPointer, Pointer: "/runs/0/ms", File: "out.json"},
			Sampling: least,
		},
	)
	c := criterion(
		"pattern",
		`echo took 1 s; echo took $X s; echo c >> `+log,
		checklist.Procedure{
			Environment: map[string]string{"X": "7.25"},
			Read:        checklist.Read{Figure: checklist.ByPattern, Pattern: `took (\S+) s`},
			Sampling:    least,
		},
	)
	d := criterion(
		"wall",
		"sleep 0.05; echo d >> "+log,
		checklist.Procedure{Read: checklist.Read{Figure: checklist.WallTime}, Sampling: least},
	)
	e := criterion("fails", "echo no such device >&2; exit 3", checklist.Procedure{Sampling: least})
	run := bench(t, machine(t), filepath.Join(folder, "journal"), a, b, c, d, e)
	run.Kit = folder
	told := 0
	run.Progress = func(*Task, *Entry) { told++ }
	if err := run.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{5, 2.5, 7.25} {
		for _, v := range run.Tasks[i].Values {
			if v != want {
				t.Errorf("%s: %v, want %v", run.Tasks[i].Criterion.Key, v, want)
			}
		}
	}
	if n := len(run.Tasks[0].Values); n != 6 || run.Tasks[0].Discarded != 2 {
		t.Errorf("%d runs of six, %d discarded", n, run.Tasks[0].Discarded)
	}
	if n := len(run.Tasks[3].Values); n < 3 || n > 4 || slices.Min(run.Tasks[3].Values) < 0.05 {
		t.Errorf("wall: %v", run.Tasks[3].Values)
	}
	if f := run.Tasks[4]; f.GivenUp == "" || len(f.Failures) != 3 || !strings.Contains(f.GivenUp, "no such device") {
		t.Errorf("a procedure that fails: %+v", f)
	}
	if told != len(run.Journal.Entries) {
		t.Errorf("%d runs are told, %d written", told, len(run.Journal.Entries))
	}
	// In turns: no measure is ever two runs ahead of an unfinished one.
	order, err := os.ReadFile(log)
	if err != nil {
		t.Fatal(err)
	}
	lines := strings.Fields(string(order))
	for n := 0; n+3 < 12; n += 4 {
		turn := slices.Sorted(slices.Values(lines[n : n+4]))
		if n < 8 && strings.Join(turn, "") != "abcd" {
			t.Errorf("turn %d runs %v", n/4, lines[n:n+4])
		}
	}
	if left, _ := filepath.Glob(filepath.Join(os.TempDir(), "dtally-measure-*")); len(left) > 0 {
		t.Logf("folders of other runs: %v", left)
	}
}

// TestResume: a bench that is cut off after any number of runs, with its last line half written, ends with the same
// number of runs, in the same order.
func TestResume(t *testing.T) {
	folder := t.TempDir()
	criteria := func() []*checklist.Criterion {
		var all []*checklist.Criterion
		for i := range 3 {
			all = append(all, criterion(fmt.Sprint("c", i), fmt.Sprintf("echo %d", i+1),
				checklist.Procedure{Sampling: checklist.Sampling{Least: 6, Most: 6}}))
		}
		return all
	}
	order := func(j *Journal) string {
		var keys strings.Builder
		for _, e := range j.Entries {
			keys.WriteString(e.Criterion[1:])
		}
		return keys.String()
	}
	whole := bench(t, machine(t), filepath.Join(folder, "whole"), criteria()...)
	if err := whole.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	for _, cut := range []int{1, 4, 17} {
		file := filepath.Join(folder, fmt.Sprint("cut", cut))
		first := bench(t, machine(t), file, criteria()...)
		ctx, stop := context.WithCancel(t.Context())
		n := 0
		first.Progress = func(*Task, *Entry) {
			if n++; n == cut {
				stop()
			}
		}
		if err := first.Run(ctx); !errors.Is(err, context.Canceled) {
			t.Fatalf("cut off: %v", err)
		}
		first.Journal.Close()
		f, err := os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := f.WriteString(`{"criterion":"c0","val`); err != nil || f.Close() != nil {
			t.Fatal(err)
		}
		again := bench(t, machine(t), file, criteria()...)
		if err := again.Run(t.Context()); err != nil {
			t.Fatal(err)
		}
		if len(again.Journal.Entries) != 18 || order(again.Journal)[:cut] != order(whole.Journal)[:cut] {
			t.Errorf("cut after %d: %s, at once %s", cut, order(again.Journal), order(whole.Journal))
		}
		again.Journal.Close()
		if j, err := Resume(file); err != nil || len(j.Entries) != 18 {
			t.Errorf("the journal afterwards: %v", err)
		}
	}
	for _, text := range []string{
		"", "x\n", `{"format":"other"}` + "\n", `{"format":"dapper-tally/measure","version":9}` + "\n",
	} {
		file := filepath.Join(folder, "bad")
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, err := Resume(file); err == nil {
			t.Errorf("%q is taken for a journal", text)
		}
	}
}

// TestBoots: runs are spread over starts of the machine.
func TestBoots(t *testing.T) {
	m, file := machine(t), filepath.Join(t.TempDir(), "journal")
	spread := func() *checklist.Criterion {
		return criterion(
			"start",
			"echo 3",
			checklist.Procedure{Sampling: checklist.Sampling{Least: 6, Most: 12, Boots: 3}},
		)
	}
	for boot := 1; boot <= 3; boot++ {
		set(t, m, "proc/sys/kernel/random/boot_id", fmt.Sprint("boot-", boot))
		for range 2 { // resuming within a start changes nothing
			b := bench(t, m, file, spread())
			err := b.Run(t.Context())
			if boot < 3 && !errors.Is(err, ErrRestart) || boot == 3 && err != nil {
				t.Fatalf("start %d: %v", boot, err)
			}
			if n := len(b.Tasks[0].Values); n != 2*boot || b.Tasks[0].Starts() != boot {
				t.Errorf("start %d: %d runs of %d starts", boot, n, b.Tasks[0].Starts())
			}
			b.Journal.Close()
		}
	}
}

// TestDisturbedRuns: a disturbance is noticed, and the run is kept and repeated.
func TestDisturbedRuns(t *testing.T) {
	for name, c := range map[string]struct{ file, before, during, says string }{
		"heat":   {"sys/devices/system/cpu/cpu0/thermal_throttle/x_throttle_count", "5", "9", "slowed down by its heat, 4"},
		"load":   {"proc/stat", "cpu 100 0 50 900 0 0 0 0 0 0", "cpu 900 0 50 900 0 0 0 0 0 0", "other programs kept"},
		"swap":   {"proc/vmstat", "pswpin 10", "pswpin 5000", "pages came back from swap"},
		"memory": {"proc/pressure/memory", "some total=1000", "some total=9001000", "waited for memory"},
		"apt":    {"proc/77/comm", "sleepy", "apt-get", "apt-get ran"},
	} {
		t.Run(name, func(t *testing.T) {
			m := machine(t)
			set(t, m, c.file, c.before)
			flag := filepath.Join(m.Root, "flag")
			// The first run is disturbed.
			x := criterion(
				"x",
				fmt.Sprintf(
					`if [ ! -e %[1]s ]; then touch %[1]s; printf '%[2]s' > %[3]s; fi; sleep 0.01; echo 4`,
					flag,
					c.during,
					filepath.Join(m.Root, c.file),
				),
				checklist.Procedure{Sampling: checklist.Sampling{Least: 2, Most: 2}},
			)
			b := bench(t, m, filepath.Join(m.Root, "journal"), x)
			b.Progress = func(*Task, *Entry) { set(t, m, c.file, c.before) }
			if err := b.Run(t.Context()); err != nil {
				t.Fatal(err)
			}
			task := b.Tasks[0]
			if len(task.Values) != 2 || len(task.Disturbed) != 1 || !strings.Contains(task.Disturbed[0], c.says) {
				t.Errorf("%v, disturbed: %v", task.Values, task.Disturbed)
			}
			if e := b.Journal.Entries[0]; e.Counts() || e.Value != 4 || !strings.Contains(task.Says(), c.says) {
				t.Errorf("%+v; %s", e, task.Says())
			}
		})
	}
	m := machine(t)
	set(t, m, "sys/class/power_supply/AC/online", "0")
	b := bench(t, m, filepath.Join(m.Root, "journal"), criterion("x", "echo 1", checklist.Procedure{}))
	var stopped *Stopped
	if err := b.Run(t.Context()); !errors.As(err, &stopped) || !strings.Contains(stopped.Why, "battery") {
		t.Errorf("on battery: %v", err)
	}
}

// TestBusyLoop: on this machine, a program that keeps it busy is noticed.
func TestBusyLoop(t *testing.T) {
	if _, err := os.Stat("/proc/stat"); err != nil {
		t.Skip("there is no /proc")
	}
	ctx, stop := context.WithCancel(t.Context())
	defer stop()
	busy := make(chan struct{})
	go func() {
		defer close(busy)
		for ctx.Err() == nil { //nolint:revive // that is what it does
		}
	}()
	m := Machine{Root: "/"}
	before := m.look()
	time.Sleep(400 * time.Millisecond)
	c := between(before, m.look(), 0)
	stop()
	<-busy
	says, _ := c.judge((&checklist.Checklist{}).Rules(&checklist.Procedure{}))
	if c.Load < 0.5 || !strings.Contains(says, "other programs kept") {
		t.Errorf("%s: %+v", says, c)
	}
}

func TestPrinted(t *testing.T) {
	for _, c := range []struct {
		read checklist.Read
		text string
		want float64
		bad  bool
	}{
		{checklist.Read{Figure: checklist.LastNumber}, "a 1\nb -2.5e3 MB/s\n", -2500, false},
		{checklist.Read{Figure: checklist.LastNumber}, "nothing", 0, true},
		{checklist.Read{Figure: checklist.ByPattern, Pattern: `score: ([\d,]+)`}, "score: 1,5\nscore: 2,5", 2.5, false},
		{checklist.Read{Figure: checklist.ByPattern, Pattern: `score: (\w+)`}, "score: none", 0, true},
		{checklist.Read{Figure: checklist.ByPointer, Pointer: "/a~1b/1"}, `{"a/b":[1,2]}`, 2, false},
		{checklist.Read{Figure: checklist.ByPointer, Pointer: "/a/7"}, `{"a":[1,2]}`, 0, true},
		{checklist.Read{Figure: checklist.ByPointer, Pointer: "/a"}, `{"a":`, 0, true},
		{checklist.Read{Figure: checklist.ByPointer, Pointer: "/a"}, `{"a":{}}`, 0, true},
	} {
		got, err := printed(&c.read, []byte(c.text))
		if got != c.want || (err != nil) != c.bad {
			t.Errorf("%+v of %q: %v, %v", c.read, c.text, got, err)
		}
	}
}

func TestEnergy(t *testing.T) {
	m := machine(t)
	if _, ok := m.Joules(); ok {
		t.Error("a machine without counters tells its energy")
	}
	for i := range 2 {
		zone := fmt.Sprintf("sys/class/powercap/intel-rapl:%d/", i)
		set(t, m, zone+"name", fmt.Sprint("package-", i))
		set(t, m, zone+"energy_uj", "1500000")
		set(t, m, zone+"max_energy_range_uj", "2000000")
	}
	set(t, m, "sys/class/powercap/intel-rapl:0:0/name", "core")
	set(t, m, "sys/class/powercap/intel-rapl:0:0/energy_uj", "99000000")
	if j, ok := m.Joules(); !ok || j != 3 || m.wraps() != 4 {
		t.Errorf("%v J, %v; begins anew after %v", j, ok, m.wraps())
	}
	x := criterion(
		"x",
		fmt.Sprintf("printf 500000 > %s/sys/class/powercap/intel-rapl:0/energy_uj", m.Root),
		checklist.Procedure{
			Read:     checklist.Read{Figure: checklist.Energy},
			Sampling: checklist.Sampling{Least: 1, Most: 1},
		},
	)
	b := bench(t, m, filepath.Join(m.Root, "journal"), x)
	if err := b.Run(t.Context()); err != nil || len(b.Tasks[0].Values) != 1 || b.Tasks[0].Values[0] != 3 {
		t.Errorf("%v, %v", b.Tasks[0].Values, err)
	}
}

// TestFacts: a surveyed fact is read once after each start of the machine.
func TestFacts(t *testing.T) {
	m, file := machine(t), filepath.Join(t.TempDir(), "journal")
	for start, free := range []string{"3072000", "2048000"} {
		set(t, m, "proc/sys/kernel/random/boot_id", fmt.Sprint("boot-", start))
		set(t, m, "proc/meminfo", "MemTotal: 4096000 kB\nMemAvailable: "+free+" kB\n")
		memory := &checklist.Criterion{
			Key:  "memory",
			Kind: checklist.Measure,
			Unit: "MiB",
			Procedure: &checklist.Procedure{
				Read:     checklist.Read{Figure: checklist.FromSurvey, Fact: "memory.available"},
				Sampling: checklist.Sampling{Least: 2, Most: 2, Boots: 2, Settle: 0.001},
			},
		}
		lost := &checklist.Criterion{Key: "lost", Kind: checklist.Measure, Unit: "s", Procedure: &checklist.Procedure{
			Read:     checklist.Read{Figure: checklist.FromSurvey, Fact: "no.such.fact"},
			Sampling: checklist.Sampling{Settle: 0.001},
		}}
		b := bench(t, m, file, memory, lost)
		if err := b.Run(t.Context()); start == 0 && !errors.Is(err, ErrRestart) || start == 1 && err != nil {
			t.Fatalf("start %d: %v", start, err)
		}
		got := b.Tasks[0]
		if len(got.Values) != start+1 || got.Unit() != "MiB" {
			t.Errorf("start %d: %v %s, failed: %v", start, got.Values, got.Unit(), got.Failures)
		}
		if b.Tasks[1].GivenUp == "" {
			t.Errorf("a fact that nobody tells: %+v", b.Tasks[1])
		}
		b.Journal.Close()
	}
}
