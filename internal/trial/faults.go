package trial

import (
	"context"
	"fmt"
	"io"
	"strings"
	"text/tabwriter"
	"time"

	"dappertally/internal/contract"
	"dappertally/internal/demo"
)

// Result is the effect of a fault on the work in progress.
type Result struct {
	Fault   string
	Refused int           // requests that were not acknowledged at the first attempt
	Gap     time.Duration // the longest time without an acknowledged write
	Allowed time.Duration // the longest acceptable time
}

// Good reports whether work continued soon enough.
func (r Result) Good() bool { return r.Gap <= r.Allowed }

// fault is something that happens to a working cluster, and is undone.
type fault struct {
	name    string
	allowed time.Duration
	happens func(ctx context.Context, t *Trial) error
	undone  func(ctx context.Context, t *Trial) error
}

// The longest acceptable times without an acknowledged write: when a node is replaced, and when an instance is.
const (
	failover = 6 * time.Second
	hardly   = 2 * time.Second
)

// Some returns the named faults.
type Some func(name string) bool

// faults lists the faults of a cluster of so many nodes, in order.
func faults(size int) []fault {
	var all []fault
	for i := range size {
		name := fmt.Sprintf("node %d is killed", i+1)
		all = append(all, fault{
			name, failover,
			func(_ context.Context, t *Trial) error { t.Nodes.Nodes[i].Kill(); return nil },
			func(ctx context.Context, t *Trial) error { return t.Nodes.Nodes[i].Start(ctx) },
		})
	}
	for i := range size {
		all = append(all, fault{
			fmt.Sprintf("instance %d is killed", i+1), hardly,
			func(_ context.Context, t *Trial) error { t.Instances[i].Kill(); return nil },
			func(ctx context.Context, t *Trial) error { return t.Instances[i].Start(ctx) },
		})
	}
	return append(all,
		fault{
			"node 1 stands still", failover,
			func(_ context.Context, t *Trial) error { return t.Nodes.Nodes[0].Pause(true) },
			func(_ context.Context, t *Trial) error { return t.Nodes.Nodes[0].Pause(false) },
		},
		fault{
			"node 1 is cut off from the others", failover,
			func(ctx context.Context, t *Trial) error { return t.Nodes.Nodes[0].Isolate(ctx, true) },
			func(ctx context.Context, t *Trial) error { return t.Nodes.Nodes[0].Isolate(ctx, false) },
		},
		fault{
			CutOff, failover,
			func(_ context.Context, t *Trial) error { return t.Nodes.Nodes[0].Cut(true) },
			func(_ context.Context, t *Trial) error { return t.Nodes.Nodes[0].Cut(false) },
		},
		fault{
			"instances are restarted in turn, with the new program", hardly,
			func(ctx context.Context, t *Trial) error {
				for _, i := range t.Instances {
					if err := i.Stop(); err != nil {
						return err
					}
					i.Args[0] = t.program
					if err := i.Start(ctx); err != nil {
						return err
					}
				}
				return nil
			}, nil,
		},
		fault{
			"the disk of node 2 is full", failover,
			func(_ context.Context, t *Trial) error { return t.disk.fill() },
			func(ctx context.Context, t *Trial) error {
				if err := t.disk.clear(); err != nil {
					return err
				}
				t.Nodes.Nodes[1].Stop() // if it has not ended by itself
				return t.Nodes.Nodes[1].Start(ctx)
			},
		},
		fault{
			"nodes are restarted in turn", failover,
			func(ctx context.Context, t *Trial) error {
				for _, n := range t.Nodes.Nodes {
					n.Stop()
					if err := n.Start(ctx); err != nil {
						return err
					}
				}
				return nil
			}, nil,
		},
	)
}

// CutOff is the name of the fault that needs a network.
const CutOff = "the network is cut between node 1 and all else"

// Networked reports whether the nodes are in a network that can be cut.
func (t *Trial) Networked() bool { return t.network != nil }

// can reports whether a fault is possible in this cluster.
func (t *Trial) can(f fault) bool {
	return (t.disk != nil || !strings.Contains(f.name, "disk")) && (t.Networked() || f.name != CutOff)
}

// How long work continues during a fault, and after it is undone.
const (
	faultLasts = 8 * time.Second
	calm       = 3 * time.Second
)

// RunFaults runs 16 writers and 50 streams on all instances while one fault after the other happens, for so many
// rounds. It returns the effect of each, and everything that is wrong afterwards.
func (t *Trial) RunFaults(
	ctx context.Context, rounds int, some Some, progress io.Writer,
) (results []Result, wrong []string, err error) {
	var addresses []string
	for _, i := range t.Instances {
		addresses = append(addresses, i.Address)
	}
	load, err := StartLoad(ctx, addresses, lead(), Pace{Writers: 16, Streams: 50})
	if err != nil {
		return nil, nil, err
	}
	results, err = t.happen(ctx, load, rounds, some, progress)
	load.Stop()
	if err != nil {
		return results, nil, err
	}
	count := load.Count()
	time.Sleep(calm)
	wrong = append(load.Hold(ctx), load.Agree(ctx)...)
	for _, r := range results {
		if !r.Good() {
			wrong = append(wrong, fmt.Sprintf("%s: no write for %s", r.Fault, r.Gap.Round(time.Millisecond)))
		}
	}
	fmt.Fprintf(progress, "%d writes were acknowledged, %d given up without an answer; streams received %d lines\n",
		count.Acknowledged, len(load.unknown), load.Events.Load())
	return results, wrong, nil
}

// lead returns the account of somebody in the demo who can write to the catalogue.
func lead() contract.Credentials {
	return contract.Credentials{Name: demo.Accounts[0].Name, Password: demo.Accounts[0].Secret}
}

// happen makes every fault happen, and records its effect.
func (t *Trial) happen(
	ctx context.Context, load *Load, rounds int, some Some, progress io.Writer,
) (results []Result, err error) {
	table := tabwriter.NewWriter(progress, 0, 0, 2, ' ', 0)
	note := func(r Result) {
		results = append(results, r)
		fmt.Fprintf(table, "%s\tno write for %s\t%d refused\n", r.Fault, r.Gap.Round(time.Millisecond), r.Refused)
		_ = table.Flush() // only for the progress
	}
	for range rounds {
		time.Sleep(calm)
		count := load.Count()
		note(Result{"nothing", count.Refused, count.Gap, hardly})
		for _, f := range faults(len(t.Nodes.Nodes)) {
			if !some(f.name) || !t.can(f) {
				continue
			}
			load.Count()
			if err := f.happens(ctx, t); err != nil {
				return results, fmt.Errorf("%s: %w", f.name, err)
			}
			if f.undone != nil {
				time.Sleep(faultLasts)
				count := load.Count()
				note(Result{f.name, count.Refused, count.Gap, f.allowed})
				if err := f.undone(ctx, t); err != nil {
					return results, fmt.Errorf("after %s: %w", f.name, err)
				}
				f.name = "  and is back"
			}
			time.Sleep(calm)
			count := load.Count()
			note(Result{f.name, count.Refused, count.Gap, f.allowed})
			if err := t.settled(ctx); err != nil {
				return results, err
			}
		}
	}
	return results, nil
}

// settled waits until every instance is ready again.
func (t *Trial) settled(ctx context.Context) error {
	for _, i := range t.Instances {
		if err := ready(ctx, i.Address, i.Program); err != nil {
			return err
		}
	}
	return nil
}
