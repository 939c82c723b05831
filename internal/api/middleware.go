package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"log/slog"
	"net/http"
	"net/url"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"
	"go.opentelemetry.io/otel/attribute"
	"go.opentelemetry.io/otel/trace"

	"dappertally/internal/access"
	"dappertally/internal/build"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/people"
	"dappertally/internal/problem"
)

// The keys of what middleware leaves in a request's context.
const (
	keyActor    = "actor"
	keyRequest  = "request"
	keyRevision = "revision"
	keyOwn      = "request's own"
)

func requestID(c *gin.Context) string { return c.GetString(keyRequest) }

// logging tells every request but those of probes, without what could be secret.
func logging(log *slog.Logger) gin.HandlerFunc {
	return func(c *gin.Context) {
		id := ledger.NewID()
		c.Set(keyRequest, id)
		ctx := ledger.WithRequest(c.Request.Context(), id)
		c.Request = c.Request.WithContext(
			ledger.WithOrigin(ctx, ledger.Origin{Way: way(c), Address: c.ClientIP(), Request: id}),
		)
		trace.SpanFromContext(ctx).SetAttributes(attribute.String("dtally.request", id))
		start := time.Now()
		c.Next()
		level := slog.LevelInfo
		if isRoutine(c) {
			level = slog.LevelDebug
		}
		log.Log(
			c,
			level,
			"answered",
			"method",
			c.Request.Method,
			"path",
			c.Request.URL.Path,
			"status",
			c.Writer.Status(),
			"bytes",
			c.Writer.Size(),
			"took",
			time.Since(start).Round(10*time.Microsecond).String(),
			"person",
			whoAsks(c).Name,
			"from",
			c.ClientIP(),
		)
	}
}

// isRoutine reports whether a request is a probe's, or for a file of the console.
func isRoutine(c *gin.Context) bool {
	path := c.Request.URL.Path
	return path == "/healthz" || path == "/readyz" || strings.HasPrefix(path, "/assets/")
}

// isTraced reports whether a request is worth a trace. A stream of events has no end while somebody listens.
func isTraced(c *gin.Context) bool { return !isRoutine(c) && c.Request.URL.Path != eventsPath }

// way is by what way in somebody asks, as far as they say so.
func way(c *gin.Context) string {
	switch {
	case strings.HasPrefix(c.Request.UserAgent(), contract.ClientAgent):
		return "client"
	case c.GetHeader("Authorization") == "" && c.GetHeader("Sec-Fetch-Site") != "":
		return "console"
	}
	return "api"
}

// recovery answers a panic as an internal error and tells where it was.
func recovery(log *slog.Logger) gin.HandlerFunc {
	return gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, panicked any) {
		log.ErrorContext(c.Request.Context(), "panic", "panic", panicked, "stack", string(debug.Stack()))
		fail(
			c,
			http.StatusInternalServerError,
			"internal",
			"internal error; the log has details",
			nil,
		)
	})
}

// heads lets whatever can be read be asked for its head alone (RFC 9110): it is read,
// and the server leaves the body out. A stream of events has no end to wait for, and
// files of evidence, which can be large, tell their heads themselves.
func heads(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodHead && r.URL.Path != eventsPath && !strings.HasPrefix(r.URL.Path, base+"/files/") {
			read := *r
			read.Method = http.MethodGet
			r = &read
		}
		next.ServeHTTP(w, r)
	})
}

// The console takes scripts, styles and pictures from this service alone. The one style element that a control writes
// into the page, which hides the scroll bar of an open list, is known by its hash.
const consolePolicy = "default-src 'self'; style-src 'self' 'sha256-441zG27rExd4/il+NvIqyL8zFx5XmyNQtE381kSkUJk='; " +
	"img-src 'self' data:; font-src 'self' data:; media-src 'self' blob:; " +
	"object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// safety sets the headers that keep a browser from doing what no page of ours
// wants.
func (h *handlers) safety(c *gin.Context) {
	header := c.Writer.Header()
	header.Set("Content-Security-Policy", consolePolicy)
	header.Set("X-Content-Type-Options", "nosniff")
	header.Set("Referrer-Policy", "same-origin")
	header.Set("Dtally-Version", build.Version())
	header.Set("Cross-Origin-Opener-Policy", "same-origin")
	header.Set("Permissions-Policy",
		"camera=(), geolocation=(), microphone=(), payment=(), usb=(), serial=(), bluetooth=(), midi=()")
	if h.overTLS(c) {
		header.Set("Strict-Transport-Security", "max-age=31536000")
	}
	c.Next()
}

