package bundle_test

import (
	"bytes"
	"errors"
	"fmt"
	"iter"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"dappertally/core/bundle"
	"dappertally/core/reading"
)

// each passes reviews one after the other, and an error after the first so many; none if that is negative.
func each(reviews []reading.Review, breaks int, err error) iter.Seq2[*reading.Review, error] {
	return func(yield func(*reading.Review, error) bool) {
		for i := range reviews {
			if i == breaks {
				yield(nil, err)
				return
			}
			if !yield(&reviews[i], nil) {
				return
			}
		}
	}
}

// narrow accepts so many bytes.
type narrow struct{ left int }

var errFull = errors.New("full")

func (n *narrow) Write(p []byte) (int, error) {
	if n.left -= len(p); n.left < 0 {
		return 0, errFull
	}
	return len(p), nil
}

// TestWriteStream writes the golden bundles review by review: the bytes are those of the whole bundle.
func TestWriteStream(t *testing.T) {
	files, _ := filepath.Glob("../testdata/golden/*.bundle.json")
	if len(files) == 0 {
		t.Fatal("there are no golden bundles")
	}
	for _, name := range files {
		file, err := os.Open(name)
		if err != nil {
			t.Fatal(err)
		}
		b, err := bundle.Parse(file, 64<<20)
		file.Close()
		if err != nil {
			t.Fatal(err)
		}
		var whole, streamed bytes.Buffer
		if err := bundle.Write(&whole, b); err != nil {
			t.Fatal(err)
		}
		reviews := b.Reviews
		err = bundle.WriteStream(&streamed, b, each(reviews, -1, nil))
		if err != nil || !bytes.Equal(whole.Bytes(), streamed.Bytes()) {
			t.Errorf("%s: %v; %d bytes streamed, %d as a whole", name, err, streamed.Len(), whole.Len())
		}
		if len(reviews) < 2 {
			continue
		}
		broken := fmt.Errorf("broken")
		if err := bundle.WriteStream(&streamed, b, each(reviews, 1, broken)); !errors.Is(err, broken) {
			t.Errorf("a sequence that breaks off: %v", err)
		}
		for _, room := range []int{0, 10, whole.Len() - 1, whole.Len() - 4} {
			if err := bundle.WriteStream(&narrow{room}, b, each(slices.Clone(reviews), -1, nil)); !errors.Is(err, errFull) {
				t.Errorf("room for %d of %d bytes: %v", room, whole.Len(), err)
			}
		}
	}
}
