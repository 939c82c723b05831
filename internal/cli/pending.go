package cli

import (
	"encoding/json"
	"io"
	"maps"
	"os"
	"path/filepath"
	"time"

	"dappertally/internal/wholefile"
)

// pending stores, between commands, the keys of requests whose outcome is unknown, so that repeating a command does
// nothing twice.
type pending struct{ file string }

// pendingFor is how long a repeated request counts as the same; after that it is a new one.
const pendingFor = 24 * time.Hour

type pendingKey struct {
	Key string    `json:"key"`
	At  time.Time `json:"at"`
}

// pendingRequests are those of this user; nil if there is no folder for them.
func pendingRequests() *pending {
	login, err := loginFile()
	if err != nil {
		return nil
	}
	return &pending{filepath.Join(filepath.Dir(login), "pending.json")}
}

// read returns the keys that are not too old, by request. A file that cannot be read counts as empty: the keys are
// only a convenience.
func (p *pending) read() map[string]pendingKey {
	all := map[string]pendingKey{}
	data, err := os.ReadFile(p.file)
	if err != nil || json.Unmarshal(data, &all) != nil {
		return map[string]pendingKey{}
	}
	maps.DeleteFunc(all, func(_ string, k pendingKey) bool { return time.Since(k.At) > pendingFor })
	return all
}

func (p *pending) write(all map[string]pendingKey) {
	if len(all) == 0 {
		_ = os.Remove(p.file) // it does not exist, or is as good as empty
		return
	}
	data, err := json.Marshal(all)
	if err != nil || os.MkdirAll(filepath.Dir(p.file), 0o700) != nil {
		return
	}
	_ = wholefile.WriteSecret(p.file, func(w io.Writer) error { // without it, the command still reports what it knows
		_, err := w.Write(data)
		return err
	})
}

// Key returns the key of a request; empty if none is stored.
func (p *pending) Key(request string) string { return p.read()[request].Key }

// Keep stores a request's key.
func (p *pending) Keep(request, key string) {
	all := p.read()
	all[request] = pendingKey{key, time.Now()}
	p.write(all)
}

// Drop removes a request: its outcome is known.
func (p *pending) Drop(request string) {
	all := p.read()
	if _, kept := all[request]; kept {
		delete(all, request)
		p.write(all)
	}
}
