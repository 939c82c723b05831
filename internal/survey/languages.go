package survey

import (
	"io/fs"
	"path/filepath"
	"slices"
	"strings"
)

var fontEndings = []string{".ttf", ".otf", ".ttc", ".otc", ".pfb", ".pcf.gz", ".pcf", ".bdf"}

// fonts counts font files. Asking the font service would create a cache.
func fonts(s *System) []Fact {
	n, there := 0, false
	for _, folder := range []string{"/usr/share/fonts", "/usr/local/share/fonts", "/usr/share/texmf/fonts", "/run/current-system/sw/share/X11/fonts", s.home() + "/.local/share/fonts", s.home() + "/.fonts"} {
		_ = filepath.WalkDir(s.path(folder), func(name string, e fs.DirEntry, err error) error {
			if err != nil || s.ctx.Err() != nil {
				return filepath.SkipDir // what cannot be read is not counted
			}
			there = true
			if !e.IsDir() &&
				slices.ContainsFunc(
					fontEndings, func(end string) bool { return strings.HasSuffix(strings.ToLower(name), end) },
				) {
				n++
			}
			return nil
		})
	}
	if !there {
		return []Fact{text("fonts.files", "none", "no folder of fonts is there")}
	}
	return []Fact{numberFact("fonts.files", float64(n), "files in /usr/share/fonts and the person's own folders")}
}

func locales(s *System) []Fact {
	var facts []Fact
	current, how := "", ""
	for _, file := range []string{"/etc/locale.conf", "/etc/default/locale", "/etc/sysconfig/i18n", "/etc/env.d/02locale", "/etc/profile.d/locale.sh"} {
		if lang := strings.Trim(environ(strings.ReplaceAll(s.read(file), "export ", ""))["LANG"], `"'`); lang != "" &&
			current == "" {
			current, how = lang, "LANG of "+file
		}
	}
	if own := s.shared.environ()["LANG"]; current == "" && own != "" {
		current, how = own, "LANG of the survey's own environment"
	}
	facts = append(facts, textOr("locales.current", current, how, "neither a settings file nor LANG shows it"))
	out, err := s.run("locale", "-a")
	if err != nil {
		return append(facts, unknown("locales.count", err.Error()))
	}
	n := 0
	for line := range strings.Lines(out) {
		if name := strings.TrimSpace(line); name != "" && name != "C" && name != "POSIX" &&
			!strings.HasPrefix(name, "C.") {
			n++
		}
	}
	return append(facts, numberFact("locales.count", float64(n), "locale -a, without C and POSIX"))
}
