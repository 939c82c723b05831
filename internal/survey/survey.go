// Package survey reads facts of the system on which it runs, or of another one in a folder: without root, without a
// network, and without changing anything.
package survey

import (
	"context"
	"slices"
	"strings"
	"sync"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/controls"
	"dappertally/core/reading"
)

// Fact is one fact of a system, or why it is not known.
type Fact struct {
	Key     string        `json:"key"`
	Title   string        `json:"title"`
	Value   *reading.Fact `json:"value,omitempty"`
	Unit    string        `json:"unit,omitempty"`
	Method  string        `json:"method"`            // name of this method in a checklist's vocabulary
	How     string        `json:"how,omitempty"`     // where it was found
	Unknown string        `json:"unknown,omitempty"` // why it is not known
	Runs    []float64     `json:"runs,omitempty"`    // of a changing fact that was read several times
}

// Survey is the facts of a system at one moment.
type Survey struct {
	Format string    `json:"format"`
	At     time.Time `json:"at"`
	Took   float64   `json:"took"`           // seconds, the first pass
	Boot   string    `json:"boot,omitempty"` // the kernel's boot id
	Facts  []Fact    `json:"facts"`
}

// Format identifies a survey in a file.
const Format = "dapper-tally/survey"

// Fact returns a fact by its key; nil if the survey does not have it.
func (s *Survey) Fact(key string) *Fact {
	for i := range s.Facts {
		if s.Facts[i].Key == key {
			return &s.Facts[i]
		}
	}
	return nil
}

// Text returns a fact's value as a text, empty if it is not known.
func (s *Survey) Text(key string) string {
	if f := s.Fact(key); f != nil && f.Value != nil {
		return f.Value.String()
	}
	return ""
}

// Values returns every known fact, by its key, as a system state stores them.
func (s *Survey) Values() map[string]reading.Fact {
	values := map[string]reading.Fact{}
	for _, f := range s.Facts {
		if f.Value != nil {
			values[f.Key] = *f.Value
		}
	}
	return values
}

// Disturbance returns why changing facts were not read at rest; empty if they were.
func (s *Survey) Disturbance() string {
	f := s.Fact("system.recording")
	if f == nil || f.Value == nil || len(f.Value.List) == 0 {
		return ""
	}
	return "a screen was being recorded: " + f.Value.String()
}

// Named returns how the system identifies itself.
func (s *Survey) Named() catalogue.Named {
	return catalogue.Named{
		Name: s.Text(
			"os.name",
		), ID: s.Text("os.id"), Version: s.Text("os.version"), Codename: s.Text("os.codename"), Variant: s.Text("os.variant"),
		Desktop: s.Text("desktop.name"), Architecture: s.Text("machine.architecture"),
	}
}

// asker reads the facts of one subject.
type asker func(*System) []Fact

var askers = []asker{
	identity, kernel, architecture, machine, session, desktopVersion, shell, initSystem, uptime, virtual, firmware, graphics, encryption, disk,
	memory, tasks, packages, updates, install, startUp, services, recording, firewall, telemetry, administrators, applications, fonts, locales,
}

// moving are those whose values change from minute to minute.
var moving = []asker{memory, tasks}

// Take reads everything once. now is the time of the survey.
func Take(ctx context.Context, s *System, now time.Time) Survey {
	start := time.Now()
	facts := s.ask(ctx, askers)
	return Survey{
		Format: Format, At: now.UTC().Truncate(time.Second), Took: time.Since(start).Seconds(), Facts: facts,
		Boot: strings.TrimSpace(s.read("/proc/sys/kernel/random/boot_id")),
	}
}

// Again reads the changing facts once more and adds them to the runs of the survey. The value becomes the median of
// the runs.
func (v *Survey) Again(ctx context.Context, s *System) {
	more := Survey{Facts: s.ask(ctx, append(slices.Clone(moving), recording))}
	if d := more.Disturbance(); d != "" && v.Disturbance() == "" {
		*v.Fact("system.recording") = *more.Fact("system.recording")
	}
	for i := range v.Facts {
		f := &v.Facts[i]
		next := more.Fact(f.Key)
		if !Moves(f.Key) || next == nil || next.Value == nil || f.Value == nil || f.Value.Sort != reading.FactNumber {
			continue
		}
		if f.Runs == nil {
			f.Runs = []float64{f.Value.Number}
		}
		f.Runs = append(f.Runs, next.Value.Number)
		f.Value = &reading.Fact{Sort: reading.FactNumber, Number: reading.Median(slices.Clone(f.Runs))}
	}
}

// ask runs askers in parallel; the whole takes no longer than the longest of them, and their commands no longer than
// the system's patience.
func (s *System) ask(ctx context.Context, which []asker) []Fact {
	ctx, cancel := context.WithTimeout(ctx, s.Patience)
	defer cancel()
	pass := s.pass(ctx)
	answers := make([][]Fact, len(which))
	var all sync.WaitGroup
	for i, a := range which {
		all.Go(func() { answers[i] = a(pass) })
	}
	all.Wait()
	facts := slices.Concat(answers...)
	order := map[string]int{}
	for i, k := range known {
		order[k.key] = i
	}
	slices.SortStableFunc(facts, func(a, b Fact) int { return order[a.Key] - order[b.Key] })
	return facts
}

