package intake

import (
	"archive/tar"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"dappertally/core/bundle"
	"dappertally/core/fault"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/reports"
	"dappertally/internal/store"
)

// Restored is what was imported from an archive.
type Restored struct {
	Reviews, Readings, Reports, Revisions, Files int
	Differing                                    []string // revisions of reports whose page differs from one drawn now
	Change                                       int64
}

// mostIndexed is the largest index of an archive.
const mostIndexed = 64 << 20

// TakeArchive imports an archive into a service that has no records yet, all of it or nothing. Every file is checked
// against its hash before anything is written. A trial reports what would be imported and saves nothing.
func (s *Service) TakeArchive(
	ctx context.Context,
	who *access.Actor,
	file io.ReadSeeker,
	trial bool,
) (Restored, error) {
	var done Restored
	if err := who.Permit(KeepArchive); err != nil {
		return done, err
	}
	if err := s.empty(ctx); err != nil {
		return done, err
	}
	index, b, err := checkArchive(file)
	if err != nil {
		return done, err
	}
	kept, err := index.reports()
	if err != nil {
		return done, err
	}
	done = Restored{Files: len(index.Files), Reviews: len(b.Reviews), Reports: len(kept)}
	for i := range b.Reviews {
		done.Readings += len(b.Reviews[i].Readings)
	}
	for i := range kept {
		done.Revisions += len(kept[i].revisions)
	}
	c := &course{watch: Watch{Rows: "refused"}}
	done.Change, err = s.bring(ctx, who, c, func(state *ledger.Records, tx *store.Tx) (*arrivals, error) {
		m := s.meeting(who, tx, state, c)
		if err := m.meet(b); err != nil {
			return nil, err
		}
		if c.done.Refused > 0 {
			return nil, problem.New(
				problem.Conflict,
				"somebody wrote here at the same time; an archive can only be imported into a service "+
					"without records",
			)
		}
		if trial {
			return nil, ledger.ErrTrial
		}
		a, err := m.im.find(b, tx)
		if err != nil {
			return nil, err
		}
		a.files = func(keep func(func(*store.Tx) error) error) error { return restoreFiles(keep, index, file) }
		a.end = func(tx *store.Tx) error {
			if err := m.im.log(tx); err != nil {
				return err
			}
			for i := range kept {
				if err := kept[i].restore(tx); err != nil {
					return err
				}
			}
			return tx.Log("restored", store.SortReport, "*", numerals.Count(len(kept), "report"))
		}
		return a, nil
	})
	if errors.Is(err, ledger.ErrTrial) {
		return done, nil
	}
	if err != nil {
		return done, err
	}
	if done.Differing, err = s.differing(ctx); err != nil {
		s.ledger.Log.WarnContext(ctx, "pages of reports were not compared", "error", err) // they are imported anyway
	}
	return done, nil
}

// differing returns the revisions whose page differs from one drawn now from their data: it was altered, or drawn by
// another version of this program.
func (s *Service) differing(ctx context.Context) ([]string, error) {
	all, err := s.reports.Reports(ctx, &access.Actor{})
	if err != nil {
		return nil, err
	}
	var out []string
	for i := range all {
		r, err := s.reports.Report(ctx, &access.Actor{}, all[i].Key)
		if err != nil {
			return out, err
		}
		for j := range r.Revisions {
			same, err := s.reports.AsDrawn(ctx, &r.Revisions[j])
			if err != nil {
				return out, err
			}
			if !same {
				out = append(out, fmt.Sprintf("%s, revision %d", r.Key, r.Revisions[j].Revision))
			}
		}
	}
	return out, nil
}

// empty refuses a service that already has records.
func (s *Service) empty(ctx context.Context) error {
	state, err := s.ledger.Latest(ctx)
	if err != nil {
		return err
	}
	reports, err := s.ledger.Store.Reports(ctx)
	if err != nil {
		return ledger.Failed(err, "reading reports")
	}
	if n := len(state.Catalogue.Distributions); n > 0 || len(state.Checklists.Lists) > 0 || len(reports) > 0 {
		return problem.New(
			problem.Conflict,
			"this service already has %d distributions, %d checklist versions and %d reports; an archive "+
				"can only be imported into an empty service. A bundle can be imported here",
			n,
			len(state.Checklists.Lists),
			len(reports),
		)
	}
	return nil
}

