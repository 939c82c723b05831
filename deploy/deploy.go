// Package deploy holds the settings files that administrators begin with. The tests and the trial cluster use the same
// files.
package deploy

import "embed"

// Files are the settings files: cluster/galera.cnf, cluster/haproxy.cfg and cluster/dtally.yaml.
//
//go:embed cluster
var Files embed.FS
