package survey

import (
	"encoding/binary"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// record is a record of sign-ins in a layout: a start of the machine, then somebody signs in twice.
func record(l loginLayout, at time.Time, kinds ...int16) []byte {
	var data []byte
	for i, kind := range kinds {
		one := make([]byte, l.size)
		binary.LittleEndian.PutUint16(one, uint16(kind))
		copy(one[loginName:], "marit")
		second := uint64(at.Add(time.Duration(i) * time.Minute).Unix())
		if l.width == 8 {
			binary.LittleEndian.PutUint64(one[l.second:], second)
		} else {
			binary.LittleEndian.PutUint32(one[l.second:], uint32(second))
		}
		data = append(data, one...)
	}
	return data
}

func TestInstall(t *testing.T) {
	made := time.Date(2026, 11, 17, 9, 0, 0, 0, time.UTC)
	late := made.Add(50 * time.Hour)
	type facts map[string]string // "?" begins why a fact is not known
	for name, c := range map[string]struct {
		made, log time.Time
		logins    []byte
		more      string // a file besides
		want      facts
	}{
		"whole": {made, made.Add(14 * time.Minute), record(loginLayouts[0], made.Add(17*time.Minute), 2, signIn, signIn), "", facts{
			"install.made": "2026-11-17T09:00:00Z", "install.log-ended": "2026-11-17T09:14:00Z",
			"install.first-login": "2026-11-17T09:18:00Z", "install.took": "14", "install.to-login": "18",
		}},
		"wide records": {made, time.Time{}, record(loginLayouts[1], made.Add(30*time.Minute), signIn), "", facts{
			"install.log-ended": "?no installer has left a log", "install.to-login": "30",
		}},
		"nothing": {time.Time{}, time.Time{}, nil, "", facts{
			"install.made": "?does not show", "install.first-login": "?holds no sign-ins", "install.took": "",
		}},
		"an image": {made, late, record(loginLayouts[0], late, signIn), "", facts{
			"install.took": "?copied from an image", "install.to-login": "?50 hours after",
		}},
		"copied": {made, made.Add(-time.Hour), nil, "", facts{"install.took": "?the clock was set, or it was copied"}},
		"rotated": {made, time.Time{}, record(loginLayouts[0], late, signIn), "var/log/wtmp.1", facts{
			"install.first-login": "?begun anew since", "install.to-login": "",
		}},
		"never": {made, time.Time{}, record(loginLayouts[0], late, 2, 1), "", facts{"install.first-login": "?nobody has signed in"}},
		"odd":   {made, time.Time{}, []byte("not a record"), "", facts{"install.first-login": "?is not written as"}},
		"database": {made, time.Time{}, nil, "var/lib/wtmpdb/wtmp.db", facts{
			"install.first-login": "?kept in a database",
		}},
		"live": {made, time.Time{}, nil, "proc/self/mountinfo", facts{"install.made": "?the root is a overlay"}},
	} {
		t.Run(name, func(t *testing.T) {
			root := t.TempDir()
			lay := func(file, text string, at time.Time) {
				file = filepath.Join(root, file)
				if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
					t.Fatal(err)
				}
				if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
					t.Fatal(err)
				}
				if !at.IsZero() {
					if err := os.Chtimes(file, at, at); err != nil {
						t.Fatal(err)
					}
				}
			}
			if !c.made.IsZero() {
				lay("lost+found", "", c.made)
			}
			if !c.log.IsZero() {
				lay("var/log/installer/partman", "", c.log.Add(-time.Minute))
				lay("var/log/installer/syslog", "", c.log)
			}
			if c.logins != nil {
				lay("var/log/wtmp", string(c.logins), time.Time{})
			}
			if c.more != "" {
				lay(c.more, "22 1 0:5 / / rw - overlay overlay rw\n", time.Time{})
			}
			v := Take(t.Context(), At(root), time.Now())
			for key, want := range c.want {
				f := v.Fact(key)
				why, isUnknown := strings.CutPrefix(want, "?")
				switch {
				case want == "" && f != nil, want != "" && f == nil:
					t.Errorf("%s: %+v, want %q", key, f, want)
				case want == "":
				case isUnknown && (f.Value != nil || !strings.Contains(f.Unknown, why)),
					!isUnknown && (f.Value == nil || f.Value.String() != want):
					t.Errorf("%s: %+v, want %q", key, f, want)
				}
			}
		})
	}
}
