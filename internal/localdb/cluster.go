package localdb

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Cluster is several MariaDB servers on this machine that replicate each other with Galera, for trials and tests.
type Cluster struct {
	Nodes   []*Node
	dir     string
	names   secrets  // passwords of the accounts, which all nodes share
	scripts string   // the folder of the scripts that copy data to a new node
	network *Network // the network of the nodes; nil: loopback
}

// Node is one server of a cluster.
type Node struct {
	Name    string
	Address string // HOST:PORT for SQL
	cluster *Cluster
	member  int // in the cluster's network
	dir     string
	ports   ports
	mu      sync.Mutex
	server  *Server // the last one started; nil: none yet
}

// ports are the ports of a node: SQL, group communication, and the two ways of copying data to a new node.
type ports struct{ SQL, Group, Changes, State int }

// StartCluster starts a cluster of so many nodes with its data in dir, which it creates if needed. A cluster that was
// stopped, or died as a whole, starts with the node that has the newest data.
func StartCluster(ctx context.Context, dir string, nodes int) (*Cluster, error) {
	return startCluster(ctx, &Cluster{dir: dir}, nodes)
}

// StartClusterOn is StartCluster with each node in a part of its own of a network without members.
func StartClusterOn(ctx context.Context, network *Network, dir string, nodes int) (*Cluster, error) {
	for range nodes {
		if err := network.join(); err != nil {
			return nil, err
		}
	}
	return startCluster(ctx, &Cluster{dir: dir, network: network}, nodes)
}

func startCluster(ctx context.Context, c *Cluster, nodes int) (*Cluster, error) {
	if _, err := os.Stat(galeraLibrary); err != nil {
		return nil, fmt.Errorf("the replication engine is missing; on Debian: apt-get install galera-4 (%w)", err)
	}
	if err := os.MkdirAll(c.dir, 0o711); err != nil {
		return nil, err
	}
	if err := c.shared(); err != nil {
		return nil, err
	}
	var err error
	if c.scripts, err = c.scriptsFolder(); err != nil {
		return nil, err
	}
	for i := range nodes {
		n := &Node{Name: fmt.Sprintf("node%d", i+1), cluster: c, member: i}
		n.dir = filepath.Join(c.dir, n.Name)
		if n.ports, err = n.chosen(); err != nil {
			return nil, err
		}
		n.Address = n.at(n.ports.SQL)
		c.Nodes = append(c.Nodes, n)
	}
	first, err := c.newest(ctx)
	if err != nil {
		return nil, err
	}
	if err := first.start(ctx, true); err != nil {
		return nil, errors.Join(err, c.Stop())
	}
	for _, n := range c.Nodes {
		if n != first {
			if err := n.Start(ctx); err != nil {
				return nil, errors.Join(err, c.Stop())
			}
		}
	}
	return c, nil
}

// galeraLibrary is the path of the library in Debian's package galera-4.
const galeraLibrary = "/usr/lib/galera/libgalera_smm.so"

// shared reads or creates the passwords that all nodes share.
func (c *Cluster) shared() error {
	f := folder{top: c.dir}
	text, err := os.ReadFile(filepath.Join(c.dir, secretsFile))
	if errors.Is(err, os.ErrNotExist) {
		c.names = newSecrets()
		text, err = json.Marshal(c.names)
		if err != nil {
			return err
		}
		_, err = f.keep(secretsFile, string(text))
		return err
	}
	if err != nil {
		return err
	}
	return json.Unmarshal(text, &c.names)
}

// DSN returns the address of the cluster for a service: all nodes in order.
func (c *Cluster) DSN() string {
	addresses := make([]string, len(c.Nodes))
	for i, n := range c.Nodes {
		addresses[i] = n.Address
	}
	return fmt.Sprintf("%s:%s@tcp(%s)/%s", account, c.names.Service, strings.Join(addresses, ","), Schema)
}

// Stop ends all nodes, the first one last, so that it has the newest data.
func (c *Cluster) Stop() error {
	for i := len(c.Nodes) - 1; i >= 0; i-- {
		c.Nodes[i].Stop()
	}
	return nil
}

