package intake

import (
	"archive/tar"
	"bufio"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"io"
	"os"
	"slices"
	"strings"
	"time"

	"dappertally/core/reading"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/reports"
	"dappertally/internal/store"
)

// The format of an archive: a tar of the index, the bundle, every file of every published report, and every file that
// belongs to the bundle, each under its hash. It contains no time of the machine, so that the same records of a
// service give the same bytes; of another service they differ only in the head of the audit trail.
const (
	ArchiveFormat  = "dapper-tally/archive"
	ArchiveVersion = 1
	archiveIndex   = "archive.json"
	archiveBundle  = "bundle.json"
	archiveFrozen  = "frozen/"
	archiveFiles   = "files/"
)

// ArchiveIndex lists the content of an archive.
type ArchiveIndex struct {
	Format  string           `json:"format"`
	Version int              `json:"version"`
	Bundle  ArchivedFile     `json:"bundle"`
	Reports []ArchivedReport `json:"reports"` // oldest first
	Frozen  []ArchivedFile   `json:"frozen"`  // by hash
	Files   []ArchivedFile   `json:"files"`   // evidence and test files, by hash
	Audit   *ArchivedAudit   `json:"audit,omitempty"`
}

// ArchivedAudit is the head of the service's audit trail when its records last changed: with an older archive,
// somebody can later check whether the trail was altered since.
type ArchivedAudit struct {
	Number int64  `json:"number"`
	Hash   string `json:"hash"` // SHA-256, in hexadecimal
}

// archivedSorts are the kinds of change that affect an archive.
var archivedSorts = []store.Sort{
	store.SortCatalogue, store.SortRig, store.SortChecklist, store.SortReview, store.SortReport, store.SortFile,
	store.SortKnownIssue,
}

// ArchivedFile is a file of an archive.
type ArchivedFile struct {
	SHA256 string `json:"sha256"`
	Size   int64  `json:"size"`
	Type   string `json:"type,omitempty"`
}

// ArchivedReport is a report with everything that was published of it.
type ArchivedReport struct {
	ID          string             `json:"id"`
	Key         string             `json:"key"`
	Series      string             `json:"series,omitempty"`
	SeriesTitle string             `json:"seriesTitle,omitempty"`
	Number      int                `json:"number,omitempty"`
	Created     time.Time          `json:"created"`
	Revisions   []ArchivedRevision `json:"revisions"` // oldest first
}

// ArchivedRevision is one published revision.
type ArchivedRevision struct {
	Revision  int                `json:"revision"`
	Seal      string             `json:"seal"`
	Title     string             `json:"title"`
	About     string             `json:"about"`
	Checklist string             `json:"checklist"`
	Audiences []string           `json:"audiences"`
	Editions  []string           `json:"editions"`
	Authors   []string           `json:"authors"`
	Erratum   *reporting.Erratum `json:"erratum,omitempty"`
	Published time.Time          `json:"published"`
	Files     []ArchivedOfReport `json:"files"`
}

// ArchivedOfReport is one form of a revision.
type ArchivedOfReport struct {
	Name   string `json:"name"`
	SHA256 string `json:"sha256"`
}

// Archive is everything that is kept permanently, ready to be written.
type Archive struct {
	service *Service
	index   []byte
	Index   ArchiveIndex
	bundle  *os.File
	named   map[string]bool // files that the bundle names, by hash
	Size    int64           // size of the whole in bytes
}

// Close releases what the archive holds on the disk.
func (a *Archive) Close() error { return a.bundle.Close() }

// Archive collects the results of every release and every published report. Close it.
func (s *Service) Archive(ctx context.Context, who *access.Actor) (*Archive, error) {
	if err := who.Permit(KeepArchive); err != nil {
		return nil, err
	}
	spool, err := os.CreateTemp("", "dtally-archive-*")
	if err != nil {
		return nil, problem.Unkept("the archive", err)
	}
	a := &Archive{
		service: s,
		bundle:  spool,
		named:   map[string]bool{},
		Index: ArchiveIndex{
			Format:  ArchiveFormat,
			Version: ArchiveVersion,
			Reports: []ArchivedReport{},
			Frozen:  []ArchivedFile{},
			Files:   []ArchivedFile{},
		},
	}
	if err := os.Remove(spool.Name()); err != nil { // it is deleted when it is closed
		err = problem.Unkept("the archive", err)
		return nil, errors.Join(err, a.Close())
	}
	if err := a.gather(ctx, who); err != nil {
		_ = a.Close() // the first error is reported
		return nil, err
	}
	return a, nil
}

// gather writes the bundle and the index, and computes the size of the whole.
func (a *Archive) gather(ctx context.Context, who *access.Actor) error {
	if err := a.spool(ctx, who); err != nil {
		return err
	}
	if err := a.reports(ctx); err != nil {
		return err
	}
	if err := a.files(ctx); err != nil {
		return err
	}
	number, hash, err := a.service.ledger.Store.AuditHeadOf(ctx, archivedSorts...)
	if err != nil {
		return ledger.Failed(err, "reading the audit trail")
	}
	if number > 0 {
		a.Index.Audit = &ArchivedAudit{number, hex.EncodeToString(hash)}
	}
	if a.index, err = json.MarshalIndent(&a.Index, "", " "); err != nil {
		return ledger.Failed(err, "writing the index")
	}
	a.Size = 1024 // the end of a tar
	for _, size := range append([]int64{int64(len(a.index)), a.Index.Bundle.Size}, a.sizes()...) {
		a.Size += 512 + (size+511)/512*512
	}
	return nil
}

