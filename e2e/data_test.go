package e2e

import (
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"dappertally/internal/dbtest"
)

// TestOneMachine runs the service on a private database: from nothing, killed and started again, together with an
// administrator's commands, and from a backup in a new folder.
func TestOneMachine(t *testing.T) {
	top := dbtest.Folder(t)
	data, kept := filepath.Join(top, "data"), filepath.Join(top, "kept.gz")
	p := launch(t, "dtallyd", "serve", "--data", data, "--listen", "127.0.0.1:0")
	server := p.address(t, listening)
	if !strings.Contains(p.said.String(), "set up the service in a browser") {
		t.Errorf("a new service says:\n%s", p.said)
	}
	add := exec.Command(
		filepath.Join(bin, "dtallyd"),
		"account",
		"add",
		"perrin",
		"--data",
		data,
	)
	add.Stdin = strings.NewReader(secret("perrin") + "\n")
	if says, err := add.CombinedOutput(); err != nil {
		t.Fatalf("beside the service: %v: %s", err, says)
	}
	if says := dtallydMust(t, "check", "--data", data); !strings.Contains(says, "up to date") {
		t.Errorf("check: %s", says)
	}
	newClient(t, server).login("perrin")
	if err := p.cmd.Process.Signal(syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-p.done
	began := time.Now()
	p = launch(t, "dtallyd", "serve", "--data", data, "--listen", "127.0.0.1:0")
	newClient(t, p.address(t, listening)).login("perrin")
	t.Logf("killed, and ready again after %s", time.Since(began).Round(time.Millisecond))
	if says := dtallydMust(t, "backup", kept, "--data", data); !strings.Contains(says, "rows of") {
		t.Errorf("backup: %s", says)
	}
	p.stop(t)
	elsewhere := filepath.Join(top, "elsewhere")
	dtallydMust(t, "restore", kept, "--data", elsewhere)
	if says := dtallydMust(t, "account", "list", "--data", elsewhere); !strings.Contains(says, "perrin") {
		t.Errorf("restored: %s", says)
	}
	both := exec.Command(
		filepath.Join(bin, "dtallyd"),
		"check",
		"--data",
		data,
		"--database",
		"dtally@tcp(127.0.0.1)/dtally",
	)
	if says, err := both.CombinedOutput(); err == nil ||
		!regexp.MustCompile(`data .* and database .* are both set`).Match(says) {
		t.Errorf("two databases: %v: %s", err, says)
	}
}

// dtallydMust runs a command of the service's program that has to succeed, and returns what it prints.
func dtallydMust(t *testing.T, args ...string) string {
	t.Helper()
	says, err := exec.Command(filepath.Join(bin, "dtallyd"), args...).CombinedOutput()
	if err != nil {
		t.Fatalf("dtallyd %s: %v: %s", strings.Join(args, " "), err, says)
	}
	return string(says)
}
