// Package api is the service's network interface: the contract (openapi.yaml), its handlers, and the console.
package api

import (
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"net/http"
	"net/netip"
	"runtime"
	"strings"
	"sync"

	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/contrib/instrumentation/github.com/gin-gonic/gin/otelgin"

	"dappertally/internal/answers"
	"dappertally/internal/audit"
	"dappertally/internal/cataloguing"
	"dappertally/internal/checklists"
	"dappertally/internal/contract"
	"dappertally/internal/intake"
	"dappertally/internal/ledger"
	"dappertally/internal/monitor"
	"dappertally/internal/notices"
	"dappertally/internal/people"
	"dappertally/internal/policy"
	"dappertally/internal/programs"
	"dappertally/internal/reports"
	"dappertally/internal/reviewing"
	"dappertally/internal/schema"
	"dappertally/internal/service"
	"dappertally/internal/team"
	"dappertally/internal/turns"
)

// Options configure a server's network interface.
type Options struct {
	Console  fs.FS // the built console
	Log      *slog.Logger
	Secure   bool             // the service is reached over TLS: cookies are sent only over that
	Trusted  []netip.Prefix   // proxies that are trusted to state the caller's address and protocol
	Address  string           // public address, such as https://bench.example.org; empty: from each request
	Closed   bool             // reading needs an account
	Frames   []string         // origins whose pages can embed a ranking or a scorecard
	Programs *programs.Folder // clients for download; nil: none
	Traced   bool             // requests are traced, by the tracer of the process
	Until    context.Context  // ends the streams of events; nil: they never end
}

// handlers implements the operations of the contract.
type handlers struct {
	ledger      *ledger.Ledger
	policy      *policy.Service
	people      *people.Service
	cataloguing *cataloguing.Service
	answers     *answers.Service
	checklists  *checklists.Service
	reviewing   *reviewing.Service
	team        *team.Service
	reports     *reports.Service
	intake      *intake.Service
	notices     *notices.Service
	audit       *audit.Service
	monitor     *monitor.Service
	build       string // of the console
	programs    *programs.Folder
	frames      bool   // other pages can embed some of it
	address     string // public address; empty: from each request
	until       context.Context
	streams     *room
	exports     *room
	unread      *room       // bytes of answers
	turns       *turns.Pool // of readers
	all         http.Handler
	facing
}

const base = "/api/v1"

// setGin configures the framework for the whole process: once, since requests of other handlers read the settings.
// Bodies are validated against the contract, not by struct tags.
var setGin = sync.OnceFunc(func() {
	gin.SetMode(gin.ReleaseMode)
	gin.DisableBindValidation()
})

// Face is what a server answers: requests of people and programs, and separately the metrics for monitoring.
type Face struct {
	http.Handler
	Metrics http.Handler
}

// New returns the handlers of everything that the service answers.
func New(s *service.Service, o Options) (*Face, error) {
	setGin()
	r := gin.New()
	r.HandleMethodNotAllowed = true
	r.ContextWithFallback = true
	validate, err := validation()
	if err != nil {
		return nil, fmt.Errorf("the contract: %w", err)
	}
	console, err := newConsole(o.Console)
	if err != nil {
		return nil, err
	}
	if o.Until == nil {
		o.Until = context.Background()
	}
	h := &handlers{
		s.Ledger, s.Policy, s.People, s.Cataloguing, s.Answers, s.Checklists, s.Reviewing, s.Team, s.Reports, s.Intake,
		s.Notices, s.Audit, s.Monitor,
		console.build, o.Programs, len(o.Frames) > 0, o.Address, o.Until,
		newRoom(ofStreams), newRoom(ofExports), newRoom(ofUnread),
		turns.New(runtime.GOMAXPROCS(0) / 2), r, facing{o.Secure, o.Trusted},
	}
	if err := believe(r, o.Trusted); err != nil {
		return nil, err
	}
	m := newMetrics(h)
	if o.Traced {
		r.Use(otelgin.Middleware("dtallyd", otelgin.WithGinFilter(isTraced)))
	}
	r.Use(
		logging(o.Log),
		m.watch,
		recovery(o.Log),
		h.safety,
	)
	if o.Closed {
		r.Use(h.closed)
	}
	r.GET("/healthz", func(c *gin.Context) { c.String(http.StatusOK, "alive\n") })
	r.GET("/readyz", h.ready)
	r.GET("/api/openapi.yaml", func(c *gin.Context) { c.Data(http.StatusOK, "application/yaml", contract.Document) })
	for name, of := range schema.Files {
		form, err := of()
		if err != nil {
			return nil, err
		}
		r.GET("/api/"+name, h.tagged, func(c *gin.Context) { c.Data(http.StatusOK, "application/schema+json", form) })
	}
	r.GET(getPath, limitTime, h.getScript)
	r.GET(getPath+"/:architecture", h.getProgram)
	r.GET("/report", limitTime, h.teamsOwn, h.tagged, h.inTurn, h.report)
	r.NoMethod(func(c *gin.Context) {
		fail(c, http.StatusMethodNotAllowed, "method", "This address does not support "+c.Request.Method, nil)
	})
	r.NoRoute(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			fail(c, http.StatusNotFound, "not-found", "There is nothing at "+c.Request.URL.Path, nil)
			return
		}
		console.serve(c)
	})
	h.files(r)
	h.reading(r, console)
	h.readers(r, &o)
	h.docs(r)
	if !o.Closed {
		console.firstView = h.firstView
	}
	r.POST(importPath, h.identify, h.takeIn)
	r.GET(exportPath, limitTime, h.identify, h.teamsOwn, h.export)
	r.GET(archivePath, h.identify, h.archive)
	r.POST(archivePath, h.identify, h.takeArchive)
	r.GET(eventsPath, h.identify, h.events)
	r.GET(signOnPath+":provider", limitTime, h.identify, h.beginSignOn)
	r.GET(signOnPath+":provider/back", limitTime, h.endSignOn)
	r.POST(devicePath, limitTime, limitBody, h.awaitDevice)
	r.POST(tokenPath, limitTime, limitBody, h.deviceToken)
	r.GET(calendarPath, limitTime, h.tagged, h.calendar)
	r.GET(unsubscribePath, h.unsubscribe)
	r.POST(unsubscribePath, limitTime, limitBody, h.unsubscribe)
	group := r.Group(base, limitTime, limitBody, h.identify, h.tagged, h.known, validate, h.teamsOwn, h.once)
	operations{to: h}.register(group)
	same := http.NewCrossOriginProtection()
	if o.Address != "" {
		if err := same.AddTrustedOrigin(o.Address); err != nil {
			return nil, fmt.Errorf("address: %w", err)
		}
	}
	return &Face{same.Handler(heads(r)), m.handler()}, nil
}

// believe makes the framework take the caller's address only from trusted proxies.
func believe(r *gin.Engine, trusted []netip.Prefix) error {
	r.RemoteIPHeaders = []string{"X-Forwarded-For"}
	names := make([]string, len(trusted))
	for i, p := range trusted {
		names[i] = p.String()
	}
	return r.SetTrustedProxies(names)
}

func (h *handlers) ready(c *gin.Context) {
	if err := h.ledger.Ready(c.Request.Context()); err != nil {
		refuse(c, err)
		return
	}
	c.String(http.StatusOK, "ready\ndatabase: answers\nrecords: up to date\n")
}
