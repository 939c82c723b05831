// Package localdb runs a private MariaDB server on loopback, with its data in a
// folder of its own. It never touches a server that the system runs.
package localdb

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Server is a running private server.
type Server struct {
	Port    int
	secrets secrets
	cmd     *exec.Cmd
	done    chan struct{} // closed when the server has ended
	ended   error         // how, once done is closed
	log     string
}

// secrets are made with the folder and kept in it, readable by its owner alone.
type secrets struct {
	Root    string `json:"root"`
	Service string `json:"service"`
}

// Schema is the database that the service's account owns.
const Schema = "dtally"

const account = "dtally"

// Start starts the server whose data is in dir, creating it where it is new.
// Cancelling ctx does not stop it; Stop does.
func Start(ctx context.Context, dir string) (*Server, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, fmt.Errorf("making the database's folder: %w", err)
	}
	if err := claim(ctx, dir); err != nil {
		return nil, err
	}
	s := &Server{done: make(chan struct{}), log: filepath.Join(dir, "mariadb.log")}
	if err := s.create(ctx, dir); err != nil {
		return nil, err
	}
	return s, s.run(ctx, dir)
}

// claim refuses a folder whose server is running already. One that is just
// stopping, since what used it was killed, is waited for.
func claim(ctx context.Context, dir string) error {
	text, err := os.ReadFile(filepath.Join(dir, "mariadb.pid"))
	if err != nil {
		return nil // none was left behind
	}
	pid, _ := strconv.Atoi(strings.TrimSpace(string(text)))
	const patience = 10 * time.Second
	for began := time.Now(); runs(pid); {
		if time.Since(began) > patience {
			return fmt.Errorf("the database in %s is in use by process %d; end that one first, or choose another folder", dir, pid)
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(50 * time.Millisecond):
		}
	}
	return nil
}

// runs reports whether a process is a database server that has not ended. The
// number may have gone to another program since; a zombie has ended.
func runs(pid int) bool {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := strings.Cut(string(stat), "(")
	name, state, _ := strings.Cut(rest, ") ")
	return (strings.HasPrefix(name, "mariadbd") || strings.HasPrefix(name, "mysqld")) && !strings.HasPrefix(state, "Z")
}

// create lays out a new data folder. It works in a folder beside it and renames
// that last, so that an attempt that was cut short leaves nothing to trip over.
func (s *Server) create(ctx context.Context, dir string) error {
	file, data := filepath.Join(dir, "secrets.json"), filepath.Join(dir, "data")
	kept, err := os.ReadFile(file)
	if err == nil {
		if _, err := os.Stat(data); err != nil {
			return fmt.Errorf("%s has passwords but no data; remove the folder to start afresh", dir)
		}
		return json.Unmarshal(kept, &s.secrets)
	}
	if !errors.Is(err, os.ErrNotExist) {
		return err
	}
	install, err := program("mariadb-install-db", "mysql_install_db")
	if err != nil {
		return err
	}
	half := filepath.Join(dir, "data.new")
	for _, old := range []string{half, data} {
		if err := os.RemoveAll(old); err != nil {
			return err
		}
	}
	args := []string{"--no-defaults", "--datadir=" + half, "--auth-root-authentication-method=normal", "--skip-test-db"}
	if out, err := exec.CommandContext(ctx, install, append(args, asRoot()...)...).CombinedOutput(); err != nil {
		return fmt.Errorf("creating the database: %w\n%s", err, out)
	}
	if err := os.Rename(half, data); err != nil {
		return err
	}
	s.secrets = secrets{Root: rand.Text(), Service: rand.Text()}
	text, err := json.Marshal(s.secrets)
	if err != nil {
		return err
	}
	return os.WriteFile(file, text, 0o600)
}

