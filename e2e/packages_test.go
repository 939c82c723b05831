package e2e

import (
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"dappertally/internal/build"
)

// TestPackages builds the packages twice with the same bytes, and installs, upgrades, removes and purges the service in
// a clean Debian tree, with data.
func TestPackages(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("a Debian tree is made by root alone")
	}
	t.Parallel()
	first, again, newer := t.TempDir(), t.TempDir(), t.TempDir()
	packages(t, first, "NAMES=dtally")
	packages(t, again, "NAMES=dtally")
	packages(t, first, "NAMES=dtallyd", "KINDS=deb", "COMPRESSION=none")
	for _, kind := range []string{".deb", ".rpm"} {
		a, b := packageIn(t, first, "dtally", kind), packageIn(t, again, "dtally", kind)
		if one, other := read(t, a), read(t, b); one != other {
			t.Errorf("%s differs when it is built again", filepath.Base(a))
		}
	}
	if says := output(t, "rpm", "-qp", "--qf", "%{NAME} %{VERSION}", packageIn(t, first, "dtally", ".rpm")); says !=
		"dtally "+build.Release() {
		t.Errorf("the RPM package is %s", says)
	}
	packages(t, newer, "NAMES=dtallyd", "KINDS=deb", "RELEASE=99.0.0", "COMPRESSION=none")
	tree := newTree(t)
	tree.install(packageIn(t, first, "dtallyd", ".deb"))
	tree.install(packageIn(t, first, "dtally", ".deb"))
	tree.installed()
	tree.atWork(func(address string) {
		add := tree.command("dtallyd", "account", "add", "perrin", "--config", settingsFile)
		add.Stdin = strings.NewReader(secret("perrin") + "\n")
		if says, err := add.CombinedOutput(); err != nil {
			t.Fatalf("%v: %s", err, says)
		}
		newClient(t, address).login("perrin")
	})
	tree.write(settingsFile, "team: The tree\n")
	tree.install(packageIn(t, newer, "dtallyd", ".deb"))
	if says := tree.must("dpkg-query", "--show", "dtallyd"); !strings.Contains(says, "99.0.0") {
		t.Errorf("upgraded to %s", says)
	}
	tree.atWork(func(address string) {
		if says := string(newClient(t, address).login("perrin").get("/about")); !strings.Contains(says, "The tree") {
			t.Errorf("the settings did not survive the upgrade: %s", says)
		}
	})
	tree.removed()
}

// TestHardening checks the units' exposure as systemd rates it.
func TestHardening(t *testing.T) {
	for _, unit := range []string{"dtallyd.service", "dtally-backup.service"} {
		says, err := exec.Command("systemd-analyze", "security", "--offline=true", "--no-pager", "--threshold=20",
			filepath.Join("..", "deploy", "systemd", unit)).CombinedOutput()
		if err != nil {
			t.Errorf("%s is exposed by more than 2.0: %v\n%s", unit, err, says)
		}
	}
}

// packages builds packages of this machine's architecture from the programs under test.
func packages(t *testing.T, to string, environment ...string) {
	t.Helper()
	cmd := exec.Command("../scripts/packages.sh", to)
	cmd.Env = append(append(os.Environ(), "PROGRAMS="+bin), environment...)
	if says, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("building packages: %v\n%s", err, says)
	}
}

// packageIn returns the file of a package in a folder.
func packageIn(t *testing.T, folder, name, kind string) string {
	t.Helper()
	found, err := filepath.Glob(filepath.Join(folder, name+`[_\-]*`+kind))
	if err != nil || len(found) != 1 {
		t.Fatalf("packages of %s: %v, %v", name, found, err)
	}
	return found[0]
}

func output(t *testing.T, name string, args ...string) string {
	t.Helper()
	says, err := exec.Command(name, args...).CombinedOutput()
	if err != nil {
		t.Fatalf("%s %s: %v: %s", name, strings.Join(args, " "), err, says)
	}
	return string(says)
}

const (
	settingsFile = "/etc/dtally/dtally.yaml"
	dataFolder   = "/var/lib/dtally"
)

// debianTree is a Debian system in a folder.
type debianTree struct {
	t    *testing.T
	root string
}

// newTree makes a tree that has nothing but a minimal system and MariaDB's programs.
func newTree(t *testing.T) *debianTree {
	t.Helper()
	root, err := os.MkdirTemp("/var/tmp", "dtally-tree-")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { os.RemoveAll(root) })
	if err := os.Chmod(root, 0o755); err != nil {
		t.Fatal(err)
	}
	release := output(t, "sh", "-c", `. /etc/os-release && printf %s "$VERSION_CODENAME"`)
	mirror := strings.Fields(output(t, "apt-get", "indextargets", "--format", "$(REPO_URI)", "Created-By: Packages",
		"Codename: "+release))[0]
	output(t, "debootstrap", "--variant=minbase", "--include=mariadb-server-core,mariadb-client-core",
		release, root, mirror)
	if err := syscall.Mount("proc", filepath.Join(root, "proc"), "proc", 0, ""); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := syscall.Unmount(filepath.Join(root, "proc"), syscall.MNT_DETACH); err != nil {
			t.Error(err)
		}
	})
	return &debianTree{t, root}
}

