// Package bundle reads and writes the interchange file. A bundle holds everything that a ranking needs, so that a
// result can be computed anywhere and recomputed at any time.
package bundle

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"iter"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reading"
	"dappertally/core/scoring"
)

// Format and Version name the file format that this package reads and writes.
const (
	Format  = "dapper-tally/bundle"
	Version = 1
)

// Bundle is the content of an interchange file.
type Bundle struct {
	Format        string                   `json:"format"`
	Version       int                      `json:"version"`
	Checklists    []checklist.Checklist    `json:"checklists"`
	Distributions []catalogue.Distribution `json:"distributions"`
	Rigs          []catalogue.Rig          `json:"rigs"`
	Reviews       []reading.Review         `json:"reviews"`
}

// Parse reads and validates a bundle of at most limit bytes. An input with
// faults comes back as a fault.List that names all of them.
func Parse(r io.Reader, limit int64) (*Bundle, error) {
	data, err := io.ReadAll(io.LimitReader(r, limit+1))
	if err != nil {
		return nil, fmt.Errorf("reading the bundle: %w", err)
	}
	if int64(len(data)) > limit {
		return nil, fault.List{{Detail: fmt.Sprintf("is larger than %d MiB", limit>>20)}}
	}
	var b Bundle
	if err := Decode(data, &b).Err(); err != nil {
		return nil, err
	}
	for i := range b.Reviews {
		if b.Reviews[i].State == oldSubmitted {
			b.Reviews[i].State = reading.Submitted
		}
	}
	if err := b.Validate().Err(); err != nil {
		return nil, err
	}
	return &b, nil
}

// oldSubmitted is the state submitted in bundles that were written before version 1.0.0 of the product.
const oldSubmitted = "handed-in"

// Write writes the bundle in its one canonical form. It sorts b in place.
func Write(w io.Writer, b *Bundle) error {
	b.Format, b.Version = Format, Version
	b.Sort()
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	return e.Encode(b)
}

// WriteStream writes a bundle whose reviews are passed one after the other, ordered by id; b itself has no reviews.
// It stops at the first error of the sequence.
func WriteStream(w io.Writer, b *Bundle, reviews iter.Seq2[*reading.Review, error]) error {
	b.Reviews = []reading.Review{}
	var head bytes.Buffer
	if err := Write(&head, b); err != nil {
		return err
	}
	const foot = "]}\n"
	begin, ok := bytes.CutSuffix(head.Bytes(), []byte(foot))
	if !ok {
		return fmt.Errorf("reviews must come last in a bundle")
	}
	if _, err := w.Write(begin); err != nil {
		return err
	}
	var one bytes.Buffer
	e := json.NewEncoder(&one)
	e.SetEscapeHTML(false)
	between := ""
	for r, err := range reviews {
		if err != nil {
			return err
		}
		one.WriteString(between)
		between = ","
		if err := e.Encode(r); err != nil {
			return err
		}
		one.Truncate(one.Len() - 1) // without the newline
		if _, err := one.WriteTo(w); err != nil {
			return err
		}
	}
	_, err := io.WriteString(w, foot)
	return err
}

// Input returns what core/scoring needs for one checklist version of the bundle.
func (b *Bundle) Input(c *checklist.Checklist) scoring.Input {
	return scoring.Input{Checklist: c, Rigs: b.Rigs, Reviews: b.Reviews}
}

// Sort puts the bundle into the order in which it is written.
func (b *Bundle) Sort() {
	slices.SortFunc(b.Checklists, func(x, y checklist.Checklist) int {
		return cmp.Or(strings.Compare(x.Key, y.Key), cmp.Compare(x.Version, y.Version))
	})
	slices.SortFunc(b.Distributions, func(x, y catalogue.Distribution) int { return strings.Compare(x.Key, y.Key) })
	for i := range b.Distributions {
		slices.SortFunc(b.Distributions[i].Releases, func(x, y catalogue.Release) int {
			return cmp.Or(strings.Compare(x.Date, y.Date), strings.Compare(x.Version, y.Version))
		})
	}
	slices.SortFunc(b.Rigs, func(x, y catalogue.Rig) int { return strings.Compare(x.Key, y.Key) })
	slices.SortFunc(b.Reviews, func(x, y reading.Review) int { return strings.Compare(x.ID, y.ID) })
	for i := range b.Reviews {
		slices.SortFunc(b.Reviews[i].Readings, func(x, y reading.Reading) int {
			return cmp.Or(x.At.Compare(y.At), strings.Compare(x.ID, y.ID))
		})
	}
}
