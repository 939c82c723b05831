package store

import (
	"context"
	"errors"
	"fmt"
	"net"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// link holds all connections to the database. Once the database is known to be away, open ones are closed and new
// ones refused, so that nobody waits for an answer that does not come; only the checks get through.
type link struct {
	mu      sync.Mutex
	away    error
	lines   map[*line]struct{}
	at      int    // index of the current host
	current string // its address
}

// errAway is why no connection to the database is opened.
var errAway = errors.New("the database is away")

// Time limits of a connection: to open it, and for silence during an exchange, which is longer than any request
// waits.
const (
	dialTime = 3 * time.Second
	silence  = 20 * time.Second
)

type lookingKey struct{}

// keptKey marks connections that are neither closed nor refused while no server answers. Changes of the schema use
// them, since they can take long and are left incomplete if interrupted. They are closed when another node takes
// over.
type keptKey struct{}

// dial opens a connection.
func (l *link) dial(ctx context.Context, network, address string) (net.Conn, error) {
	kept := ctx.Value(keptKey{}) != nil
	if err := l.isAway(); err != nil && ctx.Value(lookingKey{}) == nil && !kept {
		return nil, fmt.Errorf("%w: %w", errAway, err)
	}
	dialer := net.Dialer{Timeout: dialTime}
	conn, err := dialer.DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	open := &line{Conn: conn, of: l, host: address, probes: ctx.Value(lookingKey{}) != nil, kept: kept}
	l.mu.Lock()
	defer l.mu.Unlock()
	l.lines[open] = struct{}{}
	return open, nil
}

func (l *link) isAway() error {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.away
}

// lost records that the database is away, and closes all connections except kept ones.
func (l *link) lost(why error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.away = why
	for open := range l.lines {
		if !open.kept {
			_ = open.Conn.Close() // whoever reads from it gets an error
			delete(l.lines, open)
		}
	}
}

// used returns the index of the current host.
func (l *link) used() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.at
}

// address returns the address of the current host.
func (l *link) address() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.current
}

// use switches to another host. If the previous one is gone, connections to it are closed; otherwise each ends after
// its current exchange.
func (l *link) use(at int, address string, gone bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	before := l.current
	l.at, l.current = at, address
	for open := range l.lines {
		if gone && open.host == before {
			_ = open.Conn.Close()
			delete(l.lines, open)
		}
	}
}

// isUsed reports whether a host is the current one.
func (l *link) isUsed(address string) bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.current == address
}

func (l *link) back() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.away = nil
}

// line is one connection. It leaves the link when it is closed.
type line struct {
	net.Conn
	of     *link
	host   string
	probes bool // for checks of the host, current or not
	kept   bool // not closed while no host answers
}

// Close closes the connection.
func (l *line) Close() error {
	l.of.mu.Lock()
	delete(l.of.lines, l)
	l.of.mu.Unlock()
	return l.Conn.Close()
}

// errElsewhere is why an idle connection is no longer used.
var errElsewhere = errors.New("another node is used now")

// SyscallConn lets the driver check whether an idle connection is still usable.
func (l *line) SyscallConn() (syscall.RawConn, error) {
	if !l.probes && !l.of.isUsed(l.host) {
		return nil, errElsewhere
	}
	raw, ok := l.Conn.(syscall.Conn)
	if !ok {
		return nil, errors.ErrUnsupported
	}
	return raw.SyscallConn()
}

// lookTime is how long the database can take to answer a check.
const lookTime = 2 * time.Second

// Look checks the database with a separate connection. If it does not answer, all other connections are closed, and
// new ones are refused until Look succeeds again. Of several nodes, it selects the first that is writable.
func (s *Store) Look(ctx context.Context) error {
	if s.hosts != nil {
		err := s.hosts.look(context.WithValue(ctx, lookingKey{}, true))
		if err != nil {
			return fmt.Errorf("%w: %w", ErrUnavailable, err)
		}
		return nil
	}
	looking, cancel := context.WithTimeout(context.WithValue(ctx, lookingKey{}, true), lookTime)
	defer cancel()
	conn, err := s.fresh.Connect(looking)
	if err == nil {
		err = conn.Close()
	}
	var refused *mysql.MySQLError
	switch {
	case err == nil, errors.As(err, &refused): // it answers, even if only that it has no connection left
		s.link.back()
	case ctx.Err() == nil:
		if full := s.RoomFor(0); full != nil {
			err = fmt.Errorf("%w: %w", full, err)
		}
		if s.link.isAway() == nil {
			s.link.lost(err)
		}
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return translate(err)
}

// Away returns why the database is known to be away; nil if it is not.
func (s *Store) Away() error {
	if err := s.link.isAway(); err != nil {
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return nil
}
