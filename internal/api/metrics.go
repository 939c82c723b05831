package api

import (
	"context"
	"dappertally/internal/build"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
)

// metrics counts what an instance does, for the Prometheus text format.
type metrics struct {
	registry *prometheus.Registry
	took     *prometheus.HistogramVec
}

func newMetrics(h *handlers) *metrics {
	m := &metrics{registry: prometheus.NewRegistry(), took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
		Name: "dtally_request_seconds", Help: "How long requests took, by route and status.",
		Buckets: []float64{0.001, 0.005, 0.02, 0.1, 0.5, 2, 10},
	}, []string{"method", "route", "status"})}
	m.registry.MustRegister(
		m.took,
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
		prometheus.NewGaugeFunc(
			prometheus.GaugeOpts{
				Name: "dtally_change",
				Help: "The number of the newest change that this instance has taken in.",
			},
			func() float64 { return float64(h.ledger.Seen()) },
		),
		prometheus.NewGaugeFunc(
			prometheus.GaugeOpts{Name: "dtally_follows", Help: "1 while this instance follows the database's changes."},
			func() float64 {
				if h.ledger.Follows() {
					return 1
				}
				return 0
			},
		),
		prometheus.NewGaugeFunc(
			prometheus.GaugeOpts{
				Name: "dtally_last_backup_timestamp_seconds",
				Help: "When the newest backup was made, in seconds since 1970; 0 where none is known.",
			},
			h.lastBackup,
		),
		prometheus.NewGaugeFunc(
			prometheus.GaugeOpts{
				Name: "dtally_build_info", Help: "1, with the version, the commit and the schema's version.",
				ConstLabels: prometheus.Labels{
					"version": build.Release(), "commit": build.Commit(), "schema": strconv.Itoa(build.Schema),
				},
			},
			func() float64 { return 1 },
		),
	)
	return m
}

// scrapeTime is how long the database is asked for while metrics are collected.
const scrapeTime = time.Second

func (h *handlers) lastBackup() float64 {
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTime)
	defer cancel()
	at, err := h.ledger.Store.LastBackup(ctx)
	if err != nil || at.IsZero() {
		return 0
	}
	return float64(at.Unix())
}

// methods are those that have a label of their own.
var methods = []string{
	http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete,
	http.MethodOptions,
}

// watch times every request. Addresses are counted by their route, so that nobody can
// make the answer grow.
func (m *metrics) watch(c *gin.Context) {
	start := time.Now()
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "console"
	}
	method := c.Request.Method
	if !slices.Contains(methods, method) {
		method = "other" // anybody can invent one
	}
	m.took.WithLabelValues(method, route, strconv.Itoa(c.Writer.Status())).
		Observe(time.Since(start).Seconds())
}

func (m *metrics) handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{DisableCompression: true})
}
