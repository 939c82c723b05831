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

// System is the surveyed system: the running one, or a folder with the files of another one.
type System struct {
	// Patience is how long one pass waits for commands.
	Patience time.Duration

	root   string
	ctx    context.Context
	shared *shared
}

// shared is what several askers use in one pass.
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

// Patience is the default time limit of a pass: it then takes less than two seconds.
const Patience = 1700 * time.Millisecond

// At returns a system whose files are below root. Its commands are below root too, never those of the running system.
func At(root string) *System {
	if whole, err := filepath.Abs(root); err == nil {
		root = whole // commands run elsewhere
	}
	return &System{root: root, Patience: Patience}
}

func (s *System) here() bool { return s.root == "/" }

// pass returns the system without anything remembered from earlier passes.
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

// path returns the path of a file of the system. Links are followed within its root.
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

// largestFile is how much of one file is read.
const largestFile = 256 << 20

// read returns the content of a file; empty if it cannot be read.
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

// word returns a file's content without surrounding whitespace.
func (s *System) word(name string) string { return strings.TrimSpace(s.read(name)) }

func (s *System) has(name string) bool {
	_, err := os.Stat(s.path(name))
	return err == nil
}

// first returns the first existing one of the names; empty if none exists.
func (s *System) first(names ...string) string {
	for _, n := range names {
		if s.has(n) {
			return n
		}
	}
	return ""
}

// names lists the content of a folder, sorted; nothing if it cannot be read.
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

// under lists folder/… by a pattern with as many stars as there are levels.
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

// link returns the target of a link, empty if it is not one.
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

// command finds a program of the system; empty if there is none.
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

// run runs one of the system's commands and returns its output. A command has no place to store anything: caches are
// disabled.
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

// readEnviron returns the environment of this process.
func (s *System) readEnviron() map[string]string {
	return environ(s.read("/proc/self/environ"))
}

// environ parses variables separated by NUL or, in a handwritten file, by line ends.
func environ(data string) map[string]string {
	vars := map[string]string{}
	for v := range strings.FieldsFuncSeq(data, func(r rune) bool { return r == 0 || r == '\n' }) {
		if name, value, ok := strings.Cut(v, "="); ok {
			vars[name] = value
		}
	}
	return vars
}

// home returns the surveying person's home folder.
func (s *System) home() string {
	if h := s.shared.environ()["HOME"]; h != "" {
		return h
	}
	return s.account().home
}

// account returns the surveying person's entry in the list of accounts.
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

// field returns the first word after "name:" in lines such as those of /proc.
func field(data, name string) string {
	if all := strings.Fields(after(data, name)); len(all) > 0 {
		return all[0]
	}
	return ""
}

// after returns the text after "name:" on its line.
func after(data, name string) string {
	for line := range strings.Lines(data) {
		if key, value, ok := strings.Cut(line, ":"); ok && strings.TrimSpace(key) == name {
			return strings.TrimSpace(value)
		}
	}
	return ""
}
