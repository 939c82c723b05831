package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"dappertally/internal/demo"
	"dappertally/internal/localdb"
	"dappertally/internal/store"
)

func benchCommand() *cobra.Command {
	var dir, program string
	cmd := &cobra.Command{
		Use:   "bench",
		Short: "Measure how the service answers over a database that was filled",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			return bench(cmd.Context(), cmd.OutOrStdout(), dir, program)
		},
	}
	cmd.Flags().StringVar(&dir, "dir", ".volume", "folder of the database")
	cmd.Flags().StringVar(&program, "program", "bin/dtallyd", "the service")
	return cmd
}

// questions are what is measured, by name.
var questions = []struct{ name, path string }{
	{"ranking, first page", "/ranking?limit=50"},
	{"ranking of a past moment", "/ranking?limit=50&at=2026-03-01T00:00:00Z"},
	{"ranking, a thousand", "/ranking"},
	{"first of the ranking, weights moved", "/ranking/first?sectionWeight=performance=77"},
	{"open items of a review", "/reviews/{open}/open-items"},
	{"quality of all", "/quality"},
	{"leaders", "/leaders"},
	{"steadiness of all, readings too", "/steadiness?vary=both&least=0.01"},
	{"steadiness of all", "/steadiness?least=0.01"},
	{"records", "/records"},
	{"a line", "/lines/crowd-001/hearth"},
	{"compare two", "/comparison?edition=crowd-001/1.1/hearth&edition=crowd-002/1.1/hearth"},
	{"compare twelve", "/comparison?" + twelve()},
	{"tipping", "/tipping"},
	{"fits", "/fits?memoryMiB=4096&diskGiB=20"},
	{"queue", "/queue"},
	{"a page of reviews", "/reviews?limit=100"},
	{"my work", "/reviews?state=planned&state=underway&state=submitted"},
	{"an unknown file", "/files/" + strings.Repeat("0", 64)},
	{"readings as CSV", "/exports/readings?form=csv"},
	{"readings as XLSX", "/exports/readings?form=xlsx"},
	{"bundle", "/exports/bundle"},
}

// twelve names as many editions as can be compared.
func twelve() string {
	var named []string
	for i := range 12 {
		named = append(named, fmt.Sprintf("edition=crowd-%03d/1.1/hearth", i+1))
	}
	return strings.Join(named, "&")
}

// running is the measured service.
type running struct {
	address string
	process *exec.Cmd
	client  http.Client
}

func bench(ctx context.Context, out io.Writer, dir, program string) error {
	server, err := localdb.Start(ctx, dir)
	if err != nil {
		return err
	}
	defer server.Stop()
	rows, scan, err := scanned(ctx, server.DSN(localdb.Schema))
	if err != nil {
		return err
	}
	fmt.Fprintf(out, "%d readings; a plain scan of them takes %.2f s\n\n", rows, scan.Seconds())
	s, ready, err := serve(ctx, program, server.DSN(localdb.Schema))
	if err != nil {
		return err
	}
	defer s.stop()
	fmt.Fprintf(out, "ready after %.2f s, %.2f × the scan; %d MB at most until then\n\n",
		ready.Seconds(), ready.Seconds()/scan.Seconds(), s.peak()>>20)
	open, err := s.openReview(ctx)
	if err != nil {
		return err
	}
	fmt.Fprintln(out, "| what | status | first byte | cold | ÷ scan | warm | bytes |")
	fmt.Fprintln(out, "| --- | --- | --- | --- | --- | --- | --- |")
	for _, q := range questions {
		path := strings.ReplaceAll(q.path, "{open}", open)
		cold, err := s.ask(ctx, path)
		if err != nil {
			return fmt.Errorf("%s: %w", q.name, err)
		}
		warm, err := s.ask(ctx, path)
		if err != nil {
			return fmt.Errorf("%s: %w", q.name, err)
		}
		fmt.Fprintf(out, "| %s | %d | %.3f s | %.3f s | %.3f | %.1f ms | %d |\n", q.name, cold.status, cold.first.Seconds(),
			cold.whole.Seconds(), cold.whole.Seconds()/scan.Seconds(), 1000*warm.whole.Seconds(), cold.bytes)
	}
	fmt.Fprintf(out, "\n%d MB at most over all\n", s.peak()>>20)
	return nil
}

