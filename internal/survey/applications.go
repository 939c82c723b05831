package survey

import (
	"path"
	"strings"
)

// category is a kind of application for which a system has a default.
type category struct{ key, title, mime string }

var categories = []category{
	{
		"browser",
		"browser",
		"x-scheme-handler/https",
	}, {"mail", "mail", "x-scheme-handler/mailto"}, {"files", "files", "inode/directory"},
	{
		"text",
		"text",
		"text/plain",
	}, {"pictures", "pictures", "image/png"}, {"video", "video", "video/mp4"}, {"music", "music", "audio/mpeg"},
	{"pages", "page documents", "application/pdf"}, {"letters", "letters", "application/vnd.oasis.opendocument.text"},
	{
		"sheets",
		"sheets",
		"application/vnd.oasis.opendocument.spreadsheet",
	}, {"archives", "archives", "application/zip"}, {"calendar", "calendar", "text/calendar"},
}

func applicationKinds() []kind {
	var ks []kind
	for _, c := range categories {
		ks = append(ks, kind{"apps." + c.key, "Default for " + c.title, "", "default-applications"})
	}
	return ks
}

// applications reads the default application of each category, as the freedesktop.org specification "Association
// between MIME types and applications" defines it.
func applications(s *System) []Fact {
	data := s.dataFolders()
	if s.first(prefixed(data, "/applications")...) == "" {
		var facts []Fact
		for _, c := range categories {
			facts = append(facts, unknown("apps."+c.key, "no folder of applications is there"))
		}
		return facts
	}
	lists := s.associations(data)
	var facts []Fact
	for _, c := range categories {
		facts = append(facts, s.application(c, lists, data))
	}
	return facts
}

func prefixed(folders []string, behind string) []string {
	out := make([]string, len(folders))
	for i, f := range folders {
		out[i] = f + behind
	}
	return out
}

func (s *System) dataFolders() []string {
	vars := s.shared.environ()
	folders := []string{firstOf(vars["XDG_DATA_HOME"], s.home()+"/.local/share")}
	for f := range strings.SplitSeq(firstOf(vars["XDG_DATA_DIRS"], "/usr/local/share:/usr/share"), ":") {
		folders = append(folders, strings.TrimRight(f, "/"))
	}
	return append(folders, "/var/lib/flatpak/exports/share", "/var/lib/snapd/desktop")
}

// association is a file that names defaults, with its content.
type association struct {
	file     string
	defaults map[string]string
}

func (s *System) associations(data []string) []association {
	vars := s.shared.session().vars
	var names []string
	for d := range strings.SplitSeq(strings.ToLower(vars["XDG_CURRENT_DESKTOP"]), ":") {
		if d != "" {
			names = append(names, d+"-mimeapps.list")
		}
	}
	names = append(names, "mimeapps.list")
	folders := []string{firstOf(vars["XDG_CONFIG_HOME"], s.home()+"/.config")}
	for f := range strings.SplitSeq(firstOf(vars["XDG_CONFIG_DIRS"], "/etc/xdg"), ":") {
		folders = append(folders, strings.TrimRight(f, "/"))
	}
	folders = append(folders, prefixed(data, "/applications")...)
	var lists []association
	for _, folder := range folders {
		for _, name := range append(names, "defaults.list") {
			if content := s.read(folder + "/" + name); content != "" {
				lists = append(lists, association{folder + "/" + name, group(content, "[Default Applications]")})
			}
		}
	}
	for _, folder := range prefixed(data, "/applications") {
		if content := s.read(folder + "/mimeinfo.cache"); content != "" {
			lists = append(lists, association{folder + "/mimeinfo.cache", group(content, "[MIME Cache]")})
		}
	}
	return lists
}

// group reads the "name=value" lines below a heading; the first of a name counts.
func group(content, heading string) map[string]string {
	found := map[string]string{}
	in := false
	for line := range strings.Lines(content) {
		line = strings.TrimSpace(line)
		if strings.HasPrefix(line, "[") {
			in = line == heading
			continue
		}
		if name, value, ok := strings.Cut(line, "="); in && ok {
			if _, there := found[strings.TrimSpace(name)]; !there {
				found[strings.TrimSpace(name)] = strings.TrimSpace(value)
			}
		}
	}
	return found
}

func (s *System) application(c category, lists []association, data []string) Fact {
	key := "apps." + c.key
	for _, l := range lists {
		for desktop := range strings.SplitSeq(l.defaults[c.mime], ";") {
			if desktop == "" {
				continue
			}
			// Only installed applications count; a list may name others.
			file := s.first(prefixed(data, "/applications/"+desktop)...)
			if file == "" {
				continue
			}
			entry := group(s.read(file), "[Desktop Entry]")
			name := firstOf(entry["Name"], strings.TrimSuffix(desktop, ".desktop"))
			if v := s.applicationVersion(file, entry); v != "" {
				name += " " + v
			}
			return text(key, name, l.file+", for "+c.mime)
		}
	}
	return text(key, "none", "no installed application is named for "+c.mime)
}

// applicationVersion returns the version of the package of an application.
func (s *System) applicationVersion(file string, entry map[string]string) string {
	words := strings.Fields(entry["Exec"])
	if len(words) == 0 {
		return ""
	}
	program := path.Base(strings.Trim(words[0], `"`))
	if v := s.shared.installed().version(program); v != "" {
		return v
	}
	guess := strings.TrimSuffix(path.Base(file), ".desktop")
	return s.shared.installed().version(s.owner(file, guess))
}
