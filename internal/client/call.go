package client

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"time"
)

// ErrUnreachable is a service that did not answer at all, or only to say that it
// cannot work now.
var ErrUnreachable = errors.New("the service cannot be reached")

// Refusal is a problem document that the service answered with.
type Refusal struct{ Problem }

// Error tells the problem and every field that is wrong.
func (r *Refusal) Error() string {
	var b strings.Builder
	b.WriteString(r.Detail)
	if len(r.Errors) == 1 && strings.HasSuffix(r.Detail, r.Errors[0].Detail) {
		return b.String() // it names the one error
	}
	for _, e := range r.Errors {
		fmt.Fprintf(&b, "\n  %s: %s", e.Pointer, e.Detail)
	}
	return b.String()
}

// Connect makes a client for a service's address. token may be empty: then it
// reads what everybody may.
func Connect(server, token string) (*Client, error) {
	return NewClient(strings.TrimRight(server, "/")+"/api/v1",
		WithHTTPClient(&http.Client{Timeout: 2 * time.Minute}),
		WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
			dropUnset(r.URL)
			if token != "" {
				r.Header.Set("Authorization", "Bearer "+token)
			}
			return nil
		}))
}

// dropUnset takes the optional parameters off an address that the generated
// client wrote although they were not set. None of them means anything at zero.
func dropUnset(u *url.URL) {
	query := u.Query()
	for name, values := range query {
		switch values[0] {
		case "", "0", "false", time.Time{}.Format(time.RFC3339):
			query.Del(name)
		}
	}
	u.RawQuery = query.Encode()
}

// Got is what the service answered, and the tag that an edit of it must name.
type Got[T any] struct {
	Value T
	ETag  string
}

// Read takes a call's response apart: what it carries, a *Refusal, or an error
// that is ErrUnreachable. Use it around a call: Read[RigList](c.ListRigs(ctx, nil)).
func Read[T any](resp *http.Response, err error) (Got[T], error) {
	var out Got[T]
	if err != nil {
		return out, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	if err != nil {
		return out, fmt.Errorf("%w: the answer broke off: %w", ErrUnreachable, err)
	}
	if resp.StatusCode >= http.StatusBadRequest {
		return out, refusal(resp, body)
	}
	out.ETag = resp.Header.Get("ETag")
	if len(body) == 0 {
		return out, nil
	}
	if err := json.Unmarshal(body, &out.Value); err != nil {
		return out, fmt.Errorf(
			"the answer is not what this client expects; are client and service of the same version? (%w)",
			err,
		)
	}
	return out, nil
}

func refusal(resp *http.Response, body []byte) error {
	r := &Refusal{}
	if err := json.Unmarshal(body, &r.Problem); err != nil || r.Detail == "" {
		return fmt.Errorf("the address answered %s and is perhaps no Dapper Tally service", resp.Status)
	}
	r.Status = resp.StatusCode
	if r.Status == http.StatusServiceUnavailable {
		return fmt.Errorf("%w: %w", ErrUnreachable, r)
	}
	return r
}
