package report

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"path"
	"slices"

	"dappertally/core/bundle"
	"dappertally/core/reporting"
)

// types are the media types of a report's files, by the extension of their names. No other file is stored or sent.
var types = map[string]string{
	".html": "text/html; charset=utf-8",
	".json": "application/json",
	".md":   "text/markdown; charset=utf-8",
	".png":  "image/png",
	".jpeg": "image/jpeg",
	".webp": "image/webp",
	".gif":  "image/gif",
	".svg":  "image/svg+xml",
	".xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
	".zip":  "application/zip",
}

// TypeOf returns the media type of a report's file, by its name; false for a file that no report has.
func TypeOf(name string) (string, bool) {
	t, ok := types[path.Ext(name)]
	return t, ok
}

// HasType reports whether some file of a report has that media type.
func HasType(mediaType string) bool {
	return slices.Contains(slices.Collect(maps.Values(types)), mediaType)
}

// Redraw draws the page of a frozen report again, only from its document and bundle and its pictures by hash. address
// returns the address of a file of the report, by its name.
func Redraw(
	ctx context.Context, document, records []byte, pictures map[string][]byte, address func(name string) string,
) ([]byte, error) {
	var d Document
	if err := json.Unmarshal(document, &d); err != nil {
		return nil, fmt.Errorf("the document: %w", err)
	}
	b, err := bundle.Parse(bytes.NewReader(records), int64(len(records)))
	if err != nil {
		return nil, fmt.Errorf("the bundle: %w", err)
	}
	r, err := reporting.Compute(ctx, b, d.Question)
	if err != nil {
		return nil, fmt.Errorf("the results: %w", err)
	}
	return writePage(pageOf{
		Document: &d, Sections: Lay(&d, r), Seal: fileOf(DocumentFile, "", document).SHA256,
		Downloads: downloads(address), pictures: pictures,
	})
}