// known lists every fact that can be read, in the order of display.
var known = slices.Concat([]kind{
	{"os.name", "Name", "", "os-release"},
	{"os.version", "Version", "", "os-release"},
	{"os.id", "Identifier", "", "os-release"},
	{"os.codename", "Codename", "", "os-release"},
	{"os.variant", "Variant", "", "os-release"},
	{"kernel.version", "Kernel", "", "proc"},
	{"machine.architecture", "Architecture", "", "uname"},
	{"machine.processor", "Processor", "", "proc"},
	{"machine.cores", "Processors", "", "proc"},
	{"machine.memory", "Memory", "MiB", "proc"},
	{"system.virtual", "Virtual machine", "", "firmware-tables"},
	{"system.firmware", "Firmware mode", "", "sysfs"},
	{"system.init", "Init system", "", "proc"},
	{"system.shell", "Shell", "", "passwd"},
	{"system.uptime", "Up for", "min", "proc"},
	{"system.recording", "Screen recorded", "", "process-list"},
	{"desktop.name", "Desktop", "", "session-environment"},
	{"desktop.version", "Desktop's version", "", "package-database"},
	{"desktop.display-server", "Display server", "", "session-environment"},
	{"desktop.session", "Session", "", "session-environment"},
	{"graphics.driver", "Graphics driver", "", "sysfs"},
	{"memory.available", "Memory used: total less available", "MiB", "memory-available"},
	{"memory.without-caches", "Memory used: without caches", "MiB", "memory-without-caches"},
	{"memory.resident", "Memory used: resident sizes", "MiB", "memory-resident"},
	{"memory.swap", "Swap", "MiB", "proc"},
	{"memory.swap-used", "Swap used", "MiB", "proc"},
	{"memory.compressed", "Compressed memory", "", "sysfs"},
	{"disk.used", "Disk used", "GiB", "file-system-usage"},
	{"disk.encryption", "Root disk encrypted", "", "sysfs"},
	{"tasks.processes", "Processes", "", "process-list"},
	{"tasks.threads", "Threads", "", "process-list"},
	{"tasks.kernel", "Kernel threads", "", "process-list"},
	{"packages.count", "Packages", "", "package-database"},
	{"packages.formats", "Package formats", "", "package-database"},
}, packageKinds(), []kind{
	{"updates.waiting", "Updates waiting", "", "package-manager"},
	{"install.made", "File system made", "", "file-system-birth"},
	{"install.log-ended", "Installer's log ended", "", "installer-log"},
	{"install.first-login", "First sign-in", "", "login-record"},
	{"install.took", "Install: to the end of its log", "min", "installer-log"},
	{"install.to-login", "Install: to the first sign-in", "min", "login-record"},
	{"start.total", "Start-up", "s", "start-log"},
	{"start.firmware", "Start-up: firmware", "s", "start-log"},
	{"start.loader", "Start-up: boot loader", "s", "start-log"},
	{"start.kernel", "Start-up: kernel", "s", "start-log"},
	{"start.initrd", "Start-up: first file system", "s", "start-log"},
	{"start.userspace", "Start-up: user space", "s", "start-log"},
	{"start.graphical", "Start-up: to the login screen", "s", "start-log"},
	{"services.count", "Services running", "", "init-system"},
	{"services.names", "Services", "", "init-system"},
	{"firewall.state", "Firewall", "", "firewall-settings"},
	{"telemetry.announced", "Telemetry that says so", "", "settings-files"},
	{"administrators.names", "May become administrator", "", "account-files"},
}, applicationKinds(), []kind{
	{"fonts.files", "Font files", "", "file-count"},
	{"locales.current", "Language", "", "settings-files"},
	{"locales.count", "Languages set up", "", "locale-list"},
})

// kind is the properties that a fact has on every system.
type kind struct{ key, title, unit, method string }

func blank(key string) Fact {
	k := kindOf(key)
	if k.key == "" {
		panic("survey: there is no fact " + key)
	}
	return Fact{Key: k.key, Title: k.title, Unit: k.unit, Method: k.method}
}

func text(key, value, how string) Fact {
	f := blank(key)
	f.Value, f.How = &reading.Fact{Text: line(value)}, how
	return f
}

func numberFact(key string, value float64, how string) Fact {
	f := blank(key)
	f.Value, f.How = &reading.Fact{Sort: reading.FactNumber, Number: value}, how
	return f
}

func lines(key string, values []string, how string) Fact {
	f := blank(key)
	if values == nil {
		values = []string{}
	}
	clean := make([]string, len(values))
	for i, value := range values {
		clean[i] = line(value)
	}
	f.Value, f.How = &reading.Fact{Sort: reading.FactList, List: clean}, how
	return f
}

// line makes a text of the system one line without control characters.
func line(value string) string {
	return strings.TrimSpace(strings.Map(func(r rune) rune {
		switch {
		case r == '\n' || r == '\t':
			return ' '
		case controls.Is(r):
			return -1
		}
		return r
	}, value))
}

func unknown(key, why string) Fact {
	f := blank(key)
	f.Unknown = why
	return f
}

// textOr returns a text, or unknown if it is empty.
func textOr(key, value, how, why string) Fact {
	if strings.TrimSpace(value) == "" {
		return unknown(key, why)
	}
	return text(key, value, how)
}

// Known lists every fact that a survey can read, in order, without values.
func Known() []Fact {
	facts := make([]Fact, len(known))
	for i, k := range known {
		facts[i] = Fact{Key: k.key, Title: k.title, Unit: k.unit, Method: k.method}
	}
	return facts
}

// Unit returns the unit of a fact, empty for an unknown one.
func Unit(key string) string { return kindOf(key).unit }

// Method returns the method by which a fact is read.
func Method(key string) string { return kindOf(key).method }

func kindOf(key string) kind {
	for _, k := range known {
		if k.key == key {
			return k
		}
	}
	return kind{}
}

// Moves reports whether a fact changes from minute to minute, so that a disturbance affects it.
func Moves(key string) bool {
	return key != "memory.swap" && (strings.HasPrefix(key, "memory.") || strings.HasPrefix(key, "tasks."))
}
