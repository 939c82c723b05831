package survey

import (
	"slices"
	"strconv"
	"strings"
)

// variables is the environment of a session, and its owner.
type variables struct {
	vars map[string]string // nil if there is none
	how  string
}

// readSession finds the environment of the session to survey: its own, or that of a desktop of the same person if it
// runs outside one.
func (s *System) readSession() variables {
	vars := s.shared.environ()
	if vars["XDG_CURRENT_DESKTOP"] != "" || vars["WAYLAND_DISPLAY"] != "" || vars["DISPLAY"] != "" {
		return variables{vars, "the survey's own environment"}
	}
	for _, p := range s.shared.processes() {
		if p.kernel {
			continue
		}
		theirs := environ(s.read("/proc/" + strconv.Itoa(p.pid) + "/environ"))
		if theirs["XDG_CURRENT_DESKTOP"] != "" {
			return variables{theirs, "the environment of " + p.name}
		}
	}
	return variables{}
}

// session reads desktop, display server and session.
func session(s *System) []Fact {
	own := s.shared.session()
	vars, how := own.vars, own.how
	if vars == nil {
		why := "no desktop session of this person is running"
		if offered := s.sessions(); len(offered) > 0 {
			why += "; offered are " + strings.Join(offered, ", ")
		} else {
			why += ", and none is installed"
		}
		return []Fact{
			unknown("desktop.name", why),
			unknown("desktop.display-server", why),
			unknown("desktop.session", why),
		}
	}
	return []Fact{
		textOr(
			"desktop.name",
			desktopName(vars),
			"XDG_CURRENT_DESKTOP of "+how,
			"the session does not say XDG_CURRENT_DESKTOP",
		),
		s.displayServer(vars, how),
		textOr(
			"desktop.session",
			firstOf(vars["XDG_SESSION_DESKTOP"], vars["DESKTOP_SESSION"]),
			"XDG_SESSION_DESKTOP or DESKTOP_SESSION of "+how,
			"the session does not say its name",
		),
	}
}

func firstOf(words ...string) string {
	for _, w := range words {
		if w != "" {
			return w
		}
	}
	return ""
}

// desktopName returns the last name of a session: a distribution puts its own names first.
func desktopName(vars map[string]string) string {
	names := strings.Split(vars["XDG_CURRENT_DESKTOP"], ":")
	return strings.TrimPrefix(names[len(names)-1], "X-")
}

func (s *System) displayServer(vars map[string]string, how string) Fact {
	const key = "desktop.display-server"
	name := map[string]string{"wayland": "Wayland", "x11": "X11", "tty": "none", "mir": "Mir"}[vars["XDG_SESSION_TYPE"]]
	switch {
	case name != "":
		how = "XDG_SESSION_TYPE of " + how
	case vars["WAYLAND_DISPLAY"] != "":
		name, how = "Wayland", "WAYLAND_DISPLAY of "+how
	case vars["DISPLAY"] != "":
		name, how = "X11", "DISPLAY of "+how
	default:
		return unknown(key, "the session says neither XDG_SESSION_TYPE nor DISPLAY")
	}
	running := func(names ...string) bool {
		return slices.ContainsFunc(s.shared.processes(), func(p process) bool { return slices.Contains(names, p.name) })
	}
	if name == "Wayland" && running("Xwayland") {
		how += "; Xwayland runs beside it for X11 programs"
	}
	return text(key, name, how)
}

// sessions lists the sessions that a login screen offers.
func (s *System) sessions() []string {
	var offered []string
	for _, folder := range []string{"/usr/share/wayland-sessions", "/usr/share/xsessions"} {
		for _, name := range s.names(folder) {
			if base, ok := strings.CutSuffix(name, ".desktop"); ok && !slices.Contains(offered, base) {
				offered = append(offered, base)
			}
		}
	}
	return offered
}

// desktopPackages are the packages whose version is the desktop's, if their names differ.
var desktopPackages = map[string][]string{
	"gnome": {
		"gnome-shell",
	}, "kde": {"plasma-workspace", "plasma-desktop", "kf6-plasma-workspace"}, "xfce": {"xfce4-session", "xfce4-panel"},
	"mate": {
		"mate-session-manager",
		"mate-session",
	}, "lxqt": {"lxqt-session"}, "lxde": {"lxsession", "lxde-common"}, "budgie": {"budgie-desktop", "budgie-core"},
	"pantheon": {
		"gala",
		"elementary-session",
		"pantheon-session",
	}, "cosmic": {"cosmic-session", "cosmic-comp"}, "i3": {"i3-wm"}, "enlightenment": {"enlightenment", "e"},
	"dde": {
		"dde-session",
		"startdde",
	}, "deepin": {"dde-session", "startdde"}, "ukui": {"ukui-session-manager"}, "unity": {"unity"},
}

func desktopVersion(s *System) []Fact {
	const key = "desktop.version"
	name := desktopName(s.shared.session().vars)
	if name == "" {
		return []Fact{unknown(key, "no desktop is known")}
	}
	slug := strings.ToLower(name)
	for _, pkg := range append(slices.Clone(desktopPackages[slug]), slug+"-session", slug+"-desktop", slug) {
		if v := s.shared.installed().version(pkg); v != "" {
			return []Fact{text(key, v, "the package "+pkg)}
		}
	}
	return []Fact{unknown(key, "no package of "+name+" is in the package database")}
}
