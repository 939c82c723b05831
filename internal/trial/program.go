package trial

import (
	"fmt"
	"os"
	"os/exec"
	"syscall"
	"time"
)

// Program is a long-running program that can be killed and started again.
type Program struct {
	Name string
	Args []string
	Log  string // the file that its output is appended to

	cmd   *exec.Cmd
	ended chan struct{}
}

// Start starts the program.
func (p *Program) Start() error {
	log, err := os.OpenFile(p.Log, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o644)
	if err != nil {
		return err
	}
	defer log.Close()
	cmd := exec.Command(p.Args[0], p.Args[1:]...)
	cmd.Stdout, cmd.Stderr = log, log
	// A process group of its own, so that Ctrl-C at the terminal only reaches the trial; the trial ends the program.
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := cmd.Start(); err != nil {
		return fmt.Errorf("starting %s: %w", p.Name, err)
	}
	ended := make(chan struct{})
	p.cmd, p.ended = cmd, ended
	go func() {
		_ = cmd.Wait() // its log shows how it ended
		close(ended)
	}()
	return nil
}

// ID returns the process id.
func (p *Program) ID() int { return p.cmd.Process.Pid }

// Ended is closed when the program has ended.
func (p *Program) Ended() <-chan struct{} { return p.ended }

// Kill ends the program like a power failure.
func (p *Program) Kill() {
	_ = p.cmd.Process.Kill() // an error means that it has ended
	<-p.ended
}

// stopTime is how long a program can take to end.
const stopTime = 30 * time.Second

// Stop asks the program to end and waits for it.
func (p *Program) Stop() error {
	if p.cmd == nil {
		return nil
	}
	_ = p.cmd.Process.Signal(syscall.SIGTERM) // an error means that it has ended
	select {
	case <-p.ended:
		return nil
	case <-time.After(stopTime):
		p.Kill()
		return fmt.Errorf("%s did not end within %s and was killed; its log is %s", p.Name, stopTime, p.Log)
	}
}
