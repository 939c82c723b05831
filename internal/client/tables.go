package client

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/url"

	"dappertally/internal/contract"
	"dappertally/internal/tables"
)

// ImportOptions are how a file is read and what is done with it.
type ImportOptions struct {
	Form    string            `json:"form,omitempty"`
	Mapping string            `json:"mapping,omitempty"`
	Inline  *contract.Mapping `json:"inline,omitempty"`
	Fields  map[string]string `json:"fields,omitempty"`
	Trial   bool              `json:"trial,omitempty"`
	Rows    string            `json:"rows,omitempty"`
	Date    string            `json:"date,omitempty"`
	Model   string            `json:"model,omitempty"`
}

// ImportedRow is the outcome of one row of an import.
type ImportedRow struct {
	Line      int    `json:"line,omitempty"`
	Fate      string `json:"fate"`
	Subject   string `json:"subject,omitempty"`
	Criterion string `json:"criterion,omitempty"`
	Reviewer  string `json:"reviewer,omitempty"`
	Rig       string `json:"rig,omitempty"`
	Answer    string `json:"answer,omitempty"`
	Column    string `json:"column,omitempty"`
	Why       string `json:"why,omitempty"`
}

// Imported is the result of an import.
type Imported struct {
	New      int   `json:"new"`
	Same     int   `json:"same"`
	Replaces int   `json:"replaces"`
	Changes  int   `json:"changes"`
	Refused  int   `json:"refused"`
	Written  bool  `json:"written"`
	Change   int64 `json:"change,omitempty"`
}

// ImportWatch is called with the progress of an import.
type ImportWatch struct {
	Row      func(ImportedRow)
	Progress func(phase string, done, of int)
}

// Import sends a file and reads the outcome of its rows, line by line.
func Import(
	ctx context.Context,
	c *Client,
	what string,
	o ImportOptions,
	file io.Reader,
	w ImportWatch,
) (Imported, error) {
	body, in := io.Pipe()
	form := multipart.NewWriter(in)
	go func() {
		in.CloseWithError(func() error {
			options, err := form.CreateFormField("options")
			if err != nil {
				return err
			}
			if err := json.NewEncoder(options).Encode(o); err != nil {
				return err
			}
			part, err := form.CreateFormFile("file", "file")
			if err != nil {
				return err
			}
			if _, err := io.Copy(part, file); err != nil {
				return err
			}
			return form.Close()
		}())
	}()
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, c.server+base+"/imports/"+what, body)
	if err != nil {
		return Imported{}, err
	}
	req.Header.Set("Content-Type", form.FormDataContentType())
	resp, err := c.stream(req)
	if err != nil {
		return Imported{}, err
	}
	defer resp.Body.Close()
	return follow(resp.Body, w)
}

func follow(body io.Reader, w ImportWatch) (Imported, error) {
	scanner := bufio.NewScanner(body)
	scanner.Buffer(make([]byte, 1<<16), 1<<22)
	for scanner.Scan() {
		var line struct {
			Row      *ImportedRow
			Progress *struct {
				Phase    string
				Done, Of int
			}
			Done   *Imported
			Failed *contract.Problem
		}
		if err := json.Unmarshal(scanner.Bytes(), &line); err != nil {
			return Imported{}, fmt.Errorf("the answer is not what this client expects: %w", err)
		}
		switch {
		case line.Row != nil:
			w.Row(*line.Row)
		case line.Progress != nil:
			w.Progress(line.Progress.Phase, line.Progress.Done, line.Progress.Of)
		case line.Failed != nil:
			return Imported{}, &Refusal{*line.Failed}
		case line.Done != nil:
			return *line.Done, nil
		}
	}
	return Imported{}, fmt.Errorf(
		"%w: the connection was lost; it is not known whether everything was imported, and sending "+
			"it again is safe: %w",
		ErrUnreachable,
		errors.Join(scanner.Err(), io.ErrUnexpectedEOF),
	)
}

// Export opens an export. The caller closes it.
func Export(
	ctx context.Context,
	c *Client,
	what string,
	query url.Values,
) (body io.ReadCloser, note string, err error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.server+base+"/exports/"+what+"?"+query.Encode(), nil)
	if err != nil {
		return nil, "", err
	}
	resp, err := c.stream(req)
	if err != nil {
		return nil, "", err
	}
	return resp.Body, resp.Header.Get(tables.NoteHeader), nil
}
