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
	mu    sync.Mutex
	away  error
	lines map[*line]struct{}
}

// errAway is why no line to the database is opened.
var errAway = errors.New("the database is away")

// Timeouts of a line: to open it, and of silence in the midst of an exchange, which is longer than any request waits.
const (
	dialTime = 3 * time.Second
	silence  = 20 * time.Second
)

type lookingKey struct{}

// dial opens a line.
func (l *link) dial(ctx context.Context, network, address string) (net.Conn, error) {
	if err := l.isAway(); err != nil && ctx.Value(lookingKey{}) == nil {
		return nil, fmt.Errorf("%w: %w", errAway, err)
	}
	dialer := net.Dialer{Timeout: dialTime}
	conn, err := dialer.DialContext(ctx, network, address)
	if err != nil {
		return nil, err
	}
	open := &line{conn, l}
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

// lost takes in that the database is away, and cuts all lines.
func (l *link) lost(why error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.away = why
	for open := range l.lines {
		_ = open.Conn.Close() // whoever reads from it is told
	}
	clear(l.lines)
}

func (l *link) back() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.away = nil
}

// line is one connection. It leaves the link when it is closed.
type line struct {
	net.Conn
	of *link
}

// Close closes the connection.
func (l *line) Close() error {
	l.of.mu.Lock()
	delete(l.of.lines, l)
	l.of.mu.Unlock()
	return l.Conn.Close()
}

// SyscallConn lets the driver look whether an idle connection is open still.
func (l *line) SyscallConn() (syscall.RawConn, error) {
	raw, ok := l.Conn.(syscall.Conn)
	if !ok {
		return nil, errors.ErrUnsupported
	}
	return raw.SyscallConn()
}

// lookTime is how long the database may take to answer who looks for it.
const lookTime = 2 * time.Second

// Look looks for the database by a line of its own. Where it does not answer, all other lines are cut, and nobody else
// gets one until Look finds it again.
func (s *Store) Look(ctx context.Context) error {
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
