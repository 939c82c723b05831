// Package surveytest creates made-up systems for tests.
package surveytest

import (
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/tools/txtar"
)

// Lay creates a made-up system in a folder and returns the expected results from the archive. An entry is a file; "A
// -> B" is a link, "A = \x06…" a file of bytes; files that begin with #! are commands.
func Lay(archive, root string) (expected string, err error) {
	a, err := txtar.ParseFile(archive)
	if err != nil {
		return "", err
	}
	for _, f := range a.Files {
		if f.Name == "expect" {
			expected = string(f.Data)
			continue
		}
		if err := lay(f, root); err != nil {
			return "", err
		}
	}
	return expected, nil
}

func lay(f txtar.File, root string) error {
	name, to, isLink := strings.Cut(f.Name, " -> ")
	name, raw, isRaw := strings.Cut(name, " = ")
	at := filepath.Join(root, name)
	if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
		return err
	}
	if isLink {
		return os.Symlink(to, at)
	}
	data, mode := f.Data, os.FileMode(0o644)
	if isRaw {
		data = nil
		for _, b := range strings.Split(raw, `\x`)[1:] {
			data = append(data, b[1]-'0')
		}
	}
	if strings.HasPrefix(string(data), "#!") {
		mode = 0o755
	}
	return os.WriteFile(at, data, mode)
}
