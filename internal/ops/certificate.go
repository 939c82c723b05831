package ops

import (
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"sync"
	"time"
)

// lookedAtEvery is how often the certificate's files are checked for changes.
const lookedAtEvery = 10 * time.Second

// pair is a certificate and its key, which are read again when their files change. If they cannot be read, the
// previous pair stays.
type pair struct {
	certificate, key string
	log              *slog.Logger

	mu     sync.Mutex
	is     *tls.Certificate
	as     [2]time.Time // time of the files' last change, as read
	looked time.Time
}

func newPair(certificate, key string, log *slog.Logger) (*pair, error) {
	p := &pair{certificate: certificate, key: key, log: log}
	if err := p.read(p.changed()); err != nil {
		return nil, err
	}
	return p, nil
}

// changed returns when the two files were last changed.
func (p *pair) changed() (at [2]time.Time) {
	for i, file := range []string{p.certificate, p.key} {
		if info, err := os.Stat(file); err == nil {
			at[i] = info.ModTime()
		}
	}
	return at
}

func (p *pair) read(as [2]time.Time) error {
	is, err := tls.LoadX509KeyPair(p.certificate, p.key)
	if err != nil {
		return fmt.Errorf("the certificate %s and its key %s: %w", p.certificate, p.key, err)
	}
	p.is, p.as = &is, as
	return nil
}

// get returns the certificate for a connection.
func (p *pair) get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if now := time.Now(); now.Sub(p.looked) >= lookedAtEvery {
		p.looked = now
		if as := p.changed(); as != p.as {
			if err := p.read(as); err != nil {
				p.log.Error("the previous certificate stays in use", "error", err)
			} else {
				p.log.Info("the certificate was reloaded", "file", p.certificate)
			}
		}
	}
	return p.is, nil
}
