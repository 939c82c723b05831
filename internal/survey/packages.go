package survey

import (
	"fmt"
	"path"
	"slices"
	"strings"
)

// format is a package format that a system can have.
type format struct {
	name  string
	title string
	own   bool // the system's own format, not one across distributions
	// count returns the number of its packages; there is false if the system does not use it.
	count func(*System) (n int, there bool, how string, err error)
}

var formats = []format{
	{"deb", "deb packages", true, func(s *System) (int, bool, string, error) {
		if s.first("/var/lib/dpkg/status") == "" {
			return 0, false, "", nil
		}
		return len(s.shared.installed().by["deb"]), true, "packages of /var/lib/dpkg/status that are installed", nil
	}},
	{"rpm", "rpm packages", true, func(s *System) (int, bool, string, error) {
		if s.first(rpmDatabases...) == "" {
			return 0, false, "", nil
		}
		return len(s.shared.installed().by["rpm"]), true, "rpm -qa, without keys", s.shared.installed().rpmFailed
	}},
	{"pacman", "pacman packages", true, ofDatabase("pacman", "/var/lib/pacman/local")},
	{"apk", "apk packages", true, ofDatabase("apk", "/lib/apk/db/installed", "/usr/lib/apk/db/installed")},
	{"xbps", "xbps packages", true, ofDatabase("xbps", "/var/db/xbps")},
	{"ebuild", "ebuilds", true, ofDatabase("ebuild", "/var/db/pkg")},
	{"pkgtools", "pkgtools packages", true, counted("/var/lib/pkgtools/packages", "/var/log/packages")},
	{"eopkg", "eopkg packages", true, counted("/var/lib/eopkg/package")},
	{"opkg", "opkg packages", true, ofDatabase("opkg", "/usr/lib/opkg/status", "/var/lib/opkg/status")},
	{"tcz", "tcz extensions", true, counted("/usr/local/tce.installed")},
	{"bundles", "bundles", true, counted("/usr/share/clear/bundles")},
	{"nix", "nix packages", true, func(s *System) (int, bool, string, error) {
		if !s.has("/nix/store") {
			return 0, false, "", nil
		}
		from := s.first("/run/current-system", "/nix/var/nix/profiles/default")
		out, err := s.run("nix-store", "--query", "--requisites", firstOf(from, "/run/current-system"))
		return strings.Count(out, "\n"), true, "nix-store --query --requisites " + from, err
	}},
	{"guix", "guix packages", true, func(s *System) (int, bool, string, error) {
		if !s.has("/gnu/store") {
			return 0, false, "", nil
		}
		return 0, true, "", fmt.Errorf("its own command starts too slowly to be asked")
	}},
	{"flatpak", "flatpaks", false, func(s *System) (int, bool, string, error) {
		n, there := 0, s.command("flatpak") != ""
		for _, folder := range []string{"/var/lib/flatpak", s.home() + "/.local/share/flatpak"} {
			for _, sort := range []string{"/app", "/runtime"} {
				for _, branch := range s.under(folder+sort, 3) {
					if s.link(branch+"/active") != "" || s.has(branch+"/active") {
						n, there = n+1, true
					}
				}
			}
		}
		return n, there, "applications and runtimes under /var/lib/flatpak and ~/.local/share/flatpak", nil
	}},
	{"snap", "snaps", false, func(s *System) (int, bool, string, error) {
		n, there := 0, s.command("snap") != "" || s.has("/var/lib/snapd")
		folder := s.first("/snap", "/var/lib/snapd/snap")
		for _, name := range s.names(folder) {
			if folder != "" && s.link(folder+"/"+name+"/current") != "" {
				n++
			}
		}
		return n, there, "current snaps in " + firstOf(folder, "/snap"), nil
	}},
	{"appimage", "AppImages", false, func(s *System) (int, bool, string, error) {
		n := 0
		for _, folder := range []string{"/opt", s.home() + "/Applications", s.home() + "/AppImages", s.home() + "/.local/bin"} {
			for _, name := range s.names(folder) {
				if strings.HasSuffix(strings.ToLower(name), ".appimage") {
					n++
				}
			}
		}
		return n, n > 0, "files in /opt, ~/Applications, ~/AppImages and ~/.local/bin", nil
	}},
	{"brew", "brew formulae", false, counted("/home/linuxbrew/.linuxbrew/Cellar")},
}

