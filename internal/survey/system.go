package survey

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"time"

	securejoin "github.com/cyphar/filepath-securejoin"
)

// System is what is surveyed: the running system, or a folder that holds the files
// of another one.
type System struct {
	// Patience is how long one pass waits for commands.
	Patience time.Duration

	root   string
	ctx    context.Context
	shared *shared
}

// shared is what several askers look at in one pass.
type shared struct {
	processes func() []process
	environ   func() map[string]string
	installed func() inventory
	identity  func() map[string]string
	session   func() variables
	services  func() running
	mounts    func() []mount
	owners    func() map[string]string
}

// Patience is how long a pass waits if nothing else is said: it stays below two
// seconds then.
const Patience = 1700 * time.Millisecond

// At is a system whose files lie below root. Its commands are those below root too,
// never those of the running system.
func At(root string) *System {
	if whole, err := filepath.Abs(root); err == nil {
		root = whole // commands run elsewhere
	}
	return &System{root: root, Patience: Patience}
}

func (s *System) here() bool { return s.root == "/" }

// pass is the system with nothing remembered from earlier passes.
func (s *System) pass(ctx context.Context) *System {
	p := *s
	p.ctx = ctx
	p.shared = &shared{
		processes: sync.OnceValue(p.readProcesses), environ: sync.OnceValue(p.readEnviron),
		installed: sync.OnceValue(p.readInstalled), identity: sync.OnceValue(p.readIdentity),
		session: sync.OnceValue(
			p.readSession,
		), services: sync.OnceValue(p.readServices), mounts: sync.OnceValue(p.readMounts), owners: sync.OnceValue(p.readOwners),
	}
	return &p
}

// path is where a file of the system lies. Links are followed within its root.
func (s *System) path(name string) string {
	if s.here() {
		return name
	}
	p, err := securejoin.SecureJoin(s.root, name)
	if err != nil {
		return filepath.Join(s.root, "nowhere") // a circle of links leads to no file
	}
	return p
}

// largestFile bounds what is read of one file.
const largestFile = 256 << 20

// read is the content of a file; empty where it cannot be read.
func (s *System) read(name string) string {
	f, err := os.Open(s.path(name))
	if err != nil {
		return ""
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, largestFile))
	if err != nil {
		return ""
	}
	return string(data)
}

// word is a file's content without the space around it.
func (s *System) word(name string) string { return strings.TrimSpace(s.read(name)) }

func (s *System) has(name string) bool {
	_, err := os.Stat(s.path(name))
	return err == nil
}

// first is the first of the names that is there; empty where none is.
func (s *System) first(names ...string) string {
	for _, n := range names {
		if s.has(n) {
			return n
		}
	}
	return ""
}

// names lists what a folder holds, sorted; nothing where it cannot be read.
func (s *System) names(folder string) []string {
	entries, err := os.ReadDir(s.path(folder))
	if err != nil {
		return nil
	}
	names := make([]string, len(entries))
	for i, e := range entries {
		names[i] = e.Name()
	}
	return names
}

// under lists folder/… by a pattern of as many stars as there are levels.
func (s *System) under(folder string, levels int) []string {
	found := []string{folder}
	for range levels {
		var deeper []string
		for _, f := range found {
			for _, n := range s.names(f) {
				deeper = append(deeper, f+"/"+n)
			}
		}
		found = deeper
	}
	return found
}

// link is what a link says, empty if there is none.
func (s *System) link(name string) string {
	folder, last := filepath.Split(name)
	to, err := os.Readlink(filepath.Join(s.path(folder), last))
	if err != nil {
		return ""
	}
	return to
}

var commandFolders = []string{
	"/usr/local/bin",
	"/usr/bin",
	"/bin",
	"/usr/local/sbin",
	"/usr/sbin",
	"/sbin",
	"/run/current-system/sw/bin",
}

// command finds a program of the system; empty where it has none.
func (s *System) command(name string) string {
	for _, folder := range commandFolders {
		file := folder + "/" + name
		if info, err := os.Stat(s.path(file)); err == nil && !info.IsDir() && info.Mode()&0o111 != 0 {
			return file
		}
	}
	return ""
}

var errNoCommand = errors.New("the command is not there")

// run runs one of the system's commands and gives what it printed. A command gets
// no place to keep anything: caches lead nowhere.
func (s *System) run(name string, args ...string) (string, error) {
	file := s.command(name)
	if file == "" {
		return "", fmt.Errorf("%s: %w", name, errNoCommand)
	}
	cmd := exec.CommandContext(s.ctx, s.path(file), args...)
	cmd.Env = append(
		os.Environ(), "LC_ALL=C", "LANGUAGE=C", "XDG_CACHE_HOME=/dev/null", "SYSTEMD_COLORS=0", "NO_COLOR=1",
	)
	cmd.WaitDelay = 100 * time.Millisecond
	cmd.Dir = "/"
	var out, complaint bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &complaint
	err := cmd.Run()
	switch {
	case s.ctx.Err() != nil:
		return "", fmt.Errorf("%s took longer than %s; increase --patience", name, s.Patience)
	case err != nil:
		first, _, _ := strings.Cut(strings.TrimSpace(complaint.String()), "\n")
		if first == "" {
			first = err.Error()
		}
		return out.String(), fmt.Errorf("%s says: %s", name, first)
	}
	return out.String(), nil
}

// readEnviron is the environment that the survey runs in.
func (s *System) readEnviron() map[string]string {
	return environ(s.read("/proc/self/environ"))
}

// environ reads variables apart, separated by NUL or, in a file made by hand, lines.
func environ(data string) map[string]string {
	vars := map[string]string{}
	for v := range strings.FieldsFuncSeq(data, func(r rune) bool { return r == 0 || r == '\n' }) {
		if name, value, ok := strings.Cut(v, "="); ok {
			vars[name] = value
		}
	}
	return vars
}

// home is the surveying person's home folder.
func (s *System) home() string {
	if h := s.shared.environ()["HOME"]; h != "" {
		return h
	}
	return s.account().home
}

// account is the surveying person's entry in the list of accounts.
type account struct{ name, home, shell string }

func (s *System) account() account {
	uid := field(s.read("/proc/self/status"), "Uid")
	for line := range strings.Lines(s.read("/etc/passwd")) {
		cells := strings.Split(strings.TrimSpace(line), ":")
		if len(cells) == 7 && cells[2] == uid {
			return account{cells[0], cells[5], cells[6]}
		}
	}
	return account{}
}

// field is the first word after "name:" in lines such as those of /proc.
func field(data, name string) string {
	if all := strings.Fields(after(data, name)); len(all) > 0 {
		return all[0]
	}
	return ""
}

// after is what follows "name:" on its line.
func after(data, name string) string {
	for line := range strings.Lines(data) {
		if key, value, ok := strings.Cut(line, ":"); ok && strings.TrimSpace(key) == name {
			return strings.TrimSpace(value)
		}
	}
	return ""
}
