package client

import (
	"context"
	"io"
	"net/http"
	"strings"

	"dappertally/internal/contract"
)

// Published opens a file of a published report by its address. The caller checks the hash, and closes it.
func Published(ctx context.Context, c *Client, f *contract.ReportFile) (io.ReadCloser, error) {
	return c.open(ctx, c.server+"/"+strings.TrimPrefix(f.Address, "/"))
}

// DraftPage opens the page of a draft of a report. The caller closes it.
func DraftPage(ctx context.Context, c *Client, report string) (io.ReadCloser, error) {
	return c.open(ctx, c.server+base+"/reports/"+report+"/draft/page")
}

func (c *Client) open(ctx context.Context, address string) (io.ReadCloser, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	resp, err := c.stream(req)
	if err != nil {
		return nil, err
	}
	return resp.Body, nil
}
