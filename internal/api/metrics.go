package api

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"time"

	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"dappertally/internal/build"
	"dappertally/internal/ledger"
	"dappertally/internal/monitor"
)

// metrics counts what an instance does, in the Prometheus text format.
type metrics struct {
	registry   *prometheus.Registry
	took       *prometheus.HistogramVec
	database   *prometheus.CounterVec
	statements *prometheus.CounterVec
	monitor    *monitor.Service
}

func newMetrics(h *handlers) *metrics {
	m := &metrics{
		registry: prometheus.NewRegistry(),
		took: prometheus.NewHistogramVec(prometheus.HistogramOpts{
			Name: "dtally_request_seconds", Help: "How long requests took, by route and status.",
			Buckets: []float64{0.001, 0.005, 0.02, 0.1, 0.5, 2, 10},
		}, []string{"method", "route", "status"}),
		database: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "dtally_request_database_seconds_total", Help: "Time that the database worked for requests, by route.",
		}, []string{"method", "route"}),
		statements: prometheus.NewCounterVec(prometheus.CounterOpts{
			Name: "dtally_request_statements_total", Help: "Statements that requests sent to the database, by route.",
		}, []string{"method", "route"}),
		monitor: h.monitor,
	}
	m.registry.MustRegister(
		m.took,
		m.database,
		m.statements,
		collectors.NewGoCollector(),
		collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}),
	)
	for _, x := range h.gauges() {
		m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{Name: x.name, Help: x.help}, x.value))
	}
	for _, x := range h.counters() {
		m.registry.MustRegister(prometheus.NewCounterFunc(prometheus.CounterOpts{Name: x.name, Help: x.help}, x.value))
	}
	m.registry.MustRegister(prometheus.NewGaugeFunc(prometheus.GaugeOpts{
		Name: "dtally_build_info", Help: "1, with the version, the commit and the schema's version.",
		ConstLabels: prometheus.Labels{
			"version": build.Release(), "commit": build.Commit(), "schema": strconv.Itoa(build.Schema),
		},
	}, func() float64 { return 1 }))
	return m
}

// figure is one number that an instance reports of itself.
type figure struct {
	name, help string
	value      func() float64
}

func (h *handlers) gauges() []figure {
	pool := h.ledger.Store.Load
	return []figure{
		{"dtally_change", "The number of the newest change that this instance has seen.",
			func() float64 { return float64(h.ledger.Seen()) }},
		{"dtally_changes_behind", "How many changes of the database this instance has not seen yet; -1: it cannot be asked.",
			h.behind},
		{"dtally_follows", "1 while this instance follows the database's changes.",
			func() float64 { return oneIf(h.ledger.Follows()) }},
		{"dtally_database_away", "1 while the database cannot be reached.",
			func() float64 { return oneIf(h.ledger.Store.Away() != nil) }},
		{"dtally_database_connections_used", "Connections to the database that are in use.",
			func() float64 { return float64(pool().InUse) }},
		{"dtally_database_connections_most", "Connections to the database that may be in use.",
			func() float64 { return float64(pool().MaxOpenConnections) }},
		{"dtally_streams", "Open streams of changes.", h.streams.taken},
		{"dtally_exports", "Exports under way.", h.exports.taken},
		{"dtally_unread_bytes", "Bytes of large answers that were not read yet.", h.unread.taken},
		{"dtally_computing", "Readers without an account whose results are being computed.",
			func() float64 { n, _ := h.turns.Load(); return float64(n) }},
		{"dtally_computing_waiting", "Readers without an account who wait for computing.",
			func() float64 { _, n := h.turns.Load(); return float64(n) }},
		{"dtally_last_backup_timestamp_seconds",
			"When the newest backup was made, in seconds since 1970; 0: none is known.", h.lastBackup},
	}
}

func (h *handlers) counters() []figure {
	pool := h.ledger.Store.Load
	return []figure{
		{"dtally_database_waits_total", "Times that something waited for a connection to the database.",
			func() float64 { return float64(pool().WaitCount) }},
		{"dtally_database_wait_seconds_total", "Time spent waiting for a connection to the database.",
			func() float64 { return pool().WaitDuration.Seconds() }},
		{"dtally_sign_in_failures_total", "Attempts to sign in that failed.",
			func() float64 { return float64(h.people.Failures.Load()) }},
	}
}

func oneIf(yes bool) float64 {
	if yes {
		return 1
	}
	return 0
}

// behind asks the database how many changes the instance has not seen.
func (h *handlers) behind() float64 {
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTime)
	defer cancel()
	last, err := h.ledger.LastChange(ctx)
	if err != nil {
		return -1
	}
	return float64(max(0, last-h.ledger.Seen()))
}

// scrapeTime is how long queries for metrics can take.
const scrapeTime = time.Second

func (h *handlers) lastBackup() float64 {
	ctx, cancel := context.WithTimeout(context.Background(), scrapeTime)
	defer cancel()
	at, err := h.audit.LastBackup(ctx)
	if err != nil || at.IsZero() {
		return 0
	}
	return float64(at.Unix())
}

// methods lists the methods that have a label of their own.
var methods = []string{
	http.MethodGet, http.MethodHead, http.MethodPost, http.MethodPut, http.MethodPatch, http.MethodDelete,
	http.MethodOptions,
}

// watch times every request and its database work. Addresses are counted by route, so that nobody can make the
// metrics grow.
func (m *metrics) watch(c *gin.Context) {
	start := time.Now()
	ctx, spent := ledger.WithSpent(c.Request.Context())
	c.Request = c.Request.WithContext(ctx)
	c.Next()
	route := c.FullPath()
	if route == "" {
		route = "console"
	}
	method := c.Request.Method
	if !slices.Contains(methods, method) {
		method = "other" // anybody can invent one
	}
	answered := monitor.Request{
		At: start.UTC(), Method: method, Route: route, Status: c.Writer.Status(), Took: time.Since(start),
		Database: spent.Time(), Statements: spent.Statements(), ID: requestID(c),
	}
	m.took.WithLabelValues(method, route, strconv.Itoa(answered.Status)).Observe(answered.Took.Seconds())
	m.database.WithLabelValues(method, route).Add(answered.Database.Seconds())
	m.statements.WithLabelValues(method, route).Add(float64(answered.Statements))
	if route != eventsPath { // a stream lasts as long as somebody listens
		m.monitor.Answered(&answered)
	}
}

func (m *metrics) handler() http.Handler {
	return promhttp.HandlerFor(m.registry, promhttp.HandlerOpts{DisableCompression: true})
}
