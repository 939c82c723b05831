package api

import (
	"fmt"
	"testing"

	"dappertally/internal/access"
)

// TestStreams: one network of readers, or all readers together, leave room for people who sign in.
func TestStreams(t *testing.T) {
	s := newRoom(ofStreams)
	reader := &access.Actor{}
	open := func(who *access.Actor, network string) (func(), bool) {
		done, err := s.reserve(who, network, 1)
		return done, err == nil
	}
	var ends []func()
	flood := func(who func(int) *access.Actor, network func(int) string, tries int) (opened int) {
		for i := range tries {
			if done, ok := open(who(i), network(i)); ok {
				opened++
				ends = append(ends, done)
			}
		}
		return opened
	}
	nobody := func(int) *access.Actor { return reader }
	if n := flood(nobody, func(int) string { return "192.0.2.1/32" }, 1000); n != ofStreams.network {
		t.Errorf("one network has %d streams", n)
	}
	if n := flood(nobody, func(i int) string { return fmt.Sprint(i) }, 2000); n != ofStreams.readers-ofStreams.network {
		t.Errorf("all other networks have %d streams", n)
	}
	ines := &access.Actor{ID: "1"}
	if n := flood(func(int) *access.Actor { return ines }, func(int) string { return "192.0.2.1/32" }, 100); n != ofStreams.account {
		t.Errorf("one account has %d streams", n)
	}
	team := func(i int) *access.Actor { return &access.Actor{ID: fmt.Sprint("team ", i)} }
	if n := flood(team, func(int) string { return "" }, 2000); n != ofStreams.all-ofStreams.readers-ofStreams.account {
		t.Errorf("the team has %d streams", n)
	}
	for _, end := range ends {
		end()
		end() // once is enough
	}
	if s.open.all != 0 || s.open.readers != 0 || len(s.each) != 0 {
		t.Errorf("after all have ended %+v are counted: %v", s.open, s.each)
	}
}
