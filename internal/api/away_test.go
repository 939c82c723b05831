package api_test

import (
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

// behindDatabase starts a service whose connection to its database can break.
func behindDatabase(t *testing.T) (*world, *dbtest.Between) {
	t.Helper()
	between := dbtest.Through(t, filled.DSN(t))
	st, err := store.Open(between.DSN)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	return newWorldOn(t, st), between
}

// within is a request that must end with that status within that time.
func (w *world) within(most time.Duration, status int, who, path string) *reply {
	w.t.Helper()
	began := time.Now()
	r := w.call(who, "GET", path, nil)
	if took := time.Since(began); r.status != status || took > most {
		w.t.Errorf("GET %s as %q: %d after %v, want %d within %v\n%s", path, who, r.status, took, status, most, r.body)
	}
	return r
}

// TestDatabaseGoesSilent: a database that stops answering without closing a connection is noticed within seconds. From
// then on no request waits for it, known answers are still given, and the service works again when the database does.
func TestDatabaseGoesSilent(t *testing.T) {
	t.Parallel()
	w, between := behindDatabase(t)
	const known = "/api/v1/ranking"
	w.must(200, "", "GET", known, nil)
	w.must(200, "", "GET", "/readyz", nil)
	between.Silence(true)
	const found = 7 * time.Second
	w.within(found, 503, "ines", "/api/v1/reviews") // sent before anybody knows
	w.within(found, 503, "", "/readyz")
	const soon = 400 * time.Millisecond
	for range 3 {
		r := w.within(soon, 503, "ines", "/api/v1/reviews")
		if !strings.Contains(string(r.body), "/problems/database-away") || r.header.Get("Retry-After") == "" {
			t.Errorf("while it is away: %s", r.body)
		}
		if r := w.within(soon, 503, "", "/readyz"); !strings.Contains(string(r.body), `"/database"`) {
			t.Errorf("what is not ready: %s", r.body)
		}
		w.within(soon, 200, "", known)
	}
	r := w.must(503, "ines", "POST", reviewsAt, map[string]any{"edition": "ivybeck/5.4/hearthside"})
	if !strings.Contains(string(r.body), "nothing was changed") {
		t.Errorf("a write meanwhile: %s", r.body)
	}
	between.Silence(false)
	w.eventually(200, "", "GET", "/readyz", nil)
	w.within(2*time.Second, 200, "ines", "/api/v1/reviews")
	w.planned("ines", "ivybeck/5.4/hearthside")
}

// TestOneLineGoesSilent: if only one connection to the database is broken, the service goes on with another.
func TestOneLineGoesSilent(t *testing.T) {
	t.Parallel()
	w, between := behindDatabase(t)
	var stuck atomic.Bool
	between.Decide(func(s string) dbtest.Fate {
		if s == "SELECT number FROM change_counter" && stuck.CompareAndSwap(false, true) {
			return dbtest.Stuck
		}
		return dbtest.Arrives
	})
	for end := time.Now().Add(5 * time.Second); !stuck.Load() && time.Now().Before(end); {
		time.Sleep(5 * time.Millisecond)
	}
	w.within(time.Second, 200, "ines", "/api/v1/reviews")
	began := time.Now()
	w.eventually(200, "", "GET", "/readyz", nil)
	if took := time.Since(began); took > 5*time.Second {
		t.Errorf("it followed again after %v", took)
	}
	w.planned("ines", "ivybeck/5.4/hearthside")
}

// TestSlowDatabase: a slow database is reported as slow, and no connection is cut.
func TestSlowDatabase(t *testing.T) {
	t.Parallel()
	w, between := behindDatabase(t)
	between.Decide(func(s string) dbtest.Fate {
		if strings.Contains(s, "FROM suggestions") {
			time.Sleep(20 * time.Second)
		}
		return dbtest.Arrives
	})
	r := w.call("marit", http.MethodGet, "/api/v1/suggestions", nil)
	if r.status != 503 || !strings.Contains(string(r.body), "/problems/database-slow") {
		t.Errorf("%d %s", r.status, r.body)
	}
	w.must(200, "", "GET", "/readyz", nil)
}
