package checklist

import (
	"regexp"
	"strings"

	"dappertally/core/fault"
)

// LongestKey is how many bytes a key may have.
const LongestKey = 64

var keyPattern = regexp.MustCompile(`^[a-z0-9][a-z0-9._-]*$`)

// reserved are names that some operating systems reserve. Keys become file names, parts of addresses and names in
// programs. Windows reserves its device names with any extension.
var reserved = regexp.MustCompile(`(?i)^((con|prn|aux|nul|com[0-9]|lpt[0-9])(\..*)?|constructor|prototype)$`)

// ValidKey reports whether s can be a key: lower-case letters, digits, point, hyphen and
// underscore, at most 64, beginning with a letter or digit, not ending with a point, and not a
// reserved word.
func ValidKey(s string) bool { return keyFault(s) == "" }

// NoteKey reports in a book why a key is invalid.
func NoteKey(book *fault.Book, field, key string) {
	if why := keyFault(key); why != "" {
		book.Field(field, "%.70q %s", key, why)
	}
}

func keyFault(s string) string {
	switch {
	case len(s) > LongestKey || !keyPattern.MatchString(s):
		return "is not a key: use lower-case letters, digits, point, hyphen and underscore, at most 64, " +
			"starting with a letter or digit"
	case strings.HasSuffix(s, "."):
		return "is not a key: it cannot end with a point"
	case Reserved(s):
		return "is a reserved word of some systems; choose another key"
	}
	return ""
}

// Reserved reports whether an operating system reserves a name, so that a file or a field cannot have it.
func Reserved(s string) bool { return reserved.MatchString(s) }
