package e2e

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"
)

// TestMeasureElsewhere measures other machines by SSH, with a real server: once, killed and resumed, two rigs at once,
// over restarts, with a host key that is unknown or has changed. Nothing stays behind there.
func TestMeasureElsewhere(t *testing.T) {
	b := newBenchTest(t)
	far := newFarMachine(t)
	b.once(far)
	b.killedElsewhere(far)
	b.twoRigs(far)
	b.restartedElsewhere(far)
	b.strangers(far)
}

// farMachine is a machine with an SSH server. It has a folder for temporary files, a start of the machine and a
// systemctl of its own.
type farMachine struct {
	t                              *testing.T
	folder, tmp, root, pid, config string
	home                           string // of the person who measures: key and known hosts
	port                           string
}

func newFarMachine(t *testing.T) *farMachine {
	t.Helper()
	folder := t.TempDir()
	m := &farMachine{
		t: t, folder: folder, tmp: filepath.Join(folder, "tmp"), root: filepath.Join(folder, "far"),
		pid: filepath.Join(folder, "sshd.pid"), config: filepath.Join(folder, "sshd_config"),
		home: filepath.Join(folder, "home"),
	}
	line, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	_, m.port, _ = net.SplitHostPort(line.Addr().String())
	line.Close()
	for _, dir := range []string{
		m.tmp, filepath.Join(m.home, ".ssh"), filepath.Join(m.root, "proc/sys/kernel/random"),
		filepath.Join(folder, "bin"), "/run/sshd",
	} {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			t.Skipf("a server for SSH needs root: %v", err)
		}
	}
	m.newKey(filepath.Join(folder, "host"))
	m.newKey(filepath.Join(m.home, ".ssh/id_ed25519"))
	m.boot("first")
	// A restart ends the server and all its connections; a machine that starts has another boot id.
	m.write("bin/systemctl", fmt.Sprintf(
		"#!/bin/sh\necho \"$@\" >> %s/asked\ndate +%%s%%N > %s/proc/sys/kernel/random/boot_id\n"+
			"setsid sh -c 'sleep 0.2; pkill -9 -P $(cat %s); kill -9 $(cat %s)' >/dev/null 2>&1 </dev/null &\n",
		folder, m.root, m.pid, m.pid))
	if err := os.Chmod(filepath.Join(folder, "bin/systemctl"), 0o755); err != nil {
		t.Fatal(err)
	}
	m.write("sshd_config", strings.Join([]string{
		"ListenAddress 127.0.0.1:" + m.port, "HostKey " + folder + "/host", "PidFile " + m.pid,
		"AuthorizedKeysFile " + m.home + "/.ssh/id_ed25519.pub", "StrictModes no", "UsePAM no",
		"PermitRootLogin yes", "LogLevel ERROR",
		"SetEnv TMPDIR=" + m.tmp + " PATH=" + folder + "/bin:/usr/bin:/bin",
	}, "\n")+"\n")
	m.trust()
	go m.keepOn()
	t.Cleanup(m.off)
	m.reached()
	return m
}

func (m *farMachine) write(name, text string) {
	m.t.Helper()
	if err := os.WriteFile(filepath.Join(m.folder, name), []byte(text), 0o644); err != nil {
		m.t.Fatal(err)
	}
}

func (m *farMachine) newKey(file string) {
	m.t.Helper()
	_ = os.Remove(file) // there may be none
	if says, err := exec.Command("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", file).CombinedOutput(); err != nil {
		m.t.Fatalf("%v: %s", err, says)
	}
}

func (m *farMachine) boot(id string) { m.write("far/proc/sys/kernel/random/boot_id", id+"\n") }

// trust makes the host's key known to the person who measures.
func (m *farMachine) trust() {
	m.t.Helper()
	key := read(m.t, filepath.Join(m.folder, "host.pub"))
	m.write("home/.ssh/known_hosts", "[127.0.0.1]:"+m.port+" "+key)
}

