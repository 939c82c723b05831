package api

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/url"

	"github.com/gin-gonic/gin"
	"github.com/oapi-codegen/runtime"

	"dappertally/internal/problem"
)

// binding reads the parameters and the body of a request. It stops at the first that cannot be read and keeps the
// error in err.
type binding struct {
	c      *gin.Context
	values url.Values
	err    error
}

func (b *binding) path(name string, to any, kind string) {
	b.note(name, runtime.BindStyledParameterWithOptions("simple", name, b.c.Param(name), to,
		runtime.BindStyledParameterOptions{
			ParamLocation:    runtime.ParamLocationPath,
			Required:         true,
			Type:             kind,
			ValueIsUnescaped: true,
		}))
}

func (b *binding) query(name string, required bool, to any, kind, format string) {
	if b.values == nil {
		b.values = b.c.Request.URL.Query()
	}
	b.note(name, runtime.BindQueryParameterWithOptions("form", true, required, name, b.values, to,
		runtime.BindQueryParameterOptions{Type: kind, Format: format}))
}

func (b *binding) header(name string, to any) {
	switch values := b.c.Request.Header.Values(name); {
	case len(values) > 1:
		b.note(name, fmt.Errorf("one value is expected, not %d", len(values)))
	case len(values) == 1:
		b.note(name, runtime.BindStyledParameterWithOptions("simple", name, values[0], to,
			runtime.BindStyledParameterOptions{ParamLocation: runtime.ParamLocationHeader, Type: "string"}))
	}
}

func (b *binding) note(name string, err error) {
	if err != nil && b.err == nil {
		b.err = problem.New(problem.Invalid, "Invalid format for parameter %s: %s", name, err)
	}
}

func (b *binding) body(to any, required bool) {
	if b.err != nil {
		return
	}
	if err := b.c.ShouldBindJSON(to); required || !errors.Is(err, io.EOF) {
		b.err = err
	}
}

// answer calls an operation and writes its answer, or the error. An operation that returns neither has written the
// answer itself.
func answer[Q, A any](b binding, asked Q, operation func(context.Context, Q) (*A, error), status int) {
	if b.err != nil {
		refuse(b.c, b.err)
		return
	}
	answered, err := operation(apart(b.c), asked)
	if err != nil {
		refuse(b.c, err)
		return
	}
	if answered == nil {
		return
	}
	// Encoded first, so that an error in encoding can still be reported.
	text, err := json.Marshal(answered)
	if err != nil {
		refuse(b.c, err)
		return
	}
	b.c.Data(status, "application/json", append(text, '\n'))
}

// confirm calls an operation that answers only that it was done.
func confirm[Q any](b binding, asked Q, operation func(context.Context, Q) error, status int) {
	if b.err == nil {
		b.err = operation(apart(b.c), asked)
	}
	if b.err != nil {
		refuse(b.c, b.err)
		return
	}
	b.c.Status(status)
}

// apart gives an operation a context of its own. A gin context is reused for other requests, while the database's
// driver may still use the one that it was given.
func apart(c *gin.Context) *gin.Context {
	own := c.Copy()
	own.Set(keyOwn, c)
	return own
}
