package trial

import (
	"context"
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"

	"dappertally/deploy"
)

// Instance is an instance of the service.
type Instance struct {
	*Program
	Address string // http://HOST:PORT
	listen  string
}

// newInstance writes the settings of an instance, from deploy/cluster/dtally.yaml with all nodes on loopback.
func (t *Trial) newInstance(name string) (*Instance, error) {
	text, err := deploy.Files.ReadFile("cluster/dtally.yaml")
	if err != nil {
		return nil, err
	}
	listen, err := FreeAddress()
	if err != nil {
		return nil, err
	}
	one, err := mysql.ParseDSN(t.Nodes.Nodes[0].DSN())
	if err != nil {
		return nil, err
	}
	password := filepath.Join(t.dir, "database-password")
	if err := os.WriteFile(password, []byte(one.Passwd+"\n"), 0o600); err != nil {
		return nil, err
	}
	settings := string(text)
	for i, node := range t.Nodes.Nodes {
		settings = strings.Replace(settings, fmt.Sprintf("192.0.2.%d:3306", firstMachine+i), node.Address, 1)
	}
	for from, to := range map[string]string{
		"0.0.0.0:8311": listen, "/etc/dtally/database-password": password, "192.0.2.10": "127.0.0.1",
	} {
		settings = strings.Replace(settings, from, to, 1)
	}
	file := filepath.Join(t.dir, name+".yaml")
	if err := os.WriteFile(file, []byte(settings), 0o600); err != nil {
		return nil, err
	}
	program := &Program{Name: name, Args: []string{t.program, "serve", "--config", file}, Log: t.log(name)}
	return &Instance{program, "http://" + listen, listen}, nil
}

// Start starts the instance and waits until it is ready.
func (i *Instance) Start(ctx context.Context) error {
	if err := i.Program.Start(); err != nil {
		return err
	}
	return ready(ctx, i.Address, i.Program)
}

// ready waits until an address answers that it is ready.
func ready(ctx context.Context, address string, p *Program) error {
	ctx, cancel := context.WithTimeout(ctx, startTime)
	defer cancel()
	asking := http.Client{Timeout: 5 * time.Second, Transport: &http.Transport{
		DialContext: (&net.Dialer{Timeout: time.Second}).DialContext, DisableKeepAlives: true,
	}}
	for {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, address+"/readyz", nil)
		if err != nil {
			return err
		}
		answer, err := asking.Do(req)
		if err == nil {
			answer.Body.Close()
			if answer.StatusCode == http.StatusOK {
				return nil
			}
			err = fmt.Errorf("it answers %s", answer.Status)
		}
		select {
		case <-ctx.Done():
			return fmt.Errorf("%s is not ready after %s: %w; its log is %s", p.Name, startTime, err, p.Log)
		case <-p.Ended():
			return fmt.Errorf("%s has ended; its log is %s", p.Name, p.Log)
		case <-time.After(50 * time.Millisecond):
		}
	}
}
