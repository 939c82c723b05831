package localdb

import (
	"fmt"
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"dappertally/deploy"
)

// nodeSettings is how a server runs as a node of a cluster.
type nodeSettings struct {
	node   *Node
	begins bool   // the cluster starts with it
	at     string // its position, from which the others update it; empty: it gets a copy of everything
}

// statements set up the accounts of a server, on the first node; the others get them with the data. Accounts can
// connect from this machine over loopback or the cluster's network.
func (s *nodeSettings) statements(names *secrets) string {
	if !s.begins {
		return ""
	}
	from := loopback
	if network := s.node.cluster.network; network != nil {
		from = network.host()
	}
	return names.statements() + fmt.Sprintf("CREATE USER IF NOT EXISTS '%[1]s'@'%[4]s' IDENTIFIED BY '%[2]s';\n"+
		"GRANT ALL ON `%[3]s%%`.* TO '%[1]s'@'%[4]s';\n", account, names.Service, Schema, from)
}

// args returns the server's settings for Galera: those of deploy/cluster/galera.cnf, with all nodes on this machine.
func (s *nodeSettings) args() ([]string, error) {
	p := s.node.ports
	group := make([]string, len(s.node.cluster.Nodes))
	for i, n := range s.node.cluster.Nodes {
		group[i] = n.at(n.ports.Group)
	}
	settings, err := galeraSettings()
	if err != nil {
		return nil, err
	}
	settings["skip-networking"] = "0"
	settings["bind-address"] = s.node.host()
	settings["port"] = strconv.Itoa(p.SQL)
	settings["wsrep-cluster-address"] = "gcomm://" + strings.Join(group, ",")
	settings["wsrep-node-name"] = s.node.Name
	settings["wsrep-node-address"] = s.node.host()
	settings["wsrep-sst-receive-address"] = s.node.at(p.State)
	settings["wsrep-provider-options"] += ";gmcast.listen_addr=tcp://" + s.node.at(p.Group) +
		";ist.recv_addr=" + s.node.at(p.Changes)
	var args []string
	for _, name := range slices.Sorted(maps.Keys(settings)) {
		args = append(args, "--"+name+"="+settings[name])
	}
	if s.begins {
		args = append(args, "--wsrep-new-cluster")
	}
	if s.at != "" {
		args = append(args, "--wsrep-start-position="+s.at)
	}
	return args, nil
}

// galeraSettings returns the settings of a node by name.
func galeraSettings() (map[string]string, error) {
	text, err := deploy.Files.ReadFile("cluster/galera.cnf")
	if err != nil {
		return nil, err
	}
	settings := map[string]string{}
	for line := range strings.Lines(string(text)) {
		name, value, ok := strings.Cut(line, "=")
		if ok && !strings.HasPrefix(line, "#") {
			settings[strings.TrimSpace(name)] = strings.TrimSpace(value)
		}
	}
	return settings, nil
}

// The scripts that copy data to a new node.
var scripts = []string{"wsrep_sst_common", "wsrep_sst_rsync"}

// scriptsFolder returns the folder with the scripts that copy data to a new node: the system's, or else a copy in the
// cluster's folder of those that need.sh has downloaded.
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
			return "", fmt.Errorf("the scripts that copy data to a new node are missing: %w; ./scripts/need.sh galera installs "+
				"them", err)
		}
		if err := os.WriteFile(filepath.Join(folder, name), text, 0o755); err != nil {
			return "", err
		}
	}
	return folder, nil
}

// begin starts the server's program, in the node's part of the network if there is one.
func (s *nodeSettings) begin(cmd *exec.Cmd) error {
	if network := s.node.cluster.network; network != nil {
		return network.inside(s.node.member, cmd.Start)
	}
	return cmd.Start()
}

// environment adds the scripts to the path.
func (s *nodeSettings) environment() []string {
	path := strings.Join([]string{s.node.cluster.scripts, os.Getenv("PATH"), "/usr/sbin:/usr/bin:/sbin:/bin"}, ":")
	return append(os.Environ(), "PATH="+path, "HOME="+s.node.dir)
}
