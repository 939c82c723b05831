package localdb

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"

	"golang.org/x/sys/unix"
)

// Network is a network within this machine in which every node of a cluster has its own part: a network namespace,
// connected to the others by a bridge. A part can be disconnected, like a pulled cable. It needs root.
type Network struct {
	bridge  string
	subnet  string // the first three numbers of all addresses
	members []string
}

// NewNetwork creates a network without members. Close removes it.
func NewNetwork() (*Network, error) {
	if !systemRoot() {
		return nil, errors.New("a network of its own for each node needs root")
	}
	subnet, err := freeSubnet()
	if err != nil {
		return nil, err
	}
	n := &Network{bridge: fmt.Sprintf("dtally%d", os.Getpid()%1_000_000), subnet: subnet}
	if err := ip("link", "add", n.bridge, "type", "bridge"); err != nil {
		return nil, err
	}
	err = ip("addr", "add", n.host()+"/24", "dev", n.bridge)
	if err == nil {
		err = ip("link", "set", n.bridge, "up")
	}
	if err != nil {
		return nil, errors.Join(err, n.Close())
	}
	return n, nil
}

// freeSubnet returns a subnet of 10.213.0.0/16 that no interface of this machine uses.
func freeSubnet() (string, error) {
	taken, err := net.InterfaceAddrs()
	if err != nil {
		return "", err
	}
	for i := range 255 {
		subnet := fmt.Sprintf("10.213.%d", i)
		free := true
		for _, a := range taken {
			free = free && !strings.HasPrefix(a.String(), subnet+".")
		}
		if free {
			return subnet, nil
		}
	}
	return "", errors.New("all networks 10.213.0.0 to 10.213.254.0 are in use here")
}

// host returns the address of this machine in the network.
func (n *Network) host() string { return n.subnet + ".254" }

// address returns that of the nth member, from 0.
func (n *Network) address(member int) string { return fmt.Sprintf("%s.%d", n.subnet, 11+member) }

// join adds a member.
func (n *Network) join() error {
	i := len(n.members)
	name := fmt.Sprintf("%s-%d", n.bridge, i)
	if err := ip("netns", "add", name); err != nil {
		return err
	}
	n.members = append(n.members, name)
	inside := name + "i"
	for _, args := range [][]string{
		{"link", "add", name, "type", "veth", "peer", "name", inside, "netns", name},
		{"link", "set", name, "master", n.bridge, "up"},
		{"-n", name, "addr", "add", n.address(i) + "/24", "dev", inside},
		{"-n", name, "link", "set", inside, "up"},
		{"-n", name, "link", "set", "lo", "up"},
	} {
		if err := ip(args...); err != nil {
			return err
		}
	}
	return nil
}

// cut disconnects a member from everything else, or reconnects it.
func (n *Network) cut(member int, on bool) error {
	state := "up"
	if on {
		state = "down"
	}
	return ip("link", "set", n.members[member], state)
}

// inside runs something on a thread in a member's part of the network. Programs started there stay there.
func (n *Network) inside(member int, do func() error) (err error) {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	own, err := os.Open(fmt.Sprintf("/proc/self/task/%d/ns/net", unix.Gettid()))
	if err != nil {
		return err
	}
	defer own.Close()
	there, err := os.Open(filepath.Join("/run/netns", n.members[member]))
	if err != nil {
		return err
	}
	defer there.Close()
	if err := unix.Setns(int(there.Fd()), unix.CLONE_NEWNET); err != nil {
		return fmt.Errorf("entering the network of member %d: %w", member, err)
	}
	defer func() { err = errors.Join(err, unix.Setns(int(own.Fd()), unix.CLONE_NEWNET)) }()
	return do()
}

// Close removes the network. Programs in it continue without a network.
func (n *Network) Close() error {
	var errs []error
	for _, name := range n.members {
		errs = append(errs, ip("netns", "del", name))
	}
	return errors.Join(append(errs, ip("link", "del", n.bridge))...)
}

// ip runs the system's program of this name.
func ip(args ...string) error {
	bin, err := program("ip")
	if err != nil {
		return errors.New("ip is not installed; on Debian: apt-get install iproute2")
	}
	if says, err := exec.Command(bin, args...).CombinedOutput(); err != nil {
		return fmt.Errorf("ip %s: %w: %s", strings.Join(args, " "), err, strings.TrimSpace(string(says)))
	}
	return nil
}
