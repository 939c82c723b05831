package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"strconv"
	"strings"
	"sync"
	"time"
)

// Instance is an instance of the service that uses, or used, the database.
type Instance struct {
	ID     string
	Silent time.Duration   // time since its last report
	Report json.RawMessage // its report
}

// rememberInstances is for how many seconds a silent instance is kept.
const rememberInstances = 24 * 3600

// PutInstance stores the report of an instance.
func (s *Store) PutInstance(ctx context.Context, id string, report []byte) error {
	if _, err := s.db.ExecContext(ctx,
		`DELETE FROM instances WHERE seen < UTC_TIMESTAMP(6) - INTERVAL ? SECOND`, rememberInstances); err != nil {
		return translate(err)
	}
	_, err := s.db.ExecContext(ctx,
		`INSERT INTO instances (id, seen, report) VALUES (?, UTC_TIMESTAMP(6), ?)
		ON DUPLICATE KEY UPDATE seen = VALUES(seen), report = VALUES(report)`, id, string(report))
	return translate(err)
}

// EndInstance removes an instance that stops.
func (s *Store) EndInstance(ctx context.Context, id string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM instances WHERE id = ?`, id)
	return translate(err)
}

// Instances lists the instances with a report within a time, in the order in which they started.
func (s *Store) Instances(ctx context.Context, within time.Duration) (all []Instance, err error) {
	err = each(ctx, s.db,
		`SELECT id, GREATEST(0, TIMESTAMPDIFF(MICROSECOND, seen, UTC_TIMESTAMP(6))), report FROM instances
		WHERE seen > UTC_TIMESTAMP(6) - INTERVAL ? SECOND ORDER BY id`, []any{int(within.Seconds())},
		func(row *sql.Rows) error {
			var x Instance
			var silent int64
			var report string
			err := row.Scan(&x.ID, &silent, &report)
			x.Silent, x.Report = time.Duration(silent)*time.Microsecond, json.RawMessage(report)
			all = append(all, x)
			return err
		})
	return all, err
}

// DatabaseNode is a server in the database's address.
type DatabaseNode struct {
	Address string
	Used    bool   // it is the one that this instance uses
	Problem string // why it is not writable; empty if it is
	Version string // of MariaDB; empty if the server does not answer
	Members int    // number of connected nodes, including itself; 0: not a node of a cluster
	Queue   int    // write sets of the cluster that were received and not applied yet
}

// DatabaseNodes returns the state of every server of the address, in order.
func (s *Store) DatabaseNodes(ctx context.Context) []DatabaseNode {
	ctx, cancel := context.WithTimeout(ctx, probeTime)
	defer cancel()
	if s.hosts == nil {
		return []DatabaseNode{askNode(ctx, s.link.address(), s.db, true)}
	}
	ctx = context.WithValue(ctx, lookingKey{}, true)
	nodes := make([]DatabaseNode, len(s.hosts.probes))
	var asked sync.WaitGroup
	for i, db := range s.hosts.probes {
		asked.Go(func() { nodes[i] = askNode(ctx, s.hosts.names[i], db, s.link.isUsed(s.hosts.names[i])) })
	}
	asked.Wait()
	return nodes
}

func askNode(ctx context.Context, address string, db *sql.DB, used bool) DatabaseNode {
	n := DatabaseNode{Address: address, Used: used}
	if err := writable(ctx, db); err != nil {
		n.Problem = err.Error()
	}
	if err := db.QueryRowContext(ctx, `SELECT VERSION()`).Scan(&n.Version); err != nil {
		return n
	}
	err := each(ctx, db, `SHOW GLOBAL STATUS WHERE variable_name IN
		('wsrep_connected', 'wsrep_cluster_size', 'wsrep_local_recv_queue')`, nil,
		func(row *sql.Rows) error {
			var name, value string
			err := row.Scan(&name, &value)
			if err != nil {
				return err
			}
			switch strings.ToLower(name) {
			case "wsrep_cluster_size":
				n.Members, err = strconv.Atoi(value)
			case "wsrep_local_recv_queue":
				n.Queue, err = strconv.Atoi(value)
			}
			return err
		})
	if err != nil && n.Problem == "" {
		n.Problem = err.Error()
	}
	return n
}
