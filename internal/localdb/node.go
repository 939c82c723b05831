package localdb

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
)

// nodeSettings is how a server runs as a node of a cluster.
type nodeSettings struct {
	node   *Node
	begins bool // the cluster begins with it
}

// statements leave the accounts of a server, on the node that begins; the others get them with the data. Accounts may
// come over loopback.
func (s *nodeSettings) statements(names *secrets) string {
	if !s.begins {
		return ""
	}
	return names.statements() + fmt.Sprintf("CREATE USER IF NOT EXISTS '%[1]s'@'127.0.0.1' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON `%[3]s%%`.* TO '%[1]s'@'127.0.0.1';\n", account, names.Service, Schema)
}

// args are the server's settings for Galera. A node that does not answer for two seconds is left out by the others.
func (s *nodeSettings) args() []string {
	p := s.node.ports
	group := make([]string, len(s.node.cluster.Nodes))
	for i, n := range s.node.cluster.Nodes {
		group[i] = n.at(n.ports.Group)
	}
	args := []string{
		"--skip-networking=0", "--bind-address=127.0.0.1", fmt.Sprintf("--port=%d", p.SQL),
		"--binlog-format=ROW", "--innodb-autoinc-lock-mode=2", "--default-storage-engine=InnoDB",
		"--wsrep-on=ON", "--wsrep-provider=" + galeraLibrary,
		"--wsrep-cluster-name=dtally", "--wsrep-cluster-address=gcomm://" + strings.Join(group, ","),
		"--wsrep-node-name=" + s.node.Name, "--wsrep-node-address=127.0.0.1",
		"--wsrep-slave-threads=2", "--wsrep-sst-method=rsync",
		"--wsrep-sst-receive-address=" + s.node.at(p.State),
		"--wsrep-provider-options=" + strings.Join([]string{
			"gmcast.listen_addr=tcp://" + s.node.at(p.Group), "ist.recv_addr=" + s.node.at(p.Changes),
			"gcache.size=64M", "evs.keepalive_period=PT0.5S", "evs.suspect_timeout=PT2S", "evs.inactive_timeout=PT4S",
			"evs.inactive_check_period=PT0.5S", "evs.install_timeout=PT4S",
		}, ";"),
	}
	if s.begins {
		args = append(args, "--wsrep-new-cluster")
	}
	return args
}

// The scripts that carry data to a new node.
var scripts = []string{"wsrep_sst_common", "wsrep_sst_rsync"}

// scriptsFolder is where nodes find the scripts that carry data to a new node: where the system has them, or else a
// copy in the cluster's folder of those that need.sh has fetched.
func (c *Cluster) scriptsFolder() (string, error) {
	if at, err := program(scripts[1]); err == nil {
		return filepath.Dir(at), nil
	}
	cache, err := os.UserCacheDir()
	if err != nil {
		return "", err
	}
	folder := filepath.Join(c.dir, "scripts")
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", err
	}
	for _, name := range scripts {
		text, err := os.ReadFile(filepath.Join(cache, "dtally-galera", "usr", "bin", name))
		if err != nil {
			return "", fmt.Errorf("the scripts that carry data to a new node are missing: %w; "+
				"./scripts/need.sh galera fetches them", err)
		}
		if err := os.WriteFile(filepath.Join(folder, name), text, 0o755); err != nil {
			return "", err
		}
	}
	return folder, nil
}

// environment has the scripts on the path.
func (s *nodeSettings) environment() []string {
	path := strings.Join([]string{s.node.cluster.scripts, os.Getenv("PATH"), "/usr/sbin:/usr/bin:/sbin:/bin"}, ":")
	return append(os.Environ(), "PATH="+path, "HOME="+s.node.dir)
}
