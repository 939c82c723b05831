package people

import (
	"context"
	"encoding/hex"
	"net/netip"
	"strconv"
	"time"

	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// Guessing a password must take long, but nobody must be able to lock somebody else out by failing. So only failures
// count, separately for each name and network: after a few of them that name waits in that network, each time longer.
// A network that tries many names waits as well, later and shorter, since a whole team may be behind it.
const (
	freeTries       = 5
	freeTriesAll    = 50
	firstWait       = 2 * time.Second
	longestWait     = 15 * time.Minute
	longestWaitAll  = time.Minute
	failureForgiven = 24 * time.Hour
)

// everyName stands for all names tried from one network. It is not a key, so no account has it.
const everyName = "*"

// Network returns the part of an address that one customer of a network has: the whole of an IPv4 address, or the
// first 64 bits of an IPv6 address (RFC 6177). Anything else is returned as it is.
func Network(address string) string {
	at, err := netip.ParseAddr(address)
	if err != nil {
		return address
	}
	at = at.Unmap().WithZone("")
	bits := 32
	if at.Is6() {
		bits = 64
	}
	part, err := at.Prefix(bits)
	if err != nil {
		return address
	}
	return part.String()
}

// delay returns how long a name waits after its last failure; it doubles with each failure beyond the free ones.
func delay(tries, free int, longest time.Duration) time.Duration {
	if tries < free {
		return 0
	}
	const enough = 20 // doublings after which the longest wait is reached
	return min(firstWait<<min(tries-free, enough), longest)
}

// mayTry refuses an attempt with a name from a place that has to wait.
func (s *Service) mayTry(ctx context.Context, name string, from Place) error {
	network, at := Network(from.Address), s.now()
	longest := time.Duration(0)
	for _, x := range []struct {
		name string
		free int
		most time.Duration
	}{{name, freeTries, longestWait}, {everyName, freeTriesAll, longestWaitAll}} {
		tries, last, err := s.ledger.Store.Failures(ctx, x.name, network)
		if err != nil {
			return ledger.Failed(err, "signing in")
		}
		longest = max(longest, last.Add(delay(tries, x.free, x.most)).Sub(at))
	}
	if longest > 0 {
		return tooOften(longest)
	}
	return nil
}

// failed counts an attempt with a name from a place.
func (s *Service) failed(ctx context.Context, name string, from Place) error {
	s.Failures.Add(1)
	at := s.now()
	err := s.ledger.Store.AddFailure(ctx, name, Network(from.Address), at, at.Add(-failureForgiven))
	if err != nil {
		return ledger.Failed(err, "signing in")
	}
	return nil
}

func (s *Service) succeeded(ctx context.Context, name string, from Place) error {
	if err := s.ledger.Store.ForgetFailures(ctx, name, Network(from.Address)); err != nil {
		return ledger.Failed(err, "signing in")
	}
	return nil
}

func tooOften(wait time.Duration) error {
	seconds := int(wait/time.Second) + 1
	err := problem.New(problem.TooMany, "too many failed sign-ins; try again in %s", inWords(seconds))
	err.After = time.Duration(seconds) * time.Second
	return err
}

func inWords(seconds int) string {
	switch {
	case seconds == 1:
		return "one second"
	case seconds < 120:
		return strconv.Itoa(seconds) + " seconds"
	}
	return strconv.Itoa((seconds+59)/60) + " minutes"
}

// hidden replaces a name in the log: people type passwords into the wrong field.
func hidden(name string) string { return hex.EncodeToString(store.Secret(name)[:6]) }