// checkArchive reads a whole archive and refuses it if its files do not match its index.
func checkArchive(file io.ReadSeeker) (*ArchiveIndex, *bundle.Bundle, error) {
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return nil, nil, ledger.Failed(err, "reading an archive")
	}
	in := tar.NewReader(file)
	text, err := entry(in, archiveIndex, mostIndexed)
	if err != nil {
		return nil, nil, err
	}
	var index ArchiveIndex
	if err := bundle.Decode(text, &index).Err(); err != nil {
		return nil, nil, problem.From("the archive's index", asFaults(err))
	}
	if index.Format != ArchiveFormat || index.Version != ArchiveVersion {
		return nil, nil, problem.New(
			problem.Invalid,
			"this is %q, version %d; this service reads %q, version %d",
			index.Format,
			index.Version,
			ArchiveFormat,
			ArchiveVersion,
		)
	}
	text, err = entry(in, archiveBundle, LargestImport)
	if err != nil {
		return nil, nil, err
	}
	if sum := sha256.Sum256(text); hex.EncodeToString(sum[:]) != index.Bundle.SHA256 {
		return nil, nil, problem.New(
			problem.Invalid, "the archive's bundle is not the one in its index; the archive is damaged",
		)
	}
	b, err := bundle.Parse(bytes.NewReader(text), int64(len(text)))
	if err != nil {
		return nil, nil, problem.From("the archive's bundle", asFaults(err))
	}
	if err := eachFile(in, &index, func(_ string, _ ArchivedFile, r io.Reader) error {
		_, err := io.Copy(io.Discard, r)
		return err
	}); err != nil {
		return nil, nil, err
	}
	return &index, b, index.check()
}

// entry reads the next file of a tar, which must have that name.
func entry(in *tar.Reader, name string, most int64) ([]byte, error) {
	h, err := in.Next()
	if err != nil || h.Name != name {
		return nil, problem.New(
			problem.Invalid, "this is not a Dapper Tally archive, or it is damaged: %s is not in its place", name,
		)
	}
	if h.Size > most {
		return nil, problem.New(problem.Invalid, "the archive's %s is larger than %d MiB", name, most>>20)
	}
	text, err := io.ReadAll(in)
	if err != nil {
		return nil, problem.New(
			problem.Invalid, "the archive ends in the middle of %s; it is incomplete", name,
		)
	}
	return text, nil
}

// eachFile walks the files of an archive after its bundle, calls do for each, and then compares its hash.
func eachFile(in *tar.Reader, index *ArchiveIndex, do func(folder string, f ArchivedFile, r io.Reader) error) error {
	for _, part := range []struct {
		folder string
		files  []ArchivedFile
	}{{archiveFrozen, index.Frozen}, {archiveFiles, index.Files}} {
		for _, f := range part.files {
			h, err := in.Next()
			if err != nil || h.Name != part.folder+f.SHA256 || h.Size != f.Size {
				return problem.New(
					problem.Invalid,
					"the archive lacks the file %s%s, or it is incomplete",
					part.folder,
					f.SHA256,
				)
			}
			sum := sha256.New()
			if err := do(part.folder, f, io.TeeReader(in, sum)); err != nil {
				var mine *problem.Error
				if errors.As(err, &mine) {
					return err
				}
				return problem.New(problem.Invalid, "the archive ends in the middle of %s: %s", f.SHA256, err)
			}
			if hex.EncodeToString(sum.Sum(nil)) != f.SHA256 {
				return problem.New(
					problem.Invalid,
					"the content of the file %s%s does not match its name; the archive is damaged",
					part.folder,
					f.SHA256,
				)
			}
		}
	}
	return nil
}

// check refuses an index whose reports name missing files.
func (x *ArchiveIndex) check() error {
	there := map[string]bool{}
	for _, f := range x.Frozen {
		there[f.SHA256] = true
	}
	for _, r := range x.Reports {
		for i, v := range r.Revisions {
			if v.Revision != i+1 {
				return problem.New(problem.Invalid, "the revisions of the report %s are not numbered from 1", r.Key)
			}
			for _, f := range v.Files {
				if !there[f.SHA256] {
					return problem.New(
						problem.Invalid,
						"the archive lacks %s of the report %s, revision %d",
						f.Name,
						r.Key,
						v.Revision,
					)
				}
			}
			if len(v.Files) == 0 || v.Files[0].SHA256 != v.Seal {
				return problem.New(
					problem.Invalid, "the seal of report %s, revision %d, does not match its document", r.Key, v.Revision,
				)
			}
		}
	}
	return nil
}

