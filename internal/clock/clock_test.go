package clock

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

func sh(script string) []string { return []string{"sh", "-c", script} }

func TestTime(t *testing.T) {
	var told int
	r, err := Time(t.Context(), Plan{
		Commands: [][]string{sh("sleep 0.05"), sh("sleep 0.1")}, Discard: 1, Runs: 4,
		Progress: func(*Timing, int) { told++ },
	})
	if err != nil {
		t.Fatal(err)
	}
	if told != 8 || len(r.Timings) != 2 || len(r.Timings[0].Runs) != 4 || len(r.Timings[1].Runs) != 4 {
		t.Fatalf("told %d times, %+v", told, r)
	}
	for i, least := range []float64{0.05, 0.1} {
		if m := r.Timings[i].Median; m < least || m > least+0.5 {
			t.Errorf("command %d took %v s, it sleeps for %v", i, m, least)
		}
	}
	if x := r.Ratios[0]; x.Of != 1 || x.To != 0 || x.Pairs != 4 || x.Least > x.Median || x.Most < x.Median ||
		x.Median < 1.1 {
		t.Errorf("ratio %+v", x)
	}
	if r.Overhead.Wall <= 0 || r.Overhead.Wall > 0.5 || r.Overhead.PeakMiB <= 0 {
		t.Errorf("overhead %+v", r.Overhead)
	}
}

// TestTurns checks the order in which commands run: discarded runs first, then in turns.
func TestTurns(t *testing.T) {
	log := filepath.Join(t.TempDir(), "log")
	note := func(word string) []string { return sh("printf " + word + " >> " + log) }
	if _, err := Time(t.Context(), Plan{Commands: [][]string{note("A"), note("B")}, Discard: 1, Runs: 3, BeforeEach: note("-")}); err != nil {
		t.Fatal(err)
	}
	data, err := os.ReadFile(log)
	if got := string(data); err != nil || got != "-A-B-A-B-A-B-A-B" {
		t.Errorf("%s, %v", got, err)
	}
}

func TestFailingRuns(t *testing.T) {
	flag := filepath.Join(t.TempDir(), "flag")
	flaky := sh(
		fmt.Sprintf("if [ -e %s ]; then rm %s; echo the disk is full >&2; exit 3; fi; touch %s", flag, flag, flag),
	)
	r, err := Time(t.Context(), Plan{Commands: [][]string{flaky}, Runs: 3, Failures: 5})
	if err != nil {
		t.Fatal(err)
	}
	if x := r.Timings[0]; len(x.Runs) != 3 || len(x.Failed) != 2 || x.Failed[0] != "exit status 3: the disk is full" {
		t.Errorf("%+v", x)
	}
	_, err = Time(t.Context(), Plan{Commands: [][]string{sh("exit 1")}, Runs: 3, Failures: 1})
	if err == nil || !strings.Contains(err.Error(), "failed 2 times, and failed runs are not counted") {
		t.Errorf("got %v", err)
	}
	_, err = Time(t.Context(), Plan{Commands: [][]string{{"/no/such/program"}}, Runs: 1})
	if !errors.Is(err, os.ErrNotExist) {
		t.Errorf("got %v", err)
	}
	start := time.Now()
	_, err = Time(
		t.Context(),
		Plan{Commands: [][]string{sh("sleep 20 & sleep 20; wait")}, Runs: 1, Limit: 100 * time.Millisecond},
	)
	if err == nil || !strings.Contains(err.Error(), "took longer than 100ms") || time.Since(start) > 10*time.Second {
		t.Errorf("got %v after %s", err, time.Since(start))
	}
}

