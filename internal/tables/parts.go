package tables

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"slices"
	"strings"

	"github.com/xuri/excelize/v2"
)

// parts are the files inside a spreadsheet, as the library writes them.
type parts []*part

type part struct {
	name string
	bytes.Buffer
}

// Create implements excelize.ZipWriter.
func (p *parts) Create(name string) (io.Writer, error) {
	one := &part{name: name}
	*p = append(*p, one)
	return one, nil
}

// AddFS implements excelize.ZipWriter; it is not used.
func (p *parts) AddFS(fs.FS) error { return errors.ErrUnsupported }

// Close implements excelize.ZipWriter.
func (p *parts) Close() error { return nil }

// partsOf returns the parts of a book in the order of their names.
func partsOf(f *excelize.File) (parts, error) {
	var p parts
	f.SetZipWriter(func(io.Writer) excelize.ZipWriter { return &p })
	if _, err := f.WriteToBuffer(); err != nil { // stays empty: the parts hold everything
		return nil, err
	}
	slices.SortFunc(p, func(a, b *part) int { return strings.Compare(a.name, b.name) })
	return p, nil
}

// rowsOf splits a sheet of a book where its further rows belong.
func rowsOf(f *excelize.File, name string) (before, after []byte, err error) {
	p, err := partsOf(f)
	if err != nil {
		return nil, nil, err
	}
	at := slices.IndexFunc(p, func(x *part) bool { return x.name == name })
	if at < 0 {
		return nil, nil, fmt.Errorf("the book has no %s", name)
	}
	text := p[at].Bytes()
	end := bytes.Index(text, []byte("</sheetData>"))
	if end < 0 {
		return nil, nil, fmt.Errorf("%s has no rows", name)
	}
	return text[:end:end], text[end:], nil
}
