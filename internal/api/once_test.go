package api_test

import (
	"bytes"
	"database/sql"
	"net/http"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"dappertally/internal/contract"
	"dappertally/internal/dbtest"
	"dappertally/internal/store"
)

const (
	keyHeader = contract.KeyHeader
	oneKey    = "0190f2c4-6a44-7c1e-9a31-5f0d6f4f7b10"
	reviewsAt = "/api/v1/reviews"
)

// reviewsOf counts the reviews of an edition.
func (w *world) reviewsOf(edition string) (n int) {
	w.t.Helper()
	var list struct{ Reviews []struct{ Edition string } }
	w.eventually(200, "ines", "GET", reviewsAt+"?limit=500", nil).into(w.t, &list)
	for _, r := range list.Reviews {
		if r.Edition == edition {
			n++
		}
	}
	return n
}

// TestSameRequestAgain: a request with a key is carried out once and gets the same answer again; the key belongs to its
// caller and its request.
func TestSameRequestAgain(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	const edition = "ivybeck/5.4/hearthside"
	body := map[string]any{"edition": edition}
	before := w.reviewsOf(edition)
	first := w.must(201, "ines", "POST", reviewsAt, body, keyHeader, oneKey)
	second := w.must(201, "ines", "POST", reviewsAt, body, keyHeader, oneKey)
	if !bytes.Equal(first.body, second.body) || first.header.Get("Dtally-Change") != second.header.Get("Dtally-Change") {
		t.Errorf("answered as\n%s and\n%s", first.body, second.body)
	}
	if n := w.reviewsOf(edition); n != before+1 {
		t.Errorf("%d reviews were planned", n-before)
	}
	w.must(409, "ines", "POST", reviewsAt, map[string]any{"edition": edition, "due": "2026-12-24"}, keyHeader, oneKey)
	w.must(201, "tomas", "POST", reviewsAt, map[string]any{"edition": "mossgate/12/hearthside"}, keyHeader, oneKey)
	for _, key := range []string{"short", strings.Repeat("k", 201), "with a space in the middle"} {
		w.must(422, "ines", "POST", reviewsAt, body, keyHeader, key)
	}
	// A refused request is examined again.
	const other = oneKey + "-2"
	w.must(422, "marit", "POST", "/api/v1/distributions", map[string]any{"key": "Bad Key"}, keyHeader, other)
	good := map[string]any{"key": "harrowgate", "name": "Harrowgate", "model": "fixed"}
	w.must(201, "marit", "POST", "/api/v1/distributions", good, keyHeader, other)
	w.must(201, "marit", "POST", "/api/v1/distributions", good, keyHeader, other)
	w.must(409, "marit", "POST", "/api/v1/distributions", good)
	// An edit names the version it is based on: the same edit again is not another one.
	tag := w.must(200, "marit", "GET", "/api/v1/distributions/harrowgate", nil).header.Get("ETag")
	good["name"] = "Harrowgate Linux"
	edit := func() *reply {
		return w.must(200, "marit", "PUT", "/api/v1/distributions/harrowgate", good, "If-Match", tag, keyHeader, other+"3")
	}
	a, b := edit(), edit()
	if a.header.Get("ETag") == "" || a.header.Get("ETag") != b.header.Get("ETag") || !bytes.Equal(a.body, b.body) {
		t.Errorf("an edit again: %v\n%v", a.header, b.header)
	}
}

// TestSameRequestAtOnce: many identical requests at once count as one.
func TestSameRequestAtOnce(t *testing.T) {
	t.Parallel()
	w := newWorld(t, true)
	const edition = "ivybeck/5.4/hearthside"
	before := w.reviewsOf(edition)
	var wait sync.WaitGroup
	answers := make([]*reply, 12)
	for i := range answers {
		wait.Go(func() {
			answers[i] = w.call("ines", "POST", reviewsAt, map[string]any{"edition": edition}, keyHeader, oneKey)
		})
	}
	wait.Wait()
	for _, a := range answers {
		var got, want struct{ ID string }
		answers[0].into(t, &want)
		if a.into(t, &got); a.status != http.StatusCreated || got != want || want.ID == "" {
			t.Errorf("%d %s", a.status, a.body)
		}
	}
	if n := w.reviewsOf(edition); n != before+1 {
		t.Errorf("%d reviews were planned", n-before)
	}
}

