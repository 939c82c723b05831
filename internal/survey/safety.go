package survey

import (
	"slices"
	"strings"
)

// firewall reads what is known without the rules, which only root can read.
func firewall(s *System) []Fact {
	const key = "firewall.state"
	running := func(name string) bool {
		return slices.ContainsFunc(s.shared.processes(), func(p process) bool {
			return p.name == name || strings.Contains(p.command, "/"+name)
		})
	}
	if conf := s.read("/etc/ufw/ufw.conf"); conf != "" {
		if environ(conf)["ENABLED"] == "yes" {
			return []Fact{text(key, "on: ufw", "ENABLED of /etc/ufw/ufw.conf")}
		}
		return []Fact{text(key, "off: ufw is there", "ENABLED of /etc/ufw/ufw.conf")}
	}
	for _, name := range []string{"firewalld", "opensnitchd", "portmaster-core"} {
		if running(name) {
			return []Fact{text(key, "on: "+name, "a running process")}
		}
	}
	if services := s.shared.services(); services.err == nil {
		for _, name := range []string{"nftables", "iptables", "firewalld", "ufw", "shorewall", "awall"} {
			if slices.Contains(services.names, name) {
				return []Fact{text(key, "on: "+name, "a running service")}
			}
		}
	}
	for _, c := range []struct{ file, name string }{{"/usr/lib/systemd/system/firewalld.service", "firewalld"}, {"/lib/systemd/system/firewalld.service", "firewalld"}} {
		if s.has(c.file) {
			return []Fact{text(key, "off: "+c.name+" is there", c.file+", and no process of it")}
		}
	}
	if s.has("/proc/modules") {
		for line := range strings.Lines(s.read("/proc/modules")) {
			cells := strings.Fields(line)
			if len(cells) > 2 && slices.Contains([]string{"nf_tables", "ip_tables", "iptable_filter"}, cells[0]) &&
				cells[2] != "0" {
				return []Fact{unknown(key, "the kernel's "+cells[0]+" is in use, but only root may read its rules")}
			}
		}
		return []Fact{text(key, "absent", "no firewall program is known to be there, and the kernel filters nothing")}
	}
	return []Fact{unknown(key, "no firewall program is known to be there, and /proc/modules cannot be read")}
}

// announcing are settings by which programs announce that they send reports.
var announcing = []struct {
	file, name string
	on         func(content string) bool
}{
	{
		"/etc/popularity-contest.conf",
		"package popularity reports",
		func(c string) bool { return strings.Trim(environ(c)["PARTICIPATE"], `"'`) == "yes" },
	},
	{
		"/etc/default/apport",
		"crash reports",
		func(c string) bool { return strings.Trim(environ(c)["enabled"], `"'`) == "1" },
	},
	{"/etc/whoopsie", "crash reports sent to the makers", nil},
	{"/usr/lib/systemd/system/whoopsie.path", "crash reports sent to the makers", nil},
	{"/usr/bin/ubuntu-report", "report of the machine at first start", nil},
	{"/etc/abrt/abrt.conf", "crash reports", nil},
	{"/usr/lib/systemd/system/eos-metrics-event-recorder.service", "usage metrics", nil},
	{"/usr/lib/systemd/system/pkgstats.timer", "package statistics", nil},
	{"/usr/lib/systemd/system/telemetrics.service", "telemetry service", nil},
	{"/etc/geoclue/geoclue.conf", "place by network names (location service)", func(c string) bool {
		return strings.Contains(c, "\nsubmit-data=true")
	}},
	{"/etc/yum.repos.d", "weekly count by the update servers", nil},
	{"/var/lib/snapd", "snap refresh service, which counts installs", nil},
}

func telemetry(s *System) []Fact {
	const key = "telemetry.announced"
	found := []string{}
	for _, a := range announcing {
		if !s.has(a.file) || (a.on != nil && !a.on("\n"+s.read(a.file))) {
			continue
		}
		if a.file == "/etc/yum.repos.d" && !s.counts() {
			continue
		}
		if line := a.name + " (" + a.file + ")"; !slices.Contains(found, line) {
			found = append(found, line)
		}
	}
	for _, name := range []string{"kuserfeedbackrc", "KDE/UserFeedback.org.kde.plasma.conf"} {
		if c := s.read(s.home() + "/.config/" + name); strings.Contains(c, "FeedbackLevel=") &&
			!strings.Contains(c, "FeedbackLevel=0") {
			found = append(found, "the desktop's user feedback (~/.config/"+name+")")
		}
	}
	return []Fact{lines(key, found, "settings by which programs say so; what hides itself does not show")}
}

// counts reports whether a package source asks to be counted.
func (s *System) counts() bool {
	return slices.ContainsFunc(s.names("/etc/yum.repos.d"), func(name string) bool {
		return strings.Contains(s.read("/etc/yum.repos.d/"+name), "countme=1")
	})
}

