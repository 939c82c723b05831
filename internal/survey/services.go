package survey

import (
	"path"
	"slices"
	"strings"
)

// services lists the services that are running according to the init system.
func services(s *System) []Fact {
	found := s.shared.services()
	names, how, err := found.names, found.how, found.err
	if how == "" && err == nil {
		init := s.initFact()
		name := "the init system"
		if init.Value != nil {
			name = init.Value.Text
		}
		why := name + " keeps no list of what is running"
		return []Fact{unknown("services.count", why), unknown("services.names", why)}
	}
	if err != nil {
		return []Fact{unknown("services.count", err.Error()), unknown("services.names", err.Error())}
	}
	names = slices.Compact(slices.Sorted(slices.Values(names)))
	return []Fact{numberFact("services.count", float64(len(names)), how), lines("services.names", names, how)}
}

// running is how to ask an init system for its services.
type running struct {
	names []string
	how   string // empty: it says nothing
	err   error
}

func (s *System) readServices() running {
	names, how, err := s.runningServices()
	return running{names, how, err}
}

func (s *System) runningServices() (names []string, how string, err error) {
	switch {
	case s.command("systemctl") != "":
		out, err := s.run(
			"systemctl", "list-units", "--type=service", "--state=running", "--no-legend", "--plain", "--no-pager",
		)
		for line := range strings.Lines(out) {
			if cells := strings.Fields(line); len(cells) > 0 {
				names = append(names, strings.TrimSuffix(cells[0], ".service"))
			}
		}
		return names, "systemctl list-units", err
	case s.has("/run/openrc/started"):
		return s.names("/run/openrc/started"), "/run/openrc/started", nil
	case s.command("dinitctl") != "":
		out, err := s.run("dinitctl", "list")
		for line := range strings.Lines(out) {
			// Such as "[[+]     ] dbus (pid: 77)": a plus on the left means that it runs.
			end := strings.LastIndex(line, "] ")
			if end < 0 || !strings.Contains(line[:end], "+") {
				continue
			}
			if words := strings.Fields(line[end+2:]); len(words) > 0 {
				names = append(names, words[0])
			}
		}
		return names, "dinitctl list", err
	}
	for _, folder := range []string{"/run/runit/runsvdir/current", "/var/service", "/run/service", "/etc/service"} {
		for _, name := range s.names(folder) {
			if strings.HasPrefix(name, ".") || s.word(folder+"/"+path.Base(name)+"/supervise/stat") == "down" {
				continue
			}
			names = append(names, name)
		}
		if len(names) > 0 {
			return names, folder, nil
		}
	}
	return nil, "", nil
}
