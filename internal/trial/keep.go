package trial

import (
	"context"
	"fmt"
	"sync"
	"time"
)

// restPause is how long a killed program stays away, so that one can see how the others continue without it.
const restPause = 10 * time.Second

// Keep restarts every node and instance that ends, until ctx ends.
func (t *Trial) Keep(ctx context.Context, progress func(text string)) {
	var kept sync.WaitGroup
	for _, n := range t.Nodes.Nodes {
		kept.Go(func() { again(ctx, n.Name, progress, n.Ended, n.Start) })
	}
	for _, i := range t.Instances {
		kept.Go(func() { again(ctx, i.Name, progress, i.Ended, i.Start) })
	}
	kept.Wait()
}

func again(
	ctx context.Context, name string, progress func(string),
	ended func() <-chan struct{}, start func(context.Context) error,
) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-ended():
		}
		progress(fmt.Sprintf("%s has ended, and is started again in %s", name, restPause))
		select {
		case <-ctx.Done():
			return
		case <-time.After(restPause):
		}
		if err := start(ctx); err != nil {
			progress(err.Error())
			continue
		}
		progress(name + " is back")
	}
}