// administrators lists who can become root, and how.
func administrators(s *System) []Fact {
	const key = "administrators.names"
	passwd := s.read("/etc/passwd")
	if passwd == "" {
		return []Fact{unknown(key, "/etc/passwd cannot be read")}
	}
	var found []string
	add := func(name, how string) {
		if line := name + ": " + how; !slices.Contains(found, line) && name != "root" {
			found = append(found, line)
		}
	}
	for line := range strings.Lines(passwd) {
		if cells := strings.Split(line, ":"); len(cells) > 3 && cells[2] == "0" {
			add(cells[0], "is user 0")
		}
	}
	var ways, hidden []string
	if s.command("sudo") != "" || s.command("sudo-rs") != "" {
		ways = append(ways, "sudo")
		if !s.sudoers(add) {
			hidden = append(hidden, "/etc/sudoers")
			for _, group := range []string{"sudo", "wheel", "admin"} {
				for _, name := range s.members(group) {
					add(name, "sudo, by the group "+group)
				}
			}
		}
	}
	if s.command("doas") != "" || s.command("opendoas") != "" {
		ways = append(ways, "doas")
		if !s.doas(add) {
			hidden = append(hidden, "/etc/doas.conf")
			for _, name := range s.members("wheel") {
				add(name, "doas, by the group wheel")
			}
		}
	}
	if s.command("pkexec") != "" || s.command("run0") != "" {
		ways = append(ways, "polkit")
	}
	how := "accounts and groups; ways that are there: " + firstOf(strings.Join(ways, ", "), "only root's own password")
	if len(hidden) > 0 {
		how += "; only root may read " + strings.Join(hidden, " and ") + ", so the usual groups are taken"
	}
	return []Fact{lines(key, found, how)}
}

// members returns those of a group, from the list or by their primary group.
func (s *System) members(group string) []string {
	var names []string
	for line := range strings.Lines(s.read("/etc/group")) {
		cells := strings.Split(strings.TrimSpace(line), ":")
		if len(cells) < 4 || cells[0] != group {
			continue
		}
		for name := range strings.SplitSeq(cells[3], ",") {
			if name != "" {
				names = append(names, name)
			}
		}
		for account := range strings.Lines(s.read("/etc/passwd")) {
			if a := strings.Split(account, ":"); len(a) > 3 && a[3] == cells[2] && !slices.Contains(names, a[0]) {
				names = append(names, a[0])
			}
		}
	}
	return names
}

// sudoers reads who can run everything as root; false if it cannot be read.
func (s *System) sudoers(add func(name, how string)) bool {
	files := []string{"/etc/sudoers"}
	for _, name := range s.names("/etc/sudoers.d") {
		if !strings.Contains(name, ".") && !strings.HasSuffix(name, "~") {
			files = append(files, "/etc/sudoers.d/"+name)
		}
	}
	if s.read(files[0]) == "" {
		return false
	}
	for _, file := range files {
		for line := range strings.Lines(s.read(file)) {
			cells := strings.Fields(line)
			if len(cells) < 2 || strings.HasPrefix(cells[0], "#") || strings.HasPrefix(cells[0], "Defaults") ||
				cells[len(cells)-1] != "ALL" ||
				!strings.HasPrefix(cells[1], "ALL=") {
				continue
			}
			how := "sudo"
			if strings.Contains(line, "NOPASSWD") {
				how += " without a password"
			}
			if group, ok := strings.CutPrefix(cells[0], "%"); ok {
				for _, name := range s.members(group) {
					add(name, how+", by the group "+group)
				}
			} else {
				add(cells[0], how)
			}
		}
	}
	return true
}

// doas reads the rules of doas.conf(5) that permit becoming root; false if there are none.
func (s *System) doas(add func(name, how string)) bool {
	rules := s.read("/etc/doas.conf")
	if rules == "" {
		return false
	}
	for line := range strings.Lines(rules) {
		cells := strings.Fields(line)
		if len(cells) < 2 || cells[0] != "permit" || slices.Contains(cells, "cmd") {
			continue
		}
		how := "doas"
		if slices.Contains(cells, "nopass") {
			how += " without a password"
		}
		whom := doasWhom(cells[1:])
		if group, ok := strings.CutPrefix(whom, ":"); ok {
			for _, name := range s.members(group) {
				add(name, how+", by the group "+group)
			}
		} else if whom != "" {
			add(whom, how)
		}
	}
	return true
}

// doasWhom returns to whom a rule applies: the first word after its options.
func doasWhom(words []string) string {
	braces := false
	for _, w := range words {
		switch {
		case w == "{" || strings.HasPrefix(w, "{"):
			braces = !strings.HasSuffix(w, "}")
		case strings.HasSuffix(w, "}"):
			braces = false
		case braces || slices.Contains([]string{"nopass", "nolog", "persist", "keepenv", "setenv"}, w):
		default:
			return w
		}
	}
	return ""
}
