package client

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
)

// Restored is what a service imported from an archive.
type Restored struct {
	Reviews   int      `json:"reviews"`
	Readings  int      `json:"readings"`
	Reports   int      `json:"reports"`
	Revisions int      `json:"revisions"`
	Differing []string `json:"differing,omitempty"`
	Files     int      `json:"files"`
	Change    int64    `json:"change"`
}

// ExportArchive opens the archive of everything that a service keeps permanently, and returns its size. The caller
// closes it.
func ExportArchive(ctx context.Context, c *Client) (io.ReadCloser, int64, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.server+base+"/archive", nil)
	if err != nil {
		return nil, 0, err
	}
	resp, err := c.stream(req)
	if err != nil {
		return nil, 0, err
	}
	return resp.Body, resp.ContentLength, nil
}

// ImportArchive imports an archive into a service that has no records; a trial returns what would be imported and
// saves nothing.
func ImportArchive(ctx context.Context, c *Client, file io.Reader, size int64, trial bool) (Restored, error) {
	var done Restored
	address := c.server + base + "/archive"
	if trial {
		address += "?trial=true"
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, address, file)
	if err != nil {
		return done, err
	}
	req.ContentLength = size
	req.Header.Set("Content-Type", "application/x-tar")
	resp, err := c.stream(req)
	if err != nil {
		return done, err
	}
	defer resp.Body.Close()
	if err := json.NewDecoder(resp.Body).Decode(&done); err != nil {
		return done, fmt.Errorf("%w: the connection was lost: %w", ErrUnreachable, err)
	}
	return done, nil
}