// scanned reads all readings once in storage order, after a first time for the caches.
func scanned(ctx context.Context, dsn string) (rows int, took time.Duration, err error) {
	st, err := store.Open(dsn)
	if err != nil {
		return 0, 0, err
	}
	defer st.Close()
	for range 2 {
		began := time.Now()
		if rows, err = st.ScanReadings(ctx); err != nil {
			return 0, 0, err
		}
		took = time.Since(began)
	}
	return rows, took, nil
}

var listening = regexp.MustCompile(`address="?(http://\S+?)"?\s`)

// serve starts the service, waits until it is ready, returns how long that took, and signs in.
func serve(ctx context.Context, program, dsn string) (_ *running, ready time.Duration, err error) {
	began := time.Now()
	path, err := filepath.Abs(program)
	if err != nil {
		return nil, 0, err
	}
	cmd := exec.CommandContext(ctx, path, "serve", "--listen", "127.0.0.1:0")
	cmd.Env = append(os.Environ(), "DTALLY_DATABASE="+dsn)
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	log, err := cmd.StderrPipe()
	if err != nil {
		return nil, 0, err
	}
	if err := cmd.Start(); err != nil {
		return nil, 0, err
	}
	var said bytes.Buffer
	buffer := make([]byte, 4096)
	var at string
	for at == "" {
		n, err := log.Read(buffer)
		if said.Write(buffer[:n]); err != nil {
			return nil, 0, fmt.Errorf("the service ended: %s", said.Bytes())
		}
		if m := listening.FindStringSubmatch(said.String()); m != nil {
			at = m[1]
		}
	}
	go func() { _, _ = io.Copy(io.Discard, log) }()
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, 0, err
	}
	s := &running{at, cmd, http.Client{Jar: jar}}
	for {
		if resp, err := s.client.Get(at + "/readyz"); err == nil {
			resp.Body.Close()
			if resp.StatusCode == http.StatusOK {
				break
			}
		}
		select {
		case <-ctx.Done():
			return nil, 0, ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
	ready = time.Since(began)
	lead := demo.Accounts[0]
	body, err := json.Marshal(map[string]string{"name": lead.Name, "password": lead.Secret})
	if err != nil {
		return nil, 0, err
	}
	resp, err := s.client.Post(at+"/api/v1/session", "application/json", bytes.NewReader(body))
	if err != nil {
		return nil, 0, err
	}
	defer resp.Body.Close()
	if resp.StatusCode != http.StatusOK {
		return nil, 0, fmt.Errorf("signing in as %s: %s", lead.Name, resp.Status)
	}
	return s, ready, nil
}

func (s *running) stop() {
	_ = s.process.Process.Signal(syscall.SIGTERM) // an error means that it has ended
	_ = s.process.Wait()
}

// peak returns the peak memory of the service, in bytes; 0 if that is not known.
func (s *running) peak() (bytes int64) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", s.process.Process.Pid))
	if err != nil {
		return 0
	}
	for line := range strings.Lines(string(text)) {
		if _, err := fmt.Sscanf(line, "VmHWM: %d kB", &bytes); err == nil {
			return bytes << 10
		}
	}
	return 0
}

// answered is how a request was answered.
type answered struct {
	status       int
	first, whole time.Duration
	bytes        int64
}

func (s *running) ask(ctx context.Context, path string) (a answered, err error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.address+"/api/v1"+path, nil)
	if err != nil {
		return a, err
	}
	if strings.HasPrefix(path, "/exports/") { // compressing and decompressing them would take longer than computing them
		req.Header.Set("Accept-Encoding", "identity")
	}
	began := time.Now()
	resp, err := s.client.Do(req)
	if err != nil {
		return a, err
	}
	defer resp.Body.Close()
	a.status, a.first = resp.StatusCode, time.Since(began)
	a.bytes, err = io.Copy(io.Discard, resp.Body)
	a.whole = time.Since(began)
	return a, err
}

// openReview returns the id of a submitted review.
func (s *running) openReview(ctx context.Context) (string, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, s.address+"/api/v1/reviews?state=submitted", nil)
	if err != nil {
		return "", err
	}
	resp, err := s.client.Do(req)
	if err != nil {
		return "", err
	}
	defer resp.Body.Close()
	var list struct{ Reviews []struct{ ID string } }
	if err := json.NewDecoder(resp.Body).Decode(&list); err != nil || len(list.Reviews) == 0 {
		return "", fmt.Errorf("no review is submitted: %w", err)
	}
	return list.Reviews[0].ID, nil
}
