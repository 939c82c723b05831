package clock

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// Failure is a run that failed. It does not count.
type Failure struct{ detail string }

func (f *Failure) Error() string { return f.detail }

// Command is a program to run.
type Command struct {
	Args        []string
	Folder      string        // working folder; empty: the current one
	Environment []string      // NAME=VALUE, in addition to those of this program
	Limit       time.Duration // time limit; 0: none
	Output      *os.File      // for its output; nil: discarded
}

func execute(ctx context.Context, command []string, limit time.Duration) (Run, error) {
	return Execute(ctx, Command{Args: command, Limit: limit})
}

// Execute runs a command once, without input. Its error output is kept for the error message, a *Failure.
func Execute(ctx context.Context, c Command) (Run, error) {
	return ExecuteUntil(ctx, c, func(int) {}, nil)
}

// ErrEnded means that a command ended before the awaited event.
var ErrEnded = errors.New("it ended before that")

// ExecuteUntil runs a command like Execute, until a moment arrives on reached: the time until then is the result, and
// the command is ended. It returns a *Failure if the command ends before. begun is called with the id of its process
// group. If reached is nil, the command ends by itself.
func ExecuteUntil(ctx context.Context, c Command, begun func(group int), reached <-chan time.Time) (Run, error) {
	if c.Limit > 0 {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, c.Limit)
		defer cancel()
	}
	cmd := exec.CommandContext(ctx, c.Args[0], c.Args[1:]...)
	cmd.Dir = c.Folder
	if c.Environment != nil {
		cmd.Env = append(os.Environ(), c.Environment...)
	}
	// A process group of its own, so that an aborted run leaves no children.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	cmd.Cancel = func() error { return syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) }
	// A file, not a pipe: nothing needs to wake up to read it while the clock runs.
	complaints, err := aside()
	if err == nil {
		defer complaints.Close()
		cmd.Stderr = complaints
	}
	sink, err := nowhere()
	if err != nil {
		return Run{}, err
	}
	defer sink.Close()
	cmd.Stdin, cmd.Stdout = sink, sink
	if c.Output != nil {
		cmd.Stdout = c.Output
	}
	if cmd.Stderr == nil {
		cmd.Stderr = sink
	}
	start := time.Now()
	if err := cmd.Start(); err != nil {
		return Run{}, fmt.Errorf("cannot run it: %w", err)
	}
	if reached != nil {
		begun(cmd.Process.Pid)
		return until(ctx, cmd, c.Limit, start, reached, complaints)
	}
	err = cmd.Wait()
	wall := time.Since(start)
	if err == nil {
		return measured(cmd.ProcessState, wall), nil
	}
	return Run{}, failed(ctx, err, c.Limit, complaints)
}

// until waits for the moment, and ends the command.
func until(
	ctx context.Context,
	cmd *exec.Cmd,
	limit time.Duration,
	start time.Time,
	reached <-chan time.Time,
	complaints *os.File,
) (Run, error) {
	ended := make(chan error, 1)
	go func() { ended <- cmd.Wait() }()
	select {
	case at := <-reached:
		end(cmd, ended)
		return measured(cmd.ProcessState, at.Sub(start)), nil
	case err := <-ended:
		if err == nil {
			return Run{}, &Failure{ErrEnded.Error()}
		}
		return Run{}, failed(ctx, err, limit, complaints)
	}
}

// politely is how long a command can take to end after it was asked to.
const politely = 3 * time.Second

// end asks the group of a command to end, and then kills it.
func end(cmd *exec.Cmd, ended <-chan error) {
	_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGTERM)
	select {
	case <-ended:
		_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL) // its remaining children
	case <-time.After(politely):
		_ = syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL)
		<-ended
	}
}

func failed(ctx context.Context, err error, limit time.Duration, complaints *os.File) error {
	var exit *exec.ExitError
	switch {
	case errors.Is(ctx.Err(), context.DeadlineExceeded):
		return &Failure{fmt.Sprintf("took longer than %s", limit)}
	case ctx.Err() != nil:
		return ctx.Err()
	case !errors.As(err, &exit):
		return fmt.Errorf("cannot run it: %w", err)
	}
	return &Failure{strings.TrimSpace(exit.Error() + lastWords(complaints))}
}

func measured(state *os.ProcessState, wall time.Duration) Run {
	run := Run{Wall: wall.Seconds(), User: state.UserTime().Seconds(), System: state.SystemTime().Seconds()}
	if usage, ok := state.SysUsage().(*syscall.Rusage); ok {
		run.PeakMiB = float64(usage.Maxrss) / 1024
	}
	return run
}

// aside returns a file without a name.
func aside() (*os.File, error) {
	f, err := os.CreateTemp("", "dtally-clock-")
	if err != nil {
		return memory()
	}
	return f, os.Remove(f.Name())
}

// nowhere is where output is discarded, and from which no input comes.
func nowhere() (*os.File, error) {
	f, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if errors.Is(err, os.ErrNotExist) {
		return memory()
	}
	return f, err
}

// memory returns a file in memory, for systems without a temporary folder.
func memory() (*os.File, error) {
	fd, err := unix.MemfdCreate("dtally-clock", unix.MFD_CLOEXEC)
	if err != nil {
		return nil, fmt.Errorf("a file in memory: %w", err)
	}
	return os.NewFile(uintptr(fd), "dtally-clock"), nil
}

// lastWords returns the last line of a command's error output.
func lastWords(f *os.File) string {
	if f == nil {
		return ""
	}
	const enough = 4096
	end, err := f.Seek(0, io.SeekEnd)
	if err != nil {
		return ""
	}
	data, err := io.ReadAll(io.NewSectionReader(f, max(0, end-enough), enough))
	if err != nil {
		return ""
	}
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	if last := lines[len(lines)-1]; last != "" {
		return ": " + last
	}
	return ""
}

const dropFile = "/proc/sys/vm/drop_caches"

// MayDrop returns why the kernel's file caches cannot be dropped here; nil if they can.
func MayDrop() error {
	f, err := os.OpenFile(dropFile, os.O_WRONLY, 0)
	if errors.Is(err, os.ErrPermission) {
		return fmt.Errorf("dropping the file caches needs root: run this with sudo, or keep the caches")
	}
	if err != nil {
		return fmt.Errorf("the file caches cannot be dropped here: %w", err)
	}
	return f.Close()
}

// Drop writes pending data and makes the kernel drop its file caches.
func Drop() error {
	syscall.Sync()
	if err := os.WriteFile(dropFile, []byte("3\n"), 0); err != nil {
		return fmt.Errorf("the file caches cannot be dropped: %w", err)
	}
	return nil
}