func (s *Server) run(ctx context.Context, dir string) error {
	bin, err := program("mariadbd", "mysqld")
	if err != nil {
		return err
	}
	port, err := freePort()
	if err != nil {
		return err
	}
	s.Port = port
	// Run at every start: it does no harm where the accounts are there, and it
	// mends a first start that was cut short.
	initFile := filepath.Join(dir, "init.sql")
	sql := strings.Join([]string{
		fmt.Sprintf("CREATE DATABASE IF NOT EXISTS %s CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin;", Schema),
		fmt.Sprintf("CREATE USER IF NOT EXISTS '%s'@'127.0.0.1' IDENTIFIED BY '%s';", account, s.secrets.Service),
		fmt.Sprintf("GRANT ALL ON `%s%%`.* TO '%s'@'127.0.0.1';", Schema, account),
		fmt.Sprintf("ALTER USER 'root'@'localhost' IDENTIFIED BY '%s';", s.secrets.Root),
	}, "\n") + "\n"
	if err := os.WriteFile(initFile, []byte(sql), 0o600); err != nil {
		return err
	}
	defer os.Remove(initFile)
	// The path of a socket has a short limit, and nobody uses this one.
	socket := filepath.Join(os.TempDir(), fmt.Sprintf("dtally-%d.sock", port))
	args := append([]string{
		"--no-defaults", "--datadir=" + filepath.Join(dir, "data"), "--socket=" + socket, "--port=" + strconv.Itoa(port),
		"--bind-address=127.0.0.1", "--pid-file=" + filepath.Join(dir, "mariadb.pid"), "--log-error=" + s.log, "--init-file=" + initFile,
		"--skip-name-resolve", "--character-set-server=utf8mb4", "--collation-server=utf8mb4_nopad_bin", "--max-allowed-packet=64M",
		"--innodb-buffer-pool-size=128M", "--max-connections=200", "--default-time-zone=+00:00",
	}, asRoot()...)
	s.cmd = exec.Command(bin, args...)
	// A group of its own: Ctrl-C at the terminal must reach the program first,
	// which then stops the server in good order.
	s.cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true, Pdeathsig: syscall.SIGTERM}
	if err := s.cmd.Start(); err != nil {
		return fmt.Errorf("starting the database: %w", err)
	}
	go func() {
		s.ended = s.cmd.Wait()
		close(s.done)
	}()
	return s.await(ctx)
}

// await waits until the server lets the service's account in.
func (s *Server) await(ctx context.Context) error {
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
		case <-s.done:
			return fmt.Errorf("the database ended at its start (%v); its log is %s:\n%s", s.ended, s.log, tail(s.log))
		case <-ctx.Done():
			s.Stop()
			return fmt.Errorf("the database did not start: %w; its log is %s:\n%s", ctx.Err(), s.log, tail(s.log))
		case <-time.After(20 * time.Millisecond):
		}
	}
}

// Stop ends the server in good order and waits for it.
func (s *Server) Stop() {
	_ = s.cmd.Process.Signal(syscall.SIGTERM) // an error means that it has ended
	select {
	case <-s.done:
	case <-time.After(30 * time.Second):
		_ = s.cmd.Process.Kill()
		<-s.done
	}
}

// Done is closed when the server has ended, wanted or not.
func (s *Server) Done() <-chan struct{} { return s.done }

// Ended is how the server ended, once Done is closed.
func (s *Server) Ended() error { return s.ended }

// Process is the server's process id.
func (s *Server) Process() int { return s.cmd.Process.Pid }

// DSN is how the service's account reaches a schema; it may own all whose name
// begins with Schema.
func (s *Server) DSN(schema string) string { return s.config(schema).FormatDSN() }

func (s *Server) config(schema string) *mysql.Config {
	cfg := mysql.NewConfig()
	cfg.User, cfg.Passwd, cfg.Net = account, s.secrets.Service, "tcp"
	cfg.Addr = net.JoinHostPort("127.0.0.1", strconv.Itoa(s.Port))
	cfg.DBName = schema
	cfg.Logger = quiet{}
	return cfg
}

// quiet keeps the driver from telling of every attempt while the server starts.
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
	return "", fmt.Errorf("%s is not installed; on Debian: apt-get install mariadb-server", names[0])
}

func asRoot() []string {
	if os.Geteuid() == 0 {
		return []string{"--user=root"}
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, fmt.Errorf("finding a free port: %w", err)
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func tail(file string) string {
	data, err := os.ReadFile(file)
	if err != nil {
		return err.Error()
	}
	return string(data[max(0, len(data)-2000):])
}
