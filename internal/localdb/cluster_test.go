package localdb

import (
	"database/sql"
	"testing"
	"time"
)

// TestCluster starts nodes that have the same data: also one that was killed, and all after all were killed.
func TestCluster(t *testing.T) {
	dir := reachable(t)
	c, err := StartCluster(t.Context(), dir, 3)
	if err != nil {
		t.Fatal(err)
	}
	stop := func() {
		if err := c.Stop(); err != nil {
			t.Error(err)
		}
	}
	defer func() { stop() }()
	do(t, c.Nodes[0], `CREATE TABLE kept (x INT PRIMARY KEY)`)
	do(t, c.Nodes[1], `INSERT INTO kept VALUES (1)`)
	c.Nodes[2].Kill()
	do(t, c.Nodes[0], `INSERT INTO kept VALUES (2)`)
	if err := c.Nodes[2].Start(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := rows(t, c.Nodes[2]); got != 2 {
		t.Errorf("a node that was killed has %d rows", got)
	}
	do(t, c.Nodes[2], `INSERT INTO kept VALUES (3)`)
	for _, n := range c.Nodes {
		n.Kill()
	}
	again, err := StartCluster(t.Context(), dir, 3)
	if err != nil {
		t.Fatal(err)
	}
	c = again
	for _, n := range c.Nodes {
		if got := rows(t, n); got != 3 {
			t.Errorf("after all were killed %s has %d rows", n.Name, got)
		}
	}
}

func sqlOf(t *testing.T, n *Node) *sql.DB {
	t.Helper()
	db, err := sql.Open("mysql", n.DSN())
	if err != nil {
		t.Fatal(err)
	}
	return db
}

func do(t *testing.T, n *Node, statement string) {
	t.Helper()
	db := sqlOf(t, n)
	defer db.Close()
	for end := time.Now().Add(10 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		_, err := db.Exec(statement) // refused while the nodes agree on who is left
		if err == nil {
			return
		}
		if time.Now().After(end) {
			t.Fatalf("%s: %s: %v", n.Name, statement, err)
		}
	}
}

// rows counts the rows of a table once the node has what the others had.
func rows(t *testing.T, n *Node) (count int) {
	t.Helper()
	db := sqlOf(t, n)
	defer db.Close()
	if err := db.QueryRow(`SET STATEMENT wsrep_sync_wait = 1 FOR SELECT COUNT(*) FROM kept`).Scan(&count); err != nil {
		t.Fatal(err)
	}
	return count
}
