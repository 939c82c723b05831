package localdb

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"dappertally/internal/wholefile"
)

// folder is where a server lives. Its top belongs to whoever starts the server and holds the passwords; the server
// writes only to a folder below it, which belongs to the user that the server runs as, and to which nobody else has
// access.
type folder struct {
	top   string
	own   string // the server's folder, with mode 0700
	owner owner
	away  string   // a folder for the socket, if the path in own is too long for one
	held  *os.File // the lock, while this process holds it
}

// The top folder contains the server's folder, the passwords, and the location of a socket elsewhere.
const (
	serverFolder = "server"
	secretsFile  = "secrets.json"
	socketFile   = "socket-folder"
)

// longestSocket is the longest path of a socket.
const longestSocket = 100

// open creates the folder if it is new, and converts one of an earlier version.
func open(dir string) (folder, error) {
	top, err := filepath.Abs(dir)
	if err != nil {
		return folder{}, err
	}
	if err := os.MkdirAll(top, 0o700); err != nil {
		return folder{}, fmt.Errorf("creating the database's folder: %w", err)
	}
	if err := notALink(top); err != nil {
		return folder{}, err
	}
	if err := safeWay(filepath.Dir(top)); err != nil {
		return folder{}, err
	}
	f := folder{top: top, own: filepath.Join(top, serverFolder)}
	if f.owner, err = ownerOf(f.own); err != nil {
		return f, err
	}
	mode := os.FileMode(0o700)
	if f.owner.other() {
		mode = 0o711 // it must be able to pass through, but sees nothing on the way
	}
	if err := os.Chmod(top, mode); err != nil {
		return f, fmt.Errorf("making the database's folder private: %w", err)
	}
	if err := f.owner.reaches(top); err != nil {
		return f, err
	}
	if err := f.takeOver(); err != nil {
		return f, err
	}
	for _, part := range []string{f.own, f.temporary(), f.files()} {
		if err := f.owner.mkdir(part); err != nil {
			return f, err
		}
	}
	if len(f.socket()) > longestSocket {
		if f.away, err = os.MkdirTemp("", "dtally-"); err != nil {
			return f, fmt.Errorf("creating a folder for the database's socket: %w", err)
		}
		if err := f.owner.give(f.away); err != nil {
			return f, err
		}
	}
	return f, nil
}

func notALink(path string) error {
	info, err := os.Lstat(path)
	if err != nil {
		return err
	}
	if info.Mode()&os.ModeSymlink != 0 || !info.IsDir() {
		return fmt.Errorf(
			"%s is not a folder; the database needs its own folder, which must not be a link", path,
		)
	}
	if stat, ok := info.Sys().(*syscall.Stat_t); ok && int(stat.Uid) != os.Geteuid() {
		return fmt.Errorf("%s belongs to another user; choose a folder of your own", path)
	}
	return nil
}

// safeWay refuses a folder that other users could replace: if a folder on its path is writable for everybody and
// lacks the sticky bit.
func safeWay(dir string) error {
	dir, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return err
	}
	for at := dir; ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil {
			return err
		}
		if info.Mode().Perm()&0o002 != 0 && info.Mode()&os.ModeSticky == 0 {
			return fmt.Errorf("everybody can write to %s and could replace the database's folder; choose a folder "+
				"elsewhere, or remove that permission (chmod o-w %s)", at, at)
		}
		if at == filepath.Dir(at) {
			return nil
		}
	}
}

// takeOver moves the data of an earlier version, which stored them at the top, to their present place.
func (f *folder) takeOver() error {
	old := filepath.Join(f.top, "data")
	if _, err := os.Lstat(old); err != nil {
		return nil
	}
	if err := f.owner.mkdir(f.own); err != nil {
		return err
	}
	if err := f.owner.giveAll(old); err != nil {
		return err
	}
	for _, litter := range []string{"mariadb.pid", "mariadb.log", "init.sql"} {
		if err := os.RemoveAll(filepath.Join(f.top, litter)); err != nil {
			return err
		}
	}
	return os.Rename(old, f.data())
}

func (f *folder) data() string      { return filepath.Join(f.own, "data") }
func (f *folder) temporary() string { return filepath.Join(f.own, "tmp") }
func (f *folder) files() string     { return filepath.Join(f.own, "files") } // all that SQL can read or write
func (f *folder) log() string       { return filepath.Join(f.own, "mariadb.log") }
func (f *folder) pid() string       { return filepath.Join(f.own, "mariadb.pid") }

func (f *folder) socket() string {
	if f.away != "" {
		return filepath.Join(f.away, "s")
	}
	return filepath.Join(f.own, "socket")
}

// release removes what exists only as long as the server.
func (f *folder) release() {
	if f.away != "" {
		_ = os.RemoveAll(f.away) // an empty folder without use
	}
	if f.held != nil {
		_ = f.held.Close() // the lock ends with it
	}
}

// keep writes a file that only the top folder's owner can read.
func (f *folder) keep(name, text string) (path string, err error) {
	path = filepath.Join(f.top, name)
	return path, wholefile.WriteSecret(path, func(w io.Writer) error {
		_, err := io.WriteString(w, text+"\n")
		return err
	})
}

// write writes a file to the top folder that only the server's user can read.
func (f *folder) write(name, text string) (path string, err error) {
	path = filepath.Join(f.top, name)
	if err := os.Remove(path); err != nil && !os.IsNotExist(err) {
		return "", err
	}
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		return "", err
	}
	return path, f.owner.give(path)
}

// claim refuses a folder whose server is running already. It waits for one that is stopping because its user was
// killed.
func (f *folder) claim(ctx context.Context) error {
	for _, file := range []string{f.pid(), filepath.Join(f.top, "mariadb.pid")} {
		text, err := os.ReadFile(file)
		if err != nil {
			continue // none was left
		}
		pid, _ := strconv.Atoi(strings.TrimSpace(string(text)))
		for began := time.Now(); runs(pid); {
			if time.Since(began) > stopsPatience {
				return fmt.Errorf(
					"%w: process %d uses %s; stop it first, or choose another folder", ErrInUse, pid, f.top,
				)
			}
			select {
			case <-ctx.Done():
				return ctx.Err()
			case <-time.After(50 * time.Millisecond):
			}
		}
	}
	return nil
}

// runs reports whether a process is a database server that has not ended. Another program may have its number now; a
// zombie has ended.
func runs(pid int) bool {
	stat, err := os.ReadFile(fmt.Sprintf("/proc/%d/stat", pid))
	if err != nil {
		return false
	}
	_, rest, _ := strings.Cut(string(stat), "(")
	name, state, _ := strings.Cut(rest, ") ")
	return (strings.HasPrefix(name, "mariadbd") || strings.HasPrefix(name, "mysqld")) && !strings.HasPrefix(state, "Z")
}
