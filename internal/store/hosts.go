package store

import (
	"context"
	"database/sql"
	"database/sql/driver"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"
)

// route opens connections to the current host.
type route struct {
	link *link
	each []driver.Connector // by host
}

// Connect opens a connection to the current host.
func (r *route) Connect(ctx context.Context) (driver.Conn, error) {
	return r.each[r.link.used()].Connect(ctx)
}

// Driver returns their common driver.
func (r *route) Driver() driver.Driver { return r.each[0].Driver() }

// hosts are the nodes of a cluster. All connections go to one of them: the first that is writable. All instances have
// the same order, so they write to the same node.
type hosts struct {
	names  []string
	link   *link
	probes []*sql.DB // by host, one connection each
	stop   context.CancelFunc
	ended  chan struct{}

	mu     sync.Mutex // held during a check of all hosts
	failed int        // consecutive failures of the current host
	steady int        // consecutive successes of a preferred host

	turn  sync.Mutex
	round chan struct{} // closed after the next check of all hosts
}

// How often the nodes are checked, how long each can take to answer, how many consecutive timeouts of the current
// node lead to another one, and how many consecutive successes of a preferred node lead back to it.
const (
	probeEvery  = 500 * time.Millisecond
	probeTime   = time.Second
	silentTimes = 2
	steadyTimes = 10
)

// watchHosts starts checking the nodes, until close.
func watchHosts(names []string, l *link, probes []*sql.DB) *hosts {
	ctx, stop := context.WithCancel(context.WithValue(context.Background(), lookingKey{}, true))
	h := &hosts{names: names, link: l, probes: probes, stop: stop, ended: make(chan struct{}), round: make(chan struct{})}
	go func() {
		defer close(h.ended)
		tick := time.NewTicker(probeEvery)
		defer tick.Stop()
		for {
			_ = h.look(ctx) // users of the database get the error
			h.turn.Lock()
			close(h.round)
			h.round = make(chan struct{})
			h.turn.Unlock()
			select {
			case <-ctx.Done():
				return
			case <-tick.C:
			}
		}
	}()
	return h
}

func (h *hosts) close() error {
	h.stop()
	<-h.ended
	var errs []error
	for _, db := range h.probes {
		errs = append(errs, db.Close())
	}
	return errors.Join(errs...)
}

// look checks whether every node is writable, and switches to another if the current one is not. It fails if none is.
func (h *hosts) look(ctx context.Context) error {
	h.mu.Lock()
	defer h.mu.Unlock()
	errs := h.ask(ctx)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	best := slices.IndexFunc(errs, func(err error) bool { return err == nil })
	used := h.link.used()
	switch away := h.link.isAway() != nil; {
	case best < 0:
		err := fmt.Errorf("no node of the database can be written to: %w", errors.Join(errs...))
		h.failed++
		// All nodes can be slow at once, as while the schema is changed.
		if !away && (h.failed >= silentTimes || !errors.Is(errs[used], context.DeadlineExceeded)) {
			slog.Error("the database is away", "why", err)
			h.link.lost(err)
		}
		return err
	case errs[used] != nil:
		h.steady, h.failed = 0, h.failed+1
		if away || h.failed >= silentTimes || !errors.Is(errs[used], context.DeadlineExceeded) {
			h.change(best, errs[used])
		}
	case best < used:
		h.failed, h.steady = 0, h.steady+1
		if away || h.steady >= steadyTimes {
			h.change(best, nil)
		}
	default:
		h.failed, h.steady = 0, 0
	}
	if errs[h.link.used()] == nil {
		h.link.back()
	}
	return nil
}

// change switches to another node; why is what is wrong with the previous one, nil if nothing is.
func (h *hosts) change(to int, why error) {
	h.failed, h.steady = 0, 0
	if to == h.link.used() {
		return
	}
	if before := h.names[h.link.used()]; why != nil {
		slog.Warn("another node of the database is used", "node", h.names[to], "before", before, "why", why)
	} else {
		slog.Info("a preferred node of the database is used again", "node", h.names[to], "before", before)
	}
	h.link.use(to, h.names[to], why != nil)
}

