package api_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"dappertally/internal/access"
	"dappertally/internal/api"
	"dappertally/internal/dbtest"
	"dappertally/internal/demo"
	"dappertally/internal/people"
	"dappertally/internal/service"
	"dappertally/internal/store"
)

// world is a service on a real database, reached over loopback.
type world struct {
	t      testing.TB
	server *httptest.Server
	svc    *service.Service
	tokens map[string]string
	client http.Client
	face   *api.Face
	store  *store.Store
	ahead  *atomic.Int64 // how far the service's clock is ahead of today, in nanoseconds
}

// pass lets time pass.
func (w *world) pass(d time.Duration) { w.ahead.Add(int64(d)) }

var today = time.Date(2026, 11, 23, 14, 2, 0, 0, time.UTC)

// still is a clock that always shows today.
func still() time.Time { return today }

// peopled and filled are what worlds begin with: the demo's people, and its records too.
var (
	peopled = dbtest.Filled{Name: "people", Fill: func(ctx context.Context, st *store.Store) error {
		return furnish(ctx, st, false)
	}}
	filled = dbtest.Filled{Name: "records", Fill: func(ctx context.Context, st *store.Store) error {
		return furnish(ctx, st, true)
	}}
)

func furnish(ctx context.Context, st *store.Store, records bool) error {
	svc := service.New(st, slog.New(slog.DiscardHandler), func() time.Time { return today })
	for _, a := range demo.Accounts {
		// Only one of them signs in by password here, since hashing takes its time.
		add := func() error { return svc.People.FirstPerson(ctx, a.Account, a.Secret) }
		if a.Name != "ines" {
			add = func() error {
				_, err := st.Write(ctx, "", today, func(tx *store.Tx) error { return tx.AddPerson(&a.Account) })
				return err
			}
		}
		if err := add(); err != nil {
			return err
		}
	}
	if !records {
		return nil
	}
	b, err := demo.Bundle()
	if err != nil {
		return err
	}
	_, err = svc.Intake.Import(ctx, &access.Actor{}, b, nil)
	return err
}

// newWorld starts a service with the demo's people and, if wanted, its records.
func newWorld(t testing.TB, records bool) *world {
	t.Helper()
	if records {
		return newWorldOn(t, filled.Open(t))
	}
	return newWorldOn(t, peopled.Open(t))
}

// instances returns a function that opens one schema with the demo's records, once for each instance of the service.
func instances(t testing.TB) (open func() *store.Store) {
	t.Helper()
	dsn := filled.DSN(t)
	return func() *store.Store {
		st, err := store.Open(dsn)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { st.Close() })
		return st
	}
}