// keepOn runs the server, and starts it again when it ends, until the folder is gone.
func (m *farMachine) keepOn() {
	for {
		if _, err := os.Stat(filepath.Join(m.folder, "off")); err == nil {
			return
		}
		_ = exec.Command("/usr/sbin/sshd", "-D", "-f", m.config).Run() // it is killed to restart
		time.Sleep(300 * time.Millisecond)
	}
}

// off switches the machine off.
func (m *farMachine) off() {
	m.write("off", "")
	var pid int
	if _, err := fmt.Sscan(read(m.t, m.pid), &pid); err == nil {
		_ = syscall.Kill(pid, syscall.SIGTERM)
	}
}

// reached waits until the server answers.
func (m *farMachine) reached() {
	m.t.Helper()
	for end := time.Now().Add(20 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		if line, err := net.Dial("tcp", "127.0.0.1:"+m.port); err == nil {
			line.Close()
			return
		}
	}
	m.t.Fatal("the server for SSH does not answer")
}

// clean requires that nothing of a measurement is left on the machine.
func (m *farMachine) clean() {
	m.t.Helper()
	var left []string
	for end := time.Now().Add(10 * time.Second); time.Now().Before(end); time.Sleep(50 * time.Millisecond) {
		entries, err := os.ReadDir(m.tmp)
		if err != nil {
			m.t.Fatal(err)
		}
		if left = nil; len(entries) == 0 {
			return
		}
		for _, e := range entries {
			left = append(left, e.Name())
		}
	}
	m.t.Errorf("left behind: %v", left)
}

// user returns the arguments to measure the machine from here.
func (m *farMachine) user(b *benchTest) *client {
	b.t.Setenv("HOME", m.home)
	b.t.Setenv("SSH_AUTH_SOCK", "")
	return b.marit
}

func (b *benchTest) far(m *farMachine, more ...string) []string {
	return append([]string{"measure", "--review", b.review, "--output", "json", "--root", m.root}, more...)
}

func (m *farMachine) at() string { return "root@127.0.0.1:" + m.port }

// once measures one machine once: the runs are in the journal here, with the start of the machine there.
func (b *benchTest) once(m *farMachine) {
	t, journal := b.t, filepath.Join(b.folder, "far.journal")
	var plan map[string][]struct{ Criterion, LeftOut string }
	decode(t, m.user(b).must(b.far(m, "--on", m.at(), "--rig", "bench-old", "--list")...), &plan)
	if got := plan[m.at()]; len(got) != 5 {
		t.Errorf("planned there: %+v", plan)
	}
	m.clean()
	var got []measured
	decode(t, b.marit.must(b.far(m, "said", "--on", m.at(), "--rig", "bench-old", "--journal", journal, "--yes")...), &got)
	if len(got) != 1 || len(got[0].Runs) != 6 || got[0].Runs[0] != 42 {
		t.Errorf("measured there: %+v", got)
	}
	if text := read(t, journal); strings.Count(text, `"first"`) != 6 {
		t.Errorf("the runs of the start there: %s", text)
	}
	m.clean()
}

// killedElsewhere kills the command here during runs there: they are in the journal here, and the next command
// continues.
func (b *benchTest) killedElsewhere(m *farMachine) {
	t, journal := b.t, filepath.Join(b.folder, "cut.journal")
	args := b.far(m, "count", "--on", m.at(), "--rig", "bench-old", "--journal", journal, "--yes")
	cut := exec.Command(filepath.Join(bin, "dtally"), args...)
	cut.Env = append(os.Environ(), "XDG_CONFIG_HOME="+b.marit.home, "DTALLY_SERVER="+b.server, "DTALLY_TOKEN=")
	if err := cut.Start(); err != nil {
		t.Fatal(err)
	}
	for end := time.Now().Add(time.Minute); lines(journal) < 4 && time.Now().Before(end); {
		time.Sleep(10 * time.Millisecond)
	}
	if err := cut.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	_ = cut.Wait() // it was killed
	before := lines(journal)
	m.clean()
	var got []measured
	decode(t, b.marit.must(append(args, "--resume")...), &got)
	if len(got) != 1 || len(got[0].Runs) < 6 || before < 4 || lines(journal) <= before {
		t.Errorf("%d lines before, %d after: %+v", before, lines(journal), got)
	}
	m.clean()
}

