package dbtest

import (
	"encoding/binary"
	"io"
	"net"
	"sync"
	"testing"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Fate is what happens to a statement on its way to the server.
type Fate int

// The fates: it arrives and is answered; the connection is cut before it arrives; it is executed and the connection
// is cut before the answer arrives; nothing passes on this connection any more, without a notice.
const (
	Arrives Fate = iota
	CutBefore
	CutAfter
	Stuck
)

// Between is a proxy between a store and its server. The zero fates let everything pass.
type Between struct {
	DSN string

	mu      sync.Mutex
	decide  func(statement string) Fate
	refuses bool
	silent  bool
	lines   map[net.Conn]net.Conn // by the address of the store's side
}

// Through returns the address of a schema through a proxy that can fail.
func Through(t testing.TB, dsn string) *Between {
	t.Helper()
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		t.Fatal(err)
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	b := &Between{lines: map[net.Conn]net.Conn{}, decide: func(string) Fate { return Arrives }}
	network, address := cfg.Net, cfg.Addr
	cfg.Net, cfg.Addr = "tcp", listener.Addr().String()
	b.DSN = cfg.FormatDSN()
	t.Cleanup(func() {
		listener.Close()
		b.Cut()
	})
	go func() {
		for {
			near, err := listener.Accept()
			if err != nil {
				return
			}
			go b.carry(near, network, address)
		}
	}()
	return b
}

// Decide sets a function that decides about every statement from now on.
func (b *Between) Decide(decide func(statement string) Fate) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.decide = decide
}

// Refuse refuses new connections, or accepts them again.
func (b *Between) Refuse(on bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.refuses = on
}

// Silence lets nothing pass, or lets it pass again, without a notice; new connections wait too.
func (b *Between) Silence(on bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.silent = on
}

// Cut closes every open connection.
func (b *Between) Cut() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for near, far := range b.lines {
		near.Close()
		far.Close()
	}
}

// Open counts the open connections.
func (b *Between) Open() int {
	b.mu.Lock()
	defer b.mu.Unlock()
	return len(b.lines)
}

// Refusing reports whether new connections are refused.
func (b *Between) Refusing() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.refuses
}

// pass waits while nothing passes.
func (b *Between) pass() {
	for {
		b.mu.Lock()
		silent := b.silent
		b.mu.Unlock()
		if !silent {
			return
		}
		time.Sleep(5 * time.Millisecond)
	}
}

func (b *Between) fate(statement string) Fate {
	b.mu.Lock()
	decide := b.decide
	b.mu.Unlock()
	return decide(statement)
}

// carry serves one connection.
func (b *Between) carry(near net.Conn, network, address string) {
	defer near.Close()
	if b.Refusing() {
		return
	}
	b.pass()
	far, err := net.Dial(network, address)
	if err != nil {
		return
	}
	defer far.Close()
	b.mu.Lock()
	b.lines[near] = far
	b.mu.Unlock()
	defer func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		delete(b.lines, near)
	}()
	l := &line{near: near, far: far}
	go l.back(b)
	l.forth(b)
}

// line is one proxied connection.
type line struct {
	near, far net.Conn
	mu        sync.Mutex
	lost      bool // the answer is lost, and the connection with it
}

func (l *line) losing() bool {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.lost
}

func (l *line) lose() {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.lost = true
}

// back forwards the server's packets.
func (l *line) back(b *Between) {
	defer l.near.Close()
	defer l.far.Close()
	buffer := make([]byte, 64<<10)
	for {
		n, err := l.far.Read(buffer)
		b.pass()
		if err != nil || l.losing() {
			return
		}
		if _, err := l.near.Write(buffer[:n]); err != nil {
			return
		}
	}
}

// forth forwards packets to the server: three bytes of length, a number, and the payload.
func (l *line) forth(b *Between) {
	const head, query = 4, 0x03
	for {
		packet := make([]byte, head)
		if _, err := io.ReadFull(l.near, packet); err != nil {
			return
		}
		size := int(binary.LittleEndian.Uint32(append(packet[:3:3], 0)))
		packet = append(packet, make([]byte, size)...)
		if _, err := io.ReadFull(l.near, packet[head:]); err != nil {
			return
		}
		if packet[3] == 0 && size > 0 && packet[head] == query {
			switch b.fate(string(packet[head+1:])) {
			case CutBefore:
				return
			case CutAfter:
				l.lose()
			case Stuck:
				_, _ = io.Copy(io.Discard, l.near) // until somebody gives up
				return
			}
		}
		b.pass()
		if _, err := l.far.Write(packet); err != nil {
			return
		}
	}
}
