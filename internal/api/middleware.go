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

// The keys under which middleware stores values in a request's context.
const (
	keyActor    = "actor"
	keyRequest  = "request"
	keyRevision = "revision"
	keyOwn      = "request's own"
)

func requestID(c *gin.Context) string { return c.GetString(keyRequest) }

// logging logs every request except probes, without anything that could be secret.
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

// isRoutine reports whether a request is a probe, or for a file of the console.
func isRoutine(c *gin.Context) bool {
	path := c.Request.URL.Path
	return path == "/healthz" || path == "/readyz" || strings.HasPrefix(path, "/assets/")
}

// isTraced reports whether a request is worth a trace. A stream of events has no end while somebody listens.
func isTraced(c *gin.Context) bool { return !isRoutine(c) && c.Request.URL.Path != eventsPath }

// way returns from which kind of client a request comes, as far as it says so.
func way(c *gin.Context) string {
	switch {
	case strings.HasPrefix(c.Request.UserAgent(), contract.ClientAgent):
		return "client"
	case c.GetHeader("Authorization") == "" && c.GetHeader("Sec-Fetch-Site") != "":
		return "console"
	}
	return "api"
}

// recovery answers a panic as an internal error and logs where it was.
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

// heads answers HEAD requests for everything that can be read (RFC 9110): the handler runs, and the server leaves the
// body out. A stream of events never ends, and files of evidence, which can be large, answer HEAD themselves.
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

// The console loads scripts, styles and pictures only from this service. The one style element that a control adds to
// the page, which hides the scroll bar of an open list, is allowed by its hash.
const consolePolicy = "default-src 'self'; style-src 'self' 'sha256-441zG27rExd4/il+NvIqyL8zFx5XmyNQtE381kSkUJk='; " +
	"img-src 'self' data:; font-src 'self' data:; media-src 'self' blob:; " +
	"object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"

// safety sets the headers that keep a browser from doing what no page of ours needs.
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

// requestTime is the time limit of a request: a database that does not answer must not block its callers.
const requestTime = 15 * time.Second

// freezeTime is for publishing, which draws every figure of a report in all its forms, and exportTime for exports of
// everything.
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

// identify determines who makes the request, by session cookie or token. An expired cookie makes the caller a reader;
// an invalid token is refused, since its sender expects to be recognized.
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
		// The answer has seen at least this change: a page follows the changes after it.
		c.Header("Dtally-Seen", itoa(h.ledger.Seen()))
	} else {
		h.asReader(c)
	}
	c.Next()
}

// whoIs looks up who makes the request.
func (h *handlers) whoIs(c *gin.Context) (access.Actor, error) {
	if bearer, ok := strings.CutPrefix(c.GetHeader("Authorization"), "Bearer "); ok {
		return h.people.ByToken(c.Request.Context(), bearer, h.place(c))
	}
	if secret := h.sessionSecret(c); secret != "" {
		return h.people.BySession(c.Request.Context(), secret, h.place(c))
	}
	return access.Actor{}, nil
}

// whoAsks returns the actor that identify found; a reader if it did not run.
func whoAsks(c *gin.Context) *access.Actor {
	if who, ok := c.Get(keyActor); ok {
		return who.(*access.Actor)
	}
	return &access.Actor{}
}

// Large answers are counted until they are read: a reader who requests many and reads none must not fill the memory.
const large = 128 << 10

// ofUnread is how many bytes of large answers can wait for their readers.
var ofUnread = limits{
	all: 64 << 20, readers: 64 << 20, network: 24 << 20,
	full: "too many answers have not been read yet; read them first",
}

// tagged adds an ETag to every successful answer to a read, made of the revision that an edit must name and of the
// answer's bytes. It answers 304 if the caller already has that one.
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
	shared := held.whole != nil // it needs no memory of its own
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
	_, _ = c.Writer.Write(body) // the caller may have left
}

// untilRead counts an answer of n bytes until done is called; ok is false if too much is waiting already.
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

// mine sets who can cache an answer: nobody if it is for somebody with an account; otherwise the caller, who must
// revalidate it.
func mine(c *gin.Context) {
	header := c.Writer.Header()
	header.Add("Vary", "Cookie, Authorization")
	if whoAsks(c).SignedIn() {
		header.Set("Cache-Control", "private, no-store")
	} else {
		header.Set("Cache-Control", "no-cache")
	}
}

// sum returns the part of a tag that stands for an answer's bytes.
func sum(body []byte) string {
	hash := sha256.Sum256(body)
	return hex.EncodeToString(hash[:8])
}

// heldWriter holds an answer back until its tag is known.
type heldWriter struct {
	gin.ResponseWriter
	body   bytes.Buffer
	whole  []byte // the answer, if the whole was given at once
	sum    string // its sum, if known
	status int
	wrote  bool
}

// hold takes an answer that is shared and must not change, and its sum.
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

// version returns the revision that an If-Match header names; zero if there is none.
func version(ifMatch string) ledger.Version {
	tag := strings.Trim(strings.TrimPrefix(ifMatch, "W/"), `"`)
	n, _, _ := strings.Cut(tag, ".")
	v, err := strconv.Atoi(n)
	if err != nil {
		return 0
	}
	return ledger.Version(v)
}

// toSignIn reports whether a request is needed to sign in or to set up an account.
var toSignIn = []string{
	base + "/session", base + "/about", base + "/set-up", base + "/links/open",
	base + "/links/use", base + "/password-strength",
	base + "/session/passkey", base + "/session/passkey/options", base + "/session/second",
}

// closed refuses all requests without an account, if the administrator wants that. Signing in, and the console that
// it needs, stay open.
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