func packageKinds() []kind {
	var ks []kind
	for _, f := range formats {
		title := strings.ToUpper(f.title[:1]) + f.title[1:]
		if f.name == "deb" || f.name == "rpm" {
			title = f.title
		}
		ks = append(ks, kind{"packages." + f.name, title, "", "package-database"})
	}
	return ks
}

// ofDatabase counts what the inventory found in a format's database.
func ofDatabase(name string, databases ...string) func(*System) (int, bool, string, error) {
	return func(s *System) (int, bool, string, error) {
		at := s.first(databases...)
		return len(s.shared.installed().by[name]), at != "", at, nil
	}
}

// counted counts the entries of the first existing folder.
func counted(folders ...string) func(*System) (int, bool, string, error) {
	return func(s *System) (int, bool, string, error) {
		at := s.first(folders...)
		return len(s.names(at)), at != "", "entries of " + at, nil
	}
}

func packages(s *System) []Fact {
	var facts []Fact
	var there, own []string
	sum, failed := 0, error(nil)
	for _, f := range formats {
		n, has, how, err := f.count(s)
		if !has {
			continue
		}
		there = append(there, f.name)
		key := "packages." + f.name
		if err != nil {
			facts = append(facts, unknown(key, err.Error()))
		} else {
			facts = append(facts, numberFact(key, float64(n), how))
		}
		if f.own {
			own = append(own, f.title)
			sum += n
			failed = firstError(failed, err)
		}
	}
	switch {
	case len(own) == 0:
		facts = append(facts, unknown("packages.count", "no package database that is known here was found"))
	case failed != nil:
		facts = append(facts, unknown("packages.count", failed.Error()))
	default:
		facts = append(facts, numberFact("packages.count", float64(sum), "the system's own: "+strings.Join(own, ", ")))
	}
	return append(facts, lines("packages.formats", there, "databases and tools that are there"))
}