// spool writes the bundle to the disk, and notes which files it names.
func (a *Archive) spool(ctx context.Context, who *access.Actor) error {
	state, err := a.service.ledger.Latest(ctx)
	if err != nil {
		return err
	}
	for _, list := range listsFor(state, who) {
		for _, f := range list.Kit {
			a.named[f.SHA256] = true
		}
	}
	sum := sha256.New()
	file := bufio.NewWriter(a.bundle)
	err = a.service.WriteBundle(ctx, who, io.MultiWriter(file, sum), func(r *reading.Review) {
		for _, e := range r.Evidence {
			a.named[e.SHA256] = true
		}
	})
	if full := file.Flush(); full != nil { // whatever failed first, this is why
		return problem.Unkept("the archive", full)
	}
	if err != nil {
		return err
	}
	size, err := a.bundle.Seek(0, io.SeekCurrent)
	if err != nil {
		return problem.Unkept("the archive", err)
	}
	a.Index.Bundle = ArchivedFile{SHA256: hex.EncodeToString(sum.Sum(nil)), Size: size}
	return nil
}

func (a *Archive) sizes() []int64 {
	var sizes []int64
	for _, f := range append(slices.Clone(a.Index.Frozen), a.Index.Files...) {
		sizes = append(sizes, f.Size)
	}
	return sizes
}

func (a *Archive) reports(ctx context.Context) error {
	all, err := a.service.reports.Reports(ctx, &access.Actor{})
	if err != nil {
		return err
	}
	frozen := map[string]ArchivedFile{}
	for _, r := range slices.Backward(all) {
		x := ArchivedReport{ID: r.ID, Key: r.Key, Number: r.Number, Created: r.Created, Revisions: []ArchivedRevision{}}
		if r.Series != nil {
			x.Series, x.SeriesTitle = r.Series.Key, r.Series.Title
		}
		for _, v := range slices.Backward(r.Revisions) {
			y := ArchivedRevision{
				Revision:  v.Revision,
				Seal:      hex.EncodeToString(v.Seal),
				Title:     v.Title,
				About:     v.About,
				Checklist: v.Checklist,
				Audiences: v.Audiences,
				Editions:  v.Editions,
				Authors:   v.Authors,
				Erratum:   v.Erratum,
				Published: v.Published,
				Files:     []ArchivedOfReport{},
			}
			for _, f := range v.Files {
				name := hex.EncodeToString(f.SHA256)
				y.Files = append(y.Files, ArchivedOfReport{f.Name, name})
				frozen[name] = ArchivedFile{name, f.Size, f.Type}
			}
			x.Revisions = append(x.Revisions, y)
		}
		a.Index.Reports = append(a.Index.Reports, x)
	}
	for _, f := range frozen {
		a.Index.Frozen = append(a.Index.Frozen, f)
	}
	slices.SortFunc(a.Index.Frozen, byHash)
	return nil
}

func byHash(a, b ArchivedFile) int { return strings.Compare(a.SHA256, b.SHA256) }

// files adds the files that the bundle names and this service stores to the index: evidence, and test files.
func (a *Archive) files(ctx context.Context) error {
	for name := range a.named {
		hash, err := hex.DecodeString(name)
		if name == "" || err != nil {
			continue
		}
		size, err := a.service.ledger.Store.FileSize(ctx, hash)
		if errors.Is(err, store.ErrNotFound) {
			continue // listed only by its hash
		}
		if err != nil {
			return ledger.Failed(err, "looking for files")
		}
		a.Index.Files = append(a.Index.Files, ArchivedFile{SHA256: name, Size: size})
	}
	slices.SortFunc(a.Index.Files, byHash)
	return nil
}

// Write writes the archive, file by file.
func (a *Archive) Write(ctx context.Context, w io.Writer) error {
	out := tar.NewWriter(w)
	put := func(name string, size int64, write func(io.Writer) error) error {
		if err := out.WriteHeader(&tar.Header{Name: name, Mode: 0o644, Size: size, Format: tar.FormatUSTAR}); err != nil {
			return err
		}
		return write(out)
	}
	whole := func(body []byte) func(io.Writer) error {
		return func(w io.Writer) error {
			_, err := w.Write(body)
			return err
		}
	}
	if err := put(archiveIndex, int64(len(a.index)), whole(a.index)); err != nil {
		return err
	}
	err := put(archiveBundle, a.Index.Bundle.Size, func(w io.Writer) error {
		_, err := io.Copy(w, io.NewSectionReader(a.bundle, 0, a.Index.Bundle.Size))
		return err
	})
	if err != nil {
		return err
	}
	for _, f := range a.Index.Frozen {
		x, err := a.service.reports.FrozenFile(ctx, f.SHA256, "")
		if err == nil {
			err = reports.Unpack(&x)
		}
		if err == nil {
			err = put(archiveFrozen+f.SHA256, f.Size, whole(x.Body))
		}
		if err != nil {
			return err
		}
	}
	for _, f := range a.Index.Files {
		hash, err := hex.DecodeString(f.SHA256)
		if err != nil {
			return err
		}
		if err := put(archiveFiles+f.SHA256, f.Size, func(w io.Writer) error { return a.service.ledger.Store.WriteFile(ctx, hash, w) }); err != nil {
			return err
		}
	}
	return out.Close()
}
