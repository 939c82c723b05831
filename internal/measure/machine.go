package measure

import (
	"cmp"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// Machine reads the state of the machine from the kernel's files below a root.
type Machine struct {
	Root    string // "/", or a folder with the same structure
	Scratch string // the folder of the runs; empty: the one for temporary files
}

// freeDisk returns how many MiB a folder's file system has free; 0 if that is not known.
func freeDisk(folder string) float64 {
	var s unix.Statfs_t
	if unix.Statfs(cmp.Or(folder, os.TempDir()), &s) != nil {
		return 0
	}
	return float64(s.Bavail) * float64(s.Bsize) / (1 << 20)
}

// Boot returns the kernel's boot id; empty if there is none.
func (m Machine) Boot() string { return m.text("proc/sys/kernel/random/boot_id") }

func (m Machine) text(name string) string {
	data, err := os.ReadFile(filepath.Join(m.Root, name))
	if err != nil {
		return "" // not every machine has every file
	}
	return strings.TrimSpace(string(data))
}

func (m Machine) readNumber(name string) (float64, bool) {
	x, err := strconv.ParseFloat(m.text(name), 64)
	return x, err == nil
}

func (m Machine) glob(pattern string) []string {
	names, _ := filepath.Glob(filepath.Join(m.Root, pattern)) // the patterns are valid
	for i, n := range names {
		names[i], _ = filepath.Rel(m.Root, n) // below the root, as matched
	}
	return names
}

// look is the state of the machine at one moment.
type look struct {
	at                    time.Time // with the monotonic clock
	battery               bool
	governor              string
	capped                float64 // the highest frequency allowed as a share of the highest possible; 0: not known
	celsius               float64 // the hottest; 0: not known
	throttled             float64 // how often the kernel counted a throttled core
	busy                  float64 // processor time used by all programs, in seconds
	stalled               [3]float64
	swapped               float64 // pages brought back from swap
	free                  float64 // MiB of memory available
	disk                  float64 // MiB free in the folder of the runs
	joules                float64
	screen                string
	recorders, installers []string // running programs
}

// pressures are the kernel's counters of time in which a task waited.
var pressures = [3]string{"cpu", "memory", "io"}

func (m Machine) look() look {
	l := look{
		at:       time.Now(),
		battery:  m.onBattery(),
		governor: m.text("sys/devices/system/cpu/cpu0/cpufreq/scaling_governor"),
	}
	most, ok := m.readNumber("sys/devices/system/cpu/cpu0/cpufreq/cpuinfo_max_freq")
	if allowed, told := m.readNumber("sys/devices/system/cpu/cpu0/cpufreq/scaling_max_freq"); ok && told && most > 0 {
		l.capped = allowed / most
	}
	for _, zone := range m.glob("sys/class/thermal/thermal_zone*/temp") {
		if x, ok := m.readNumber(zone); ok {
			l.celsius = max(l.celsius, x/1000)
		}
	}
	for _, counter := range m.glob("sys/devices/system/cpu/cpu*/thermal_throttle/*_throttle_count") {
		if x, ok := m.readNumber(counter); ok {
			l.throttled += x
		}
	}
	l.busy = m.busy()
	for i, name := range pressures {
		l.stalled[i] = m.stalled(name)
	}
	l.swapped, l.free = m.field("proc/vmstat", "pswpin"), m.field("proc/meminfo", "MemAvailable:")/1024
	l.joules, _ = m.Joules()
	l.recorders, l.installers = m.disturbers()
	l.disk, l.screen = freeDisk(m.Scratch), m.screen()
	return l
}

// onBattery reports whether there is a battery and no other source of power.
func (m Machine) onBattery() bool {
	battery, mains, online := false, false, false
	for _, supply := range m.glob("sys/class/power_supply/*/type") {
		folder := filepath.Dir(supply)
		switch m.text(supply) {
		case "Battery":
			battery = battery || m.text(folder+"/scope") != "Device" // that of a mouse is not the machine's
		case "Mains", "USB":
			x, ok := m.readNumber(folder + "/online")
			mains, online = mains || ok, online || ok && x > 0
		}
	}
	return battery && mains && !online
}

// ticks is how many of the kernel's ticks of processor time there are in a second.
const ticks = 100

// busy returns the processor time used since the start, in seconds.
func (m Machine) busy() float64 {
	line, _, _ := strings.Cut(m.text("proc/stat"), "\n")
	fields := strings.Fields(line)
	sum := 0.0
	for i, f := range fields {
		const idle, waiting, guest = 4, 5, 9 // the time of guests is included in that of users
		if i == 0 || i == idle || i == waiting || i >= guest {
			continue
		}
		x, err := strconv.ParseFloat(f, 64)
		if err != nil {
			return 0
		}
		sum += x
	}
	return sum / ticks
}

// stalled returns for how many seconds a task has waited for a resource since the start.
func (m Machine) stalled(resource string) float64 {
	for line := range strings.Lines(m.text("proc/pressure/" + resource)) {
		if !strings.HasPrefix(line, "some ") {
			continue
		}
		_, total, _ := strings.Cut(line, "total=")
		x, err := strconv.ParseFloat(strings.TrimSpace(total), 64)
		if err == nil {
			return x / 1e6
		}
	}
	return 0
}

// field returns the number after a word at the beginning of a line.
func (m Machine) field(file, word string) float64 {
	for line := range strings.Lines(m.text(file)) {
		if fields := strings.Fields(line); len(fields) > 1 && fields[0] == word {
			x, err := strconv.ParseFloat(fields[1], 64)
			if err == nil {
				return x
			}
		}
	}
	return 0
}

// Joules returns the energy used by the processors' packages, from the kernel's powercap counters, which wrap around.
// ok is false if they cannot be read.
func (m Machine) Joules() (joules float64, ok bool) {
	for _, zone := range m.glob("sys/class/powercap/*:*/energy_uj") {
		if strings.HasPrefix(m.text(filepath.Dir(zone)+"/name"), "package") {
			x, read := m.readNumber(zone)
			joules, ok = joules+x/1e6, ok || read
		}
	}
	return joules, ok
}

// wraps returns the number of joules at which the counters of all packages wrap around.
func (m Machine) wraps() (joules float64) {
	for _, zone := range m.glob("sys/class/powercap/*:*/max_energy_range_uj") {
		if strings.HasPrefix(m.text(filepath.Dir(zone)+"/name"), "package") {
			x, _ := m.readNumber(zone)
			joules += x / 1e6
		}
	}
	return joules
}
