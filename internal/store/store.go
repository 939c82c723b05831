// Package store keeps the records in MariaDB. It contains all SQL of the product.
package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/google/uuid"
)

// The kinds of failure that callers distinguish.
var (
	ErrNotFound    = errors.New("not found")
	ErrExists      = errors.New("exists already")
	ErrStale       = errors.New("was changed by somebody else")
	ErrUnavailable = errors.New("the database cannot be reached")
	ErrSlow        = errors.New("the database did not answer in time")
	ErrFull        = errors.New("the database's disk is full")
	ErrBusy        = errors.New("another transaction is blocking this one")
)

// Store is the database.
type Store struct {
	db      *sql.DB
	patient *sql.DB          // for what can take long: the schema, backups
	fresh   driver.Connector // for checks of the database
	link    *link
	hosts   *hosts // nil: a single server
	cluster clustering
	writers chan struct{} // a slot for each transaction that writes

	// Room returns how many bytes the database's disk has free; nil, or not ok, if that is not known.
	Room func() (free uint64, ok bool)
}

// The number of connections to the database, and how many of them can write at once: the rest serves readers, also
// while writers wait for each other's locks.
const (
	connections = 32
	mostWriters = 20
	lockWait    = 10 // seconds; less than a request can take, so that the caller learns the reason
)

// Open connects to the database at an address (see ParseAddress), such as user:password@tcp(127.0.0.1:3306)/dtally.
// It does not wait for it to answer.
func Open(address string) (*Store, error) {
	a, err := ParseAddress(address)
	if err != nil {
		return nil, err
	}
	cfg := a.cfg
	cfg.ParseTime = true
	cfg.Loc = time.UTC
	cfg.Collation = "utf8mb4_bin"
	cfg.ClientFoundRows = true
	cfg.InterpolateParams = true
	lines := &link{lines: map[*line]struct{}{}, current: a.hosts[0]}
	cfg.DialFunc = lines.dial
	cfg.Timeout = dialTime
	cfg.Logger = driverLog{}
	if cfg.Params == nil {
		cfg.Params = map[string]string{}
	}
	cfg.Params["innodb_lock_wait_timeout"] = fmt.Sprint(lockWait)
	cfg.Params["time_zone"] = "'+00:00'"
	cfg.Params["sql_mode"] = "'STRICT_ALL_TABLES,ERROR_FOR_DIVISION_BY_ZERO,NO_ENGINE_SUBSTITUTION,NO_ZERO_DATE,NO_ZERO_IN_DATE'"
	hurried, err := a.route(lines, silence)
	if err != nil {
		return nil, err
	}
	unhurried, err := a.route(lines, 0)
	if err != nil {
		return nil, err
	}
	db := sql.OpenDB(timed{hurried})
	db.SetMaxOpenConns(connections)
	db.SetMaxIdleConns(8)
	db.SetConnMaxIdleTime(time.Minute)
	s := &Store{db: db, fresh: hurried, link: lines, writers: make(chan struct{}, mostWriters)}
	s.patient = sql.OpenDB(caughtUp{unhurried, s})
	s.patient.SetMaxIdleConns(1)
	s.patient.SetConnMaxIdleTime(time.Second)
	if len(a.hosts) > 1 {
		probes := make([]*sql.DB, len(a.hosts))
		for i, connector := range hurried.each {
			probes[i] = sql.OpenDB(connector)
			probes[i].SetMaxOpenConns(1)
		}
		s.hosts = watchHosts(a.hosts, lines, probes)
	}
	return s, nil
}

// route returns a way to each host; its connections end after a long silence during an exchange.
func (a *Address) route(l *link, silence time.Duration) (*route, error) {
	r := &route{link: l}
	for _, host := range a.hosts {
		cfg := a.cfg.Clone()
		cfg.Addr, cfg.ReadTimeout, cfg.WriteTimeout = host, silence, silence
		connector, err := mysql.NewConnector(cfg)
		if err != nil {
			return nil, fmt.Errorf("the database's address is malformed: %w", err)
		}
		r.each = append(r.each, connector)
	}
	return r, nil
}

// driverLog receives the driver's messages about connections that it repairs by itself.
type driverLog struct{}

func (driverLog) Print(v ...any) { slog.Debug("database driver", "says", fmt.Sprint(v...)) }

// Close ends all connections.
func (s *Store) Close() error {
	err := errors.Join(s.db.Close(), s.patient.Close())
	if s.hosts != nil {
		err = errors.Join(err, s.hosts.close())
	}
	return err
}

// Load returns how the connections to the database are used.
func (s *Store) Load() sql.DBStats { return s.db.Stats() }

// Ping returns an error if the database does not answer. Of several nodes it first selects one that is writable.
func (s *Store) Ping(ctx context.Context) error {
	if s.hosts != nil {
		for range silentTimes {
			if err := s.Look(ctx); err != nil {
				return err
			}
		}
	}
	return translate(s.db.PingContext(ctx))
}

// NewID makes an id: a UUID of version 7, which sorts by time.
func NewID() string { return uuid.Must(uuid.NewV7()).String() }

// Error numbers of the server that are distinguished.
const (
	duplicateKey   = 1062
	noParent       = 1452
	lockTimeout    = 1205
	deadlock       = 1213
	shutdown       = 1053
	tooMany        = 1040
	mostOfUser     = 1203
	wrongUUID      = 1292
	diskFull       = 1021
	fileUnwritten  = 1026
	engineFailed   = 1030 // with the system's error behind it
	tableFull      = 1114
	readOnlyServer = 1290
	interrupted    = 1317
	tookTooLong    = 1969
	notPrepared    = 1047 // a node without contact to the others
	commitFailed   = 1180
	noSuchVariable = 1193
	noSuchTable    = 1146
)

func isNoTable(err error) bool {
	var my *mysql.MySQLError
	return errors.As(err, &my) && my.Number == noSuchTable
}

func isUnknownVariable(err error) bool {
	var my *mysql.MySQLError
	return errors.As(err, &my) && my.Number == noSuchVariable
}

// translate turns a driver's error into one of this package's kinds, keeping it.
func translate(err error) error {
	var my *mysql.MySQLError
	var net interface{ Timeout() bool }
	switch {
	case err == nil:
		return nil
	case errors.Is(err, sql.ErrNoRows):
		return fmt.Errorf("%w", ErrNotFound)
	case errors.As(err, &my):
		switch my.Number {
		case duplicateKey:
			return fmt.Errorf("%w: %w", ErrExists, err)
		case noParent, wrongUUID:
			return fmt.Errorf("%w: %w", ErrNotFound, err)
		case lockTimeout, deadlock, tooMany, mostOfUser:
			return fmt.Errorf("%w: %w", ErrBusy, err)
		case diskFull, tableFull, fileUnwritten:
			return fmt.Errorf("%w: %w", ErrFull, err)
		case engineFailed:
			if strings.Contains(my.Message, "No space left") || strings.Contains(my.Message, "error 28") {
				return fmt.Errorf("%w: %w", ErrFull, err)
			}
		case interrupted, tookTooLong:
			return fmt.Errorf("%w: %w", ErrSlow, err)
		case shutdown, readOnlyServer, notPrepared:
			return fmt.Errorf("%w: %w", ErrUnavailable, err)
		}
		return err
	case errors.Is(err, context.DeadlineExceeded) && !errors.Is(err, errAway):
		return fmt.Errorf("%w: %w", ErrSlow, err)
	case errors.Is(err, errAway), errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn),
		errors.As(err, &net):
		return fmt.Errorf("%w: %w", ErrUnavailable, err)
	}
	return err
}
