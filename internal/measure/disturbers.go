package measure

import (
	"path/filepath"
	"slices"
	"strings"

	"dappertally/internal/survey"
)

// installers are programs that install or update software; their work affects every figure.
var installers = []string{
	"apt", "apt-get", "aptitude", "dpkg", "unattended-upgr", "dnf", "dnf5", "yum", "rpm", "zypper", "pacman",
	"apk", "emerge", "xbps-install", "eopkg", "nix-build", "nix", "guix", "packagekitd", "flatpak", "snap",
}

// disturbers returns the running programs that disturb: screen recorders, and programs that install software.
func (m Machine) disturbers() (recorders, installing []string) {
	for _, file := range m.glob("proc/[0-9]*/comm") {
		name := m.text(file)
		command := strings.ReplaceAll(m.text(filepath.Dir(file)+"/cmdline"), "\x00", " ")
		switch {
		case survey.Records(name, command):
			recorders = append(recorders, name)
		case slices.Contains(installers, name):
			installing = append(installing, name)
		}
	}
	return once(recorders), once(installing)
}

func once(names []string) []string { return slices.Compact(slices.Sorted(slices.Values(names))) }
