// Package survey reads facts off the system that it runs on, or off a folder that
// holds another one: without root, without a network, and without changing anything.
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

// Fact is one thing told of a system, or why it cannot be told.
type Fact struct {
	Key     string        `json:"key"`
	Title   string        `json:"title"`
	Value   *reading.Fact `json:"value,omitempty"`
	Unit    string        `json:"unit,omitempty"`
	Method  string        `json:"method"`            // what a checklist's vocabulary calls this way of reading
	How     string        `json:"how,omitempty"`     // where it was found
	Unknown string        `json:"unknown,omitempty"` // why it cannot be told
	Runs    []float64     `json:"runs,omitempty"`    // of a fact that moves, when it was read several times
}

// Survey is what was found on a system at one moment.
type Survey struct {
	Format string    `json:"format"`
	At     time.Time `json:"at"`
	Took   float64   `json:"took"`           // seconds, the first pass
	Boot   string    `json:"boot,omitempty"` // the kernel's id of this start of the machine
	Facts  []Fact    `json:"facts"`
}

// Format names a survey in a file.
const Format = "dapper-tally/survey"

// Fact finds a fact by its key; nil where the survey has none.
func (s *Survey) Fact(key string) *Fact {
	for i := range s.Facts {
		if s.Facts[i].Key == key {
			return &s.Facts[i]
		}
	}
	return nil
}

// Text is a fact's value as a text, empty where it is not known.
func (s *Survey) Text(key string) string {
	if f := s.Fact(key); f != nil && f.Value != nil {
		return f.Value.String()
	}
	return ""
}

// Values holds every fact that is known, by its key, as a system state keeps them.
func (s *Survey) Values() map[string]reading.Fact {
	values := map[string]reading.Fact{}
	for _, f := range s.Facts {
		if f.Value != nil {
			values[f.Key] = *f.Value
		}
	}
	return values
}

// Disturbance says why what moves was not read at rest; empty where it was.
func (s *Survey) Disturbance() string {
	f := s.Fact("system.recording")
	if f == nil || f.Value == nil || len(f.Value.List) == 0 {
		return ""
	}
	return "a screen was being recorded: " + f.Value.String()
}

// Named is what the system says that it is.
func (s *Survey) Named() catalogue.Named {
	return catalogue.Named{
		Name: s.Text(
			"os.name",
		), ID: s.Text("os.id"), Version: s.Text("os.version"), Codename: s.Text("os.codename"), Variant: s.Text("os.variant"),
		Desktop: s.Text("desktop.name"), Architecture: s.Text("machine.architecture"),
	}
}

// asker tells the facts of one subject.
type asker func(*System) []Fact

var askers = []asker{
	identity, kernel, architecture, machine, session, desktopVersion, shell, initSystem, uptime, virtual, firmware, graphics, encryption, disk,
	memory, tasks, packages, updates, install, startUp, services, recording, firewall, telemetry, administrators, applications, fonts, locales,
}

// moving are those whose answers move from minute to minute.
var moving = []asker{memory, tasks}

// Take asks everything once. now is when it is taken.
func Take(ctx context.Context, s *System, now time.Time) Survey {
	start := time.Now()
	facts := s.ask(ctx, askers)
	return Survey{
		Format: Format, At: now.UTC().Truncate(time.Second), Took: time.Since(start).Seconds(), Facts: facts,
		Boot: strings.TrimSpace(s.read("/proc/sys/kernel/random/boot_id")),
	}
}

// Again reads what moves once more and adds it to the runs of the survey. The value
// becomes the median of the runs.
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

// ask runs askers side by side; the whole takes no longer than the longest of them,
// and their commands no longer than the system's patience.
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

// known is every fact that can be told, in the order in which they are told.
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

// kind is what holds for a fact on every system.
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

// line is what a system says of itself, as one line without what controls a terminal.
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

// textOr is a text, or unknown where it is empty.
func textOr(key, value, how, why string) Fact {
	if strings.TrimSpace(value) == "" {
		return unknown(key, why)
	}
	return text(key, value, how)
}

// Known is every fact that a survey can tell, in its order, without values.
func Known() []Fact {
	facts := make([]Fact, len(known))
	for i, k := range known {
		facts[i] = Fact{Key: k.key, Title: k.title, Unit: k.unit, Method: k.method}
	}
	return facts
}

// Unit and Method are those of a fact, empty for one that no survey tells.
func Unit(key string) string { return kindOf(key).unit }

// Method is the way in which a fact is read.
func Method(key string) string { return kindOf(key).method }

func kindOf(key string) kind {
	for _, k := range known {
		if k.key == key {
			return k
		}
	}
	return kind{}
}

// Moves reports whether a fact moves from minute to minute, so that a disturbance
// spoils it.
func Moves(key string) bool {
	return key != "memory.swap" && (strings.HasPrefix(key, "memory.") || strings.HasPrefix(key, "tasks."))
}
