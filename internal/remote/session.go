package remote

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"golang.org/x/crypto/ssh"

	"dappertally/internal/shell"
)

// Process is a command that runs on the other machine.
type Process struct {
	In      io.WriteCloser
	Out     io.Reader
	Err     io.Reader
	session *ssh.Session
}

// Start starts a shell line on the other machine.
func (c *Conn) Start(line string) (*Process, error) {
	session, err := c.ssh.NewSession()
	if err != nil {
		return nil, fmt.Errorf("%s: %w", c.Host, err)
	}
	p := &Process{session: session}
	var failed [3]error
	p.In, failed[0] = session.StdinPipe()
	p.Out, failed[1] = session.StdoutPipe()
	p.Err, failed[2] = session.StderrPipe()
	if err := errors.Join(failed[:]...); err != nil {
		return nil, errors.Join(err, session.Close())
	}
	if err := session.Start(line); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", c.Host, err), session.Close())
	}
	return p, nil
}

// Wait waits for the end. A failed command returns an *ssh.ExitError.
func (p *Process) Wait() error { return p.session.Wait() }

// Output runs a shell line and returns its output, without surrounding whitespace. The error contains its error
// output.
func (c *Conn) Output(ctx context.Context, line string) (string, error) {
	var out bytes.Buffer
	err := c.run(ctx, line, nil, &out)
	return strings.TrimSpace(out.String()), err
}

// Put writes a file on the other machine.
func (c *Conn) Put(ctx context.Context, name string, content io.Reader) error {
	return c.run(ctx, "cat > "+shell.Quoted(name), content, io.Discard)
}

func (c *Conn) run(ctx context.Context, line string, in io.Reader, out io.Writer) error {
	session, err := c.ssh.NewSession()
	if err != nil {
		return fmt.Errorf("%s: %w", c.Host, err)
	}
	defer session.Close()
	stop := context.AfterFunc(ctx, func() { _ = session.Close() })
	defer stop()
	var says bytes.Buffer
	session.Stdin, session.Stdout, session.Stderr = in, out, &says
	if err := session.Run(line); err != nil {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		return fmt.Errorf("%s: %w: %s", c.Host, err, strings.TrimSpace(says.String()))
	}
	return nil
}
