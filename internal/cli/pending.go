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

// pending keeps, between commands, the keys of requests whose outcome is unknown, so that
// the same command again does nothing twice.
type pending struct{ file string }

// pendingFor is how long such a request is taken for the same: after that, somebody who asks again means it.
const pendingFor = 24 * time.Hour

type pendingKey struct {
	Key string    `json:"key"`
	At  time.Time `json:"at"`
}

// pendingRequests are those of this user; nil where there is no folder to keep them in.
func pendingRequests() *pending {
	login, err := loginFile()
	if err != nil {
		return nil
	}
	return &pending{filepath.Join(filepath.Dir(login), "pending.json")}
}

// read gives the keys that are not too old, by request. A file that cannot be read is as none: its keys are a comfort.
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
		_ = os.Remove(p.file) // it is not there, or as good as empty
		return
	}
	data, err := json.Marshal(all)
	if err != nil || os.MkdirAll(filepath.Dir(p.file), 0o700) != nil {
		return
	}
	_ = wholefile.WriteSecret(p.file, func(w io.Writer) error { // without it, the command says all the same what it knows
		_, err := w.Write(data)
		return err
	})
}

// Key is the key of a request; empty where none is kept.
func (p *pending) Key(request string) string { return p.read()[request].Key }

// Keep keeps a request's key.
func (p *pending) Keep(request, key string) {
	all := p.read()
	all[request] = pendingKey{key, time.Now()}
	p.write(all)
}

// Drop forgets a request: it is known what came of it.
func (p *pending) Drop(request string) {
	all := p.read()
	if _, kept := all[request]; kept {
		delete(all, request)
		p.write(all)
	}
}
