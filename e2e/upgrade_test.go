package e2e

import (
	"errors"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"dappertally/internal/build"
	"dappertally/internal/contract"
	"dappertally/internal/demo"
	"dappertally/internal/store"
	"dappertally/internal/trial"
)

// TestUpgrade runs the program of the last release beside this one, on the schema of this one, like an upgrade
// without downtime: both write, and both give the same answers.
func TestUpgrade(t *testing.T) {
	revision := lastRelease(t)
	t.Log("the program before is that of ", git(t, "log", "-1", "--format=%h %cs %s", revision))
	program := programOf(t, revision)
	dsn := filled.DSN(t)
	var addresses []string
	for _, name := range []string{filepath.Join(bin, "dtallyd"), program} {
		p := started(t, exec.Command(name, "serve", "--database", dsn, "--listen", "127.0.0.1:0"))
		t.Cleanup(func() { p.stop(t) })
		addresses = append(addresses, p.address(t, listening))
	}

	lead := contract.Credentials{Name: demo.Accounts[0].Name, Password: demo.Accounts[0].Secret}
	load, err := trial.StartLoad(t.Context(), addresses, lead, trial.Pace{Writers: 4, Streams: 4})
	if err != nil {
		t.Fatal(err)
	}
	ines := newClient(t, addresses[0]).login("ines")
	token := readLogin(t, ines).Token
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	readings := "/api/v1/reviews/" + planned.ID + "/readings/"
	for i := range 10 {
		at := addresses[i%2]
		if !put(at+readings+store.NewID(), token) {
			t.Errorf("%s does not accept a reading", at)
		}
	}
	load.Stop()
	if count := load.Count(); count.Acknowledged < 20 || count.Refused > 0 {
		t.Errorf("%d writes were acknowledged, %d refused", count.Acknowledged, count.Refused)
	}
	for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		wrong := load.Hold(t.Context())
		if len(wrong) == 0 {
			break
		}
		if time.Now().After(deadline) { // an instance follows the other's writes a moment later
			t.Fatal(strings.Join(wrong, "\n"))
		}
	}

	answers := func(at string) string {
		asking := client{t, at, ines.home}
		var list contract.ReadingList
		decode(t, string(asking.get("/reviews/"+planned.ID+"/readings")), &list)
		var ranking contract.Ranking
		decode(t, string(asking.get("/ranking")), &ranking)
		text := fmt.Sprintln(len(list.Readings), "readings")
		for i := range ranking.Ranking {
			row := &ranking.Ranking[i]
			text += fmt.Sprintln(row.Rank, row.Edition, *row.Overall)
		}
		return text
	}
	for deadline := time.Now().Add(10 * time.Second); ; time.Sleep(100 * time.Millisecond) {
		now, before := answers(addresses[0]), answers(addresses[1])
		if now == before && strings.HasPrefix(now, "10 readings") {
			break
		}
		if time.Now().After(deadline) {
			t.Fatalf("this program answers\n%s\nand the one before\n%s", now, before)
		}
	}
}

// lastRelease returns the revision of the last release; before the first one, the revision with the schema from which
// on two programs can work beside each other.
func lastRelease(t *testing.T) string {
	t.Helper()
	if shallow, err := exec.Command("git", "rev-parse", "--is-shallow-repository").Output(); err != nil ||
		strings.TrimSpace(string(shallow)) != "false" {
		t.Skip("the program of the last release cannot be built here: the history of this folder is not there")
	}
	tags, err := exec.Command("git", "describe", "--tags", "--abbrev=0", "--match", "v*", "HEAD^").Output()
	if err == nil {
		return strings.TrimSpace(string(tags))
	}
	migration := fmt.Sprintf("../internal/store/migrations/%05d_*.sql", build.Released)
	return git(t, "log", "-1", "--diff-filter=A", "--format=%H", "--", migration)
}

// programOf builds the service's program of a revision.
func programOf(t *testing.T, revision string) string {
	t.Helper()
	dir := t.TempDir()
	top := git(t, "rev-parse", "--show-toplevel")
	unpack := exec.Command("sh", "-c", `git -C "$1" archive "$2" | tar -x -C "$3"`, "sh", top, revision, dir)
	page := exec.Command("sh", "-c", `echo '<!doctype html><div id="root"></div>' > web/dist/index.html`) // not needed
	page.Dir = dir
	compile := exec.Command("go", "build", "-o", "dtallyd-before", "./cmd/dtallyd")
	compile.Dir = dir
	for _, cmd := range []*exec.Cmd{unpack, page, compile} {
		if says, err := cmd.CombinedOutput(); err != nil {
			t.Fatalf("%s: %v\n%s", cmd, err, says)
		}
	}
	return filepath.Join(dir, "dtallyd-before")
}

func git(t *testing.T, args ...string) string {
	t.Helper()
	out, err := exec.Command("git", args...).Output()
	if exit := (*exec.ExitError)(nil); errors.As(err, &exit) {
		t.Fatalf("git %v: %v\n%s", args, err, exit.Stderr)
	}
	if err != nil {
		t.Fatal(err)
	}
	return strings.TrimSpace(string(out))
}
