package remote

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"dappertally/internal/shell"
)

// Place is a folder on another machine, which is removed when its job has ended, or when the connection is lost.
type Place struct {
	Conn    *Conn
	Folder  string
	keeper  *Process
	out     *bufio.Reader
	started bool
}

// keeping creates the folder, waits for the start signal, and runs the job in it. Whatever happens, the folder is
// removed.
const keeping = `umask 077
dir=$(mktemp -d "${TMPDIR:-/tmp}/dtally-measure-XXXXXXXX") || exit 1
trap 'cd /; rm -rf "$dir"' EXIT
trap 'exit 1' HUP INT TERM
cd "$dir" || exit 1
printf '%s\n' "$dir"
read -r word || exit 1
sh ./job &
echo $! > pid
wait $!`

// Settle creates a folder on the other machine.
func Settle(c *Conn) (*Place, error) {
	p, err := c.Start("exec sh -c " + shell.Quoted(keeping))
	if err != nil {
		return nil, err
	}
	at := &Place{Conn: c, keeper: p, out: bufio.NewReader(p.Out)}
	line, err := at.out.ReadString('\n')
	if err != nil {
		says, _ := io.ReadAll(p.Err)
		return nil, errors.Join(
			fmt.Errorf("%s: no folder could be created there: %s", c.Host, strings.TrimSpace(string(says))), p.session.Close(),
		)
	}
	at.Folder = strings.TrimSpace(line)
	return at, nil
}

// Put writes a file to the folder.
func (p *Place) Put(ctx context.Context, name string, content io.Reader) error {
	return p.Conn.Put(ctx, p.Folder+"/"+name, content)
}

// Output runs a shell line in the folder, and returns its output.
func (p *Place) Output(ctx context.Context, line string) (string, error) {
	return p.Conn.Output(ctx, "cd "+shell.Quoted(p.Folder)+" && "+line)
}

// Run runs a shell line as the job of the folder, which is removed afterwards. told is called with each line of its
// output. The error of a failed job contains the last line of its error output. When ctx ends, the job is asked to
// end.
func (p *Place) Run(ctx context.Context, line string, told func(line []byte) error) error {
	if err := p.Put(ctx, "job", strings.NewReader("exec "+line+"\n")); err != nil {
		return err
	}
	p.started = true
	if _, err := io.WriteString(p.keeper.In, "begin\n"); err != nil {
		return fmt.Errorf("%s: %w", p.Conn.Host, err)
	}
	stop := context.AfterFunc(ctx, func() {
		_, _ = p.Output(context.WithoutCancel(ctx), "kill -TERM $(cat pid)") // if it has ended already, there is nothing to do
	})
	defer stop()
	complaints := make(chan string, 1)
	go func() {
		last := ""
		for lines := bufio.NewScanner(p.keeper.Err); lines.Scan(); {
			if text := strings.TrimSpace(lines.Text()); text != "" {
				last = text
			}
		}
		complaints <- last
	}()
	var failed error
	for {
		line, err := p.out.ReadBytes('\n')
		if len(line) > 0 && err == nil && failed == nil {
			failed = told(line)
		}
		if err != nil {
			break
		}
	}
	says := <-complaints
	err := p.keeper.Wait()
	switch {
	case failed != nil:
		return failed
	case ctx.Err() != nil:
		return ctx.Err()
	case err != nil && says != "":
		return fmt.Errorf("%s: %s", p.Conn.Host, says)
	case err != nil:
		return fmt.Errorf("%s: %w", p.Conn.Host, err)
	}
	return nil
}

// Leave removes the folder if no job was started. It waits until it is gone.
func (p *Place) Leave() error {
	if p.started {
		return nil
	}
	p.started = true
	if err := p.keeper.In.Close(); err != nil && !errors.Is(err, io.EOF) {
		return err
	}
	_, _ = io.Copy(io.Discard, p.out)
	_ = p.keeper.Wait() // it was told to end without a job
	return nil
}
