package api

import (
	"bytes"
	"context"
	"errors"
	"io"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/legacy"
	"github.com/gin-gonic/gin"

	"dappertally/core/controls"
	"dappertally/core/fault"
	"dappertally/internal/contract"
	"dappertally/internal/problem"
)

// routes finds the contract's operation of a request. Reading the contract takes a quarter of a second, so it is read
// once per process.
var routes = sync.OnceValues(func() (routers.Router, error) {
	doc, err := openapi3.NewLoader().LoadFromData(contract.Document)
	if err != nil {
		return nil, err
	}
	if err := doc.Validate(context.Background()); err != nil {
		return nil, err
	}
	return legacy.NewRouter(doc)
})

// validation checks requests against the contract and reports every fault of form.
func validation() (gin.HandlerFunc, error) {
	router, err := routes()
	if err != nil {
		return nil, err
	}
	options := &openapi3filter.Options{
		MultiError:              true,
		AuthenticationFunc:      openapi3filter.NoopAuthenticationFunc,
		SchemaValidationOptions: []openapi3.SchemaValidationOption{moments()},
	}
	known := newKnown()
	return func(c *gin.Context) {
		if known.hasKnownParameters(c.Request) {
			c.Next()
			return
		}
		route, params, err := router.FindRoute(c.Request)
		if err != nil {
			c.Next() // gin knows its routes and answers this itself
			return
		}
		if err := check(c, route, params, options); err != nil {
			refuse(c, err)
			return
		}
		known.add(c.Request)
		c.Next()
	}, nil
}

// known remembers the addresses of valid reads, since the most frequent ones are requested again and again.
type known struct {
	mu        sync.RWMutex
	addresses map[string]bool
}

// mostKnown limits the memory; when it is full, it starts over.
const (
	mostKnown    = 4096
	longestKnown = 512
)

func newKnown() *known { return &known{addresses: map[string]bool{}} }

func (k *known) hasKnownParameters(r *http.Request) bool {
	if r.Method != http.MethodGet {
		return false
	}
	k.mu.RLock()
	defer k.mu.RUnlock()
	return k.addresses[r.RequestURI]
}

func (k *known) add(r *http.Request) {
	if r.Method != http.MethodGet || len(r.RequestURI) > longestKnown {
		return
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	if len(k.addresses) >= mostKnown {
		clear(k.addresses)
	}
	k.addresses[r.RequestURI] = true
}

func check(c *gin.Context, route *routers.Route, params map[string]string, options *openapi3filter.Options) error {
	if route.Operation.RequestBody != nil && !isJSON(c.ContentType()) {
		return problem.New(problem.Invalid, "the body must be application/json, not %s", quoted(c.ContentType()))
	}
	if err := texts(c); err != nil {
		return err
	}
	input := &openapi3filter.RequestValidationInput{
		Request:    c.Request,
		PathParams: params,
		Route:      route,
		Options:    options,
	}
	strange := strangers(c.Request, route)
	err := openapi3filter.ValidateRequest(c.Request.Context(), input)
	if err == nil && strange == nil {
		return nil
	}
	var large *http.MaxBytesError
	if errors.As(err, &large) {
		return err
	}
	return problem.Rejected("the request", append(faults(err, ""), strange...))
}

// texts refuses control characters in requests.
func texts(c *gin.Context) error {
	var list fault.List
	for name, values := range c.Request.URL.Query() {
		for _, value := range values {
			if says := controls.Fault(value, false); says != "" {
				list = append(list, fault.Fault{Pointer: name, Detail: says})
			}
		}
	}
	if c.Request.Body != nil && isJSON(c.ContentType()) {
		body, err := io.ReadAll(c.Request.Body)
		if err != nil {
			return err
		}
		c.Request.Body = io.NopCloser(bytes.NewReader(body))
		list = append(list, controls.Document(body)...)
	}
	return problem.From("the request", list)
}

// strangers returns parameters that the operation does not have. A filter with a typing error in its name would
// otherwise be ignored, and the answer mistaken for another.
func strangers(r *http.Request, route *routers.Route) fault.List {
	var list fault.List
	for name := range r.URL.Query() {
		if route.Operation.Parameters.GetByInAndName(openapi3.ParameterInQuery, name) == nil &&
			route.PathItem.Parameters.GetByInAndName(openapi3.ParameterInQuery, name) == nil {
			list = append(list, fault.Fault{Pointer: name, Detail: "is an unknown parameter"})
		}
	}
	slices.SortFunc(list, func(a, b fault.Fault) int { return strings.Compare(a.Pointer, b.Pointer) })
	return list
}

func isJSON(contentType string) bool { return contentType == "application/json" }

func quoted(s string) string {
	if s == "" {
		return "left out"
	}
	return `"` + s + `"`
}

// faults unwraps a validator's nested errors. in is the parameter that they are about, empty for the body.
func faults(err error, in string) fault.List {
	var list fault.List
	switch e := err.(type) {
	case nil:
	case openapi3.MultiError:
		for _, inner := range e {
			list = append(list, faults(inner, in)...)
		}
	case *openapi3filter.RequestError:
		if e.Parameter != nil {
			in = e.Parameter.Name
		}
		if e.Err == nil {
			return fault.List{{Pointer: in, Detail: e.Reason}}
		}
		return faults(e.Err, in)
	case *openapi3.SchemaError:
		return schemaFaults(e, in)
	default:
		return fault.List{{Pointer: in, Detail: plain(err)}}
	}
	return list
}

func schemaFaults(e *openapi3.SchemaError, in string) fault.List {
	if inner, ok := e.Origin.(openapi3.MultiError); ok {
		return faults(inner, in)
	}
	if inner, ok := e.Origin.(*openapi3.SchemaError); ok {
		return schemaFaults(inner, in)
	}
	pointer := in
	if in == "" {
		for _, step := range e.JSONPointer() {
			pointer += "/" + strings.NewReplacer("~", "~0", "/", "~1").Replace(step)
		}
		// The validator points at the object that contains the unexpected field.
		if unknown := unsupported.FindStringSubmatch(e.Reason); unknown != nil {
			return fault.List{{Pointer: pointer + "/" + unknown[1], Detail: "is an unknown key"}}
		}
		if missing.MatchString(e.Reason) {
			return fault.List{{Pointer: pointer, Detail: "is missing"}}
		}
	}
	return fault.List{{Pointer: pointer, Detail: worded(e)}}
}

var (
	unsupported = regexp.MustCompile(`^property "(.*)" is unsupported$`)
	missing     = regexp.MustCompile(`^property ".*" is missing$`)
)

// plain returns the innermost message of an error that is not a schema's.
func plain(err error) string {
	var parse *openapi3filter.ParseError
	if errors.As(err, &parse) && parse.Cause != nil {
		return "is not valid JSON: " + parse.Cause.Error()
	}
	return err.Error()
}
