package survey

import (
	"os"
	"slices"
	"strconv"
	"strings"
)

// process is one running process, from /proc.
type process struct {
	pid, parent, threads int
	name, command        string
	residentKiB          float64
	kernel, own          bool
}

func (s *System) readProcesses() []process {
	var all []process
	for _, name := range s.names("/proc") {
		pid, err := strconv.Atoi(name)
		if err != nil {
			continue
		}
		status := s.read("/proc/" + name + "/status")
		if status == "" {
			continue // it has ended
		}
		p := process{pid: pid, name: field(status, "Name"), own: s.here() && pid == os.Getpid()}
		p.parent, _ = strconv.Atoi(field(status, "PPid"))
		p.threads, _ = strconv.Atoi(field(status, "Threads"))
		p.residentKiB, _ = strconv.ParseFloat(field(status, "VmRSS"), 64)
		p.kernel = pid == 2 || p.parent == 2
		if !p.kernel {
			p.command = strings.Join(
				strings.FieldsFunc(s.read("/proc/"+name+"/cmdline"), func(r rune) bool { return r == 0 }), " ",
			)
		}
		all = append(all, p)
	}
	return all
}

func tasks(s *System) []Fact {
	processes, threads, kernel := 0, 0, 0
	for _, p := range s.shared.processes() {
		switch {
		case p.own:
		case p.kernel:
			kernel++
		default:
			processes++
			threads += p.threads
		}
	}
	if processes == 0 {
		const why = "/proc shows no processes"
		return []Fact{unknown("tasks.processes", why), unknown("tasks.threads", why), unknown("tasks.kernel", why)}
	}
	return []Fact{
		numberFact("tasks.processes", float64(processes), "/proc, without kernel threads and the survey"),
		numberFact("tasks.threads", float64(threads), "Threads of these in /proc/*/status"),
		numberFact("tasks.kernel", float64(kernel), "children of process 2, and it"),
	}
}

// recorders are programs that record a screen whenever they run.
var recorders = []string{
	"obs", "simplescreenrec", "kazam", "wf-recorder", "gpu-screen-reco", "vokoscreen", "vokoscreenNG", "peek", "recordmydesktop", "kooha", "blue-recorder",
	"green-recorder", "screenstudio", "wl-screenrec", "byzanz-record", "spectacle-recor",
}

// Records reports whether a process with that name and command line records a screen.
func Records(name, command string) bool {
	grabs := name == "ffmpeg" &&
		(strings.Contains(command, "x11grab") || strings.Contains(command, "kmsgrab") || strings.Contains(command, "pipewire"))
	return grabs || slices.Contains(recorders, name) || strings.HasPrefix(name, "gst-launch") &&
		(strings.Contains(command, "ximagesrc") || strings.Contains(command, "pipewiresrc"))
}

// recording returns the fact whether a screen is being recorded, since memory is not at rest then.
func recording(s *System) []Fact {
	var found []string
	for _, p := range s.shared.processes() {
		if Records(p.name, p.command) && !slices.Contains(found, p.name) {
			found = append(found, p.name)
		}
	}
	if len(s.shared.processes()) == 0 {
		return []Fact{unknown("system.recording", "/proc shows no processes")}
	}
	return []Fact{
		lines(
			"system.recording",
			found,
			"names and command lines of processes; a recorder inside the desktop itself does not show",
		),
	}
}
