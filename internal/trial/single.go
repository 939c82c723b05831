package trial

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"dappertally/internal/localdb"
)

// OneMachine kills the service and its private database in turns, so many times, while 16 writers are at work. It
// returns everything that is wrong afterwards.
func OneMachine(ctx context.Context, o Options, rounds int, progress io.Writer) (wrong []string, err error) {
	data := filepath.Join(o.Dir, "single")
	if err := loadPrivate(ctx, data); err != nil {
		return nil, err
	}
	one, err := privateInstance(o, data)
	if err != nil {
		return nil, err
	}
	if err := one.Start(ctx); err != nil {
		return nil, err
	}
	defer one.Stop() //nolint:errcheck // its log shows the reason
	load, err := StartLoad(ctx, []string{one.Address}, lead(), Pace{Writers: 16, Streams: 10})
	if err != nil {
		return nil, err
	}
	var longest time.Duration
	for round := range rounds {
		time.Sleep(time.Duration(200+37*(round%20)) * time.Millisecond) // at a different moment each time
		load.Count()
		if err := killInTurn(ctx, one, data, round); err != nil {
			load.Stop()
			return nil, fmt.Errorf("round %d: %w", round+1, err)
		}
		if err := load.goesOn(ctx); err != nil {
			load.Stop()
			return nil, fmt.Errorf("round %d: %w", round+1, err)
		}
		longest = max(longest, load.Count().Gap)
	}
	time.Sleep(calm)
	load.Stop()
	fmt.Fprintf(progress, "One machine: %d times killed, %d writes acknowledged, %d given up; no write for at most %s\n",
		rounds, load.Count().Acknowledged, len(load.unknown), longest.Round(time.Millisecond))
	return load.Hold(ctx), nil
}

// killInTurn kills the service, which is then started again, or the database, which the service restarts.
func killInTurn(ctx context.Context, one *Instance, data string, round int) error {
	if round%2 == 0 {
		one.Kill()
		return one.Start(ctx)
	}
	text, err := os.ReadFile(filepath.Join(data, "server", "mariadb.pid"))
	if err != nil {
		return err
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(text)))
	if err != nil {
		return err
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil {
		return err
	}
	return nil
}

// loadPrivate fills an empty private database with the demo's data.
func loadPrivate(ctx context.Context, data string) error {
	server, err := localdb.Start(ctx, data)
	if err != nil {
		return err
	}
	defer server.Stop()
	return fill(ctx, server.DSN(localdb.Schema), func(string) {})
}
