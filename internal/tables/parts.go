package tables

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"errors"
	"io"
	"io/fs"
	"os"
	"slices"
	"strings"
)

// parts are the files of a spreadsheet, until they are packed: small ones in memory, large
// ones on the disk.
type parts struct {
	all  []*part
	size int64
}

type part struct {
	name   string
	of     *parts
	memory bytes.Buffer
	disk   *os.File // nil: it is in memory
}

// largest is how much of a part is held in memory, and quick from which size on packing is
// to be quick rather than tight.
const (
	largest = 1 << 20
	quick   = 32 << 20
)

// Create implements excelize.ZipWriter.
func (p *parts) Create(name string) (io.Writer, error) {
	one := &part{name: name, of: p}
	p.all = append(p.all, one)
	return one, nil
}

// AddFS implements excelize.ZipWriter; nothing is added so.
func (p *parts) AddFS(fs.FS) error { return errors.ErrUnsupported }

// Close implements excelize.ZipWriter.
func (p *parts) Close() error { return nil }

func (x *part) Write(b []byte) (n int, err error) {
	x.of.size += int64(len(b))
	if x.disk == nil && x.memory.Len()+len(b) <= largest {
		return x.memory.Write(b)
	}
	if x.disk == nil {
		if x.disk, err = os.CreateTemp("", "dtally-sheet-*"); err != nil {
			return 0, err
		}
		if err := os.Remove(x.disk.Name()); err != nil { // it goes when it is closed
			return 0, err
		}
		if _, err := x.memory.WriteTo(x.disk); err != nil {
			return 0, err
		}
	}
	return x.disk.Write(b)
}

// reader reads the part from its beginning.
func (x *part) reader() (io.Reader, error) {
	if x.disk == nil {
		return &x.memory, nil
	}
	_, err := x.disk.Seek(0, io.SeekStart)
	return x.disk, err
}

func (p *parts) drop() {
	for _, x := range p.all {
		if x.disk != nil {
			_ = x.disk.Close() // it was read already, or is not wanted any more
		}
	}
}

// pack writes the parts as a zip in the order of their names and without a clock, so that
// the same tables give the same bytes.
func (p *parts) pack(w io.Writer) error {
	slices.SortFunc(p.all, func(a, b *part) int { return strings.Compare(a.name, b.name) })
	out := zip.NewWriter(w)
	if p.size > quick {
		out.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
			return flate.NewWriter(w, flate.BestSpeed)
		})
	}
	for _, x := range p.all {
		from, err := x.reader()
		if err != nil {
			return err
		}
		to, err := out.Create(x.name)
		if err != nil {
			return err
		}
		if _, err := io.Copy(to, from); err != nil {
			return err
		}
	}
	return out.Close()
}