// TestSecretAgain: a secret that is shown once is shown again to the same request, and the database cannot reveal it.
func TestSecretAgain(t *testing.T) {
	t.Parallel()
	dsn := filled.DSN(t)
	st, err := store.Open(dsn)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	w := newWorldOn(t, st)
	ines := w.signedIn(t, "ines", "seven-blue-buckets")
	var first, second struct{ ID, Secret string }
	for _, into := range []any{&first, &second} {
		ines(201, "POST", "/api/v1/tokens", map[string]any{"label": "bench"}, keyHeader, oneKey).into(t, into)
	}
	if first != second || first.Secret == "" {
		t.Errorf("%+v, then %+v", first, second)
	}
	db, err := sql.Open("mysql", dsn)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	var kept []byte
	if err := db.QueryRow(`SELECT answer FROM writes WHERE status = 201`).Scan(&kept); err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(kept, []byte(first.Secret)) || bytes.Contains(kept, []byte("bench")) {
		t.Errorf("the database keeps %s", kept)
	}
}

// TestAnswerToTheCommitIsLost: a completed write is reported as written, whatever breaks afterwards; if the outcome
// is unknown, repeating the request is safe.
func TestAnswerToTheCommitIsLost(t *testing.T) {
	t.Parallel()
	between := dbtest.Through(t, filled.DSN(t))
	st, err := store.Open(between.DSN)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	w := newWorldOn(t, st)
	const edition = "ivybeck/5.4/hearthside"
	body := map[string]any{"edition": edition}
	began := w.reviewsOf(edition)
	planned := func(n int) {
		t.Helper()
		w.eventually(200, "", "GET", "/readyz", nil) // lists are as new as the changes that the service has followed
		if got := w.reviewsOf(edition) - began; got != n {
			t.Errorf("%d reviews were planned, not %d", got, n)
		}
	}
	whole := func() { between.Refuse(false); between.Decide(func(string) dbtest.Fate { return dbtest.Arrives }) }

	// The answer is lost, and the database works.
	var lost atomic.Bool
	between.Decide(func(s string) dbtest.Fate {
		if s == "COMMIT" && lost.CompareAndSwap(false, true) {
			return dbtest.CutAfter
		}
		return dbtest.Arrives
	})
	w.must(201, "ines", "POST", reviewsAt, body)
	planned(1)

	// It is written, and cannot be read back.
	between.Decide(func(s string) dbtest.Fate {
		if s == "COMMIT" {
			defer between.Refuse(true)
		}
		if between.Refusing() && s != "COMMIT" {
			return dbtest.CutBefore
		}
		return dbtest.Arrives
	})
	const key = oneKey + "-read"
	var told, read struct{ ID, Edition string }
	w.must(201, "ines", "POST", reviewsAt, body, keyHeader, key).into(t, &told)
	whole()
	planned(2)
	w.eventually(201, "ines", "POST", reviewsAt, body, keyHeader, key).into(t, &read)
	if told.ID == "" || told.ID != read.ID {
		t.Errorf("told as %+v, and again as %+v", told, read)
	}
	planned(2)

	// It is written, and the service cannot find out.
	between.Decide(func(s string) dbtest.Fate {
		if s == "COMMIT" {
			between.Refuse(true)
			return dbtest.CutAfter
		}
		if between.Refusing() {
			return dbtest.CutBefore
		}
		return dbtest.Arrives
	})
	for _, x := range []struct{ key, says string }{
		{"", "check whether it was written"},
		{oneKey + "-unknown", "same request is safe"},
	} {
		var headers []string
		if x.key != "" {
			headers = []string{keyHeader, x.key}
		}
		r := w.must(503, "ines", "POST", reviewsAt, body, headers...)
		if !strings.Contains(string(r.body), x.says) || !strings.Contains(string(r.body), "/problems/unsettled") {
			t.Errorf("where nobody knows: %s", r.body)
		}
		between.Refuse(false)
		w.eventually(200, "", "GET", "/readyz", nil)
	}
	whole()
	w.eventually(201, "ines", "POST", reviewsAt, body, keyHeader, oneKey+"-unknown").into(t, &read)
	if read.ID == "" || read.Edition != edition {
		t.Errorf("asked again, it is told as %+v", read)
	}
	planned(4)
}

// eventually is a request that ends with that status within some seconds, after the service was cut off.
func (w *world) eventually(status int, who, method, path string, body any, headers ...string) *reply {
	w.t.Helper()
	for end := time.Now().Add(20 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		r := w.call(who, method, path, body, headers...)
		if r.status == status || time.Now().After(end) {
			if r.status != status {
				w.t.Fatalf("%s %s as %q: %d, want %d\n%s", method, path, who, r.status, status, r.body)
			}
			return r
		}
	}
}
