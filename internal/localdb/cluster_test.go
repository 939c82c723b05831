package localdb

import (
	"context"
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

// TestNetwork cuts a node off from the others: they work on, it refuses, and it returns by itself.
func TestNetwork(t *testing.T) {
	network, err := NewNetwork()
	if err != nil {
		t.Skip("no network of its own can be made here: ", err)
	}
	defer func() {
		if err := network.Close(); err != nil {
			t.Error(err)
		}
	}()
	c, err := StartClusterOn(t.Context(), network, reachable(t), 3)
	if err != nil {
		t.Fatal(err)
	}
	defer func() {
		if err := c.Stop(); err != nil {
			t.Error(err)
		}
	}()
	do(t, c.Nodes[0], `CREATE TABLE kept (x INT PRIMARY KEY)`)
	if err := c.Nodes[0].Cut(true); err != nil {
		t.Fatal(err)
	}
	short, cancel := context.WithTimeout(t.Context(), 2*time.Second)
	defer cancel()
	if state, err := c.Nodes[0].State(short); err == nil {
		t.Errorf("a node that is cut off answers: %s", state)
	}
	do(t, c.Nodes[1], `INSERT INTO kept VALUES (1)`)
	if got := rows(t, c.Nodes[2]); got != 1 {
		t.Errorf("the other side of the cut has %d rows", got)
	}
	if err := c.Nodes[0].Cut(false); err != nil {
		t.Fatal(err)
	}
	if err := c.Nodes[0].await(t.Context()); err != nil {
		t.Fatal(err)
	}
	if got := rows(t, c.Nodes[0]); got != 1 {
		t.Errorf("back again it has %d rows", got)
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

// rows counts the rows of a table once the node has received the others' writes.
func rows(t *testing.T, n *Node) (count int) {
	t.Helper()
	db := sqlOf(t, n)
	defer db.Close()
	if err := db.QueryRow(`SET STATEMENT wsrep_sync_wait = 1 FOR SELECT COUNT(*) FROM kept`).Scan(&count); err != nil {
		t.Fatal(err)
	}
	return count
}
