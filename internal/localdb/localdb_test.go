package localdb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"io/fs"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"

	"github.com/go-sql-driver/mysql"
)

// reachable returns a folder that every user can reach, and that is removed after the test.
func reachable(t *testing.T) string {
	t.Helper()
	dir, err := os.MkdirTemp("", "dtally-localdb-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(dir) })
	if err := os.Chmod(dir, 0o711); err != nil {
		t.Fatal(err)
	}
	return dir
}

// TestStart creates a server, refuses a second one in its folder, and finds the data again after a stop.
func TestStart(t *testing.T) {
	dir := reachable(t)
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat(filepath.Join(dir, "secrets.json"))
	if err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the passwords are kept as %v, %v", info.Mode(), err)
	}
	if !runs(s.Process()) {
		t.Error("the server does not run after its start")
	}
	s.Stop()
	if runs(s.Process()) {
		t.Error("the server runs after its stop")
	}
	again, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	again.Stop()
	<-again.Done()
	if again.Ended() != nil {
		t.Errorf("it ended with %v", again.Ended())
	}
	if again.secrets != s.secrets {
		t.Error("the passwords changed between two starts")
	}
}

func TestHalfMadeFolderIsMadeAnew(t *testing.T) {
	dir := reachable(t)
	if err := os.MkdirAll(filepath.Join(dir, "server", "data.new", "mysql"), 0o700); err != nil {
		t.Fatal(err)
	}
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	s.Stop()
}

// Only the two accounts with a password can connect, and only by the socket, which another user of the machine cannot
// reach.
func TestShut(t *testing.T) {
	dir := reachable(t)
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Stop()

	t.Run("accounts", func(t *testing.T) { accounts(t, s) })
	t.Run("network", func(t *testing.T) {
		root := open1(t, s, "root", s.secrets.Root)
		var on string
		if err := root.QueryRow("SELECT @@skip_networking").Scan(&on); err != nil || on != "1" {
			t.Errorf("it listens on a network: %q, %v", on, err)
		}
	})
	t.Run("files", func(t *testing.T) {
		root := open1(t, s, "root", s.secrets.Root)
		for _, target := range []string{filepath.Join(t.TempDir(), "out"), "/tmp/dtally-out", filepath.Join(dir, "secrets.json")} {
			if _, err := root.Exec("SELECT 1 INTO OUTFILE '" + target + "'"); err == nil {
				t.Errorf("root can write %s", target)
			}
		}
		var temporary string
		if err := root.QueryRow("SELECT @@tmpdir").Scan(&temporary); err != nil || !strings.HasPrefix(temporary, dir) {
			t.Errorf("its temporary folder is %q: %v", temporary, err)
		}
	})
	t.Run("user", func(t *testing.T) {
		info, err := os.Stat(filepath.Join("/proc", itoa(s.Process())))
		if err != nil {
			t.Fatal(err)
		}
		if uid := info.Sys().(*syscall.Stat_t).Uid; uid == 0 && systemRoot() {
			t.Error("it runs as the system's root")
		}
	})
	t.Run("another user", func(t *testing.T) { stranger(t, s, dir) })
}

func itoa(n int) string {
	text, _ := json.Marshal(n)
	return string(text)
}

func open1(t *testing.T, s *Server, user, password string) *sql.DB {
	t.Helper()
	cfg := s.config("")
	cfg.User, cfg.Passwd = user, password
	db, err := sql.Open("mysql", cfg.FormatDSN())
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { db.Close() })
	return db
}

func accounts(t *testing.T, s *Server) {
	rows, err := open1(t, s, "root", s.secrets.Root).Query("SELECT User, Host, Priv FROM mysql.global_priv")
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	seen := map[string]bool{}
	for rows.Next() {
		var user, host, text string
		if err := rows.Scan(&user, &host, &text); err != nil {
			t.Fatal(err)
		}
		var how struct {
			Password string `json:"authentication_string"`
			Locked   bool   `json:"account_locked"`
		}
		if err := json.Unmarshal([]byte(text), &how); err != nil {
			t.Fatal(err)
		}
		if host != "localhost" || (how.Password == "" && !how.Locked) {
			t.Errorf("'%s'@'%s' can get in: %s", user, host, text)
		}
		seen[user] = true
	}
	if err := rows.Err(); err != nil || len(seen) != 3 || !seen["root"] || !seen[account] {
		t.Errorf("there are %v, %v", seen, err)
	}
	for user, password := range map[string]string{"root": "", account: "", "": "", "mariadb.sys": ""} {
		if err := open1(t, s, user, password).Ping(); err == nil {
			t.Errorf("%q gets in without a password", user)
		}
	}
	var denied *mysql.MySQLError
	if _, err := open1(t, s, account, s.secrets.Service).Exec("SELECT * FROM mysql.global_priv"); !errors.As(
		err, &denied,
	) {
		t.Errorf("the service's account reads the accounts: %v", err)
	}
}

// stranger tries what another user of the machine could do, in a thread with another user id.
func stranger(t *testing.T, s *Server, dir string) {
	if os.Geteuid() != 0 {
		t.Skip("only root can ask as another user")
	}
	runtime.LockOSThread() // and never unlocked: the thread ends with the test
	if err := syscall.Setfsgid(65534); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Setfsuid(65534); err != nil {
		t.Fatal(err)
	}
	if conn, err := net.Dial("unix", s.folder.socket()); err == nil {
		conn.Close()
		t.Error("another user reaches the socket")
	} else if !errors.Is(err, fs.ErrPermission) {
		t.Errorf("another user: %v", err)
	}
	for _, path := range []string{dir, filepath.Join(dir, "secrets.json"), s.folder.own, s.folder.data(), s.folder.log(), filepath.Join(s.folder.data(), "ibdata1")} {
		if f, err := os.Open(path); err == nil {
			f.Close()
			t.Errorf("another user opens %s", path)
		}
	}
}

