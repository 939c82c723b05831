package e2e

import (
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

var ready = regexp.MustCompile(`The demo is ready: (http://\S+)`)

// TestDemoSurvivesAKill kills the demo and its database while readings are saved, and requires every acknowledged
// reading after the restart.
func TestDemoSurvivesAKill(t *testing.T) {
	dir := filepath.Join(dbtest.Folder(t), "demo")
	p := launch(t, "dtallyd", "demo", "--dir", dir, "--listen", "127.0.0.1:0", "--log-level", "error")
	server := p.address(t, ready)
	ines := newClient(t, server).login("ines")
	var planned struct{ ID string }
	decode(t, ines.must("review", "add", "ivybeck/5.4/hearthside", "--output", "json"), &planned)
	kept := readLogin(t, ines)

	url := server + "/api/v1/reviews/" + planned.ID + "/readings/"
	var mu sync.Mutex
	acknowledged := map[string]bool{}
	var wg sync.WaitGroup
	enough := make(chan struct{})
	var once sync.Once
	for range 4 {
		wg.Go(func() {
			for {
				id := store.NewID()
				if !put(url+id, kept.Token) {
					return // killed
				}
				mu.Lock()
				acknowledged[id] = true
				if len(acknowledged) >= 20 {
					once.Do(func() { close(enough) })
				}
				mu.Unlock()
			}
		})
	}
	select {
	case <-enough:
	case <-time.After(60 * time.Second):
		t.Fatal("saving is too slow to be killed in its midst")
	}
	pid, err := os.ReadFile(filepath.Join(dir, "server", "mariadb.pid"))
	if err != nil {
		t.Fatal(err)
	}
	database, err := strconv.Atoi(strings.TrimSpace(string(pid)))
	if err != nil {
		t.Fatal(err)
	}
	if err := p.cmd.Process.Kill(); err != nil {
		t.Fatal(err)
	}
	if err := syscall.Kill(database, syscall.SIGKILL); err != nil {
		t.Fatal(err)
	}
	<-p.done
	wg.Wait()

	p = launch(t, "dtallyd", "demo", "--dir", dir, "--listen", "127.0.0.1:0", "--log-level", "error")
	server = p.address(t, ready)
	ines.server = server
	ines.login("ines")
	var after struct{ Readings []struct{ ID string } }
	decode(t, ines.must("review", "show", planned.ID, "--output", "json"), &after)
	for _, r := range after.Readings {
		delete(acknowledged, r.ID)
	}
	if len(acknowledged) > 0 {
		t.Errorf("%d readings were acknowledged and lost", len(acknowledged))
	}
	if out := ines.must("rank", "--output", "csv"); !strings.Contains(out, "gullhaven/5.2/hearthside") {
		t.Errorf("no ranking after the restart:\n%s", out)
	}
	p.stop(t)
	if _, err := os.Stat(filepath.Join(dir, "server", "mariadb.pid")); err == nil {
		t.Error("the database still runs after the demo ended in good order")
	}
}

func put(url, token string) bool {
	req, err := http.NewRequest("PUT", url, strings.NewReader(`{"criterion": "week-of-use", "answer": {"grade": 6}}`))
	if err != nil {
		return false
	}
	req.Header.Set("Authorization", "Bearer "+token)
	req.Header.Set("Content-Type", "application/json")
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return false
	}
	defer resp.Body.Close()
	return resp.StatusCode == http.StatusOK
}

type kept struct{ Token string }

func readLogin(t *testing.T, c *client) kept {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(c.home, "dtally", "login.json"))
	if err != nil {
		t.Fatal(err)
	}
	var k kept
	decode(t, string(data), &k)
	return k
}

func decode(t *testing.T, text string, into any) {
	t.Helper()
	if err := json.Unmarshal([]byte(text), into); err != nil {
		t.Fatalf("%v in %s", err, text)
	}
}

func TestTakenPortSaysWhatToDo(t *testing.T) {
	t.Parallel()
	server := serve(t)
	p := launch(t, "dtallyd", "demo", "--dir", t.TempDir(), "--listen", strings.TrimPrefix(server, "http://"))
	text := make([]byte, 4096)
	n, _ := p.out.Read(text)
	if err := <-p.done; err == nil || !strings.Contains(string(text[:n]), "is in use by another program") {
		t.Errorf("ended with %v saying %s", err, text[:n])
	}
}
