package api_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/gin-gonic/gin"
)

const clients = 64

// BenchmarkRanking asks for the demo's ranking from 64 clients, and in the same
// run a bare handler for the same bytes, and tells the ratio of the two.
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

// load sends requests from all clients, each on a connection that is open already,
// and gives the rate and the 99th percentile.
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