// newWorldOn starts a service on a schema of the caller's, which other instances can share.
func newWorldOn(t testing.TB, st *store.Store) *world {
	t.Helper()
	w := &world{t: t, tokens: map[string]string{}, ahead: &atomic.Int64{}, store: st}
	w.svc, w.server, w.face = start(t, st, func() time.Time { return today.Add(time.Duration(w.ahead.Load())) })
	ctx := context.Background()
	for end := time.Now().Add(time.Minute); !w.svc.Follows() && time.Now().Before(end); { // until it has read its records
		time.Sleep(5 * time.Millisecond)
	}
	if _, err := st.Write(ctx, "", today, func(tx *store.Tx) error {
		for _, a := range demo.Accounts {
			p, err := st.Person(ctx, a.Name)
			if err != nil {
				return err
			}
			if w.tokens[a.Name], err = tokenOf(tx, &p); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	return w
}

// tokenOf makes a token with all roles of somebody, without an entry in the change log.
func tokenOf(tx *store.Tx, p *people.Account) (secret string, err error) {
	secret = "dt_" + p.Name
	now := time.Now().UTC()
	return secret, tx.AddToken(
		&store.Token{Label: "test", Roles: p.Roles, Created: now, Expires: now.Add(24 * time.Hour)}, secret, p.ID, 10)
}

func start(t testing.TB, st *store.Store, clock func() time.Time) (*service.Service, *httptest.Server, *api.Face) {
	t.Helper()
	log := slog.New(slog.DiscardHandler)
	svc := service.New(st, log, clock)
	handler, err := api.New(svc, api.Options{Log: log})
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithCancel(context.Background())
	followed := make(chan struct{})
	go func() { svc.Follow(ctx); close(followed) }()
	server := httptest.NewServer(handler)
	t.Cleanup(func() { server.Close(); cancel(); <-followed })
	return svc, server, handler
}

// reply is an answer.
type reply struct {
	status int
	header http.Header
	body   []byte
}

func (r *reply) into(t testing.TB, v any) {
	t.Helper()
	if err := json.Unmarshal(r.body, v); err != nil {
		t.Fatalf("%v in %s", err, r.body)
	}
}

// call sends a request as one of the demo's people; who empty: as a reader. body is sent as it is if it is a string,
// otherwise as JSON.
func (w *world) call(who, method, path string, body any, headers ...string) *reply {
	w.t.Helper()
	var in io.Reader
	switch b := body.(type) {
	case nil:
	case string:
		in = bytes.NewBufferString(b)
	default:
		data, err := json.Marshal(b)
		if err != nil {
			w.t.Fatal(err)
		}
		in = bytes.NewReader(data)
	}
	req, err := http.NewRequest(method, w.server.URL+path, in)
	if err != nil {
		w.t.Fatal(err)
	}
	if body != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	if who != "" {
		req.Header.Set("Authorization", "Bearer "+w.tokens[who])
	}
	for i := 0; i+1 < len(headers); i += 2 {
		req.Header.Set(headers[i], headers[i+1])
	}
	resp, err := w.client.Do(req)
	if err != nil {
		w.t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		w.t.Fatal(err)
	}
	return &reply{resp.StatusCode, resp.Header, data}
}

// must is a request that must end with that status.
func (w *world) must(status int, who, method, path string, body any, headers ...string) *reply {
	w.t.Helper()
	r := w.call(who, method, path, body, headers...)
	if r.status != status {
		w.t.Fatalf("%s %s as %q: %d, want %d\n%s", method, path, who, r.status, status, r.body)
	}
	return r
}

// planned adds a review of an edition and returns its id.
func (w *world) planned(who, edition string) string {
	w.t.Helper()
	var r struct{ ID string }
	w.must(201, who, "POST", "/api/v1/reviews", map[string]any{"edition": edition}).into(w.t, &r)
	return r.ID
}

// record sends a reading with a new id and returns that id.
func (w *world) record(status int, who, review string, reading map[string]any) (id string, r *reply) {
	w.t.Helper()
	id = store.NewID()
	return id, w.must(status, who, "PUT", fmt.Sprintf("/api/v1/reviews/%s/readings/%s", review, id), reading)
}

// move takes a review to another state.
func (w *world) move(status int, who, review, state, reason string) *reply {
	w.t.Helper()
	tag := w.must(200, who, "GET", "/api/v1/reviews/"+review, nil).header.Get("ETag")
	body := map[string]any{"state": state}
	if reason != "" {
		body["reason"] = reason
	}
	return w.must(status, who, "PATCH", "/api/v1/reviews/"+review, body, "If-Match", tag)
}

// promote makes a reviewer a lead as well and returns the name to call as.
func (w *world) promote(name string) string {
	w.t.Helper()
	account := people.Account{Name: name + "-lead", Title: name, Roles: []string{access.Reviewer, access.Lead}}
	if err := w.svc.People.FirstPerson(context.Background(), account, "a long enough secret"); err != nil {
		w.t.Fatal(err)
	}
	who, err := w.svc.People.ActorNamed(context.Background(), account.Name)
	if err != nil {
		w.t.Fatal(err)
	}
	who.Session, who.Proved = "test", time.Now()
	if _, w.tokens[account.Name], err = w.svc.People.CreateToken(context.Background(), who, "test", nil, 1); err != nil {
		w.t.Fatal(err)
	}
	return account.Name
}
