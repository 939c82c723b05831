// Package localdb runs a private MariaDB server with its data in a folder of its own. The server listens only on a
// socket that its owner can reach, and on no network. It is independent of a server that the system runs.
package localdb

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a private server.
type Server struct {
	folder   folder
	secrets  secrets
	settings []string
	node     *nodeSettings // node of a cluster; nil: a single server

	mu      sync.Mutex
	now     *process // the present or last process
	stopped bool     // it should no longer run
}

// process is a started server.
type process struct {
	cmd   *exec.Cmd
	done  chan struct{} // closed when it has ended
	ended error         // the result, once done is closed
}

// Schema is the database that the service's account owns.
const Schema = "dtally"

const account = "dtally"

// Start starts the server with its data in dir, creating it if needed. Started by root, the server runs as an
// unprivileged user without a name, which then owns the data; it must be able to reach dir. Cancelling ctx does not
// stop the server; Stop does. Further settings of the server can be given, as --name=value.
func Start(ctx context.Context, dir string, settings ...string) (*Server, error) {
	f, err := open(dir)
	if err != nil {
		return nil, err
	}
	s := &Server{folder: f, settings: settings}
	if err := s.start(ctx); err != nil {
		s.folder.release()
		return nil, err
	}
	return s, nil
}

func (s *Server) start(ctx context.Context) error {
	for _, step := range []func(context.Context) error{s.folder.lock, s.folder.claim, s.create, s.run} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	if s.node != nil {
		return nil // it has the data of the others
	}
	if err := s.upgrade(ctx); err != nil {
		s.running().stop()
		return err
	}
	return nil
}

// create makes a new data folder. It works in a temporary folder and renames that last, so that an interrupted
// attempt leaves nothing behind that matters.
func (s *Server) create(ctx context.Context) error {
	f := &s.folder
	found, err := s.secrets.read(f)
	if err != nil || found {
		return err
	}
	install, err := program("mariadb-install-db", "mysql_install_db")
	if err != nil {
		return err
	}
	half := filepath.Join(f.own, "data.new")
	for _, old := range []string{half, f.data()} {
		if err := os.RemoveAll(old); err != nil {
			return err
		}
	}
	cmd := exec.CommandContext(ctx, install, "--no-defaults", "--datadir="+half, "--tmpdir="+f.temporary(),
		"--auth-root-authentication-method=normal", "--skip-test-db", "--skip-name-resolve",
		"--force") // no host name of this machine is needed
	f.owner.run(cmd)
	cmd.Dir = "/"
	cmd.Env = append(os.Environ(), "TMPDIR="+f.temporary(), "HOME="+f.own)
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("creating the database: %w\n%s", err, out)
	}
	if err := os.Rename(half, f.data()); err != nil {
		return err
	}
	return s.secrets.make(f)
}

// run starts the server and waits until the service's account can sign in.
func (s *Server) run(ctx context.Context) error {
	bin, err := program("mariadbd", "mysqld")
	if err != nil {
		return err
	}
	if err := s.fits(ctx, bin); err != nil {
		return err
	}
	f := &s.folder
	if _, err := f.keep(socketFile, f.away); err != nil {
		return err
	}
	// These run at every start: they do no harm if the accounts are right, they repair an interrupted first start,
	// and they close what an earlier version left open.
	statements := s.secrets.statements()
	if s.node != nil {
		statements = s.node.statements(&s.secrets)
	}
	initFile, err := f.write("init.sql", statements)
	if err != nil {
		return err
	}
	defer os.Remove(initFile)
	cmd := exec.Command(bin, append([]string{
		"--no-defaults",
		"--datadir=" + f.data(),
		"--socket=" + f.socket(),
		"--skip-networking",
		"--pid-file=" + f.pid(),
		"--log-error=" + f.log(),
		"--init-file=" + initFile,
		"--tmpdir=" + f.temporary(),
		"--secure-file-priv=" + f.files(),
		"--local-infile=0",
		"--skip-symbolic-links",
		"--skip-name-resolve",
		"--character-set-server=utf8mb4",
		"--collation-server=utf8mb4_nopad_bin",
		"--max-allowed-packet=64M",
		"--innodb-buffer-pool-size=128M",
		"--max-connections=200",
		"--default-time-zone=+00:00",
	}, s.settings...)...)
	begin := (*exec.Cmd).Start
	if s.node != nil {
		more, err := s.node.args()
		if err != nil {
			return err
		}
		cmd.Args, cmd.Env = append(cmd.Args, more...), s.node.environment()
		begin = s.node.begin
	}
	f.owner.run(cmd)
	cmd.Dir = "/"
	// A process group of its own: Ctrl-C at the terminal must reach the program first, which then stops the server
	// regularly.
	cmd.SysProcAttr.Setpgid, cmd.SysProcAttr.Pdeathsig = true, syscall.SIGTERM
	p := &process{cmd: cmd, done: make(chan struct{})}
	s.mu.Lock()
	if s.stopped {
		s.mu.Unlock()
		return errStopped
	}
	if err := begin(cmd); err != nil {
		s.mu.Unlock()
		return fmt.Errorf("starting the database: %w", err)
	}
	s.now = p
	s.mu.Unlock()
	go func() {
		p.ended = cmd.Wait()
		close(p.done)
	}()
	return s.await(ctx, p)
}

