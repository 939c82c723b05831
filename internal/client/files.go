package client

import (
	"context"
	"fmt"
	"io"
	"net/http"
)

// Download opens a file that the service stores under the SHA-256 of its content. The caller checks the hash, and
// closes it.
func Download(ctx context.Context, c *Client, sum string) (io.ReadCloser, error) {
	resp, err := transfer(ctx, c, http.MethodGet, sum, 0, nil)
	if err != nil {
		return nil, err
	}
	return resp.Body, nil
}

// Upload uploads a file under the SHA-256 of its content, which the service checks.
func Upload(ctx context.Context, c *Client, sum string, size int64, content io.Reader) error {
	resp, err := transfer(ctx, c, http.MethodPut, sum, size, content)
	if err != nil {
		return err
	}
	return resp.Body.Close()
}

// transfer sends a request for a file by its hash.
func transfer(
	ctx context.Context,
	c *Client,
	method, sum string,
	size int64,
	content io.Reader,
) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, method, c.server+base+"/files/"+sum, content)
	if err != nil {
		return nil, err
	}
	if content != nil {
		req.ContentLength = size
		req.Header.Set("Content-Type", "application/octet-stream")
	}
	return c.stream(req)
}

// stream sends a request outside the generated client, which would hold whole files in memory and give up on slow
// connections.
func (c *Client) stream(req *http.Request) (*http.Response, error) {
	c.sign(req)
	resp, err := (&http.Client{CheckRedirect: sameOrigin}).Do(req)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrUnreachable, err)
	}
	if resp.StatusCode >= http.StatusBadRequest {
		defer resp.Body.Close()
		a, err := whole(resp)
		if err != nil {
			return nil, err
		}
		return nil, refusal(a)
	}
	return resp, nil
}
