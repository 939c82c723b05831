package measure

import (
	"archive/zip"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"

	"dappertally/core/checklist"
)

// SheetFormat and SheetVersion name the format of a run sheet: a zip with sheet.json, and the test files below kit/.
const (
	SheetFormat  = "dapper-tally/run-sheet"
	SheetVersion = 1
	sheetEntry   = "sheet.json"
	kitFolder    = "kit/"
)

// Sheet is what a machine without a network needs to measure a review.
type Sheet struct {
	Format   string              `json:"format"`
	Version  int                 `json:"version"`
	Review   string              `json:"review"`  // its id
	Edition  string              `json:"edition"` // its key
	List     checklist.Checklist `json:"checklist"`
	Measured []Measured          `json:"measured,omitempty"` // what is already measured
	Known    []KnownTime         `json:"known,omitempty"`    // earlier durations of runs
}

// KnownTime is the shortest known time of a criterion on a rig.
type KnownTime struct {
	Criterion string  `json:"criterion"`
	Rig       string  `json:"rig"`
	Seconds   float64 `json:"seconds"`
}

// Takes returns how many seconds a run of a criterion takes on a rig at least; 0 if that is not known.
func (s *Sheet) Takes(criterion, rig string) (seconds float64, known bool) {
	i := slices.IndexFunc(s.Known, func(k KnownTime) bool { return k.Criterion == criterion && k.Rig == rig })
	if i < 0 {
		return 0, false
	}
	return s.Known[i].Seconds, true
}

// Measured is a criterion that is already measured on a rig.
type Measured struct {
	Criterion string `json:"criterion"`
	Rig       string `json:"rig,omitempty"`
}

// Criteria returns the criteria that a client can measure automatically: the named ones, or by default all that are
// not measured on the rig yet, without the rigs' reference. Naming one that does not exist or has no procedure is an
// error.
func (s *Sheet) Criteria(named []string, rig string) ([]*checklist.Criterion, error) {
	var out []*checklist.Criterion
	for _, key := range named {
		c, ok := s.List.Criterion(key)
		switch {
		case !ok:
			return nil, fmt.Errorf("checklist %s has no criterion %q", s.List.Name(), key)
		case c.Procedure == nil:
			return nil, fmt.Errorf("%s has no procedure: it is measured by hand", key)
		}
		out = append(out, c)
	}
	if len(named) > 0 {
		return out, nil
	}
	for i := range s.List.Sections {
		for j := range s.List.Sections[i].Criteria {
			c := &s.List.Sections[i].Criteria[j]
			if c.Procedure != nil && !c.Reference &&
				!slices.Contains(s.Measured, Measured{c.Key, rig}) {
				out = append(out, c)
			}
		}
	}
	return out, nil
}

// Kit returns the test files that the procedures of the checklist use.
func (s *Sheet) Kit() []checklist.KitFile {
	return slices.DeleteFunc(slices.Clone(s.List.Kit), func(f checklist.KitFile) bool {
		for i := range s.List.Sections {
			for _, c := range s.List.Sections[i].Criteria {
				if c.Procedure != nil && slices.Contains(c.Procedure.Kit, f.Name) {
					return false
				}
			}
		}
		return true
	})
}

// Write writes a run sheet with the test files of a folder.
func (s *Sheet) Write(w io.Writer, kit string) error {
	out := zip.NewWriter(w)
	entry, err := out.Create(sheetEntry)
	if err != nil {
		return err
	}
	s.Format, s.Version = SheetFormat, SheetVersion
	if err := json.NewEncoder(entry).Encode(s); err != nil {
		return err
	}
	for _, f := range s.Kit() {
		if err := addFile(out, kit, f); err != nil {
			return fmt.Errorf("%s: %w", f.Name, err)
		}
	}
	return out.Close()
}

func addFile(out *zip.Writer, kit string, f checklist.KitFile) error {
	from, err := os.Open(within(kit, f.Name))
	if err != nil {
		return err
	}
	defer from.Close()
	entry, err := out.Create(kitFolder + f.Name)
	if err != nil {
		return err
	}
	return verified(entry, from, f)
}

// verified copies a test file, and fails if it is not the one in the checklist.
func verified(to io.Writer, from io.Reader, f checklist.KitFile) error {
	sum := sha256.New()
	n, err := io.Copy(io.MultiWriter(to, sum), io.LimitReader(from, f.Size+1))
	if err != nil {
		return err
	}
	if n != f.Size || hex.EncodeToString(sum.Sum(nil)) != f.SHA256 {
		return errors.New("is not the file that the checklist names: its size or its SHA-256 differs")
	}
	return nil
}

// largestSheet is the largest description in a run sheet.
const largestSheet = 64 << 20

// OpenSheet reads a run sheet and unpacks its test files into a folder, each verified.
func OpenSheet(name, kit string) (*Sheet, error) {
	in, err := zip.OpenReader(name)
	if err != nil {
		return nil, fmt.Errorf("%s is not a run sheet: %w", name, err)
	}
	defer in.Close()
	var s Sheet
	entry, err := in.Open(sheetEntry)
	if err == nil {
		err = errors.Join(json.NewDecoder(io.LimitReader(entry, largestSheet)).Decode(&s), entry.Close())
	}
	if err != nil || s.Format != SheetFormat {
		return nil, fmt.Errorf("%s is not a run sheet; dtally measure pack writes one", name)
	}
	if s.Version != SheetVersion {
		return nil, fmt.Errorf(
			"%s is version %d of the format; this program reads version %d",
			name,
			s.Version,
			SheetVersion,
		)
	}
	for _, f := range s.Kit() {
		if err := layOut(&in.Reader, kit, f); err != nil {
			return nil, fmt.Errorf("%s in %s: %w", f.Name, name, err)
		}
	}
	return &s, nil
}

func layOut(in *zip.Reader, kit string, f checklist.KitFile) (err error) {
	entry, err := in.Open(kitFolder + f.Name)
	if err != nil {
		return err
	}
	defer entry.Close()
	out, err := os.Create(within(kit, f.Name))
	if err != nil {
		return err
	}
	defer func() { err = errors.Join(err, out.Close()) }()
	return verified(out, entry, f)
}