func (d *debianTree) command(name string, args ...string) *exec.Cmd {
	cmd := exec.Command("chroot", append([]string{d.root, name}, args...)...)
	cmd.Env = []string{"PATH=/usr/sbin:/usr/bin:/sbin:/bin", "DEBIAN_FRONTEND=noninteractive"}
	return cmd
}

func (d *debianTree) must(name string, args ...string) string {
	d.t.Helper()
	says, err := d.command(name, args...).CombinedOutput()
	if err != nil {
		d.t.Fatalf("%s %s: %v: %s", name, strings.Join(args, " "), err, says)
	}
	return string(says)
}

// write appends to a file.
func (d *debianTree) write(name, text string) {
	d.t.Helper()
	file, err := os.OpenFile(filepath.Join(d.root, name), os.O_WRONLY|os.O_APPEND, 0)
	if err != nil {
		d.t.Fatal(err)
	}
	defer file.Close()
	if _, err := file.WriteString(text); err != nil {
		d.t.Fatal(err)
	}
}

// install installs a package, and keeps changed settings.
func (d *debianTree) install(file string) {
	d.t.Helper()
	there := filepath.Join(d.root, "tmp", filepath.Base(file))
	if err := os.WriteFile(there, []byte(read(d.t, file)), 0o644); err != nil {
		d.t.Fatal(err)
	}
	d.must("dpkg", "--force-confold", "--install", "/tmp/"+filepath.Base(file))
}

// installed requires everything that the package promises of a machine.
func (d *debianTree) installed() {
	d.t.Helper()
	for file, want := range map[string]string{
		dataFolder: "dtally:dtally 700", "/var/backups/dtally": "dtally:dtally 700", settingsFile: "root:dtally 640",
		"/usr/lib/systemd/system/dtallyd.service": "root:root 644",
		"/usr/share/man/man1/dtallyd-serve.1.gz":  "root:root 644", "/usr/share/man/man1/dtally-rank.1.gz": "root:root 644",
		"/usr/share/bash-completion/completions/dtally": "root:root 644",
	} {
		if says := strings.TrimSpace(d.must("stat", "--format", "%U:%G %a", file)); says != want {
			d.t.Errorf("%s is of %s, want %s", file, says, want)
		}
	}
	if says := d.must("dtallyd", "--version"); !strings.HasPrefix(says, "dtallyd version "+build.Release()) {
		d.t.Errorf("it is %s", says)
	}
}

// atWork runs the service as its unit does, with its own account, during do.
func (d *debianTree) atWork(do func(address string)) {
	d.t.Helper()
	cmd := exec.Command("chroot", "--userspec=dtally:dtally", d.root, "dtallyd", "serve", "--config", settingsFile,
		"--listen", "127.0.0.1:0")
	cmd.Env = []string{"PATH=/usr/sbin:/usr/bin:/sbin:/bin"}
	p := started(d.t, cmd)
	at := p.address(d.t, listening)
	answer, err := http.Get(at + "/get/amd64")
	if err != nil {
		d.t.Error(err)
	} else if answer.Body.Close(); answer.StatusCode != http.StatusOK {
		d.t.Errorf("the client for machines under review: %s", answer.Status)
	}
	do(at)
	p.stop(d.t)
}

// removed removes the package, which keeps data and settings, and purges it, which keeps nothing.
func (d *debianTree) removed() {
	d.t.Helper()
	d.must("dpkg", "--remove", "dtallyd")
	for _, file := range []string{settingsFile, dataFolder + "/secrets.json"} {
		if _, err := os.Stat(filepath.Join(d.root, file)); err != nil {
			d.t.Errorf("removed: %v", err)
		}
	}
	d.must("dpkg", "--purge", "dtallyd")
	for _, file := range []string{
		"/etc/dtally", dataFolder, "/usr/bin/dtallyd", "/usr/lib/dtally", "/var/backups/dtally",
	} {
		if _, err := os.Stat(filepath.Join(d.root, file)); !os.IsNotExist(err) {
			d.t.Errorf("purged, %s is left: %v", file, err)
		}
	}
	if says := d.must("getent", "passwd"); strings.Contains(says, "dtally") {
		d.t.Errorf("purged, the account is left: %s", says)
	}
}