// requestTime bounds what waits for the database: one that hangs must not take
// the callers with it.
const requestTime = 15 * time.Second

// freezeTime is for publishing, which draws every figure of a report in all its forms, and exportTime for handing out
// all that there is.
const (
	freezeTime = 90 * time.Second
	exportTime = 10 * time.Minute
)

func limitTime(c *gin.Context) {
	most := requestTime
	switch c.FullPath() {
	case base + "/reports/:report/revisions":
		most = freezeTime
	case exportPath:
		most = exportTime
	}
	ctx, cancel := context.WithTimeout(c.Request.Context(), most)
	defer cancel()
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

const maxBody = 4 << 20

func limitBody(c *gin.Context) {
	if c.Request.Body != nil {
		c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxBody)
	}
	c.Next()
}

// identify finds who asks, by session cookie or token. A cookie that has ended
// leaves a reader; a token that is not valid is refused, since whoever sent it
// expects to be known.
func (h *handlers) identify(c *gin.Context) {
	who, err := h.whoIs(c)
	if err != nil {
		refuse(c, err)
		return
	}
	if who.Review != "" {
		if who, err = boundTo(c, who); err != nil {
			refuse(c, err)
			return
		}
	}
	c.Set(keyActor, &who)
	if who.SignedIn() {
		// The answer has seen this change at least: a page follows the changes after it.
		c.Header("Dtally-Seen", itoa(h.ledger.Seen()))
	} else {
		h.asReader(c)
	}
	c.Next()
}

// whoIs looks up who asks.
func (h *handlers) whoIs(c *gin.Context) (access.Actor, error) {
	if bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		return h.people.ByToken(c.Request.Context(), bearer, h.place(c))
	}
	if secret := h.sessionSecret(c); secret != "" {
		return h.people.BySession(c.Request.Context(), secret, h.place(c))
	}
	return access.Actor{}, nil
}

// whoAsks is the actor that identify found; a reader where it did not run.
func whoAsks(c *gin.Context) *access.Actor {
	if who, ok := c.Get(keyActor); ok {
		return who.(*access.Actor)
	}
	return &access.Actor{}
}

// Answers beyond large are counted until they are read: a reader who asks for many and reads
// none must not fill the memory.
const large = 128 << 10

// ofUnread is how many bytes of large answers may wait for their readers.
var ofUnread = limits{
	all: 64 << 20, readers: 64 << 20, network: 24 << 20,
	full: "too many answers have not been read yet; read them first",
}

// tagged gives every good answer to a read its ETag, made of the revision that an
// edit must name and of the answer's bytes, and answers 304 where the caller has
// that one already.
func (h *handlers) tagged(c *gin.Context) {
	if c.Request.Method == http.MethodPost || c.Request.Method == http.MethodDelete {
		c.Next()
		return
	}
	held := &heldWriter{ResponseWriter: c.Writer, status: http.StatusOK}
	c.Writer = held
	c.Next()
	c.Writer = held.ResponseWriter
	body := held.bytes()
	if held.status == http.StatusOK && len(body) > 0 {
		if held.sum == "" {
			held.sum = sum(body)
		}
		etag := `"` + strconv.Itoa(c.GetInt(keyRevision)) + "." + held.sum + `"`
		c.Header("ETag", etag)
		mine(c)
		if c.Request.Method == http.MethodGet && strings.Contains(c.GetHeader("If-None-Match"), etag) {
			c.Writer.Header().Del("Content-Type")
			c.Status(http.StatusNotModified)
			c.Writer.WriteHeaderNow()
			return
		}
	}
	shared := held.whole != nil // it takes no memory of its own
	if c.Request.Method != http.MethodHead {
		sent := packed(c, body)
		shared = shared && len(sent) == len(body)
		body = sent
	}
	if !shared {
		done, ok := h.untilRead(c, len(body))
		if !ok {
			return
		}
		defer done()
	}
	if len(body) > 0 {
		c.Header("Content-Length", strconv.Itoa(len(body)))
	}
	c.Status(held.status)
	_, _ = c.Writer.Write(body) // who asked may have left
}