var errStopped = errors.New("the database was stopped")

// await waits until the service's account can sign in.
func (s *Server) await(ctx context.Context, p *process) error {
	ctx, cancel := context.WithTimeout(ctx, 60*time.Second)
	defer cancel()
	connector, err := mysql.NewConnector(s.config(Schema))
	if err != nil {
		return err
	}
	for {
		if conn, err := connector.Connect(ctx); err == nil {
			return conn.Close()
		}
		select {
		case <-p.done:
			return fmt.Errorf(
				"the database stopped when it started (%v); its log is %s:\n%s",
				p.ended,
				s.folder.log(),
				tail(s.folder.log()),
			)
		case <-ctx.Done():
			p.stop()
			return fmt.Errorf(
				"the database did not start: %w; its log is %s:\n%s", ctx.Err(), s.folder.log(), tail(s.folder.log()),
			)
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// Stop ends the server regularly and waits for it. A server that another process runs continues.
func (s *Server) Stop() {
	s.mu.Lock()
	s.stopped = true
	p := s.now
	s.mu.Unlock()
	if p == nil {
		return
	}
	p.stop()
	s.folder.release()
}

func (p *process) stop() {
	_ = p.cmd.Process.Signal(syscall.SIGTERM) // an error means that it has ended
	select {
	case <-p.done:
	case <-time.After(30 * time.Second):
		_ = p.cmd.Process.Kill()
		<-p.done
	}
}

func (s *Server) running() *process {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.now
}

func (s *Server) isStopped() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.stopped
}

// Done is closed when the present server has ended, regularly or not.
func (s *Server) Done() <-chan struct{} { return s.running().done }

// Ended returns how the server ended, once Done is closed.
func (s *Server) Ended() error { return s.running().ended }

// Process returns the server's process id.
func (s *Server) Process() int { return s.running().cmd.Process.Pid }

// DSN returns the address of a schema for the service's account, which can own all schemas whose name begins with
// Schema.
func (s *Server) DSN(schema string) string { return s.config(schema).FormatDSN() }

func (s *Server) config(schema string) *mysql.Config {
	cfg := mysql.NewConfig()
	cfg.User, cfg.Passwd, cfg.Net, cfg.Addr = account, s.secrets.Service, "unix", s.folder.socket()
	cfg.DBName = schema
	cfg.Logger = quiet{}
	return cfg
}

// quiet suppresses the driver's messages while the server starts.
type quiet struct{}

func (quiet) Print(...any) {}

func program(names ...string) (string, error) {
	for _, name := range names {
		for _, dir := range append(filepath.SplitList(os.Getenv("PATH")), "/usr/sbin", "/usr/bin", "/usr/local/sbin") {
			path := filepath.Join(dir, name)
			if info, err := os.Stat(path); err == nil && !info.IsDir() && info.Mode()&0o111 != 0 {
				return path, nil
			}
		}
	}
	return "", fmt.Errorf(
		"%s is not installed; on Debian: apt-get install mariadb-server-core mariadb-client-core", names[0],
	)
}

// tail returns the end of a log. Whoever runs the server could replace the log by a link, so links are not followed.
func tail(file string) string {
	f, err := os.OpenFile(file, os.O_RDONLY|syscall.O_NOFOLLOW, 0)
	if err != nil {
		return err.Error()
	}
	defer f.Close()
	const most = 2000
	if _, err := f.Seek(-most, io.SeekEnd); err != nil && !errors.Is(err, syscall.EINVAL) {
		return err.Error()
	}
	data, err := io.ReadAll(io.LimitReader(f, most))
	if err != nil {
		return err.Error()
	}
	return string(data)
}
