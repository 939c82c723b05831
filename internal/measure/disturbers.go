package measure

import (
	"path/filepath"
	"slices"
	"strings"

	"dappertally/internal/survey"
)

// installers are programs that install or update software; their work shows in every figure.
var installers = []string{
	"apt", "apt-get", "aptitude", "dpkg", "unattended-upgr", "dnf", "dnf5", "yum", "rpm", "zypper", "pacman",
	"apk", "emerge", "xbps-install", "eopkg", "nix-build", "nix", "guix", "packagekitd", "flatpak", "snap",
}

// disturbers are the programs that run and disturb: recorders of a screen, and installers.
func (m Machine) disturbers() []string {
	var found []string
	for _, file := range m.glob("proc/[0-9]*/comm") {
		name := m.text(file)
		command := strings.ReplaceAll(m.text(filepath.Dir(file)+"/cmdline"), "\x00", " ")
		if (slices.Contains(installers, name) || survey.Records(name, command)) && !slices.Contains(found, name) {
			found = append(found, name)
		}
	}
	slices.Sort(found)
	return found
}
