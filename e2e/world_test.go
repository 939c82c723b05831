// Package e2e tests the built programs over the network, with a real database and a real browser.
package e2e

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// bin is the folder of the programs that TestMain built.
var bin string

func TestMain(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
	dir, err := os.MkdirTemp("", "dtally-e2e-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(dir)
	build := exec.Command("go", "build", "-ldflags", "-s -w", "-o", dir, "dappertally/cmd/...")
	build.Env = append(os.Environ(), "CGO_ENABLED=0") // the client runs on any machine under review
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "building the programs: %v\n%s", err, out)
		return 1
	}
	bin = dir
	return m.Run()
}

// serve runs dtallyd on the demo's records and returns its address. Tests with a service of their own can run in
// parallel.
func serve(t *testing.T) string {
	t.Helper()
	return serveFrom(t, &filled)
}

// serveFrom is serve with other records.
func serveFrom(t *testing.T, records *dbtest.Filled) string {
	t.Helper()
	return serves(t, records, "--team", demo.Team).address(t, listening)
}

// serves is a service on records of its own, until the test ends.
func serves(t *testing.T, records *dbtest.Filled, flags ...string) *program {
	t.Helper()
	p := launch(
		t,
		"dtallyd",
		append([]string{"serve", "--database", records.DSN(t), "--listen", "127.0.0.1:0"}, flags...)...)
	t.Cleanup(func() {
		p.stop(t)
		if p.told.Wait(); t.Failed() {
			t.Logf("the service said:\n%s", p.said)
		}
	})
	return p
}

// listening matches the line with the service's address.
var listening = regexp.MustCompile(`msg=listening address=(http://\S+)`)

// program is a long-running program of ours.
type program struct {
	cmd  *exec.Cmd
	said *bytes.Buffer
	out  *bufio.Reader
	told sync.WaitGroup // collects said
	done chan error
}

func launch(t *testing.T, name string, args ...string) *program {
	t.Helper()
	return started(t, exec.Command(filepath.Join(bin, name), args...))
}

// started is a command of a long-running program that runs.
func started(t *testing.T, cmd *exec.Cmd) *program {
	t.Helper()
	r, w := io.Pipe()
	cmd.Stdout, cmd.Stderr = w, w
	if err := cmd.Start(); err != nil {
		t.Fatal(err)
	}
	p := &program{cmd: cmd, said: &bytes.Buffer{}, out: bufio.NewReader(r), done: make(chan error, 1)}
	go func() {
		err := cmd.Wait()
		w.Close()
		p.done <- err
	}()
	return p
}

// address waits for the line with the program's address, and returns it.
func (p *program) address(t *testing.T, line *regexp.Regexp) string {
	t.Helper()
	for {
		text, err := p.out.ReadString('\n')
		p.said.WriteString(text)
		if found := line.FindStringSubmatch(text); found != nil {
			p.told.Go(func() { io.Copy(p.said, p.out) })
			return found[1]
		}
		if err != nil {
			t.Fatalf("it ended without saying where it listens:\n%s", p.said)
		}
	}
}

// stop ends the program in an orderly way and requires that it succeeds.
func (p *program) stop(t *testing.T) {
	t.Helper()
	_ = p.cmd.Process.Signal(syscall.SIGTERM)
	select {
	case err := <-p.done:
		if err != nil {
			t.Errorf("%s ended with %v", p.cmd.Args[0], err)
		}
	case <-time.After(60 * time.Second):
		_ = p.cmd.Process.Kill()
		t.Errorf("%s did not stop within a minute", p.cmd.Args[0])
	}
}

// client runs dtally with its own login folder.
type client struct {
	t      *testing.T
	server string
	home   string
}

func newClient(t *testing.T, server string) *client { return &client{t, server, t.TempDir()} }

// run returns the output of dtally and its exit code.
func (c *client) run(stdin string, args ...string) (stdout, stderr string, code int) {
	c.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	cmd := exec.CommandContext(ctx, filepath.Join(bin, "dtally"), args...)
	cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+c.home, "DTALLY_SERVER="+c.server, "DTALLY_TOKEN=")
	cmd.Stdin = strings.NewReader(stdin)
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		c.t.Fatal(err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

// must is a run that must succeed.
func (c *client) must(args ...string) string {
	c.t.Helper()
	out, errs, code := c.run("", args...)
	if code != 0 {
		c.t.Fatalf("dtally %s: exit %d\n%s", strings.Join(args, " "), code, errs)
	}
	return out
}

// fails runs the program, which must end with that code, and returns its message.
func (c *client) fails(code int, args ...string) string {
	c.t.Helper()
	_, errs, got := c.run("", args...)
	if got != code {
		c.t.Errorf("dtally %s: exit %d, want %d\n%s", strings.Join(args, " "), got, code, errs)
	}
	return errs
}

// login signs in as one of the demo's people.
func (c *client) login(name string) *client {
	c.t.Helper()
	if _, errs, code := c.run(secret(name)+"\n", "login", name); code != 0 {
		c.t.Fatalf("login as %s: exit %d\n%s", name, code, errs)
	}
	return c
}

func secret(name string) string {
	for _, a := range demo.Accounts {
		if a.Name == name {
			return a.Secret
		}
	}
	return ""
}

// filled is the demo's records, which most tests begin with.
var filled = dbtest.Filled{Name: "demo_now", Fill: func(ctx context.Context, s *store.Store) error {
	_, err := demo.Load(ctx, service.New(s, slog.New(slog.NewTextHandler(io.Discard, nil)), demo.Clock))
	return err
}}
