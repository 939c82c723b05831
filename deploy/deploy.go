// Package deploy holds the settings files that administrators start with. The tests and the trial cluster use the
// same files.
package deploy

import "embed"

// Files are the settings files: cluster/galera.cnf, cluster/haproxy.cfg, cluster/dtally.yaml, and alerts.yaml for
// Prometheus.
//
//go:embed cluster alerts.yaml
var Files embed.FS
