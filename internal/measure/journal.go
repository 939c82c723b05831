package measure

import (
	"bufio"
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"
)

// JournalFormat and JournalVersion name the format of a journal: lines of JSON, the first a Header, then an Entry for
// each run.
const (
	JournalFormat  = "dapper-tally/measure"
	JournalVersion = 1
)

// Header describes the subject of the runs in a journal.
type Header struct {
	Format    string    `json:"format"`
	Version   int       `json:"version"`
	Review    string    `json:"review"`
	Edition   string    `json:"edition"`
	Checklist string    `json:"checklist"`
	Hash      string    `json:"hash"` // hash of the procedures
	Rig       string    `json:"rig,omitempty"`
	Phase     string    `json:"phase,omitempty"`
	Setup     string    `json:"setup,omitempty"`
	Seed      uint64    `json:"seed"` // seed of the order of runs
	Began     time.Time `json:"began"`
}

// Entry is one run.
type Entry struct {
	Criterion   string      `json:"criterion"`
	At          time.Time   `json:"at"`
	Boot        string      `json:"boot,omitempty"` // the kernel's boot id
	Value       float64     `json:"value"`          // in the unit of the procedure
	Wall        float64     `json:"wall"`           // seconds
	Discarded   bool        `json:"discarded,omitempty"`
	Disturbance string      `json:"disturbance,omitempty"` // why it does not count
	Failed      string      `json:"failed,omitempty"`      // why there is no value
	Conditions  *Conditions `json:"conditions,omitempty"`
	Session     string      `json:"session,omitempty"` // of the rig's reference: when its session began
}

// Counts reports whether the run counts.
func (e *Entry) Counts() bool { return !e.Discarded && e.Disturbance == "" && e.Failed == "" }

// Journal is a file of runs. Every run is on the disk before the next one begins.
type Journal struct {
	Header  Header
	Entries []Entry
	file    *os.File
}

// Create creates a new journal file, which must not exist.
func Create(name string, h Header) (*Journal, error) {
	h.Format, h.Version = JournalFormat, JournalVersion
	f, err := os.OpenFile(name, os.O_RDWR|os.O_CREATE|os.O_EXCL, 0o644)
	if errors.Is(err, os.ErrExist) {
		return nil, fmt.Errorf("%s exists already: continue it with --resume, or name another with --journal", name)
	}
	if err != nil {
		return nil, err
	}
	j := &Journal{Header: h, file: f}
	if err := j.line(h); err != nil {
		return nil, errors.Join(err, f.Close(), os.Remove(name))
	}
	// The file's name has to survive a crash as well.
	if folder, err := os.Open(filepath.Dir(name)); err == nil {
		_ = folder.Sync() // some file systems cannot do that
		_ = folder.Close()
	}
	return j, nil
}

// Resume opens a journal to continue it. It removes an incomplete last line.
func Resume(name string) (*Journal, error) {
	f, err := os.OpenFile(name, os.O_RDWR, 0)
	if err != nil {
		return nil, err
	}
	j := &Journal{file: f}
	if err := j.read(); err != nil {
		return nil, errors.Join(fmt.Errorf("%s: %w", name, err), f.Close())
	}
	return j, nil
}

// longestLine is the longest line of a journal.
const longestLine = 1 << 20

func (j *Journal) read() error {
	in := bufio.NewReaderSize(j.file, longestLine)
	whole := int64(0)
	for n := 1; ; n++ {
		line, err := in.ReadSlice('\n')
		if err == io.EOF { // the rest is an incomplete line
			if n == 1 {
				return errors.New("is not a journal: it is empty")
			}
			if err := j.file.Truncate(whole); err != nil {
				return err
			}
			_, err = j.file.Seek(whole, io.SeekStart)
			return err
		}
		if err != nil {
			return fmt.Errorf("line %d: %w", n, err)
		}
		whole += int64(len(line))
		if err := j.readLine(n, bytes.TrimSpace(line)); err != nil {
			return fmt.Errorf("line %d: %w", n, err)
		}
	}
}

func (j *Journal) readLine(n int, line []byte) error {
	if n == 1 {
		if err := json.Unmarshal(line, &j.Header); err != nil || j.Header.Format != JournalFormat {
			return errors.New("this is not a journal of dtally measure")
		}
		if j.Header.Version != JournalVersion {
			return fmt.Errorf(
				"this is version %d of the format; this program reads version %d",
				j.Header.Version,
				JournalVersion,
			)
		}
		return nil
	}
	var e Entry
	if err := json.Unmarshal(line, &e); err != nil {
		return fmt.Errorf("this is not a run: %w", err)
	}
	j.Entries = append(j.Entries, e)
	return nil
}

// Add appends a run and waits until it is on the disk.
func (j *Journal) Add(e Entry) error {
	if err := j.line(e); err != nil {
		return fmt.Errorf("writing the journal: %w", err)
	}
	j.Entries = append(j.Entries, e)
	return nil
}

func (j *Journal) line(v any) error {
	text, err := json.Marshal(v)
	if err != nil {
		return err
	}
	if _, err := j.file.Write(append(text, '\n')); err != nil {
		return err
	}
	return j.file.Sync()
}

// Close closes the file.
func (j *Journal) Close() error { return j.file.Close() }
