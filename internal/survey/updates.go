package survey

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"time"
)

// updater reads how many updates are available from what a package manager downloaded before: nothing is downloaded
// now.
type updater struct {
	command string
	args    []string
	lists   string // folder of the downloads
	counts  func(line string) bool
	fails   bool // its output is empty if there are none
}

var updaters = []updater{
	{"apt-get", []string{"--simulate", "-o", "Debug::NoLocking=1", "upgrade", "--with-new-pkgs"},
		"/var/lib/apt/lists", func(l string) bool { return strings.HasPrefix(l, "Inst ") }, false},
	{
		"pacman",
		[]string{"-Qu"},
		"/var/lib/pacman/sync",
		func(l string) bool { return l != "" && !strings.Contains(l, "[ignored]") },
		true,
	},
	{
		"apk",
		[]string{"version", "--limit", "<"},
		"/var/cache/apk",
		func(l string) bool { return strings.Contains(l, " < ") },
		false,
	},
	{
		"xbps-install",
		[]string{"--update", "--dry-run"},
		"/var/db/xbps",
		func(l string) bool { return strings.Contains(l, " update ") },
		false,
	},
	{
		"zypper",
		[]string{"--no-refresh", "--quiet", "list-updates"},
		"/var/cache/zypp/solv",
		func(l string) bool { return strings.HasPrefix(l, "v |") },
		false,
	},
	{
		"opkg",
		[]string{"list-upgradable"},
		"/var/opkg-lists",
		func(l string) bool { return strings.Contains(l, " - ") },
		false,
	},
	{
		"eopkg",
		[]string{"list-upgrades", "--short"},
		"/var/lib/eopkg/index",
		func(l string) bool { return l != "" && !strings.HasPrefix(l, "No packages") },
		false,
	},
}

// quiet are package managers that cannot be asked without a network or without writing something.
var quiet = []struct{ command, why string }{
	{"dnf", "dnf keeps caches when it is asked, and leaves nothing behind only without being asked"},
	{"emerge", "emerge takes minutes to work it out"},
	{"nixos-rebuild", "nix systems are built anew from their channels, which needs the network"},
	{"guix", "guix works it out from its channels, which needs the network"},
	{"swupd", "swupd asks the network"},
}

func updates(s *System) []Fact {
	const key = "updates.waiting"
	for _, u := range updaters {
		if s.command(u.command) == "" {
			continue
		}
		fetched := s.newest(u.lists)
		if fetched.IsZero() {
			return []Fact{
				unknown(key, fmt.Sprintf("%s has fetched no package lists yet: %s is empty", u.command, u.lists)),
			}
		}
		args := u.args
		if u.command == "apt-get" {
			args = append(slices.Clone(args), s.keepNothing()...)
		}
		out, err := s.run(u.command, args...)
		if err != nil && !(u.fails && out == "" && s.ctx.Err() == nil) {
			return []Fact{unknown(key, err.Error())}
		}
		n := 0
		for line := range strings.Lines(out) {
			if u.counts(strings.TrimSpace(line)) {
				n++
			}
		}
		return []Fact{
			numberFact(
				key,
				float64(n),
				fmt.Sprintf(
					"%s %s, by lists of %s", u.command, u.args[0], fetched.UTC().Format("2006-01-02 15:04 UTC"),
				),
			),
		}
	}
	for _, q := range quiet {
		if s.command(q.command) != "" {
			return []Fact{unknown(key, q.why)}
		}
	}
	return []Fact{unknown(key, "no package manager that is known here was found")}
}

// keepNothing makes apt-get write no cache. An up-to-date one is not written and can be used.
func (s *System) keepNothing() []string {
	cache, err := os.Stat(s.path("/var/cache/apt/pkgcache.bin"))
	status, err2 := os.Stat(s.path("/var/lib/dpkg/status"))
	if err == nil && err2 == nil && cache.ModTime().After(status.ModTime()) &&
		cache.ModTime().After(s.newest("/var/lib/apt/lists")) {
		return nil
	}
	return []string{"-o", "Dir::Cache::pkgcache=", "-o", "Dir::Cache::srcpkgcache="}
}

// newest returns when a folder of package lists last changed.
func (s *System) newest(folder string) time.Time {
	var last time.Time
	for _, name := range s.names(folder) {
		if name == "lock" || name == "partial" || name == "auxfiles" {
			continue
		}
		if info, err := os.Stat(s.path(folder + "/" + name)); err == nil && info.ModTime().After(last) {
			last = info.ModTime()
		}
	}
	return last
}
