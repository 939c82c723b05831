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

// reporter tells the service how far a bench is, for those who look on in the console, and hears whether it is to stop.
// What cannot be told is not: measuring does not need the service.
type reporter struct {
	client *client.Client
	bench  *measure.Bench
	id     string
	stop   context.CancelCauseFunc

	mu    sync.Mutex
	next  *contract.MeasurementProgress // that was not told yet
	ended chan struct{}
	done  sync.WaitGroup
}

// How often the service is told: of something new, and of nothing new.
const (
	tellEvery  = 2 * time.Second
	aliveEvery = 20 * time.Second
	tellTime   = 5 * time.Second
)

// report begins to tell of a bench. The context that it returns ends when somebody in the console stops the bench; end
// is called when the bench has ended.
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

// keep notes how far the bench is, to be told with the next tick.
func (r *reporter) keep(waiting string) {
	p := progressOf(r.bench, waiting)
	r.mu.Lock()
	r.next = p
	r.mu.Unlock()
}

func (r *reporter) run(ctx context.Context) {
	tick := time.NewTicker(tellEvery)
	defer tick.Stop()
	last := r.bench.Journal.Header.Began // anything long ago
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

// tell reports whether it is worth telling more.
func (r *reporter) tell(ctx context.Context, m contract.NewMeasurement) bool {
	h := &r.bench.Journal.Header
	m.Rig, m.Began = h.Rig, h.Began
	limited, cancel := context.WithTimeout(ctx, tellTime)
	defer cancel()
	kept, err := r.client.PutMeasurement(limited, h.Review, r.id, m)
	var refused *client.Refusal
	if errors.As(err, &refused) {
		return false // who measures may not tell of it, or there is no such review
	}
	if err == nil && kept.Value.Stopper != "" {
		r.stop(fmt.Errorf("stopped from the console by %s", kept.Value.Stopper))
	}
	return true
}

// mostTold is how many runs of a criterion are told, the newest.
const mostTold = 200

// progressOf is how far a bench is.
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

// cutTo is a text without what is beyond so many bytes.
func cutTo(text string, most int) string {
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "") + "…"
}
