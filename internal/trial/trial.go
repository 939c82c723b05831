// Package trial runs a whole cluster on one machine, to try what administrators run on several: MariaDB nodes that
// replicate each other, an instance of the service for each, and a balancer.
package trial

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"path/filepath"
	"strings"
	"time"

	"dappertally/deploy"
	"dappertally/internal/demo"
	"dappertally/internal/localdb"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// Trial is a running cluster.
type Trial struct {
	Nodes     *localdb.Cluster
	Instances []*Instance
	Balancer  *Program // nil: there is none
	Address   string   // of the balancer

	dir     string
	program string
	network *localdb.Network // network of the nodes; nil: loopback
	disk    *disk            // of the second node; nil: no separate disk
}

// Options are what is run, and where.
type Options struct {
	Dir      string // of all data and logs
	Program  string // dtallyd
	Before   string // dtallyd of the previous version, with which instances start; empty: they start with Program
	Disk     bool   // the second node gets a small disk of its own, whose data is deleted with it
	Network  bool   // each node gets its own part of a network, if that is possible
	Size     int    // number of nodes and instances
	Listen   string // address of the balancer; empty: none
	Progress func(text string)
}

// Start starts nodes, instances and balancer, and loads the demo's data if there is none. If it fails, it stops
// everything again.
func Start(ctx context.Context, o Options) (_ *Trial, err error) {
	if o.Progress == nil {
		o.Progress = func(string) {}
	}
	t := &Trial{dir: o.Dir, program: o.Program}
	defer func() {
		if err != nil {
			err = errors.Join(err, t.Stop())
		}
	}()
	if o.Disk {
		t.disk = newDisk(filepath.Join(o.Dir, "nodes", "node2"))
	}
	o.Progress(fmt.Sprintf("Starting %d database nodes in %s", o.Size, o.Dir))
	if err := t.startNodes(ctx, o); err != nil {
		return t, err
	}
	if err := fill(ctx, t.Nodes.DSN(), o.Progress); err != nil {
		return t, err
	}
	o.Progress(fmt.Sprintf("Starting %d instances of the service", o.Size))
	for i := range o.Size {
		instance, err := t.newInstance(fmt.Sprintf("instance%d", i+1))
		if err != nil {
			return t, err
		}
		instance.Args[0] = cmp.Or(o.Before, o.Program)
		t.Instances = append(t.Instances, instance)
		if err := instance.Start(ctx); err != nil {
			return t, err
		}
	}
	if o.Listen != "" {
		o.Progress("Starting the balancer")
		return t, t.balance(ctx, o.Listen)
	}
	return t, nil
}

func (t *Trial) startNodes(ctx context.Context, o Options) (err error) {
	dir := filepath.Join(o.Dir, "nodes")
	if o.Network {
		if t.network, err = localdb.NewNetwork(); err != nil {
			o.Progress(fmt.Sprintf("The nodes are on loopback, and no network is cut: %s", err))
		}
	}
	if t.network == nil {
		t.Nodes, err = localdb.StartCluster(ctx, dir, o.Size)
		return err
	}
	t.Nodes, err = localdb.StartClusterOn(ctx, t.network, dir, o.Size)
	return err
}

// fill loads the demo's data into an empty database; other databases stay as they are.
func fill(ctx context.Context, address string, progress func(string)) error {
	st, err := store.Open(address)
	if err != nil {
		return err
	}
	defer st.Close()
	if _, err := st.Migrate(ctx); err != nil {
		return err
	}
	svc := service.New(st, slog.New(slog.DiscardHandler), demo.Clock)
	empty, err := svc.Intake.Empty(ctx)
	if err != nil || !empty {
		return err
	}
	progress("Loading the demo's data")
	_, err = demo.Load(ctx, svc)
	return err
}

// Stop ends everything, the database last.
func (t *Trial) Stop() error {
	var errs []error
	if t.Balancer != nil {
		errs = append(errs, t.Balancer.Stop())
	}
	for _, i := range t.Instances {
		errs = append(errs, i.Stop())
	}
	if t.Nodes != nil {
		errs = append(errs, t.Nodes.Stop())
	}
	if t.network != nil {
		errs = append(errs, t.network.Close())
	}
	if t.disk != nil {
		errs = append(errs, t.disk.unmount())
	}
	return errors.Join(errs...)
}

// balance starts a balancer from deploy/cluster/haproxy.cfg, with all instances on loopback.
func (t *Trial) balance(ctx context.Context, listen string) error {
	text, err := deploy.Files.ReadFile("cluster/haproxy.cfg")
	if err != nil {
		return err
	}
	settings := strings.Replace(string(text), "bind 0.0.0.0:8310", "bind "+listen, 1)
	for i, instance := range t.Instances {
		settings = strings.Replace(settings, fmt.Sprintf("192.0.2.%d:8311", firstMachine+i), instance.listen, 1)
	}
	file := filepath.Join(t.dir, "haproxy.cfg")
	if err := os.WriteFile(file, []byte(settings), 0o644); err != nil {
		return err
	}
	t.Balancer = &Program{Name: "balancer", Args: []string{"haproxy", "-db", "-f", file}, Log: t.log("balancer")}
	t.Address = "http://" + listen
	if err := t.Balancer.Start(); err != nil {
		return err
	}
	return ready(ctx, t.Address, t.Balancer)
}

// firstMachine is the last number of the first machine's address in the settings files.
const firstMachine = 11

func (t *Trial) log(name string) string { return filepath.Join(t.dir, name+".log") }

// FreeAddress returns an unused address on loopback.
func FreeAddress() (string, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return "", err
	}
	return l.Addr().String(), l.Close()
}

// startTime is how long a program can take until it answers.
const startTime = 60 * time.Second
