package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"dappertally/core/measuring"
	"dappertally/core/reading"
	"dappertally/internal/client"
	"dappertally/internal/contract"
	"dappertally/internal/measure"
)

// reporter reports the progress of a bench to the service, for those who watch it in the console, and receives
// requests to stop. Errors are ignored: measuring does not need the service.
type reporter struct {
	client *client.Client
	bench  *measure.Bench
	id     string
	stop   context.CancelCauseFunc

	mu    sync.Mutex
	next  *contract.MeasurementProgress // progress that was not sent yet
	ended chan struct{}
	done  sync.WaitGroup
}

// How often progress is sent: if there is news, and if there is none.
const (
	tellEvery  = 2 * time.Second
	aliveEvery = 20 * time.Second
	tellTime   = 5 * time.Second
)

// report starts reporting a bench. The returned context ends when somebody in the console stops the bench; the caller
// calls end when the bench has ended.
func report(ctx context.Context, c *client.Client, b *measure.Bench) (stoppable context.Context, end func()) {
	stoppable, stop := context.WithCancelCause(ctx)
	r := &reporter{
		client: c, bench: b, id: uuid.Must(uuid.NewV7()).String(), stop: stop, ended: make(chan struct{}),
		next: progressOf(b, ""),
	}
	ran, waiting := b.Progress, b.Waiting
	b.Progress = func(t *measure.Task, e *measure.Entry) {
		r.keep("")
		ran(t, e)
	}
	b.Waiting = func(why string) {
		r.keep(why)
		waiting(why)
	}
	r.done.Go(func() { r.run(ctx) })
	return stoppable, func() {
		close(r.ended)
		r.done.Wait()
		stop(nil)
	}
}

// keep stores the progress of the bench, to be sent with the next tick.
func (r *reporter) keep(waiting string) {
	p := progressOf(r.bench, waiting)
	r.mu.Lock()
	r.next = p
	r.mu.Unlock()
}

func (r *reporter) run(ctx context.Context) {
	tick := time.NewTicker(tellEvery)
	defer tick.Stop()
	last := r.bench.Journal.Header.Began // a time long ago
	var told *contract.MeasurementProgress
	for {
		r.mu.Lock()
		p := r.next
		r.mu.Unlock()
		if p != told || time.Since(last) > aliveEvery {
			if !r.tell(ctx, contract.NewMeasurement{Progress: *p}) {
				return
			}
			told, last = p, time.Now()
		}
		select {
		case <-r.ended:
			r.tell(context.WithoutCancel(ctx), contract.NewMeasurement{Ended: true})
			return
		case <-tick.C:
		}
	}
}

// tell sends the progress, and reports whether sending more makes sense.
func (r *reporter) tell(ctx context.Context, m contract.NewMeasurement) bool {
	h := &r.bench.Journal.Header
	m.Rig, m.Began = h.Rig, h.Began
	limited, cancel := context.WithTimeout(ctx, tellTime)
	defer cancel()
	kept, err := r.client.PutMeasurement(limited, h.Review, r.id, m)
	var refused *client.Refusal
	if errors.As(err, &refused) {
		return false // this person is not allowed to report it, or there is no such review
	}
	if err == nil && kept.Value.Stopper != "" {
		r.stop(fmt.Errorf("stopped from the console by %s", kept.Value.Stopper))
	}
	return true
}

// mostTold is how many runs of a criterion are sent, the newest.
const mostTold = 200

// progressOf returns the progress of a bench.
func progressOf(b *measure.Bench, waiting string) *contract.MeasurementProgress {
	p := &contract.MeasurementProgress{Waiting: cutTo(waiting, 400), Criteria: []contract.MeasuredSoFar{}}
	runs := map[string][]contract.RunSoFar{}
	for i := range b.Journal.Entries {
		if e := &b.Journal.Entries[i]; e.Session == "" {
			out := cmp.Or(e.Failed, e.Disturbance)
			if out == "" && e.Discarded {
				out = "discarded before the counted ones"
			}
			runs[e.Criterion] = append(runs[e.Criterion], contract.RunSoFar{Value: e.Value, Out: cutTo(out, 400)})
		}
	}
	for _, t := range b.Tasks {
		of := runs[t.Criterion.Key]
		m := contract.MeasuredSoFar{
			Criterion: t.Criterion.Key, State: t.State(), Unit: t.Unit(), Most: t.Wanted.Most,
			Runs: append([]contract.RunSoFar{}, of[max(0, len(of)-mostTold):]...),
		}
		if len(t.Values) > 0 {
			m.Median = reading.Median(slices.Clone(t.Values))
		}
		if precision, ok := measuring.Precision(t.Values); ok {
			m.Precision = precision
		}
		p.Left += t.Left()
		p.Criteria = append(p.Criteria, m)
	}
	return p
}

// cutTo cuts a text to a number of bytes.
func cutTo(text string, most int) string {
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}
