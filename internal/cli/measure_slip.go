package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/spf13/cobra"

	"dappertally/core/reading"
	"dappertally/internal/measure"
	"dappertally/internal/numerals"
	"dappertally/internal/slip"
	"dappertally/internal/wholefile"
)

// finish adds the results to the slip, and submits it if wanted.
func (s *session) finish(cmd *cobra.Command, f *measureFlags, sheet *measure.Sheet, b *measure.Bench) error {
	if f.stream {
		return nil // the machine that reads the stream has the journal
	}
	x := f.readings(sheet, b)
	if err := dropKnown(f.slip, x); err != nil {
		return err
	}
	if len(x.Readings) > 0 {
		if err := f.enclose(x, b.Journal); err != nil {
			return err
		}
		f.tellOfEntry(x, b.Journal)
		if err := slip.Append(f.slip, x); err != nil {
			return err
		}
		fmt.Fprintf(cmd.ErrOrStderr(), "added %s to %s; send them with: dtally submit %s\n",
			numerals.Count(len(x.Readings), "reading"), f.slip, f.slip)
	}
	if f.restart && f.sheet == f.beside(".sheet") {
		if err := os.Remove(f.sheet); err != nil {
			return err
		}
	}
	if f.submit {
		return s.handInMeasured(cmd, f, b)
	}
	return s.printMeasured(cmd, b)
}

// handInMeasured submits the slip of a bench.
func (s *session) handInMeasured(cmd *cobra.Command, f *measureFlags, b *measure.Bench) error {
	h := &b.Journal.Header
	resultSheet(h.Edition, h.Rig, measuredOf(b)).render(cmd.ErrOrStderr())
	x, err := slip.Load(f.slip)
	if errors.Is(err, os.ErrNotExist) {
		return errors.New("nothing was measured, so nothing is sent")
	}
	if err != nil {
		return err
	}
	return s.submit(cmd, x, &destination{review: h.Review, yes: true, folder: filepath.Dir(f.slip)})
}

// printMeasured prints the results of the bench so far.
func (s *session) printMeasured(cmd *cobra.Command, b *measure.Bench) error {
	if b.Streamed {
		return nil
	}
	results, h := measuredOf(b), &b.Journal.Header
	return s.print(cmd, results, resultSheet(h.Edition, h.Rig, results))
}

// readingSpace is the namespace for the ids of measured readings, so that a bench that is finished twice adds them
// once.
var readingSpace = uuid.MustParse("6f3d5a0e-8d0c-4a58-9a55-2f0b7c1d9e41")

// readings returns the results for a slip.
func (f *measureFlags) readings(sheet *measure.Sheet, b *measure.Bench) *slip.Slip {
	x := &slip.Slip{Review: sheet.Review, Edition: sheet.Edition}
	h := &b.Journal.Header
	for _, t := range b.Tasks {
		if len(t.Values) > 0 {
			of := fmt.Appendf(
				nil,
				"%s %s %s %d %s %d",
				h.Review,
				t.Criterion.Key,
				h.Rig,
				h.Seed,
				h.Began,
				len(t.Values),
			)
			x.Readings = append(x.Readings, measuredReading(t, h, lastOf(b.Journal, t.Criterion.Key), of))
		}
	}
	sessions, tasks := b.References()
	for i, t := range tasks {
		at, err := time.Parse(time.RFC3339, sessions[i])
		if err != nil {
			continue // somebody has edited the journal
		}
		of := fmt.Appendf(nil, "%s %s %s %d %s", h.Review, t.Criterion.Key, h.Rig, h.Seed, sessions[i])
		x.Readings = append(x.Readings, measuredReading(t, h, at, of))
	}
	return x
}

// measuredReading returns the result of a task. Its id is derived from its subject.
func measuredReading(t *measure.Task, h *measure.Header, at time.Time, of []byte) slip.Reading {
	c := t.Criterion
	r := newReading(at)
	r.ID = uuid.NewSHA1(readingSpace, of).String()
	r.Criterion, r.Rig = c.Key, h.Rig
	r.Method, r.Phase = c.Context.Method, cmp.Or(c.Context.Phase, h.Phase)
	r.Setup = cmp.Or(c.Context.Setup, h.Setup)
	r.Answer, r.Unit = words(shortened(t.Values)), t.Unit()
	r.Boots = slipBoots(t.Boots)
	r.Note = "measured by its procedure: " + t.Says()
	return r
}

// slipBoots returns the starts of the machine in which runs were made, one id for each run, as a slip stores them.
func slipBoots(ids []string) []slip.Boot {
	var boots []slip.Boot
	for _, b := range reading.InBoots(ids) {
		boots = append(boots, slip.Boot(b))
	}
	return boots
}

// enclose stores the runs and their conditions next to the slip, as evidence for its readings. Later parts of the
// journal are not included.
func (f *measureFlags) enclose(x *slip.Slip, j *measure.Journal) error {
	text, err := os.ReadFile(f.journal)
	if err != nil {
		return err
	}
	id := uuid.NewSHA1(readingSpace, text).String()
	name := fmt.Sprintf("runs-%s.txt", id[:8])
	if err := wholefile.Write(filepath.Join(filepath.Dir(f.slip), name), func(w io.Writer) error {
		_, err := w.Write(text)
		return err
	}); err != nil {
		return err
	}
	last := j.Entries[len(j.Entries)-1].At.Truncate(time.Second)
	x.Evidence = []slip.File{{
		ID: id, At: last, Name: name, Caption: fmt.Sprintf("All runs of dtally measure on %s, with the state of the machine", j.Header.Rig),
	}}
	return nil
}

// dropKnown removes the readings that a slip already has.
func dropKnown(file string, x *slip.Slip) error {
	there, err := slip.Load(file)
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	x.Readings = slices.DeleteFunc(x.Readings, func(r slip.Reading) bool {
		return slices.ContainsFunc(there.Readings, func(old slip.Reading) bool { return old.ID == r.ID })
	})
	return nil
}

// shortened rounds values to digits that were measured.
func shortened(values []float64) []float64 {
	const digits = 1e6
	out := make([]float64, len(values))
	for i, x := range values {
		out[i] = math.Round(digits*x) / digits
	}
	return out
}

// lastOf returns when the last run of a criterion began.
func lastOf(j *measure.Journal, criterion string) time.Time {
	var at time.Time
	for i := range j.Entries {
		if e := &j.Entries[i]; e.Criterion == criterion && e.Counts() {
			at = e.At
		}
	}
	return at
}
