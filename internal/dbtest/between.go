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

// Fate is the outcome of a statement on its way to the server.
type Fate int

// The fates: it arrives and is answered; the line is cut before it arrives; it is carried out and the line is cut
// before the answer arrives; nothing goes through on this line any more, without a notice.
const (
	Arrives Fate = iota
	CutBefore
	CutAfter
	Stuck
)

// Between stands between a store and its server. The zero fates let everything through.
type Between struct {
	DSN string

	mu      sync.Mutex
	decide  func(statement string) Fate
	refuses bool
	silent  bool
	lines   map[net.Conn]net.Conn // by the store's side
}

// Through gives the way to a schema that leads through something that can break.
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

// Decide has a function decide about every statement from now on.
func (b *Between) Decide(decide func(statement string) Fate) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.decide = decide
}

// Refuse lets nobody through any more, or again, who comes now.
func (b *Between) Refuse(on bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.refuses = on
}

// Silence lets nothing through any more, or again, without telling anybody: also those who come now wait.
func (b *Between) Silence(on bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.silent = on
}

// Cut ends every line that is open.
func (b *Between) Cut() {
	b.mu.Lock()
	defer b.mu.Unlock()
	for near, far := range b.lines {
		near.Close()
		far.Close()
	}
}

// Open counts the lines that are open.
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

// pass waits while nothing goes through.
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

// carry carries one line.
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

// line is one connection, carried.
type line struct {
	near, far net.Conn
	mu        sync.Mutex
	lost      bool // what comes back is lost, and the line with it
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

// back carries what the server says.
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

// forth carries packets to the server: three bytes of length, a number, and what is asked.
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
