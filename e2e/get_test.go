package e2e

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"dappertally/e2e/browser"
	"dappertally/internal/build"
)

// TestGetTheClient: a machine fetches the client with one line for its shell, which verifies it; an altered program is
// deleted.
func TestGetTheClient(t *testing.T) {
	server := serve(t)
	var about struct {
		Version string
		Clients []struct {
			Architecture, SHA256, Path string
			Size                       int64
		}
	}
	decode(t, string(newClient(t, server).login("ines").get("/about")), &about)
	if len(about.Clients) != 1 || about.Version == "" {
		t.Fatalf("the service tells of %+v", about)
	}
	own := about.Clients[0]
	folder := t.TempDir()
	fetch := exec.Command("sh", "-c", "curl -fsS "+server+"/get | sh")
	fetch.Dir = folder
	if says, err := fetch.CombinedOutput(); err != nil ||
		!strings.Contains(string(says), "./dtally login --server "+server) {
		t.Fatalf("%v: %s", err, says)
	}
	program, err := os.ReadFile(filepath.Join(folder, "dtally"))
	if err != nil {
		t.Fatal(err)
	}
	sum := sha256.Sum256(program)
	if hex.EncodeToString(sum[:]) != own.SHA256 || int64(len(program)) != own.Size {
		t.Errorf("%d bytes, SHA-256 %x; the service tells of %+v", len(program), sum, own)
	}
	if out, err := exec.Command(filepath.Join(folder, "dtally"), "rank", "--server", server).CombinedOutput(); err != nil {
		t.Errorf("it does not run: %v: %s", err, out)
	}
	altered(t, server, own.SHA256)
	for path, status := range map[string]int{"/get/sparc": 404, own.Path: 200} {
		resp, err := http.Get(server + path)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != status {
			t.Errorf("%s: %s", path, resp.Status)
		}
	}
	do(t, tab(t), chromedp.Navigate(server+"/get"), browser.Settled(), browser.Until(
		`location.pathname === "/client" && document.body.textContent.includes("`+own.SHA256+`") &&
		document.querySelector("figure svg") !== null`,
	))
}

// altered runs the script against a service that sends another program than the one whose hash is in the script.
func altered(t *testing.T, server, sum string) {
	t.Helper()
	bad := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/get" {
			resp, err := http.Get(server + "/get")
			if err != nil {
				t.Error(err)
				return
			}
			defer resp.Body.Close()
			script, _ := io.ReadAll(resp.Body) // a missing part shows below
			_, _ = io.WriteString(w, strings.ReplaceAll(string(script), server, "http://"+r.Host))
			return
		}
		_, _ = io.WriteString(w, "something else")
	}))
	defer bad.Close()
	folder := t.TempDir()
	fetch := exec.Command("sh", "-c", "curl -fsS "+bad.URL+"/get | sh")
	fetch.Dir = folder
	if says, err := fetch.CombinedOutput(); err == nil || !strings.Contains(string(says), "try again") {
		t.Errorf("an altered program (%s): %v: %s", sum, err, says)
	}
	if left, _ := filepath.Glob(filepath.Join(folder, "*")); len(left) > 0 {
		t.Errorf("left of an altered program: %v", left)
	}
}

// TestOtherVersion: a client that differs from the service's version says so, once and beside the answer.
func TestOtherVersion(t *testing.T) {
	program := filepath.Join(t.TempDir(), "dtally")
	made := exec.Command("go", "build", "-ldflags", "-X dappertally/internal/build.stamped=2026-11-01.aaaaaaa",
		"-o", program, "dappertally/cmd/dtally")
	made.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := made.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, out)
	}
	version := ""
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Dtally-Version", version)
		_ = json.NewEncoder(w).Encode(map[string]any{"rigs": []any{}})
	}))
	defer service.Close()
	for told, says := range map[string]bool{
		"9.9.9+2026-11-30.bbbbbbb": true, build.Release() + "+2026-11-01.aaaaaaa": false, "9.9.9": false, "": false,
	} {
		version = told
		ask := exec.Command(program, "rig", "list", "--server", service.URL)
		ask.Env = append(os.Environ(), "XDG_CONFIG_HOME="+t.TempDir())
		out, err := ask.CombinedOutput()
		if err != nil {
			t.Fatalf("%v: %s", err, out)
		}
		if n := strings.Count(string(out), "This dtally is "+build.Release()+"+2026-11-01.aaaaaaa"); (n == 1) != says {
			t.Errorf("service %q: %s", told, out)
		}
	}
}
