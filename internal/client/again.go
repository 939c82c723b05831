package client

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"

	"dappertally/internal/contract"
)

// Keys stores the keys of requests whose outcome is unknown. A request is identified by the hash of its content, so
// that the same request, even from a later command, has the same key.
type Keys interface {
	Key(request string) (key string) // empty: none is stored
	Keep(request, key string)        // until the outcome is known
	Drop(request string)
}

// Remembering gives the client a place to store keys.
func (c *Client) Remembering(keys Keys) *Client {
	with := *c
	with.keys = keys
	return &with
}

// pauses are the waiting times before the repeated attempts.
var pauses = []time.Duration{300 * time.Millisecond, time.Second, 2 * time.Second}

// answer sends a request and returns the answer. A write is sent again with the same key if its outcome is unknown.
func (r *request) answer(ctx context.Context) (answer, error) {
	var body []byte
	if r.body != nil {
		var err error
		if body, err = json.Marshal(r.body); err != nil {
			return answer{}, err
		}
		r.headers.Set("Content-Type", "application/json")
	}
	if r.method == http.MethodGet || r.method == http.MethodHead {
		return r.once(ctx, body)
	}
	request, kept := r.name(body), r.client.keys
	key := ""
	if kept != nil {
		key = kept.Key(request)
	}
	if key == "" {
		key = uuid.NewString()
	}
	r.headers.Set(contract.KeyHeader, key)
	for try := 0; ; try++ {
		a, err := r.once(ctx, body)
		if !unknown(a, err) {
			if kept != nil {
				kept.Drop(request)
			}
			return a, err
		}
		if kept != nil {
			kept.Keep(request, key)
		}
		var timed interface{ Timeout() bool }
		if try == len(pauses) || ctx.Err() != nil || errors.As(err, &timed) && timed.Timeout() {
			return a, toldUnknown(err, kept != nil)
		}
		select {
		case <-time.After(pauses[try]):
		case <-ctx.Done():
		}
	}
}

// name returns the hash of a request and its recipient.
func (r *request) name(body []byte) string {
	hash := sha256.New()
	for _, part := range []string{
		r.client.server, r.client.token, r.method, r.path, r.values.Encode(), r.headers.Get("If-Match"), string(body),
	} {
		_, _ = fmt.Fprintf(hash, "%d:%s\n", len(part), part) // a hash accepts everything
	}
	return hex.EncodeToString(hash.Sum(nil))
}

// unknown reports whether the outcome of a request is unknown: it may have arrived without an answer, or the answer
// says so.
func unknown(a answer, err error) bool {
	if err != nil {
		var op *net.OpError
		dialled := !errors.As(err, &op) || op.Op != "dial" // otherwise nothing was sent
		return errors.Is(err, ErrUnreachable) && dialled
	}
	switch a.status {
	case http.StatusBadGateway, http.StatusGatewayTimeout: // by a proxy
		return true
	case http.StatusServiceUnavailable:
		return strings.Contains(string(a.body), `"/problems/unsettled"`)
	}
	return false
}

// toldUnknown explains what to do if the outcome of a request is unknown.
func toldUnknown(err error, again bool) error {
	switch {
	case err == nil:
		return nil
	case again:
		return fmt.Errorf("%w\n"+
			"It may have been carried out. Repeating the same command is safe: nothing is done twice.", err)
	}
	return fmt.Errorf("%w\n"+
		"It may have been carried out: check before you repeat it.", err)
}
