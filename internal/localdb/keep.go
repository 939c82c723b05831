package localdb

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"time"

	"golang.org/x/sys/unix"
)

// The pauses before the server is started again: the first, and the longest, up to which they double.
const (
	firstPause   = time.Second
	longestPause = 30 * time.Second
)

// Keep starts the server again whenever it ends by itself, for example because its disk is full, until ctx ends or
// Stop is called. If the data is gone, it gives up and returns the reason.
func (s *Server) Keep(ctx context.Context, log *slog.Logger) error {
	pause := firstPause
	for {
		p := s.running()
		select {
		case <-ctx.Done():
			return nil
		case <-p.done:
		}
		if s.isStopped() {
			return nil
		}
		log.ErrorContext(ctx, "the database stopped unexpectedly", "how", fmt.Sprint(p.ended), "log", s.folder.log())
		for {
			select {
			case <-ctx.Done():
				return nil
			case <-time.After(pause):
			}
			if _, err := os.Stat(s.folder.data()); errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("the database stopped, and its data in %s is gone", s.folder.data())
			}
			began := time.Now()
			err := s.run(ctx)
			if errors.Is(err, errStopped) || ctx.Err() != nil {
				return nil
			}
			if err == nil {
				log.InfoContext(ctx, "the database runs again", "after", time.Since(began).String())
				pause = firstPause
				break
			}
			pause = min(2*pause, longestPause)
			log.ErrorContext(ctx, "the database does not start", "error", err, "next", pause.String())
		}
	}
}

// Room returns how many bytes the disk with the data has free; false if that is not known.
func (s *Server) Room() (free uint64, ok bool) {
	var disk unix.Statfs_t
	if err := unix.Statfs(s.folder.own, &disk); err != nil {
		return 0, false
	}
	return disk.Bavail * uint64(disk.Bsize), true
}
