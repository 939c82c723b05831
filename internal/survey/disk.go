package survey

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"syscall"
)

// systemFolders are the folders of a system that may be on several file systems. People's own folders are not
// included.
var systemFolders = []string{"/", "/boot", "/boot/efi", "/efi", "/usr", "/var", "/opt", "/nix", "/gnu"}

// disk adds up the used space of the system's file systems, each once.
func disk(s *System) []Fact {
	const key = "disk.used"
	var seen, told []string
	var used uint64
	for _, m := range s.shared.mounts() {
		if !slices.Contains(systemFolders, m.point) || slices.Contains(seen, m.source) {
			continue
		}
		bytes, err := s.usage(m.point)
		if err != nil {
			return []Fact{unknown(key, err.Error())}
		}
		seen, told = append(seen, m.source), append(told, m.point)
		used += bytes
	}
	if len(told) == 0 {
		return []Fact{unknown(key, "/proc/self/mountinfo names no file system of the system")}
	}
	how := "file systems at " + strings.Join(told, ", ")
	if !slices.ContainsFunc(
		s.shared.mounts(), func(m mount) bool { return m.point == "/home" && !slices.Contains(seen, m.source) },
	) {
		how += "; people's folders are in it"
	}
	return []Fact{numberFact(key, round(float64(used)/(1<<30), 2), how)}
}

func (s *System) usage(point string) (uint64, error) {
	if s.here() {
		var st syscall.Statfs_t
		if err := syscall.Statfs(point, &st); err != nil {
			return 0, fmt.Errorf("the file system at %s does not report: %w", point, err)
		}
		return (st.Blocks - st.Bfree) * uint64(st.Bsize), nil
	}
	out, err := s.run("df", "-kP", point)
	if err != nil {
		return 0, fmt.Errorf("the usage of %s: %w", point, err)
	}
	rows := strings.Split(strings.TrimSpace(out), "\n")
	cells := strings.Fields(rows[len(rows)-1])
	if len(cells) < 3 {
		return 0, fmt.Errorf("df says nothing of %s", point)
	}
	kib, err := strconv.ParseUint(cells[2], 10, 64)
	if err != nil {
		return 0, fmt.Errorf("df says %q of %s", cells[2], point)
	}
	return kib << 10, nil
}