func firstError(errs ...error) error {
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

var rpmDatabases = []string{
	"/usr/lib/sysimage/rpm/rpmdb.sqlite", "/var/lib/rpm/rpmdb.sqlite", "/usr/lib/sysimage/rpm/Packages.db", "/var/lib/rpm/Packages.db", "/var/lib/rpm/Packages",
}

// inventory is the content of the package databases: versions by name, by format.
type inventory struct {
	by        map[string]map[string]string
	rpmFailed error
}

// version returns that of a package in the first format that has it, without epoch and packaging revision.
func (v inventory) version(name string) string {
	for _, f := range formats {
		if found := v.by[f.name][name]; found != "" {
			return upstream(found)
		}
	}
	return ""
}

func upstream(version string) string {
	if i := strings.IndexByte(version, ':'); i >= 0 {
		version = version[i+1:]
	}
	if i := strings.LastIndexByte(version, '-'); i > 0 {
		version = version[:i]
	}
	if i := strings.LastIndexByte(version, '_'); i > 0 {
		version = version[:i]
	}
	version, _, _ = strings.Cut(version, "+dfsg")
	version, _, _ = strings.Cut(version, "+ds")
	return version
}

func (s *System) readInstalled() inventory {
	v := inventory{by: map[string]map[string]string{}}
	v.by["deb"] = paragraphs(s.read("/var/lib/dpkg/status"), "Package", "Version", true)
	for _, file := range []string{"/usr/lib/opkg/status", "/var/lib/opkg/status"} {
		if s.has(file) {
			v.by["opkg"] = paragraphs(s.read(file), "Package", "Version", true)
		}
	}
	for _, file := range []string{"/lib/apk/db/installed", "/usr/lib/apk/db/installed"} {
		if data := s.read(file); data != "" {
			v.by["apk"] = paragraphs(data, "P", "V", false)
		}
	}
	v.by["pacman"] = s.pacman()
	v.by["xbps"] = s.xbps()
	v.by["ebuild"] = map[string]string{}
	for _, folder := range s.under("/var/db/pkg", 2) {
		name, version := splitVersion(path.Base(folder))
		put(v.by["ebuild"], name, version)
	}
	if s.first(rpmDatabases...) != "" {
		v.by["rpm"], v.rpmFailed = s.rpm()
	}
	return v
}

// put stores a package; another version or architecture of a known one is stored separately.
func put(found map[string]string, name, version string) {
	key := name
	for n := 2; ; n++ {
		if _, taken := found[key]; !taken {
			break
		}
		key = fmt.Sprintf("%s#%d", name, n)
	}
	found[key] = version
}

// paragraphs reads a database of "Name: value" lines, with an empty line between packages. With states, only packages
// marked as installed count.
func paragraphs(data, nameField, versionField string, states bool) map[string]string {
	found := map[string]string{}
	var name, version string
	installed := !states
	flush := func() {
		if name != "" && installed {
			put(found, name, version)
		}
		name, version, installed = "", "", !states
	}
	for line := range strings.Lines(data) {
		line = strings.TrimRight(line, "\r\n")
		if line == "" {
			flush()
			continue
		}
		key, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		switch value = strings.TrimSpace(value); key {
		case nameField:
			name = value
		case versionField:
			version = value
		case "Status":
			words := strings.Fields(value)
			installed = len(words) > 0 && words[len(words)-1] == "installed"
		}
	}
	flush()
	return found
}

func (s *System) pacman() map[string]string {
	found := map[string]string{}
	for _, folder := range s.names("/var/lib/pacman/local") {
		if folder == "ALPM_DB_VERSION" {
			continue
		}
		// A folder is named name-version-revision.
		cut := strings.Split(folder, "-")
		if len(cut) < 3 {
			continue
		}
		found[strings.Join(cut[:len(cut)-2], "-")] = strings.Join(cut[len(cut)-2:], "-")
	}
	return found
}

func (s *System) xbps() map[string]string {
	found := map[string]string{}
	for _, file := range s.names("/var/db/xbps") {
		if !strings.HasPrefix(file, "pkgdb-") || !strings.HasSuffix(file, ".plist") {
			continue
		}
		_, rest, more := strings.Cut(s.read("/var/db/xbps/"+file), "<key>pkgver</key>")
		for more {
			var body string
			body, rest, more = strings.Cut(rest, "<key>pkgver</key>")
			_, body, _ = strings.Cut(body, "<string>")
			full, _, _ := strings.Cut(body, "</string>")
			if i := strings.LastIndexByte(full, '-'); i > 0 {
				found[full[:i]] = full[i+1:]
			}
		}
	}
	return found
}

// splitVersion splits name-1.2.3-r1 before the first number after a dash.
func splitVersion(full string) (name, version string) {
	for i := 1; i < len(full); i++ {
		if full[i-1] == '-' && full[i] >= '0' && full[i] <= '9' {
			return full[:i-1], full[i:]
		}
	}
	return full, ""
}

func (s *System) rpm() (map[string]string, error) {
	out, err := s.run("rpm", "-qa", "--qf", `%{NAME} %{VERSION}-%{RELEASE}\n`)
	if err != nil {
		return nil, err
	}
	found := map[string]string{}
	for line := range strings.Lines(out) {
		cells := strings.Fields(line)
		if len(cells) < 2 || cells[0] == "gpg-pubkey" {
			continue
		}
		put(found, cells[0], cells[1])
	}
	return found, nil
}

// owner returns the package of an application's file; the guess if that is not known.
func (s *System) owner(file, guess string) string {
	if slices.Contains(strings.Split(s.read("/var/lib/dpkg/info/"+guess+".list"), "\n"), file) {
		return guess
	}
	if pkg := s.shared.owners()[file]; pkg != "" {
		return pkg
	}
	if out, err := s.run("rpm", "-qf", "--qf", `%{NAME}\n`, file); err == nil {
		return strings.TrimSpace(out)
	}
	return guess
}

// readOwners reads the file lists of packages once and stores to which package each application belongs.
func (s *System) readOwners() map[string]string {
	owners := map[string]string{}
	note := func(pkg, files, prefix string) {
		for line := range strings.Lines(files) {
			name := prefix + strings.TrimRight(line, "\n")
			if strings.HasSuffix(name, ".desktop") && owners[name] == "" {
				owners[name] = pkg
			}
		}
	}
	for _, name := range s.names("/var/lib/dpkg/info") {
		if s.ctx.Err() != nil {
			return owners
		}
		if pkg, ok := strings.CutSuffix(name, ".list"); ok {
			pkg, _, _ = strings.Cut(pkg, ":")
			note(pkg, s.read("/var/lib/dpkg/info/"+name), "")
		}
	}
	for _, folder := range s.names("/var/lib/pacman/local") {
		if s.ctx.Err() != nil {
			return owners
		}
		cut := strings.Split(folder, "-")
		note(strings.Join(cut[:max(len(cut)-2, 0)], "-"), s.read("/var/lib/pacman/local/"+folder+"/files"), "/")
	}
	return owners
}
