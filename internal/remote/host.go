// Package remote reaches the machines under review by SSH: with the keys and the agent of the person who measures,
// and with host keys that are checked.
package remote

import (
	"context"
	"errors"
	"fmt"
	"net"
	"os"
	"os/user"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"golang.org/x/crypto/ssh"
	"golang.org/x/crypto/ssh/agent"
	"golang.org/x/crypto/ssh/knownhosts"
)

// Host is a machine and the user there.
type Host struct {
	User string
	Name string
	Port int
}

// ParseHost reads USER@HOST or USER@HOST:PORT. The default user is that of this process; the default port is 22.
func ParseHost(text string) (Host, error) {
	h := Host{Port: 22}
	name := text
	if who, at, ok := strings.Cut(text, "@"); ok {
		h.User, name = who, at
	} else if me, err := user.Current(); err == nil {
		h.User = me.Username
	}
	h.Name = strings.Trim(name, "[]")
	if host, port, err := net.SplitHostPort(name); err == nil {
		h.Name = host
		if h.Port, err = strconv.Atoi(port); err != nil || h.Port < 1 || h.Port > 65535 {
			return h, fmt.Errorf("%q has no port between 1 and 65535 after the colon", text)
		}
	}
	if h.User == "" || h.Name == "" || strings.ContainsAny(h.Name, " \t/") {
		return h, fmt.Errorf("%q is not USER@HOST or USER@HOST:PORT", text)
	}
	return h, nil
}

// String returns the host as it is typed.
func (h Host) String() string {
	if h.Port == 22 {
		return h.User + "@" + h.Name
	}
	return h.User + "@" + h.address()
}

func (h Host) address() string { return net.JoinHostPort(h.Name, strconv.Itoa(h.Port)) }

// Ways are how to sign in and which hosts to trust.
type Ways struct {
	Key   string   // file of a private key; empty: the agent, then the usual files
	Known []string // files of host keys; nil: the usual files
}

// Conn is a connection to a machine.
type Conn struct {
	Host Host
	ssh  *ssh.Client
}

const (
	dialTime  = 15 * time.Second
	aliveTime = 15 * time.Second // pause between checks that the other side is still there
)

// Dial signs in on a machine. A host with an unknown key is refused, with its fingerprint.
func Dial(ctx context.Context, h Host, ways Ways) (*Conn, error) {
	known, err := ways.known()
	if err != nil {
		return nil, err
	}
	methods, done, err := ways.methods()
	if err != nil {
		return nil, err
	}
	defer done()
	config := &ssh.ClientConfig{
		User: h.User, Auth: methods, Timeout: dialTime,
		HostKeyCallback: func(name string, at net.Addr, key ssh.PublicKey) error {
			return explained(known(name, at, key), h, key)
		},
		HostKeyAlgorithms: algorithms(known, h),
	}
	dialer := net.Dialer{Timeout: dialTime}
	line, err := dialer.DialContext(ctx, "tcp", h.address())
	if err != nil {
		return nil, fmt.Errorf("%s cannot be reached: %w", h, err)
	}
	if err := line.SetDeadline(time.Now().Add(dialTime)); err != nil {
		return nil, err
	}
	conn, channels, requests, err := ssh.NewClientConn(line, h.address(), config)
	if err != nil {
		line.Close()
		return nil, fmt.Errorf("signing in as %s: %w", h, err)
	}
	if err := line.SetDeadline(time.Time{}); err != nil {
		return nil, err
	}
	c := &Conn{Host: h, ssh: ssh.NewClient(conn, channels, requests)}
	go c.keepAlive()
	return c, nil
}

// keepAlive ends a connection whose other side no longer answers.
func (c *Conn) keepAlive() {
	for {
		time.Sleep(aliveTime)
		answered := make(chan error, 1)
		go func() {
			_, _, err := c.ssh.SendRequest("keepalive@openssh.com", true, nil)
			answered <- err
		}()
		select {
		case err := <-answered:
			if err != nil {
				return // it is closed
			}
		case <-time.After(aliveTime):
			c.ssh.Close()
			return
		}
	}
}

