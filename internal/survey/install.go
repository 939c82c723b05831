package survey

import (
	"encoding/binary"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// install reads when the system was installed: when its file system was made, when the installer's log ended, when
// somebody first signed in, and how long that took.
func install(s *System) []Fact {
	made, how, why := s.madeAt()
	facts := []Fact{moment("install.made", made, how, why)}
	ended, how, why := s.installerEnded()
	facts = append(facts, moment("install.log-ended", ended, how, why))
	login, how, why := s.firstLogin()
	facts = append(facts, moment("install.first-login", login, how, why))
	for _, until := range []struct {
		key  string
		at   time.Time
		what string
	}{
		{"install.took", ended, "the end of the installer's log"},
		{"install.to-login", login, "the first sign-in"},
	} {
		if !made.IsZero() && !until.at.IsZero() {
			facts = append(facts, between(until.key, made, until.at, until.what))
		}
	}
	return facts
}

func moment(key string, at time.Time, how, why string) Fact {
	if at.IsZero() {
		return unknown(key, why)
	}
	return text(key, at.UTC().Format(time.RFC3339), how)
}

// longestInstall is how long an install takes at most; an image that was made earlier would seem to take longer.
const longestInstall = 24 * time.Hour

func between(key string, from, to time.Time, what string) Fact {
	took := to.Sub(from)
	switch {
	case took < 0:
		return unknown(key, "the file system was made after "+what+": the clock was set, or it was copied")
	case took > longestInstall:
		return unknown(key, fmt.Sprintf(
			"%s came %.0f hours after the file system was made: it was copied from an image, or installed in parts",
			what, took.Hours(),
		))
	}
	return numberFact(key, round(took.Minutes(), 1), "from the file system's making to "+what)
}

// madeAt returns when the file system of the root was made.
func (s *System) madeAt() (at time.Time, how, why string) {
	for _, m := range s.shared.mounts() {
		if m.point == "/" && (m.sort == "overlay" || m.sort == "tmpfs" || m.sort == "squashfs") {
			return at, "", "the root is a " + m.sort + ": a live system, or a container, that was not installed"
		}
	}
	if s.here() {
		var st unix.Statx_t
		if err := unix.Statx(unix.AT_FDCWD, "/", 0, unix.STATX_BTIME, &st); err == nil && st.Mask&unix.STATX_BTIME != 0 {
			return time.Unix(st.Btime.Sec, int64(st.Btime.Nsec)), "birth of the root folder", ""
		}
	}
	if info, err := os.Stat(s.path("/lost+found")); err == nil {
		return info.ModTime(), "time of /lost+found, which is made with the file system", ""
	}
	return at, "", "the file system does not show when its root folder was made"
}

// installerLogs are the places of installers' logs on the installed system.
var installerLogs = []string{
	"/var/log/installer/*", "/var/log/Calamares.log", "/var/log/anaconda/*", "/var/log/archinstall/*",
}

// installerEnded returns the last modification of an installer's logs.
func (s *System) installerEnded() (at time.Time, how, why string) {
	for _, pattern := range installerLogs {
		folder := filepath.Dir(pattern)
		names := []string{filepath.Base(pattern)}
		if names[0] == "*" {
			names = s.names(folder)
		}
		for _, name := range names {
			info, err := os.Stat(s.path(folder + "/" + name))
			if err == nil && info.Mode().IsRegular() && info.ModTime().After(at) {
				at, how = info.ModTime(), "time of "+folder+"/"+name
			}
		}
		if !at.IsZero() {
			return at, how, ""
		}
	}
	return at, "", "no installer has left a log under /var/log that can be read"
}

// loginRecord is the file of sign-ins.
const loginRecord = "/var/log/wtmp"

// Sign-ins in that file, in the format of the C library: records of so many bytes, with the kind at the beginning,
// the person, and the second, which has 64 bits in the wider format.
type loginLayout struct{ size, second, width int }

const (
	loginName   = 44
	longestName = 32
	signIn      = 7 // kind: a sign-in
	lastKind    = 9
)

var loginLayouts = []loginLayout{{384, 340, 4}, {400, 344, 8}}

// firstLogin returns when somebody first signed in, as far as the records go back.
func (s *System) firstLogin() (at time.Time, how, why string) {
	data := s.read(loginRecord)
	if data == "" {
		if s.has("/var/lib/wtmpdb/wtmp.db") {
			return at, "", "sign-ins are kept in a database, /var/lib/wtmpdb/wtmp.db, which is not read"
		}
		return at, "", loginRecord + " holds no sign-ins"
	}
	for _, l := range loginLayouts {
		if at, who, ok := l.first([]byte(data)); ok {
			if at.IsZero() {
				return at, "", "nobody has signed in yet, by " + loginRecord
			}
			how := "first sign-in in " + loginRecord + ", of " + line(who)
			if s.has(loginRecord+".1") || s.has(loginRecord+".1.gz") {
				return time.Time{}, "", loginRecord + " was begun anew since: the first sign-in is in an older one"
			}
			return at, how, ""
		}
	}
	return at, "", loginRecord + " is not written as the C library does"
}

// first returns the first sign-in; ok is false if the records have another layout.
func (l loginLayout) first(data []byte) (at time.Time, who string, ok bool) {
	if len(data)%l.size != 0 {
		return at, "", false
	}
	for ; len(data) > 0; data = data[l.size:] {
		kind := int16(binary.LittleEndian.Uint16(data))
		if kind < 0 || kind > lastKind {
			return time.Time{}, "", false
		}
		if kind != signIn || !at.IsZero() {
			continue
		}
		second := int64(binary.LittleEndian.Uint32(data[l.second:]))
		if l.width == 8 {
			second = int64(binary.LittleEndian.Uint64(data[l.second:]))
		}
		who, _, _ = strings.Cut(string(data[loginName:loginName+longestName]), "\x00")
		at = time.Unix(second, 0)
	}
	return at, who, true
}
