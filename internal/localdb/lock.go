package localdb

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"syscall"
	"time"
)

// ErrInUse means that another process runs the folder's server.
var ErrInUse = errors.New("the private database is in use")

// How long to wait for a folder whose last user is ending: the program, and its server.
const (
	patience      = 10 * time.Second
	stopsPatience = 30 * time.Second
)

// lock reserves the folder for this process, until release. It waits for a process that is ending, and fails with
// ErrInUse if another keeps the folder.
func (f *folder) lock(ctx context.Context) error {
	file, err := os.OpenFile(filepath.Join(f.top, "lock"), os.O_RDWR|os.O_CREATE|syscall.O_NOFOLLOW, 0o600)
	if err != nil {
		return fmt.Errorf("locking the database's folder: %w", err)
	}
	for began := time.Now(); ; {
		err := syscall.Flock(int(file.Fd()), syscall.LOCK_EX|syscall.LOCK_NB)
		if err == nil {
			f.held = file
			return nil
		}
		if !errors.Is(err, syscall.EWOULDBLOCK) {
			return errors.Join(fmt.Errorf("locking the database's folder: %w", err), file.Close())
		}
		if time.Since(began) > patience {
			return errors.Join(
				fmt.Errorf("%w: another dtallyd uses %s; stop it first, or choose another folder", ErrInUse, f.top),
				file.Close(),
			)
		}
		select {
		case <-ctx.Done():
			return errors.Join(ctx.Err(), file.Close())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// locked reports whether a process has reserved the folder.
func locked(dir string) bool {
	file, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_RDWR|syscall.O_NOFOLLOW, 0)
	if err != nil {
		return false // no process ever reserved it
	}
	defer file.Close()
	return errors.Is(syscall.Flock(int(file.Fd()), syscall.LOCK_SH|syscall.LOCK_NB), syscall.EWOULDBLOCK)
}
