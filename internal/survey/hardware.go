package survey

import (
	"path"
	"slices"
	"strings"
)

// makers of virtual machines, as in the firmware's tables.
var virtualMakers = []struct{ mark, name string }{
	{
		"QEMU",
		"QEMU",
	}, {"KVM", "KVM"}, {"innotek", "VirtualBox"}, {"VirtualBox", "VirtualBox"}, {"VMware", "VMware"}, {"Virtual Machine", "Hyper-V"},
	{
		"Xen",
		"Xen",
	}, {"Bochs", "Bochs"}, {"Parallels", "Parallels"}, {"Amazon EC2", "Amazon EC2"}, {"Google Compute", "Google Compute Engine"}, {"OpenStack", "OpenStack"},
	{"bhyve", "bhyve"},
}

func virtual(s *System) []Fact {
	const key = "system.virtual"
	for _, c := range []struct{ file, name string }{{"/run/.containerenv", "container"}, {"/.dockerenv", "container"}, {"/run/systemd/container", ""}} {
		if s.has(c.file) {
			return []Fact{text(key, firstOf(c.name, "container: "+s.word(c.file)), c.file)}
		}
	}
	if kind := s.word("/sys/hypervisor/type"); kind != "" {
		return []Fact{text(key, kind, "/sys/hypervisor/type")}
	}
	const tables = "/sys/class/dmi/id/"
	for _, file := range []string{"product_name", "sys_vendor", "board_vendor", "bios_vendor"} {
		says := s.word(tables + file)
		for _, m := range virtualMakers {
			if strings.Contains(says, m.mark) {
				return []Fact{text(key, m.name, tables+file+" says "+says)}
			}
		}
	}
	flags := strings.Fields(after(s.read("/proc/cpuinfo"), "flags"))
	switch {
	case slices.Contains(flags, "hypervisor"):
		return []Fact{text(key, "yes, of an unknown make", "the processor's flag hypervisor")}
	case len(flags) == 0 && !s.has(tables):
		return []Fact{unknown(key, "neither the processor's flags nor the firmware's tables can be read")}
	}
	return []Fact{text(key, "no", "neither the firmware's tables nor the processor's flags name one")}
}

func firmware(s *System) []Fact {
	const key = "system.firmware"
	switch {
	case s.has("/sys/firmware/efi"):
		mode, how := "UEFI", "/sys/firmware/efi"
		for _, name := range s.names("/sys/firmware/efi/efivars") {
			if !strings.HasPrefix(name, "SecureBoot-") {
				continue
			}
			// Four bytes of attributes come before the value.
			switch value := s.read("/sys/firmware/efi/efivars/" + name); {
			case len(value) == 5 && value[4] == 1:
				mode += ", secure boot on"
			case len(value) == 5:
				mode += ", secure boot off"
			}
			how = "/sys/firmware/efi/efivars/" + name
		}
		return []Fact{text(key, mode, how)}
	case s.has("/sys/firmware/devicetree"):
		return []Fact{text(key, "device tree", "/sys/firmware/devicetree")}
	case s.has("/sys/firmware"):
		return []Fact{text(key, "BIOS", "/sys/firmware holds no efi")}
	}
	return []Fact{unknown(key, "/sys/firmware cannot be read")}
}

func graphics(s *System) []Fact {
	const key = "graphics.driver"
	var drivers []string
	for _, card := range s.names("/sys/class/drm") {
		if !strings.HasPrefix(card, "card") || strings.Contains(card, "-") {
			continue
		}
		driver := path.Base(s.link("/sys/class/drm/" + card + "/device/driver"))
		if driver == "." {
			continue
		}
		if v := s.word("/sys/module/" + strings.ReplaceAll(driver, "-", "_") + "/version"); v != "" {
			driver += " " + v
		}
		if !slices.Contains(drivers, driver) {
			drivers = append(drivers, driver)
		}
	}
	if len(drivers) == 0 {
		if s.has("/sys/class/drm") || s.has("/sys/class/graphics") {
			return []Fact{text(key, "none", "no card of /sys/class/drm has a driver")}
		}
		return []Fact{unknown(key, "/sys/class/drm cannot be read")}
	}
	return []Fact{text(key, strings.Join(drivers, ", "), "/sys/class/drm/card*/device/driver")}
}

// mount is one line of a system's mounts.
type mount struct{ number, point, sort, source string }

// readMounts reads /proc/self/mountinfo, whose fields are described in proc(5).
func (s *System) readMounts() []mount {
	var all []mount
	for line := range strings.Lines(s.read("/proc/self/mountinfo")) {
		before, behind, ok := strings.Cut(line, " - ")
		a, b := strings.Fields(before), strings.Fields(behind)
		if ok && len(a) > 4 && len(b) > 1 {
			all = append(all, mount{a[2], unescape(a[4]), b[0], unescape(b[1])})
		}
	}
	return all
}

var unescape = strings.NewReplacer(`\040`, " ", `\011`, "\t", `\134`, `\`).Replace

func encryption(s *System) []Fact {
	const key = "disk.encryption"
	mounts := s.shared.mounts()
	i := slices.IndexFunc(mounts, func(m mount) bool { return m.point == "/" })
	if i < 0 {
		return []Fact{unknown(key, "/proc/self/mountinfo does not show where / comes from")}
	}
	root := mounts[i]
	device := s.blockDevice(root)
	switch {
	case root.sort == "overlay" || root.sort == "tmpfs" || root.sort == "squashfs":
		return []Fact{unknown(key, "/ is a "+root.sort+": a live system or a container, not an installed disk")}
	case device == "" && root.sort == "zfs":
		return []Fact{unknown(key, "/ is "+root.source+" on zfs, which shows its own encryption only to root")}
	case device == "":
		return []Fact{unknown(key, "/ comes from "+root.source+", which is no block device of /sys")}
	}
	if kind, at := s.crypt(device, 0); kind != "" {
		return []Fact{text(key, "yes, "+kind, "/sys/block/"+at+"/dm/uuid below "+root.source)}
	}
	return []Fact{text(key, "no", "nothing below "+root.source+" is encrypted")}
}

// blockDevice returns the name of a mount's source in /sys/block or below.
func (s *System) blockDevice(m mount) string {
	if to := s.link("/sys/dev/block/" + m.number); to != "" {
		return path.Base(to)
	}
	// File systems with their own volumes use other numbers than their disk.
	name := path.Base(m.source)
	if s.has("/sys/class/block/" + name) {
		return name
	}
	for _, dev := range s.names("/sys/class/block") {
		if s.word("/sys/class/block/"+dev+"/dm/name") == name && name != "" {
			return dev
		}
	}
	return ""
}

// crypt looks for encryption in a device and in the devices below it.
func (s *System) crypt(device string, depth int) (kind, at string) {
	const deepest = 8
	id := s.word("/sys/class/block/" + device + "/dm/uuid")
	if rest, ok := strings.CutPrefix(id, "CRYPT-"); ok {
		kind, _, _ = strings.Cut(rest, "-")
		return kind, device
	}
	if depth == deepest {
		return "", ""
	}
	for _, below := range s.names("/sys/class/block/" + device + "/slaves") {
		if kind, at = s.crypt(below, depth+1); kind != "" {
			return kind, at
		}
	}
	return "", ""
}
