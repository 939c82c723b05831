package localdb

import (
	"errors"
	"fmt"
	"hash/fnv"
	"io/fs"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
)

// owner is the user that a server runs as and that owns its data: whoever starts it, or, started by root, a user
// without a name.
type owner struct{ uid, gid int }

// Ids that no account has: the range from which service managers take temporary users.
const (
	firstNameless = 61184
	nameless      = 4000
)

// ownerOf returns the user for a folder: its owner, or a new one for a new folder.
func ownerOf(dir string) (owner, error) {
	self := owner{os.Geteuid(), os.Getegid()}
	if !systemRoot() {
		return self, nil
	}
	info, err := os.Lstat(dir)
	if err == nil {
		stat, ok := info.Sys().(*syscall.Stat_t)
		if !ok || !info.IsDir() {
			return self, fmt.Errorf("%s is not a folder", dir)
		}
		if stat.Uid != 0 {
			return owner{int(stat.Uid), int(stat.Gid)}, nil
		}
	}
	hash := fnv.New32a()
	_, _ = hash.Write([]byte(dir)) // it never fails
	for i := range nameless {
		uid := firstNameless + (int(hash.Sum32()%nameless)+i)%nameless
		if _, err := user.LookupId(strconv.Itoa(uid)); err != nil {
			return owner{uid, uid}, nil
		}
	}
	return self, fmt.Errorf("every user id from %d on is taken; start the database as an ordinary user", firstNameless)
}

// systemRoot reports whether this process is root of the whole system. Root of a user namespace is an ordinary user
// outside it.
func systemRoot() bool {
	if os.Geteuid() != 0 {
		return false
	}
	text, err := os.ReadFile("/proc/self/uid_map")
	if err != nil {
		return true
	}
	mapped := strings.Fields(string(text))
	return len(mapped) == 3 && mapped[0] == "0" && mapped[1] == "0" && mapped[2] == "4294967295"
}

// other reports whether the server runs as another user than its starter.
func (o owner) other() bool { return o.uid != os.Geteuid() }

// run makes a command run as this user.
func (o owner) run(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{}
	if o.other() {
		cmd.SysProcAttr.Credential = &syscall.Credential{Uid: uint32(o.uid), Gid: uint32(o.gid)}
	}
}

// reaches explains what to do if this user cannot reach a folder.
func (o owner) reaches(dir string) error {
	if !o.other() {
		return nil
	}
	for at := dir; ; at = filepath.Dir(at) {
		info, err := os.Stat(at)
		if err != nil {
			return err
		}
		if info.Mode().Perm()&0o001 == 0 {
			return fmt.Errorf(
				"started by root, the database runs as an unprivileged user, who cannot access %s (mode "+
					"%04o); choose a folder that everybody can access, such as one in /var/tmp, or start it as "+
					"an ordinary user",
				at,
				info.Mode().Perm(),
			)
		}
		if at == filepath.Dir(at) {
			return nil
		}
	}
}

// mkdir creates a folder of mode 0700 that belongs to this user, if it is missing.
func (o owner) mkdir(dir string) error {
	if err := os.Mkdir(dir, 0o700); err != nil && !os.IsExist(err) {
		return fmt.Errorf("creating the database's folder: %w", err)
	}
	// It is opened before it is changed, so that nobody who can write next to it can replace it by a link.
	folder, err := os.OpenFile(dir, os.O_RDONLY|syscall.O_DIRECTORY|syscall.O_NOFOLLOW, 0)
	if errors.Is(err, syscall.ENOTDIR) || errors.Is(err, syscall.ELOOP) {
		return fmt.Errorf("%s is not a folder; remove it", dir)
	}
	if err != nil {
		return err
	}
	defer folder.Close()
	if err := folder.Chmod(0o700); err != nil {
		return err
	}
	if !o.other() {
		return nil
	}
	if err := folder.Chown(o.uid, o.gid); err != nil {
		return fmt.Errorf("handing %s to the database's user: %w", dir, err)
	}
	return nil
}

// give changes the owner of a file to this user, never that of a link's target.
func (o owner) give(path string) error {
	if !o.other() {
		return nil
	}
	if err := os.Lchown(path, o.uid, o.gid); err != nil {
		return fmt.Errorf("handing %s to the database's user: %w", path, err)
	}
	return nil
}

func (o owner) giveAll(dir string) error {
	if !o.other() {
		return nil
	}
	return filepath.WalkDir(dir, func(path string, _ fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		return o.give(path)
	})
}