// ask returns why each node is not writable; nil if it is.
func (h *hosts) ask(ctx context.Context) []error {
	ctx, cancel := context.WithTimeout(ctx, probeTime)
	defer cancel()
	errs := make([]error, len(h.probes))
	var asked sync.WaitGroup
	for i, db := range h.probes {
		asked.Go(func() {
			if err := writable(ctx, db); err != nil {
				errs[i] = fmt.Errorf("%s: %w", h.names[i], err)
			}
		})
	}
	asked.Wait()
	return errs
}

// writable returns why a server is not writable: it is read-only, or a node without contact to the others.
func writable(ctx context.Context, db *sql.DB) error {
	var readOnly bool
	if err := db.QueryRowContext(ctx, `SELECT @@GLOBAL.read_only`).Scan(&readOnly); err != nil {
		return err
	}
	if readOnly {
		return errors.New("it is read-only")
	}
	rows, err := db.QueryContext(
		ctx, `SHOW GLOBAL STATUS WHERE variable_name IN ('wsrep_ready', 'wsrep_cluster_status', 'wsrep_connected')`,
	)
	if err != nil {
		return err
	}
	defer rows.Close()
	state := map[string]string{}
	for rows.Next() {
		var name, value string
		if err := rows.Scan(&name, &value); err != nil {
			return err
		}
		state[strings.ToLower(name)] = value
	}
	if err := rows.Err(); err != nil {
		return err
	}
	if state["wsrep_connected"] == "ON" &&
		(state["wsrep_ready"] != "ON" || state["wsrep_cluster_status"] != "Primary") {
		return fmt.Errorf("it is disconnected from the other nodes (%s)", state["wsrep_cluster_status"])
	}
	return nil
}

// failoverTime is how long a write waits for another node, if there is one.
const failoverTime = 8 * time.Second

// recovers waits, after a connection was lost, until all nodes were checked and one is writable; false if there is no
// other node, or none becomes writable.
func (s *Store) recovers(ctx context.Context) bool {
	if s.hosts == nil {
		return false
	}
	over := time.NewTimer(failoverTime)
	defer over.Stop()
	for {
		s.hosts.turn.Lock()
		round := s.hosts.round
		s.hosts.turn.Unlock()
		select {
		case <-round:
			if s.link.isAway() == nil {
				return true
			}
		case <-ctx.Done():
			return false
		case <-over.C:
			return false
		}
	}
}

// clustering caches whether the database is a cluster.
type clustering struct{ known, is atomic.Bool }

// clustered reports whether the database replicates with Galera; false if that is not known.
func (s *Store) clustered(ctx context.Context) bool {
	if !s.cluster.known.Load() {
		var on bool
		err := s.db.QueryRowContext(ctx, `SELECT @@GLOBAL.wsrep_on`).Scan(&on)
		if err != nil && !isUnknownVariable(err) {
			return false
		}
		s.cluster.is.Store(on)
		s.cluster.known.Store(true)
	}
	return s.cluster.is.Load()
}

// caughtUp opens connections whose statements see what was committed before on any node.
type caughtUp struct {
	driver.Connector
	of *Store
}

// Connect opens a connection.
func (c caughtUp) Connect(ctx context.Context) (driver.Conn, error) {
	conn, err := c.Connector.Connect(ctx)
	if err != nil || !c.of.clustered(ctx) {
		return conn, err
	}
	const reads, writes, inserts = 1, 2, 4
	set, ok := conn.(driver.ExecerContext)
	if !ok {
		return conn, nil
	}
	wait := fmt.Sprintf("SET SESSION wsrep_sync_wait = %d", reads+writes+inserts)
	if _, err := set.ExecContext(ctx, wait, nil); err != nil {
		return nil, errors.Join(err, conn.Close())
	}
	return conn, nil
}

// Node returns the address of the current server.
func (s *Store) Node() string {
	s.link.mu.Lock()
	defer s.link.mu.Unlock()
	return s.link.current
}