// newest returns the node with the newest data, if all nodes are down.
func (c *Cluster) newest(ctx context.Context) (*Node, error) {
	best, most := c.Nodes[0], int64(-1)
	for _, n := range c.Nodes {
		at, err := n.position(ctx)
		if err != nil {
			return nil, err
		}
		if number := numberOf(at); number > most {
			best, most = n, number
		}
	}
	return best, nil
}

// DSN returns the address of only this node for a service.
func (n *Node) DSN() string {
	return fmt.Sprintf("%s:%s@tcp(%s)/%s", account, n.cluster.names.Service, n.Address, Schema)
}

// host returns the node's address.
func (n *Node) host() string {
	if network := n.cluster.network; network != nil {
		return network.address(n.member)
	}
	return loopback
}

const loopback = "127.0.0.1"

func (n *Node) at(port int) string { return net.JoinHostPort(n.host(), strconv.Itoa(port)) }

// chosen returns the node's ports: those it had before, or new ones that are free.
func (n *Node) chosen() (p ports, err error) {
	file := filepath.Join(n.cluster.dir, n.Name+".ports")
	if text, err := os.ReadFile(file); err == nil && json.Unmarshal(text, &p) == nil {
		return p, nil
	}
	for _, port := range []*int{&p.SQL, &p.Group, &p.Changes, &p.State} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return p, err
		}
		defer l.Close() // after all were chosen, so that they differ
		*port = l.Addr().(*net.TCPAddr).Port
	}
	text, err := json.Marshal(p)
	if err != nil {
		return p, err
	}
	return p, os.WriteFile(file, text, 0o644)
}

// stateFile is where Galera stores the position of a node.
func (n *Node) stateFile() string { return filepath.Join(n.dir, serverFolder, "data", "grastate.dat") }

// position returns the position of a node that is down, as Galera counts: UUID:NUMBER; empty for a new one.
func (n *Node) position(ctx context.Context) (string, error) {
	text, err := os.ReadFile(n.stateFile())
	if errors.Is(err, os.ErrNotExist) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	state := map[string]string{}
	for line := range strings.Lines(string(text)) {
		name, value, _ := strings.Cut(line, ":")
		state[name] = strings.TrimSpace(value)
	}
	if strings.HasPrefix(state["seqno"], "-") {
		return n.recovered(ctx) // it died
	}
	return state["uuid"] + ":" + state["seqno"], nil
}

// numberOf returns the number of transactions of a position; -1 for none.
func numberOf(position string) int64 {
	_, text, _ := strings.Cut(position, ":")
	number, err := strconv.ParseInt(text, 10, 64)
	if err != nil {
		return -1
	}
	return number
}

// recovered determines the position of a node that died from its data.
func (n *Node) recovered(ctx context.Context) (string, error) {
	bin, err := program("mariadbd", "mysqld")
	if err != nil {
		return "", err
	}
	own := filepath.Join(n.dir, serverFolder)
	owner, err := ownerOf(own)
	if err != nil {
		return "", err
	}
	log := filepath.Join(own, "recover.log")
	defer os.Remove(log)
	cmd := exec.CommandContext(ctx, bin, "--no-defaults", "--datadir="+filepath.Join(own, "data"), "--wsrep-on=ON",
		"--wsrep-provider="+galeraLibrary, "--wsrep-cluster-address=gcomm://", "--wsrep-recover", "--binlog-format=ROW",
		"--innodb-autoinc-lock-mode=2", "--log-error="+log, "--skip-networking",
		"--socket="+filepath.Join(own, "recover"), "--pid-file="+filepath.Join(own, "recover.pid"))
	owner.run(cmd)
	cmd.Dir = "/"
	if says, err := cmd.CombinedOutput(); err != nil {
		return "", fmt.Errorf("asking %s how recent its data is: %w:\n%s", n.Name, err, says)
	}
	says, err := os.ReadFile(log)
	if err != nil {
		return "", err
	}
	for line := range strings.Lines(string(says)) {
		if _, at, ok := strings.Cut(line, "Recovered position:"); ok {
			at, _, _ = strings.Cut(strings.TrimSpace(at), ",")
			return at, nil
		}
	}
	return "", fmt.Errorf("%s does not show how recent its data is:\n%s", n.Name, says)
}

