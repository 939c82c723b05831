package catalogue

import (
	"strings"

	"dappertally/core/checklist"
)

// ParseOSRelease reads the variables of an os-release file as os-release(5) defines them: lines of NAME=value, where
// the value may be quoted as in a shell. Other lines are ignored.
func ParseOSRelease(content string) map[string]string {
	vars := map[string]string{}
	for line := range strings.Lines(content) {
		line = strings.TrimSpace(line)
		name, value, ok := strings.Cut(line, "=")
		if ok && !strings.HasPrefix(line, "#") {
			vars[strings.TrimSpace(name)] = unquote(strings.TrimSpace(value))
		}
	}
	return vars
}

// unquote removes shell quotes. Within single quotes every character is literal; otherwise a backslash escapes the
// next one.
func unquote(value string) string {
	if len(value) > 1 && value[0] == '\'' && value[len(value)-1] == '\'' {
		return value[1 : len(value)-1]
	}
	if len(value) > 1 && value[0] == '"' && value[len(value)-1] == '"' {
		value = value[1 : len(value)-1]
	}
	var out strings.Builder
	for i := 0; i < len(value); i++ {
		if value[i] == '\\' && i+1 < len(value) {
			i++
		}
		out.WriteByte(value[i])
	}
	return out.String()
}

// Named is how a system identifies itself.
type Named struct {
	Name, ID, Version, Codename, Variant string
	Like                                 []string // bases, nearest first
	Desktop, Architecture, EndOfSupport  string
}

// NamedBy returns how an os-release file identifies its system.
func NamedBy(vars map[string]string) Named {
	n := Named{
		Name: vars["NAME"], ID: vars["ID"], Version: vars["VERSION_ID"], Codename: vars["VERSION_CODENAME"], Variant: vars["VARIANT_ID"],
		Like: strings.Fields(vars["ID_LIKE"]), EndOfSupport: vars["SUPPORT_END"],
	}
	for _, other := range []string{"IMAGE_VERSION", "BUILD_ID"} {
		if n.Version == "" {
			n.Version = vars[other]
		}
	}
	return n
}

// debian returns the name of an architecture that most catalogues use.
var debian = map[string]string{"x86_64": "amd64", "aarch64": "arm64", "i686": "i386", "armv7l": "armhf"}

// Entries returns the catalogue entries for a system. What the system does not say, above all the date of its
// release, is left for a person to fill in.
func (n *Named) Entries() (Distribution, Release, Edition) {
	key := slug(n.ID)
	if key == "" {
		key = slug(n.Name)
	}
	d := Distribution{Key: key, Name: n.Name, Family: n.Like, Model: "fixed"}
	if d.Family == nil {
		d.Family = []string{}
	}
	if n.Version == "" || strings.EqualFold(n.Version, "rolling") {
		d.Model = "rolling"
	}
	r := Release{Version: n.Version, Codename: n.Codename, EndOfSupport: n.EndOfSupport, Stage: "final"}
	variant := slug(n.Variant)
	for _, other := range []string{n.Desktop, "standard"} {
		if variant == "" {
			variant = slug(other)
		}
	}
	architecture := n.Architecture
	if debian[architecture] != "" {
		architecture = debian[architecture]
	}
	return d, r, Edition{Key: variant, Line: variant, Desktop: n.Desktop, Architecture: architecture}
}

// slug makes a key from a name, cut to the longest key allowed.
func slug(name string) string {
	key := strings.Map(func(r rune) rune {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9', r == '.', r == '_', r == '-':
			return r
		}
		return '-'
	}, strings.ToLower(name))
	key = strings.TrimLeft(key, "-._")
	return strings.TrimRight(key[:min(len(key), checklist.LongestKey)], "-._")
}
