package frames

import (
	"bufio"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"iter"
	"math"
	"os"
	"slices"
)

// Log is the frame times of one run, in ms. Close it when done.
type Log struct {
	Column  string   // name or number of the column that was read
	Unit    string   // the unit in which the times were read
	Remarks []string // harmless oddities of the log
	count   int
	held    []float64
	file    *os.File
	out     *bufio.Writer
	err     error
}

// held is how many frame times stay in memory; more go to a file.
const held = 1 << 20

func (l *Log) add(t float64) error {
	l.count++
	if l.file == nil && len(l.held) < held {
		l.held = append(l.held, t)
		return nil
	}
	if l.file == nil {
		if err := l.spill(); err != nil {
			return err
		}
	}
	return l.put(t)
}

// spill opens a file without a name, so that it disappears however this ends.
func (l *Log) spill() error {
	f, err := os.CreateTemp("", "dtally-frames-")
	if err != nil {
		return fmt.Errorf("a log this long needs room in %s: %w", os.TempDir(), err)
	}
	if err := os.Remove(f.Name()); err != nil {
		return errors.Join(err, f.Close())
	}
	l.file, l.out = f, bufio.NewWriterSize(f, 1<<18)
	for _, t := range l.held {
		if err := l.put(t); err != nil {
			return err
		}
	}
	l.held = nil
	return nil
}

func (l *Log) put(t float64) error {
	var b [8]byte
	binary.LittleEndian.PutUint64(b[:], math.Float64bits(t))
	if _, err := l.out.Write(b[:]); err != nil {
		return fmt.Errorf("a log this long needs room in %s: %w", os.TempDir(), err)
	}
	return nil
}

func (l *Log) finish() error {
	if l.out == nil {
		return nil
	}
	if err := l.out.Flush(); err != nil {
		return fmt.Errorf("a log this long needs room in %s: %w", os.TempDir(), err)
	}
	l.out = nil
	return nil
}

// Times iterates over the frame times in order. Err reports afterwards whether the iteration was complete.
func (l *Log) Times() iter.Seq[float64] {
	if l.file == nil {
		return slices.Values(l.held)
	}
	return func(yield func(float64) bool) {
		in := io.NewSectionReader(l.file, 0, 8*int64(l.count))
		block := make([]byte, 1<<16)
		for left := 8 * l.count; left > 0; left -= len(block) {
			block = block[:min(left, len(block))]
			if _, err := io.ReadFull(in, block); err != nil {
				l.err = fmt.Errorf("reading the frame times again: %w", err)
				return
			}
			for b := block; len(b) > 0; b = b[8:] {
				if !yield(math.Float64frombits(binary.LittleEndian.Uint64(b))) {
					return
				}
			}
		}
	}
}

// Err returns what went wrong during the iteration over the frame times.
func (l *Log) Err() error { return l.err }

// Close releases what the log holds.
func (l *Log) Close() error {
	if l.file == nil {
		return nil
	}
	return l.file.Close()
}