// Start starts a node that is down. It joins the others, and Start returns when it has all of their data.
func (n *Node) Start(ctx context.Context) error { return n.start(ctx, false) }

func (n *Node) start(ctx context.Context, begins bool) error {
	n.Stop() // one that ended by itself still holds the folder
	f, err := open(n.dir)
	if err != nil {
		return err
	}
	at, err := n.position(ctx)
	if err != nil {
		return err
	}
	s := &Server{folder: f, node: &nodeSettings{n, begins, at}, secrets: n.cluster.names}
	if begins {
		if err := n.mayBegin(); err != nil {
			return err
		}
	}
	if err := s.start(ctx); err != nil {
		s.folder.release()
		return fmt.Errorf("%s: %w", n.Name, err)
	}
	n.mu.Lock()
	n.server = s
	n.mu.Unlock()
	return n.await(ctx)
}

// mayBegin marks a node as the one with which the cluster starts.
func (n *Node) mayBegin() error {
	text, err := os.ReadFile(n.stateFile())
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	marked := strings.Replace(string(text), "safe_to_bootstrap: 0", "safe_to_bootstrap: 1", 1)
	return os.WriteFile(n.stateFile(), []byte(marked), 0o600)
}

// joinTime is how long a node can take to get the data of the others.
const joinTime = 2 * time.Minute

// await waits until the node has the data of the others.
func (n *Node) await(ctx context.Context) error {
	limited, cancel := context.WithTimeout(ctx, joinTime)
	defer cancel()
	for {
		state, err := n.State(limited)
		if err == nil && state == "Synced" {
			return nil
		}
		select {
		case <-limited.Done():
			return fmt.Errorf("%s did not join the others: %s, %w; its log is %s",
				n.Name, state, errors.Join(err, limited.Err()), n.running().folder.log())
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// State returns the state of a node towards the others, in Galera's words, such as Synced.
func (n *Node) State(ctx context.Context) (string, error) {
	cfg, err := mysql.ParseDSN(n.DSN())
	if err != nil {
		return "", err
	}
	cfg.Logger = quiet{}
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return "", err
	}
	db := sql.OpenDB(connector)
	defer db.Close()
	var name, state string
	err = db.QueryRowContext(ctx, `SHOW GLOBAL STATUS LIKE 'wsrep_local_state_comment'`).Scan(&name, &state)
	return state, err
}

func (n *Node) running() *Server {
	n.mu.Lock()
	defer n.mu.Unlock()
	return n.server
}

// Stop ends a node regularly.
func (n *Node) Stop() {
	if s := n.running(); s != nil {
		s.Stop()
	}
}

// Kill ends a node like a power failure, and waits until it is gone.
func (n *Node) Kill() {
	s := n.running()
	_ = s.now.cmd.Process.Kill() // an error means that it has ended
	<-s.now.done
	s.Stop()
}

// Pause stops or continues the processes of a node without any notice.
func (n *Node) Pause(on bool) error {
	signal := syscall.SIGCONT
	if on {
		signal = syscall.SIGSTOP
	}
	return n.running().now.cmd.Process.Signal(signal)
}

// Isolate disconnects a node from the others, in both directions, or reconnects it. Clients can always reach it.
func (n *Node) Isolate(ctx context.Context, on bool) error {
	db, err := n.running().asRoot()
	if err != nil {
		return err
	}
	defer db.Close()
	option := "gmcast.isolate=0"
	if on {
		option = "gmcast.isolate=1"
	}
	_, err = db.ExecContext(ctx, `SET GLOBAL wsrep_provider_options = ?`, option)
	return err
}

// Cut disconnects a node from the network like a pulled cable: nobody can reach it, and it can reach nobody; or it
// reconnects the node.
func (n *Node) Cut(on bool) error { return n.cluster.network.cut(n.member, on) }

// Process returns the process id of the node's server.
func (n *Node) Process() int { return n.running().Process() }

// Ended is closed when the node's server has ended.
func (n *Node) Ended() <-chan struct{} { return n.running().Done() }
