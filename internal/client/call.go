package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"reflect"
	"regexp"
	"strings"
	"time"

	"dappertally/internal/build"
	"dappertally/internal/contract"
)

// ErrUnreachable is a service that did not answer, or answered only that it cannot work now.
var ErrUnreachable = errors.New("the service cannot be reached")

// Refusal is a problem document that the service answered with.
type Refusal struct{ contract.Problem }

// Error returns the problem and every field that is wrong.
func (r *Refusal) Error() string {
	var b strings.Builder
	b.WriteString(r.Detail)
	if len(r.Errors) == 1 && strings.HasSuffix(r.Detail, r.Errors[0].Detail) {
		return b.String() // it is the same as the only error
	}
	for _, e := range r.Errors {
		fmt.Fprintf(&b, "\n  %s: %s", e.Pointer, e.Detail)
	}
	return b.String()
}

// Client calls a service. Its operations are generated from the contract.
type Client struct {
	server string // its address, without a slash at the end
	token  string
	http   http.Client
	values url.Values // parameters of every request
	keys   Keys       // of writes; nil: each request gets a new one

	// Version is called with the service's build at every answer; nil: not called.
	Version func(version string)
}

const base = "/api/v1"

// Connect returns a client for a service's address. With an empty token it reads what everybody can. A session lasts
// as long as the client is used.
func Connect(server, token string) *Client {
	jar, _ := cookiejar.New(nil) // without options, there is no error
	return &Client{
		strings.TrimRight(server, "/"), token,
		http.Client{Timeout: 2 * time.Minute, Jar: jar, CheckRedirect: sameOrigin}, nil, nil, nil,
	}
}

// HasToken reports whether requests carry a token.
func (c *Client) HasToken() bool { return c.token != "" }

// mostAnswer is the largest answer that is read as a whole, so that an endless one does not fill the memory.
const mostAnswer = 256 << 20

// sameOrigin follows redirects to other addresses of the same service, and to no other service: a password or a token
// in the request is only for the named service.
func sameOrigin(to *http.Request, via []*http.Request) error {
	from := via[0].URL
	if to.URL.Scheme != from.Scheme || to.URL.Host != from.Host {
		return fmt.Errorf("the service redirects to %s://%s, where nothing is sent; if that is correct, name it with "+
			"--server",
			to.URL.Scheme, to.URL.Host)
	}
	const mostSteps = 10
	if len(via) >= mostSteps {
		return fmt.Errorf("the service redirects in a circle")
	}
	return nil
}

// Through returns a client whose every request also carries these parameters, such as those of a view.
func (c *Client) Through(values url.Values) *Client {
	through := *c
	through.values = values
	return &through
}

// request is a call of one operation.
type request struct {
	client  *Client
	method  string
	path    string
	values  url.Values
	headers http.Header
	body    any // nil: none
}

// braced is the part of a path that a value replaces.
var braced = regexp.MustCompile(`\{[^}]+\}`)

// ask starts a request; the parts replace what is in braces in path.
func (c *Client) ask(method, path string, parts ...any) *request {
	path = braced.ReplaceAllStringFunc(path, func(string) string {
		part := url.PathEscape(fmt.Sprint(parts[0]))
		parts = parts[1:]
		return part
	})
	r := &request{c, method, base + path, url.Values{}, http.Header{}, nil}
	maps.Copy(r.values, c.values)
	return r
}

// query sets a parameter of the address. An unset one is left out: for every parameter of the contract zero means the
// default.
func (r *request) query(name string, value any) {
	switch v := reflect.ValueOf(value); {
	case !v.IsValid() || v.IsZero():
	case v.Kind() == reflect.Slice:
		for i := range v.Len() {
			r.values.Add(name, fmt.Sprint(v.Index(i).Interface()))
		}
	default:
		if at, ok := value.(time.Time); ok {
			value = at.Format(time.RFC3339Nano)
		}
		r.values.Set(name, fmt.Sprint(value))
	}
}

// header sets a header if it has a value.
func (r *request) header(name, value string) {
	if value != "" {
		r.headers.Set(name, value)
	}
}

// Got is the service's answer, and the tag that an edit of it must name.
type Got[T any] struct {
	Value T
	ETag  string
}

// read sends a request and decodes the answer. It returns the content, a *Refusal, or an error that is
// ErrUnreachable.
func read[T any](ctx context.Context, r *request) (Got[T], error) {
	var out Got[T]
	a, err := r.answer(ctx)
	if err != nil {
		return out, err
	}
	if a.status >= http.StatusBadRequest {
		return out, refusal(a)
	}
	out.ETag = a.header.Get("ETag")
	if len(a.body) == 0 {
		return out, nil
	}
	if err := json.Unmarshal(a.body, &out.Value); err != nil {
		return out, fmt.Errorf(
			"the answer is not what this client expects; do client and service have the same version? "+
				"(%w)", err,
		)
	}
	return out, nil
}

// answer is a whole answer of the service.
type answer struct {
	status int
	header http.Header
	body   []byte
}

// once sends a request and reads the answer, without repeating.
func (r *request) once(ctx context.Context, body []byte) (answer, error) {
	address := r.client.server + r.path
	if len(r.values) > 0 {
		address += "?" + r.values.Encode()
	}
	req, err := http.NewRequestWithContext(ctx, r.method, address, bytes.NewReader(body))
	if err != nil {
		return answer{}, err
	}
	req.Header = r.headers
	r.client.sign(req)
	resp, err := r.client.http.Do(req)
	if err != nil {
		return answer{}, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	defer resp.Body.Close()
	if version := resp.Header.Get("Dtally-Version"); version != "" && r.client.Version != nil {
		r.client.Version(version)
	}
	return whole(resp)
}

// whole reads an answer to its end.
func whole(resp *http.Response) (answer, error) {
	text, err := io.ReadAll(io.LimitReader(resp.Body, mostAnswer+1))
	if err != nil {
		return answer{}, fmt.Errorf("%w: the connection was lost: %w", ErrUnreachable, err)
	}
	if len(text) > mostAnswer {
		return answer{}, fmt.Errorf("the answer is larger than %d MiB and was discarded", mostAnswer>>20)
	}
	return answer{resp.StatusCode, resp.Header, text}, nil
}

// sign adds the credentials.
func (c *Client) sign(r *http.Request) {
	r.Header.Set("User-Agent", contract.ClientAgent+build.Version())
	if c.token != "" {
		r.Header.Set("Authorization", "Bearer "+c.token)
	}
}

func refusal(a answer) error {
	r := &Refusal{}
	if err := json.Unmarshal(a.body, &r.Problem); err != nil || r.Detail == "" {
		return fmt.Errorf(
			"the address answered %d %s; it may not be a Dapper Tally service", a.status, http.StatusText(a.status),
		)
	}
	r.Status = a.status
	if r.Status == http.StatusServiceUnavailable {
		return fmt.Errorf("%w: %w", ErrUnreachable, r)
	}
	return r
}
