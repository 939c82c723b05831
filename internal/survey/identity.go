package survey

import (
	"debug/elf"
	"path"
	"strconv"
	"strings"
	"syscall"

	"dappertally/core/catalogue"
)

const noRelease = "there is neither /etc/os-release nor /usr/lib/os-release"

func (s *System) readIdentity() map[string]string {
	return catalogue.ParseOSRelease(s.read(s.releaseFile()))
}

func (s *System) releaseFile() string { return s.first("/etc/os-release", "/usr/lib/os-release") }

func identity(s *System) []Fact {
	file, is := s.releaseFile(), s.shared.identity()
	if file == "" {
		return []Fact{unknown("os.name", noRelease), unknown("os.version", noRelease), unknown("os.id", noRelease)}
	}
	version, from := is["VERSION_ID"], "VERSION_ID"
	for _, other := range []string{"IMAGE_VERSION", "BUILD_ID"} {
		if version == "" {
			version, from = is[other], other
		}
	}
	facts := []Fact{
		textOr("os.name", is["NAME"], "NAME of "+file, file+" names none"),
		textOr("os.version", version, from+" of "+file, file+" has no version, as is usual for rolling systems"),
		textOr("os.id", is["ID"], "ID of "+file, file+" has no ID"),
	}
	if is["VERSION_CODENAME"] != "" {
		facts = append(facts, text("os.codename", is["VERSION_CODENAME"], "VERSION_CODENAME of "+file))
	}
	for _, name := range []string{"VARIANT_ID", "VARIANT"} {
		if is[name] != "" {
			return append(facts, text("os.variant", is[name], name+" of "+file))
		}
	}
	return facts
}

func kernel(s *System) []Fact {
	return []Fact{
		textOr(
			"kernel.version",
			s.word("/proc/sys/kernel/osrelease"),
			"/proc/sys/kernel/osrelease",
			"/proc/sys/kernel/osrelease cannot be read",
		),
	}
}

// architectures maps the machine number in a program's header to the kernel's name.
var architectures = map[elf.Machine]string{
	elf.EM_X86_64: "x86_64", elf.EM_386: "i686", elf.EM_AARCH64: "aarch64", elf.EM_ARM: "armv7l", elf.EM_RISCV: "riscv64", elf.EM_PPC64: "ppc64le",
	elf.EM_S390: "s390x", elf.EM_LOONGARCH: "loongarch64",
}

func architecture(s *System) []Fact {
	const key = "machine.architecture"
	if s.here() {
		var u syscall.Utsname
		if err := syscall.Uname(&u); err != nil {
			return []Fact{unknown(key, "uname: "+err.Error())}
		}
		var name strings.Builder
		for _, c := range u.Machine {
			if c == 0 {
				break
			}
			name.WriteByte(byte(c))
		}
		return []Fact{text(key, name.String(), "uname")}
	}
	if name := s.word("/proc/sys/kernel/arch"); name != "" {
		return []Fact{text(key, name, "/proc/sys/kernel/arch")}
	}
	if out, err := s.run("uname", "-m"); err == nil {
		return []Fact{text(key, out, "uname -m")}
	}
	for _, program := range []string{"/bin/sh", "/usr/bin/sh", "/usr/bin/env", "/sbin/init"} {
		f, err := elf.Open(s.path(program))
		if err != nil {
			continue
		}
		defer f.Close()
		if name := architectures[f.Machine]; name != "" {
			return []Fact{text(key, name, "the head of "+program)}
		}
	}
	return []Fact{unknown(key, "neither uname nor any program shows it")}
}

func machine(s *System) []Fact {
	cpu := s.read("/proc/cpuinfo")
	name := after(cpu, "model name")
	for _, other := range []string{"Hardware", "Model", "cpu model", "uarch"} {
		if name == "" {
			name = after(cpu, other)
		}
	}
	facts := []Fact{
		textOr(
			"machine.processor", strings.Join(strings.Fields(name), " "), "/proc/cpuinfo", "/proc/cpuinfo names none",
		),
	}
	n := 0
	for line := range strings.Lines(cpu) {
		if key, _, _ := strings.Cut(line, ":"); strings.TrimSpace(key) == "processor" {
			n++
		}
	}
	if n == 0 {
		facts = append(facts, unknown("machine.cores", "/proc/cpuinfo lists none"))
	} else {
		facts = append(facts, numberFact("machine.cores", float64(n), "/proc/cpuinfo; threads count"))
	}
	return facts
}

func shell(s *System) []Fact {
	a := s.account()
	name, how := a.shell, "the account of "+a.name+" in /etc/passwd"
	if name == "" {
		name, how = s.shared.environ()["SHELL"], "SHELL"
	}
	if name == "" {
		return []Fact{unknown("system.shell", "neither the account nor SHELL shows it")}
	}
	name = path.Base(name)
	if v := s.shared.installed().version(name); v != "" {
		name, how = name+" "+v, how+"; version of its package"
	}
	return []Fact{text("system.shell", name, how)}
}

// initPrograms maps the name of the first process to that of the init system.
var initPrograms = map[string]string{
	"systemd": "systemd", "openrc-init": "OpenRC", "runit": "runit", "runit-init": "runit", "s6-svscan": "s6", "s6-linux-init": "s6", "dinit": "dinit",
	"shepherd": "Shepherd", "finit": "finit", "upstart": "upstart", "sinit": "sinit",
}

func initSystem(s *System) []Fact {
	return []Fact{s.initFact()}
}

func (s *System) initFact() Fact {
	const key, how = "system.init", "the first process"
	program := path.Base(s.link("/proc/1/exe"))
	comm := s.word("/proc/1/comm")
	for _, name := range []string{comm, program} {
		if is := initPrograms[name]; is != "" {
			return s.withVersion(key, is, name, how)
		}
	}
	if name := path.Base(s.link("/sbin/init")); comm == "init" && initPrograms[name] != "" {
		return s.withVersion(key, initPrograms[name], name, how+" is init, and /sbin/init leads to "+name)
	}
	switch {
	case s.has("/run/systemd/system"):
		return s.withVersion(key, "systemd", "systemd", "/run/systemd/system")
	case s.has("/run/openrc"):
		return s.withVersion(key, "OpenRC", "openrc", "/run/openrc, beside "+comm)
	case s.has("/run/runit") || s.has("/etc/runit"):
		return s.withVersion(key, "runit", "runit", "its folder")
	case path.Base(s.link("/sbin/init")) == "busybox":
		return s.withVersion(key, "BusyBox", "busybox", "/sbin/init leads to busybox")
	case comm == "init" && s.has("/etc/inittab"):
		return s.withVersion(key, "SysV init", "sysvinit-core", "init with an /etc/inittab")
	case comm != "":
		return text(key, comm, how)
	}
	return unknown(key, "the first process cannot be seen")
}

func (s *System) withVersion(key, name, pkg, how string) Fact {
	if v := s.shared.installed().version(pkg); v != "" {
		return text(key, name+" "+v, how+"; version of its package")
	}
	return text(key, name, how)
}

func uptime(s *System) []Fact {
	seconds, _, _ := strings.Cut(s.word("/proc/uptime"), " ")
	x, err := strconv.ParseFloat(seconds, 64)
	if err != nil {
		return []Fact{unknown("system.uptime", "/proc/uptime cannot be read")}
	}
	return []Fact{numberFact("system.uptime", round(x/60, 1), "/proc/uptime")}
}