// Close ends the connection.
func (c *Conn) Close() error { return c.ssh.Close() }

// known returns the callback that checks host keys.
func (w *Ways) known() (ssh.HostKeyCallback, error) {
	files := w.Known
	if files == nil {
		home, err := os.UserHomeDir()
		if err != nil {
			return nil, err
		}
		for _, name := range []string{filepath.Join(home, ".ssh/known_hosts"), "/etc/ssh/ssh_known_hosts"} {
			if _, err := os.Stat(name); err == nil {
				files = append(files, name)
			}
		}
	}
	return knownhosts.New(files...)
}

// explained describes what is wrong with a host key.
func explained(err error, h Host, key ssh.PublicKey) error {
	var wrong *knownhosts.KeyError
	switch {
	case !errors.As(err, &wrong):
		return err
	case len(wrong.Want) > 0:
		return fmt.Errorf(
			"the host key of %s is not the known one (%s:%d): this may be another machine, or somebody "+
				"in between",
			h.Name,
			wrong.Want[0].Filename,
			wrong.Want[0].Line,
		)
	}
	return fmt.Errorf(
		"the host key of %s is not known; its fingerprint is %s. If that is correct, sign in there "+
			"once with ssh, which saves it", h.Name, ssh.FingerprintSHA256(key),
	)
}

// algorithms returns those of the known keys of a host, so that it presents one of these; nil: any.
func algorithms(known ssh.HostKeyCallback, h Host) []string {
	var wrong *knownhosts.KeyError
	if err := known(h.address(), &net.TCPAddr{}, unknownKey{}); !errors.As(err, &wrong) {
		return nil
	}
	var names []string
	for _, k := range wrong.Want {
		if k.Key.Type() == ssh.KeyAlgoRSA {
			names = append(names, ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256)
		}
		names = append(names, k.Key.Type())
	}
	return names
}

// unknownKey is a key that belongs to nobody.
type unknownKey struct{}

func (unknownKey) Type() string                        { return "none" }
func (unknownKey) Marshal() []byte                     { return []byte("none") }
func (unknownKey) Verify([]byte, *ssh.Signature) error { return errors.New("no key") }

// methods returns the ways to sign in. done ends the connection to the agent.
func (w *Ways) methods() (methods []ssh.AuthMethod, done func(), err error) {
	done = func() {}
	if w.Key != "" {
		signer, err := readKey(w.Key)
		if err != nil {
			return nil, done, err
		}
		return []ssh.AuthMethod{ssh.PublicKeys(signer)}, done, nil
	}
	var signers []ssh.Signer
	if socket := os.Getenv("SSH_AUTH_SOCK"); socket != "" {
		if line, err := net.Dial("unix", socket); err == nil {
			done = func() { _ = line.Close() }
			if found, err := agent.NewClient(line).Signers(); err == nil {
				signers = append(signers, found...)
			}
		}
	}
	if home, err := os.UserHomeDir(); err == nil {
		for _, name := range []string{"id_ed25519", "id_ecdsa", "id_rsa"} {
			if signer, err := readKey(filepath.Join(home, ".ssh", name)); err == nil {
				signers = append(signers, signer)
			}
		}
	}
	if len(signers) == 0 {
		return nil, done, errors.New(
			"there is no key to sign in with: no agent has one, and ~/.ssh has none without a " +
				"passphrase; name a file with --key",
		)
	}
	return []ssh.AuthMethod{ssh.PublicKeys(signers...)}, done, nil
}

func readKey(file string) (ssh.Signer, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, err
	}
	signer, err := ssh.ParsePrivateKey(text)
	var locked *ssh.PassphraseMissingError
	if errors.As(err, &locked) {
		return nil, fmt.Errorf("%s has a passphrase: add it to your agent with ssh-add", file)
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", file, err)
	}
	return signer, nil
}
