package measure

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappertally/core/checklist"
)

// TestRulesOfConditions: the same disturbance stops the measurement, repeats the run or is noted, depending on the
// procedure's rule.
func TestRulesOfConditions(t *testing.T) {
	const heat = "sys/devices/system/cpu/cpu0/thermal_throttle/x_throttle_count"
	for then, want := range map[checklist.Response]struct {
		runs, counting int
		stopped        bool
	}{
		checklist.Stop: {1, 0, true}, checklist.Redo: {3, 2, false}, checklist.Notice: {2, 2, false},
	} {
		m := machine(t)
		flag := filepath.Join(m.Root, "flag")
		x := criterion("x", fmt.Sprintf(
			`if [ ! -e %[1]s ]; then touch %[1]s; printf 9 > %[2]s; fi; echo 4`, flag, filepath.Join(m.Root, heat),
		), checklist.Procedure{
			Sampling:   checklist.Sampling{Least: 2, Most: 2},
			Conditions: []checklist.Rule{{When: checklist.Throttled, Do: then}},
		})
		b := bench(t, m, filepath.Join(m.Root, "journal"), x)
		err := b.Run(t.Context())
		var stopped *Stopped
		if errors.As(err, &stopped) != want.stopped || !want.stopped && err != nil {
			t.Errorf("%s: %v", then, err)
		}
		if n := len(b.Journal.Entries); n != want.runs || len(b.Tasks[0].Values) != want.counting {
			t.Errorf("%s: %d runs, %d of them count; want %+v", then, n, len(b.Tasks[0].Values), want)
		}
		if then != checklist.Stop && !strings.Contains(b.Tasks[0].Says(), "slowed down by its heat, 4 times") {
			t.Errorf("%s: %s", then, b.Tasks[0].Says())
		}
	}
}

// TestWaits: a run waits for a condition to pass, but no longer than the rule allows.
func TestWaits(t *testing.T) {
	m := machine(t)
	set(t, m, "proc/77/comm", "apt-get")
	x := criterion("x", "echo 4", checklist.Procedure{
		Sampling:   checklist.Sampling{Least: 1, Most: 1},
		Conditions: []checklist.Rule{{When: checklist.Installer, Do: checklist.Await, Wait: 0.5}},
	})
	b := bench(t, m, filepath.Join(m.Root, "journal"), x)
	b.Patience = 0
	waits, began := 0, time.Now()
	b.Waiting = func(why string) {
		if waits++; !strings.Contains(why, "apt-get ran") {
			t.Errorf("waiting: %s", why)
		}
	}
	if err := b.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	if took := time.Since(began); waits < 3 || took < 500*time.Millisecond || took > 5*time.Second {
		t.Errorf("waited %d times in %s", waits, took)
	}
	if len(b.Tasks[0].Values) != 0 || len(b.Tasks[0].Disturbed) != 1 {
		t.Errorf("%+v", b.Tasks[0])
	}
}

// TestBreaks checks every condition with the default rules.
func TestBreaks(t *testing.T) {
	rules := (&checklist.Checklist{}).Rules(&checklist.Procedure{})
	for _, c := range []struct {
		conditions         Conditions
		disturbance, noted string
		stops              bool
	}{
		{Conditions{Governor: "powersave", Screen: "800x600", FreeMiB: 4000, DiskMiB: 9000, Load: 0.1}, "", "", false},
		{Conditions{Battery: true}, "battery", "", true},
		{Conditions{Celsius: 91}, "", "91 °C hot", false},
		{Conditions{Capped: 0.5}, "", "held at 50 %", false},
		{Conditions{Governor: "b", Changed: []string{"a → b"}}, "governor of the frequency changed: a → b", "", false},
		{Conditions{Screen: "b", Changed: []string{"a → b"}}, "the screen changed: a → b", "", false},
		{Conditions{Stalled: 0.2}, "waited for memory in 20 %", "", false},
		{Conditions{FreeMiB: 50}, "", "only 50 MiB of memory", false},
		{Conditions{DiskMiB: 50}, "only 50 MiB of the disk", "", true},
		{Conditions{Recorders: []string{"obs"}}, "obs ran", "", false},
		{Conditions{Stepped: -3}, "set by -3.0 s", "", false},
	} {
		got := c.conditions
		disturbance, stop := got.judge(rules)
		if !strings.Contains(disturbance, c.disturbance) || (disturbance == "") != (c.disturbance == "") ||
			!strings.Contains(strings.Join(got.Noted, ""), c.noted) || (got.Noted == nil) != (c.noted == "") ||
			(stop != "") != c.stops {
			t.Errorf("%+v: %q, %v, %q", c.conditions, disturbance, got.Noted, stop)
		}
	}
	says := Says([]*Conditions{
		{Governor: "powersave", Celsius: 51, Load: 0.1, DiskMiB: 20480, Screen: "1920x1080 at 60.00 Hz"},
		{Governor: "powersave", Celsius: 63.4, DiskMiB: 10240, Noted: []string{"it was hot"}},
	})
	if want := "governor powersave, 51 to 63 °C, others kept at most 0.10 processors busy, at least 10.0 GiB of the " +
		"disk free, screen 1920x1080 at 60.00 Hz, it was hot"; says != want {
		t.Errorf("%s\nwant %s", says, want)
	}
}

