package people

import (
	"testing"
	"time"
)

func TestDelayGrowsToItsBound(t *testing.T) {
	for tries, want := range map[int]time.Duration{
		0: 0, 4: 0, 5: 2 * time.Second, 6: 4 * time.Second, 13: 512 * time.Second, 14: 15 * time.Minute,
		1000: 15 * time.Minute, 1 << 30: 15 * time.Minute,
	} {
		if got := delay(tries, freeTries, longestWait); got != want {
			t.Errorf("after %d failures one waits %s, want %s", tries, got, want)
		}
	}
}

func TestNetwork(t *testing.T) {
	for address, want := range map[string]string{
		"192.0.2.7":         "192.0.2.7/32",
		"::ffff:192.0.2.7":  "192.0.2.7/32",
		"2001:db8:1:2:3::4": "2001:db8:1:2::/64",
		"fe80::1%eth0":      "fe80::/64",
		"":                  "",
		"not an address":    "not an address",
	} {
		if got := Network(address); got != want {
			t.Errorf("the network of %q is %q, want %q", address, got, want)
		}
	}
}

// TestJudge accepts passwords that are hard to guess, and gives the reason for refusing others.
func TestJudge(t *testing.T) {
	for password, good := range map[string]bool{
		"short":                            false,
		"password1234":                     false,
		"qwertyuiop[]":                     false,
		"aaaaaaaaaaaaaaaa":                 false,
		"marit oyelaw 1990":                false,
		"zoe-angstrom":                     false,
		"nine grey otters hum":             true,
		"três galinhas à chuva":            true,
		"three-old-laptops":                true,
		"\xff\xfe nine grey otters hum":    false,
		string(make([]byte, mostLength+1)): false,
	} {
		if got := Judge(password, "marit", "Marit Oyelaw", "Zoë Ångström"); (got.Fault == "") != good {
			t.Errorf("%.30q: %+v", password, got)
		}
	}
	for _, a := range []string{"lamp-on-the-quay", "rain-on-tin-roof"} {
		if got := Judge(a); got.Fault != "" {
			t.Errorf("the demo's %q: %s", a, got.Fault)
		}
	}
}