// Folders that somebody else prepared are refused, and links are not followed.
func TestStrangeFolders(t *testing.T) {
	victim := filepath.Join(t.TempDir(), "victim")
	if err := os.Mkdir(victim, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, prepare := range map[string]func(dir string) error{
		"a link": func(dir string) error { return os.Symlink(victim, dir) },
		"a file": func(dir string) error { return os.WriteFile(dir, nil, 0o600) },
		"a link inside": func(dir string) error {
			return errors.Join(os.Mkdir(dir, 0o700), os.Symlink(victim, filepath.Join(dir, "server")))
		},
		"somebody else's": func(dir string) error { return errors.Join(os.Mkdir(dir, 0o700), os.Lchown(dir, 65534, 65534)) },
		"below a shut one": func(dir string) error {
			return errors.Join(os.MkdirAll(dir, 0o700), os.Chmod(filepath.Dir(dir), 0o700))
		},
	} {
		t.Run(name, func(t *testing.T) {
			if os.Geteuid() != 0 && (strings.HasPrefix(name, "somebody") || strings.HasPrefix(name, "below")) {
				t.Skip("only root can prepare this")
			}
			dir := filepath.Join(reachable(t), "above", "folder")
			if err := os.Mkdir(filepath.Dir(dir), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := prepare(dir); err != nil {
				t.Fatal(err)
			}
			s, err := Start(t.Context(), dir)
			if err == nil {
				s.Stop()
				t.Fatal("it started")
			}
			t.Log(err)
			if left, _ := os.ReadDir(victim); len(left) > 0 {
				t.Errorf("it wrote through the link: %v", left)
			}
		})
	}
}

// TestWayToTheFolder: where anybody could replace the database's folder, nothing is started.
func TestWayToTheFolder(t *testing.T) {
	open := filepath.Join(t.TempDir(), "open")
	if err := os.Mkdir(open, 0o700); err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		mode os.FileMode
		safe bool
	}{{0o777, false}, {0o703, false}, {os.ModeSticky | 0o777, true}, {0o755, true}} {
		if err := os.Chmod(open, c.mode); err != nil {
			t.Fatal(err)
		}
		if err := safeWay(filepath.Join(open)); (err == nil) != c.safe {
			t.Errorf("%v: %v", c.mode, err)
		}
	}
	// A link on the way is judged by its target.
	link := filepath.Join(t.TempDir(), "link")
	if err := errors.Join(os.Chmod(open, 0o777), os.Symlink(open, link)); err != nil {
		t.Fatal(err)
	}
	if err := safeWay(link); err == nil || !strings.Contains(err.Error(), "chmod o-w") {
		t.Errorf("through a link: %v", err)
	}
	// The server's own parts must never be links.
	self := owner{os.Geteuid(), os.Getegid()}
	if err := self.mkdir(link); err == nil {
		t.Error("a link was taken for a folder")
	}
}

// TestTakesOver starts a folder as an earlier version left it, with its data at the top and accounts without a
// password: the data are kept, and the accounts are removed.
func TestTakesOver(t *testing.T) {
	dir := reachable(t)
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	root := open1(t, s, "root", s.secrets.Root)
	for _, statement := range []string{"CREATE USER 'root'@'127.0.0.1'", "CREATE USER 'root'@'::1'", "CREATE USER ''@'localhost'", "GRANT ALL ON *.* TO 'root'@'127.0.0.1'", "CREATE TABLE dtally.kept (x INT)"} {
		if _, err := root.Exec(statement); err != nil {
			t.Fatal(statement, err)
		}
	}
	s.Stop()
	if err := os.Rename(s.folder.data(), filepath.Join(dir, "data")); err != nil {
		t.Fatal(err)
	}
	if err := os.RemoveAll(s.folder.own); err != nil {
		t.Fatal(err)
	}
	if os.Geteuid() == 0 {
		if out, err := exec.Command("chown", "-R", "0:0", dir).CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, out)
		}
	}
	again, err := Start(context.Background(), dir)
	if err != nil {
		t.Fatal(err)
	}
	defer again.Stop()
	accounts(t, again)
	if _, err := open1(t, again, account, again.secrets.Service).Exec("INSERT INTO dtally.kept VALUES (1)"); err != nil {
		t.Errorf("the data are gone: %v", err)
	}
}

// If the path of a folder is too long for a socket, the socket is elsewhere, as inaccessible to others.
func TestLongPath(t *testing.T) {
	dir := filepath.Join(reachable(t), strings.Repeat("x", 100))
	s, err := Start(t.Context(), dir)
	if err != nil {
		t.Fatal(err)
	}
	info, err := os.Stat(filepath.Dir(s.folder.socket()))
	if err != nil || info.Mode().Perm() != 0o700 {
		t.Errorf("the socket's folder is %v, %v", info, err)
	}
	s.Stop()
	if _, err := os.Stat(filepath.Dir(s.folder.socket())); !errors.Is(err, fs.ErrNotExist) {
		t.Errorf("it is left behind: %v", err)
	}
}
