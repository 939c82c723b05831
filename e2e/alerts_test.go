package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// TestAlerts has Prometheus's own tool check the alert rules.
func TestAlerts(t *testing.T) {
	tool, err := exec.LookPath("promtool")
	if err != nil {
		cache, none := os.UserCacheDir()
		if none != nil {
			t.Fatal(none)
		}
		tool = filepath.Join(cache, "dtally-galera/usr/bin/promtool")
	}
	if says, err := exec.Command(tool, "check", "rules", "../deploy/alerts.yaml").CombinedOutput(); err != nil {
		t.Errorf("%v: %s", err, says)
	}
}