func TestUntilPrecise(t *testing.T) {
	count := filepath.Join(t.TempDir(), "count")
	// The first run takes long, the others less.
	script := sh(
		fmt.Sprintf("echo x >> %[1]s; if [ $(wc -l < %[1]s) -le 1 ]; then sleep 0.4; else sleep 0.1; fi", count),
	)
	r, err := Time(t.Context(), Plan{Commands: [][]string{script}, Runs: 2, Most: 40, Precision: 0.15})
	if err != nil {
		t.Fatal(err)
	}
	if n := len(r.Timings[0].Runs); !r.Precise || n < 6 || n > 40 || r.Timings[0].Interval == nil {
		t.Errorf("precise %v after %d runs, %+v", r.Precise, n, r.Timings[0])
	}
	r, err = Time(
		t.Context(), Plan{Commands: [][]string{sh("sleep 0.0$((RANDOM % 9))")}, Runs: 2, Most: 3, Precision: 1e-9},
	)
	if err != nil || r.Precise || len(r.Timings[0].Runs) != 3 {
		t.Errorf("%+v, %v", r, err)
	}
}

func TestPlanIsChecked(t *testing.T) {
	for _, p := range []Plan{{}, {Commands: [][]string{{"true"}}}, {Commands: [][]string{{"true"}}, Runs: 5, Most: 4, Precision: 0.1}, {Commands: [][]string{{"true"}}, Runs: 1, Settle: -1}} {
		if _, err := Time(t.Context(), p); err == nil {
			t.Errorf("%+v is carried out", p)
		}
	}
}

func TestStopped(t *testing.T) {
	ctx, cancel := context.WithTimeout(t.Context(), 300*time.Millisecond)
	defer cancel()
	start := time.Now()
	if _, err := Time(ctx, Plan{Commands: [][]string{sh("sleep 30")}, Runs: 3}); err == nil ||
		time.Since(start) > 10*time.Second {
		t.Errorf("%v after %s", err, time.Since(start))
	}
}

// TestUsage checks processor time and memory, including those of child processes.
func TestUsage(t *testing.T) {
	r, err := Time(
		t.Context(),
		Plan{
			Commands: [][]string{
				sh(
					"(i=0; while [ $i -lt 200000 ]; do i=$((i+1)); done); head -c 90000000 /dev/zero | tail -c 80000000 > /dev/null",
				),
			},
			Runs: 1,
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	if run := r.Timings[0].Runs[0]; run.User <= 0.01 || run.User > 60 || run.PeakMiB < 60 || run.PeakMiB > 400 {
		t.Errorf("%+v", run)
	}
}

// The median of an even number of runs is the mean of the two middle ones, as in every
// reading.
func TestMedianOfEvenRuns(t *testing.T) {
	timing := Timing{Runs: []Run{{Wall: 4}, {Wall: 1}, {Wall: 3}, {Wall: 2}}}
	timing.sum()
	r := Result{Timings: []Timing{timing, {Runs: []Run{{Wall: 8}, {Wall: 3}, {Wall: 3}, {Wall: 2}}}}}
	r.ratios()
	if timing.Median != 2.5 || r.Ratios[0].Median != 1.5 {
		t.Errorf("median %v, of ratios %v; want 2.5 and 1.5", timing.Median, r.Ratios[0].Median)
	}
}

// TestDisturbed: a disturbed run is marked and counts, or is repeated if wanted, but not for ever.
func TestDisturbed(t *testing.T) {
	for _, c := range []struct {
		repeat          bool
		disturbed, runs int // among the first runs
		failed          bool
	}{{false, 2, 3, false}, {true, 2, 3, false}, {true, 100, 0, true}} {
		n := 0
		plan := Plan{Commands: [][]string{{"true"}}, Runs: 3, Repeat: c.repeat, Watch: func() func(float64) string {
			return func(own float64) string {
				if n++; n > c.disturbed || own < 0 {
					return ""
				}
				return "somebody played the organ"
			}
		}}
		result, err := Time(t.Context(), plan)
		if (err != nil) != c.failed || err != nil && !strings.Contains(err.Error(), "organ") {
			t.Errorf("%+v: %v", c, err)
		}
		of := result.Timings[0]
		if len(of.Runs) != c.runs || !c.failed && len(of.Disturbed) != c.disturbed || c.repeat && !c.failed && n != 5 {
			t.Errorf("%+v: %d runs, %d disturbed, %d made", c, len(of.Runs), len(of.Disturbed), n)
		}
	}
}