// untilRead counts an answer of n bytes until done is called; it refuses, and is not ok, where
// too much waits already.
func (h *handlers) untilRead(c *gin.Context, n int) (done func(), ok bool) {
	if n <= large || whoAsks(c).SignedIn() {
		return func() {}, true
	}
	done, err := h.unread.reserve(whoAsks(c), people.Network(c.ClientIP()), n)
	if err != nil {
		refuse(c, err)
	}
	return done, err == nil
}

// mine says who may keep an answer: what is told to somebody with an account nobody, and what readers are told
// the caller again each time.
func mine(c *gin.Context) {
	header := c.Writer.Header()
	header.Add("Vary", "Cookie, Authorization")
	if whoAsks(c).SignedIn() {
		header.Set("Cache-Control", "private, no-store")
	} else {
		header.Set("Cache-Control", "no-cache")
	}
}

// sum is the part of a tag that stands for an answer's bytes.
func sum(body []byte) string {
	hash := sha256.Sum256(body)
	return hex.EncodeToString(hash[:8])
}

// heldWriter keeps an answer until its tag is known.
type heldWriter struct {
	gin.ResponseWriter
	body   bytes.Buffer
	whole  []byte // the answer, where it was known as a whole
	sum    string // of the answer, where it is known
	status int
	wrote  bool
}

// hold takes an answer that is shared and not altered, and its sum.
func (w *heldWriter) hold(body []byte, sum string) {
	w.whole, w.sum, w.wrote = body, sum, true
}

func (w *heldWriter) bytes() []byte {
	if w.whole != nil {
		return w.whole
	}
	return w.body.Bytes()
}

func (w *heldWriter) WriteHeader(status int) { w.status = status }

func (w *heldWriter) WriteHeaderNow() { w.wrote = true }

func (w *heldWriter) Write(b []byte) (int, error) {
	w.wrote = true
	return w.body.Write(b)
}

func (w *heldWriter) WriteString(s string) (int, error) {
	w.wrote = true
	return w.body.WriteString(s)
}

func (w *heldWriter) Status() int { return w.status }

func (w *heldWriter) Written() bool { return w.wrote }

// version is the revision that an If-Match header names; zero if there is none.
func version(ifMatch string) ledger.Version {
	tag := strings.Trim(strings.TrimPrefix(ifMatch, "W/"), `"`)
	n, _, _ := strings.Cut(tag, ".")
	v, err := strconv.Atoi(n)
	if err != nil {
		return 0
	}
	return ledger.Version(v)
}

// toSignIn is what somebody without an account asks for who is to have one, or signs in.
var toSignIn = []string{
	base + "/session", base + "/about", base + "/set-up", base + "/links/open",
	base + "/links/use", base + "/password-strength",
	base + "/session/passkey", base + "/session/passkey/options", base + "/session/second",
}

// closed refuses to show anything to somebody without an account, where the
// administrator wants it so. Signing in, and the console that asks for it, stay open.
func (h *handlers) closed(c *gin.Context) {
	path := c.Request.URL.Path
	page := path == "/report" || strings.HasPrefix(path, "/reports/") || path == feedPath ||
		strings.HasPrefix(path, frozenPath) || strings.HasPrefix(path, previewPath) || strings.HasPrefix(path, framePath) ||
		path == "/sitemap.xml" ||
		(path == calendarPath && c.Query("key") == "")
	data := strings.HasPrefix(path, base+"/") && !slices.Contains(toSignIn, path)
	if !page && !data {
		c.Next()
		return
	}
	who, err := h.whoIs(c)
	switch {
	case err != nil:
		refuse(c, err)
		c.Abort()
	case who.SignedIn():
		c.Next()
	case page && strings.Contains(c.GetHeader("Accept"), "text/html"):
		c.Redirect(http.StatusSeeOther, "/sign-in?to="+url.QueryEscape(path))
		c.Abort()
	default:
		refuse(c, problem.New(problem.NotSignedIn, "this team shows its work only to signed-in people; sign in"))
		c.Abort()
	}
}
