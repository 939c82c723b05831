package api_test

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/internal/contract"
)

const clients = 64

// BenchmarkRanking requests the demo's ranking from 64 clients and, in the same run, the same bytes from a bare
// handler, and reports the ratio of the two.
func BenchmarkRanking(b *testing.B) {
	w := newWorld(b, true)
	const path = "/api/v1/ranking?audience=pensioner"
	body := w.must(200, "", "GET", path, nil).body
	gin.SetMode(gin.ReleaseMode)
	bare := gin.New()
	bare.GET("/api/v1/ranking", func(c *gin.Context) { c.Data(200, "application/json", body) })
	server := httptest.NewServer(bare)
	defer server.Close()
	requests := max(b.N, 20_000)
	b.ResetTimer()
	plainRate, plainSlow := load(b, server.URL+path, requests)
	rate, slow := load(b, w.server.URL+path, requests)
	b.ReportMetric(rate, "ranking/s")
	b.ReportMetric(plainRate, "bare/s")
	b.ReportMetric(rate/plainRate, "ratio")
	b.ReportMetric(slow.Seconds()/plainSlow.Seconds(), "p99-ratio")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkFreshness accepts one new reading on one instance and requests the ranking of another until it is there: the
// time from the first byte sent to the answer that has it.
func BenchmarkFreshness(b *testing.B) {
	open := instances(b)
	first := open()
	w := newWorldOn(b, first)
	_, other, _ := start(b, open(), still)
	const edition = "ivybeck/5.4/hearthside"
	review := w.planned("ines", edition)
	id := ""
	var took []time.Duration
	for n := range max(b.N, 20) {
		reading := map[string]any{"criterion": "week-of-use", "answer": map[string]any{"grade": 2 + n%2*5}}
		if id != "" {
			w.move(200, "marit", review, "underway", "another look")
			reading["replaces"] = id
		}
		id, _ = w.record(200, "ines", review, reading)
		w.move(200, "ines", review, "submitted", "a first look only")
		before := overallOf(b, other.URL, edition)
		began := time.Now()
		w.move(200, "marit", review, "accepted", "")
		for overallOf(b, other.URL, edition) == before {
			if time.Since(began) > 5*time.Second {
				b.Fatal("the other instance does not see the reading")
			}
		}
		took = append(took, time.Since(began))
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms/seen")
	b.ReportMetric(float64(took[len(took)-1].Microseconds())/1000, "ms/slowest")
	b.ReportMetric(0, "ns/op")
}

// overallOf returns an edition's score in a server's ranking, as it is written there.
func overallOf(b *testing.B, server, edition string) string {
	b.Helper()
	resp, err := http.Get(server + "/api/v1/ranking?only=" + edition)
	if err != nil {
		b.Fatal(err)
	}
	defer resp.Body.Close()
	var r contract.Ranking
	if err := json.NewDecoder(resp.Body).Decode(&r); err != nil {
		b.Fatal(err)
	}
	for _, e := range slices.Concat(r.Ranking, r.Provisional, r.Barred) {
		if e.Overall != nil {
			return fmt.Sprint(*e.Overall)
		}
	}
	return ""
}

// load sends requests from all clients, each on a connection that is already open, and returns the rate and the 99th
// percentile.
func load(b *testing.B, url string, requests int) (perSecond float64, p99 time.Duration) {
	b.Helper()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: clients, DisableCompression: true}}
	took := make([][]time.Duration, clients)
	each := func(n int, took func(client int, d time.Duration)) {
		var wg sync.WaitGroup
		for i := range clients {
			wg.Go(func() {
				for range n {
					start := time.Now()
					resp, err := client.Get(url)
					if err != nil {
						b.Error(err)
						return
					}
					_, _ = io.Copy(io.Discard, resp.Body)
					resp.Body.Close()
					took(i, time.Since(start))
				}
			})
		}
		wg.Wait()
	}
	each(1, func(int, time.Duration) {})
	began := time.Now()
	each(requests/clients, func(i int, d time.Duration) { took[i] = append(took[i], d) })
	all := slices.Concat(took...)
	slices.Sort(all)
	return float64(len(all)) / time.Since(began).Seconds(), all[len(all)*99/100]
}
