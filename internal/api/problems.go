package api

import (
	"context"
	"errors"
	"log/slog"
	"math"
	"net/http"
	"strconv"
	"unicode"
	"unicode/utf8"

	"github.com/gin-gonic/gin"

	"dappertally/core/fault"
	"dappertally/internal/contract"
	"dappertally/internal/problem"
)

// sort is how a kind of failure is represented in HTTP.
type sort struct {
	status int
	name   string
}

var sorts = map[problem.Kind]sort{
	problem.Internal:    {http.StatusInternalServerError, "internal"},
	problem.Invalid:     {http.StatusUnprocessableEntity, "invalid"},
	problem.NotSignedIn: {http.StatusUnauthorized, "not-signed-in"},
	problem.Forbidden:   {http.StatusForbidden, "forbidden"},
	problem.Unproved:    {http.StatusForbidden, "unproved"},
	problem.NotFound:    {http.StatusNotFound, "not-found"},
	problem.Conflict:    {http.StatusConflict, "conflict"},
	problem.Stale:       {http.StatusPreconditionFailed, "stale"},
	problem.NoVersion:   {http.StatusPreconditionRequired, "no-version"},
	problem.TooMany:     {http.StatusTooManyRequests, "too-many"},
	problem.Unavailable: {http.StatusServiceUnavailable, "unavailable"},
	problem.Away:        {http.StatusServiceUnavailable, "database-away"},
	problem.Slow:        {http.StatusServiceUnavailable, "database-slow"},
	problem.Busy:        {http.StatusServiceUnavailable, "busy"},
	problem.Full:        {http.StatusServiceUnavailable, "disk-full"},
	problem.TooLong:     {http.StatusServiceUnavailable, "too-long"},
	problem.Unsettled:   {http.StatusServiceUnavailable, "unsettled"},
	problem.NoChecklist: {http.StatusNotFound, "no-checklist"},
}

// refuse answers with the problem document of an error. Only here do errors become status codes.
func refuse(c *gin.Context, err error) {
	p := problemOf(c, err)
	if p.Status == http.StatusTooManyRequests || p.Status == http.StatusServiceUnavailable {
		c.Header("Retry-After", retryAfter(err))
	}
	c.Header("Content-Type", "application/problem+json")
	c.Header("Cache-Control", "no-store")
	c.AbortWithStatusJSON(p.Status, p)
}

// shortly is the default number of seconds until a retry.
const shortly = 6

// retryAfter returns after how many seconds a refused caller can retry.
func retryAfter(err error) string {
	var e *problem.Error
	if errors.As(err, &e) && e.After > 0 {
		return strconv.Itoa(int(math.Ceil(e.After.Seconds())))
	}
	return strconv.Itoa(shortly)
}

// problemOf returns the problem document of an error. Internal errors are logged.
func problemOf(c *gin.Context, err error) contract.Problem {
	var e *problem.Error
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		return document(
			c, http.StatusRequestEntityTooLarge, "too-large", "The body is larger than this address accepts", nil,
		)
	case errors.As(err, &e):
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		e = problem.New(problem.TooLong, "computing this takes longer than the service allows; ask for less")
	default:
		e = problem.New(problem.Internal, "internal error; the log has details")
	}
	s := sorts[e.Kind]
	gone := errors.Is(c.Request.Context().Err(), context.Canceled) // nobody waits for the answer any more
	if s.status >= http.StatusInternalServerError && !gone && e.After == 0 {
		slog.ErrorContext(c.Request.Context(), "failed", "path", c.Request.URL.Path, "error", err.Error())
	} else {
		slog.DebugContext(c.Request.Context(), "refused", "kind", s.name, "why", err.Error(), "person", whoAsks(c).Name)
	}
	return document(c, s.status, s.name, e.Message+whatToDo(c, e.Kind), e.Faults)
}

// whatToDo tells somebody how to go on if it is not known whether something was written.
func whatToDo(c *gin.Context, kind problem.Kind) string {
	switch {
	case kind != problem.Unsettled:
		return ""
	case c.GetHeader(contract.KeyHeader) != "":
		return "; repeating the same request is safe: nothing is written twice"
	}
	return "; check whether it was written before you repeat it"
}

// fail writes a problem document and ends the request.
func fail(c *gin.Context, status int, name, detail string, faults fault.List) {
	c.Header("Content-Type", "application/problem+json")
	c.Header("Cache-Control", "no-store")
	c.AbortWithStatusJSON(status, document(c, status, name, detail, faults))
}

func document(c *gin.Context, status int, name, detail string, faults fault.List) contract.Problem {
	p := contract.Problem{
		Type:     "/problems/" + name,
		Title:    http.StatusText(status),
		Status:   status,
		Detail:   sentence(detail),
		Instance: requestID(c),
	}
	for _, f := range faults {
		p.Errors = append(p.Errors, struct {
			Detail  string `json:"detail"`
			Pointer string `json:"pointer"`
		}{f.Detail, f.Pointer})
	}
	return p
}

func sentence(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}