// TestFrameLog: a statistic of a log that a run writes.
func TestFrameLog(t *testing.T) {
	m := machine(t)
	of := func(key string, read checklist.Read, line string) *checklist.Criterion {
		read.Figure = checklist.FromFrames
		return criterion(key, line, checklist.Procedure{Read: read, Sampling: checklist.Sampling{Least: 1, Most: 1}})
	}
	b := bench(t, m, filepath.Join(m.Root, "journal"),
		of("rate", checklist.Read{Frames: "average", File: "log.csv"}, "printf 'n,frametime\n1,10\n2,30\n' > log.csv"),
		of("low", checklist.Read{Frames: "low-1-tail", Column: "ms"}, "printf 'n,ms\n1,10\n2,50\n'"),
		of("none", checklist.Read{Frames: "average", File: "log.csv"}, "true"))
	if err := b.Run(t.Context()); err != nil {
		t.Fatal(err)
	}
	for i, want := range []float64{50, 20} {
		if v := b.Tasks[i].Values; len(v) != 1 || v[0] != want || b.Tasks[i].Unit() != "frames/s" {
			t.Errorf(
				"%s: %v %s, failed %v; want %v",
				b.Tasks[i].Criterion.Key,
				v,
				b.Tasks[i].Unit(),
				b.Tasks[i].Failures,
				want,
			)
		}
	}
	if b.Tasks[2].GivenUp == "" {
		t.Errorf("without a log: %+v", b.Tasks[2])
	}
}

// TestReference: the rig's reference runs first in every session, and each session is a measure of its own.
func TestReference(t *testing.T) {
	m, file := machine(t), filepath.Join(t.TempDir(), "journal")
	six := checklist.Sampling{Least: 6, Most: 6}
	spin := criterion("spin", "echo 7", checklist.Procedure{Sampling: six})
	for boot := 1; boot <= 2; boot++ {
		set(t, m, "proc/sys/kernel/random/boot_id", fmt.Sprint("boot-", boot))
		x := criterion("x", "echo 1", checklist.Procedure{Sampling: checklist.Sampling{Least: 6, Most: 6, Boots: 2}})
		b := bench(t, m, file, x)
		b.Reference = spin
		if err := b.Run(t.Context()); boot == 1 && !errors.Is(err, ErrRestart) || boot == 2 && err != nil {
			t.Fatal(err)
		}
		sessions, tasks := b.References()
		if len(sessions) != boot || len(tasks) != boot || len(tasks[boot-1].Values) != 6 ||
			tasks[boot-1].Values[0] != 7 {
			t.Errorf("start %d: sessions %v, %+v", boot, sessions, tasks)
		}
		if n := len(b.Tasks[0].Values); n != 3*boot {
			t.Errorf("start %d: %d runs of the criterion", boot, n)
		}
		for i, e := range b.Journal.Entries[9*(boot-1) : 9*boot] {
			if (e.Session != "") != (i < 6) {
				t.Errorf("run %d of start %d is of %s", i, boot, e.Criterion)
			}
		}
		if boot == 2 { // if nothing is left, nothing runs
			if err := b.Run(t.Context()); err != nil || len(b.Journal.Entries) != 18 {
				t.Errorf("%d runs, %v", len(b.Journal.Entries), err)
			}
		}
		b.Journal.Close()
		time.Sleep(time.Second) // sessions are distinguished by the second in which they begin
	}
}

// TestUnmetKit: a missing test file, or one that differs from the checklist's, is not used.
func TestUnmetKit(t *testing.T) {
	folder := t.TempDir()
	list := &checklist.Checklist{Kit: []checklist.KitFile{{
		// Of "abc", as FIPS 180-2 has it.
		Name: "x", Size: 3, SHA256: "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad",
	}}}
	p := &checklist.Procedure{Kit: []string{"x"}, Read: checklist.Read{Figure: checklist.WallTime}}
	for _, c := range []struct{ content, says string }{
		{"", "is not in"}, {"abd", "SHA-256"}, {"abcd", "size"}, {"abc", ""},
	} {
		if c.content != "" {
			if err := os.WriteFile(filepath.Join(folder, "x"), []byte(c.content), 0o644); err != nil {
				t.Fatal(err)
			}
		}
		if why := Unmet(list, p, Machine{Root: "/"}, folder); (why == "") != (c.says == "") ||
			!strings.Contains(why, c.says) {
			t.Errorf("%q: %q", c.content, why)
		}
	}
}
