package catalogue

import "strings"

// ParseOSRelease reads the variables of an os-release file, as os-release(5) says:
// lines of NAME=value, where the value may be quoted as in a shell. What is no such
// line is left out.
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

// unquote takes shell quotes off: in single ones all stands for itself, otherwise a
// backslash guards what follows.
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
