package comparing

import (
	"cmp"
	"strconv"
	"strings"
)

// CompareVersions orders two version numbers as people number releases: runs of digits by value, letters
// alphabetically, and alpha, beta, rc or pre before the release that they lead to. It is not the order of any package
// manager.
func CompareVersions(a, b string) int {
	x, y := versionParts(a), versionParts(b)
	for i := range max(len(x), len(y)) {
		var p, q string
		if i < len(x) {
			p = x[i]
		}
		if i < len(y) {
			q = y[i]
		}
		if c := comparePart(p, q); c != 0 {
			return c
		}
	}
	return 0
}

// versionParts cuts a version into runs of digits and runs of letters.
func versionParts(v string) []string {
	var parts []string
	kind := func(r byte) int {
		switch {
		case r >= '0' && r <= '9':
			return 1
		case r >= 'a' && r <= 'z':
			return 2
		}
		return 0
	}
	v = strings.TrimPrefix(strings.ToLower(strings.TrimSpace(v)), "v")
	for i := 0; i < len(v); {
		j := i
		for j < len(v) && kind(v[j]) == kind(v[i]) {
			j++
		}
		if kind(v[i]) != 0 {
			parts = append(parts, v[i:j])
		}
		i = j
	}
	return parts
}

func comparePart(p, q string) int {
	m, mErr := strconv.ParseUint(p, 10, 64)
	n, nErr := strconv.ParseUint(q, 10, 64)
	if mErr == nil && nErr == nil {
		return cmp.Compare(m, n)
	}
	return cmp.Or(cmp.Compare(rank(p), rank(q)), strings.Compare(p, q))
}

// rank orders pre-release words first, then a missing part, then other letters, then numbers.
func rank(part string) int {
	switch {
	case strings.HasPrefix(part, "alpha"),
		strings.HasPrefix(part, "beta"),
		part == "rc",
		strings.HasPrefix(part, "pre"),
		part == "dev":
		return 0
	case part == "":
		return 1
	case part[0] >= '0' && part[0] <= '9':
		return 3
	}
	return 2
}

// LooksLikeVersion reports whether a text is a version number: it begins with a digit, or v and a digit, and has no
// space.
func LooksLikeVersion(s string) bool {
	s = strings.TrimPrefix(strings.ToLower(s), "v")
	return s != "" && s[0] >= '0' && s[0] <= '9' && !strings.ContainsAny(s, " ,;")
}