// twoRigs measures two machines at once, each a rig with a journal of its own.
func (b *benchTest) twoRigs(m *farMachine) {
	t := b.t
	here, err := os.Getwd()
	if err != nil {
		t.Fatal(err)
	}
	t.Chdir(b.folder)
	defer func() {
		if err := os.Chdir(here); err != nil {
			t.Error(err)
		}
	}()
	if says := b.marit.fails(2, b.far(m, "said", "--on", m.at(), "--on", m.at()+"=bench-new", "--yes")...); !strings.
		Contains(says, "name its rig") {
		t.Errorf("two machines, one rig: %s", says)
	}
	b.marit.must(b.far(m, "said", "--on", m.at()+"=bench-old", "--on", "root@127.0.0.1:"+m.port+"=bench-new", "--yes")...)
	for _, rig := range []string{"bench-old", "bench-new"} {
		slips, err := filepath.Glob("measure-*-" + rig + ".slip")
		if err != nil || len(slips) != 1 || !strings.Contains(read(t, slips[0]), "rig: "+rig) {
			t.Errorf("slips of %s: %v %v", rig, slips, err)
		}
	}
	m.clean()
}

// restartedElsewhere restarts the machine there until there are runs of three starts.
func (b *benchTest) restartedElsewhere(m *farMachine) {
	t, journal := b.t, filepath.Join(b.folder, "starts there.journal")
	var got []measured
	decode(t, b.marit.must(b.far(m, "starts", "--on", m.at(), "--rig", "bench-old", "--journal", journal, "--yes",
		"--restart")...), &got)
	if len(got) != 1 || len(got[0].Runs) != 6 {
		t.Errorf("over restarts: %+v", got)
	}
	if asked := read(t, filepath.Join(m.folder, "asked")); asked != "reboot\nreboot\n" {
		t.Errorf("asked of systemctl there: %q", asked)
	}
	if slip := read(t, strings.TrimSuffix(journal, ".journal")+".slip"); strings.Count(slip, "runs: 2") != 3 {
		t.Errorf("the slip: %s", slip)
	}
	m.clean()
}

// strangers are machines with a wrong host key, and one that refuses to sign in.
func (b *benchTest) strangers(m *farMachine) {
	t := b.t
	list := b.far(m, "--on", m.at(), "--rig", "bench-old", "--list")
	known := filepath.Join(m.home, ".ssh/known_hosts")
	if err := os.WriteFile(known, nil, 0o644); err != nil {
		t.Fatal(err)
	}
	if says := b.marit.fails(1, list...); !strings.Contains(says, "is not known; its fingerprint is SHA256:") {
		t.Errorf("an unknown host: %s", says)
	}
	m.newKey(filepath.Join(m.folder, "other"))
	other := "[127.0.0.1]:" + m.port + " " + read(t, filepath.Join(m.folder, "other.pub"))
	if err := os.WriteFile(known, []byte(other), 0o644); err != nil {
		t.Fatal(err)
	}
	if says := b.marit.fails(1, list...); !strings.Contains(says, "is not the known one") {
		t.Errorf("another host: %s", says)
	}
	m.trust()
	if err := os.Remove(filepath.Join(m.home, ".ssh/id_ed25519")); err != nil && !errors.Is(err, os.ErrNotExist) {
		t.Fatal(err)
	}
	if says := b.marit.fails(1, list...); !strings.Contains(says, "no key to sign in with") {
		t.Errorf("without a key: %s", says)
	}
	m.clean()
}
