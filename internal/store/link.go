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

// link is all lines to the database. Once the database is known to be away, the lines that are open are cut and new
// ones refused, so that nobody waits for an answer that does not come; who looks whether it is back gets through.
type link struct {
	mu      sync.Mutex
	away    error
	lines   map[*line]struct{}
	at      int    // the host that is used
	current string // its address
}

// errAway is why no line to the database is opened.
var errAway = errors.New("the database is away")

// Timeouts of a line: to open it, and of silence in the midst of an exchange, which is longer than any request waits.
const (
	dialTime = 3 * time.Second
	silence  = 20 * time.Second
)

type lookingKey struct{}

// keptKey marks what opens lines that are neither cut nor refused while no server answers, since it takes its time and
// leaves a part behind where it is interrupted: the schema's changes. They are cut where another node takes over.
type keptKey struct{}

// dial opens a line.
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

// lost notes that the database is away, and cuts all lines but those that are kept.
func (l *link) lost(why error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.away = why
	for open := range l.lines {
		if !open.kept {
			_ = open.Conn.Close() // whoever reads from it is told
			delete(l.lines, open)
		}
	}
}

// used is the host that is used, by its place in the order.
func (l *link) used() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.at
}

// address is that of the host that is used.
func (l *link) address() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.current
}

// use has another host used. Where the one before is gone, lines to it are cut; otherwise each ends after what it is
// in the midst of.
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

// isUsed reports whether a host is the one that is used.
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
	probes bool // it is there to look at the host, used or not
	kept   bool // it is not cut while no host answers
}

// Close closes the connection.
func (l *line) Close() error {
	l.of.mu.Lock()
	delete(l.of.lines, l)
	l.of.mu.Unlock()
	return l.Conn.Close()
}

// errElsewhere is why an idle connection is not used any more.
var errElsewhere = errors.New("another node is used now")

// SyscallConn lets the driver look whether an idle connection can be used still.
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

// lookTime is how long the database may take to answer who looks for it.
const lookTime = 2 * time.Second

// Look looks for the database by a line of its own. Where it does not answer, all other lines are cut, and nobody else
// gets one until Look finds it again. Of several nodes, it has the first used that can be written to.
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
	case err == nil, errors.As(err, &refused): // it answers, if only that it has no place left
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

// Away is why the database is known to be away; nil where it is not.
func (s *Store) Away() error {
	if err := s.link.isAway(); err != nil {
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return nil
}