func asFaults(err error) fault.List {
	var list fault.List
	if errors.As(err, &list) {
		return list
	}
	return fault.List{{Detail: err.Error()}}
}

// restoreFiles stores the archive's files, each in its own transaction. Files of an earlier attempt are kept.
func restoreFiles(keep func(func(*store.Tx) error) error, index *ArchiveIndex, file io.ReadSeeker) error {
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return ledger.Failed(err, "reading an archive")
	}
	in := tar.NewReader(file)
	for range 2 { // the index and the bundle were read before
		if _, err := in.Next(); err != nil {
			return ledger.Failed(err, "reading an archive")
		}
	}
	return eachFile(in, index, func(folder string, f ArchivedFile, r io.Reader) error {
		hash, err := hex.DecodeString(f.SHA256)
		if err != nil {
			return problem.New(problem.Invalid, "%q is not a SHA-256", f.SHA256)
		}
		body, err := io.ReadAll(r) // a repeated transaction reads it again
		if err != nil {
			return err
		}
		if folder == archiveFiles {
			return keep(func(tx *store.Tx) error {
				_, err := tx.AddFile(hash, bytes.NewReader(body))
				if errors.Is(err, store.ErrExists) {
					return nil
				}
				return err
			})
		}
		x, err := reports.Pack(store.ReportFile{Type: f.Type, SHA256: hash, Size: f.Size}, body)
		if err != nil {
			return ledger.Failed(err, "packing a published file")
		}
		return keep(func(tx *store.Tx) error { return tx.Freeze(&x) })
	})
}

// keptReport is a report of an archive as it is stored.
type keptReport struct {
	reports.Report
	revisions []reports.ReportRevision
	files     [][]store.Frozen // by revision
}

// reports reads the reports of an index.
func (x *ArchiveIndex) reports() ([]keptReport, error) {
	all := make([]keptReport, len(x.Reports))
	for i := range x.Reports {
		r := &x.Reports[i]
		all[i].Report = reports.Report{ID: r.ID, Key: r.Key, Number: r.Number, Created: r.Created}
		if r.Series != "" {
			all[i].Series = &reports.ReportSeries{Key: r.Series, Title: r.SeriesTitle}
		}
		for _, v := range r.Revisions {
			seal, err := hex.DecodeString(v.Seal)
			if err != nil {
				return nil, problem.New(problem.Invalid, "%q is not a SHA-256", v.Seal)
			}
			files, err := x.filesOf(r.Key, v.Files)
			if err != nil {
				return nil, err
			}
			all[i].files = append(all[i].files, files)
			all[i].revisions = append(all[i].revisions, reports.ReportRevision{
				Revision:  v.Revision,
				Seal:      seal,
				Title:     v.Title,
				About:     v.About,
				Checklist: v.Checklist,
				Audiences: v.Audiences,
				Editions:  v.Editions,
				Authors:   v.Authors,
				Erratum:   v.Erratum,
				Published: v.Published,
			})
		}
	}
	return all, nil
}

// filesOf returns the files of a revision of a report.
func (x *ArchiveIndex) filesOf(of string, named []ArchivedOfReport) ([]store.Frozen, error) {
	files := make([]store.Frozen, len(named))
	for i, f := range named {
		hash, err := hex.DecodeString(f.SHA256)
		if err != nil {
			return nil, problem.New(problem.Invalid, "%q is not a SHA-256", f.SHA256)
		}
		at, ok := slices.BinarySearchFunc(
			x.Frozen, f.SHA256, func(a ArchivedFile, name string) int { return strings.Compare(a.SHA256, name) },
		)
		if !ok {
			return nil, problem.New(problem.Invalid, "the archive's files are not in order")
		}
		mediaType, ok := report.TypeOf(f.Name)
		if !ok || mediaType != x.Frozen[at].Type {
			return nil, problem.New(problem.Invalid, "the report %s has the file %.70q of the type %.70q, which reports cannot have",
				of, f.Name, x.Frozen[at].Type)
		}
		files[i] = store.Frozen{
			ReportFile: store.ReportFile{Name: f.Name, Type: mediaType, SHA256: hash, Size: x.Frozen[at].Size},
		}
	}
	return files, nil
}

func (k *keptReport) restore(tx *store.Tx) error {
	if err := tx.RestoreReport(&k.Report); err != nil {
		return err
	}
	for i := range k.revisions {
		if err := tx.Publish(k.ID, &k.revisions[i], k.files[i]); err != nil {
			return err
		}
	}
	return nil
}
