package reviewing

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/checklists"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// LargestFile is the largest file that is stored; larger test files are listed by hash, with where to get them.
const LargestFile = 64 << 20

// MediaType detects the type of a file from its first bytes, never from its name.
func MediaType(start []byte) string {
	kind, _, _ := strings.Cut(http.DetectContentType(start), ";")
	if kind == "text/html" || kind == "text/xml" {
		return "text/plain" // an uploaded file is never shown as a page of this service
	}
	return kind
}

// Pictures lists the media types that a browser can show.
var Pictures = []string{"image/png", "image/jpeg", "image/gif", "image/webp"}

// OpenFile describes a stored file. Only the team can see a file that belongs neither to a checklist nor to an
// accepted review.
func (s *Service) OpenFile(
	ctx context.Context,
	who *access.Actor,
	name string,
) (size int64, mediaType string, public bool, err error) {
	hash, err := hex.DecodeString(name)
	if err != nil || len(hash) != sha256.Size {
		return 0, "", false, problem.New(problem.NotFound, "there is no file %q", name)
	}
	public, err = s.publicFile(ctx, name)
	if err != nil {
		return 0, "", false, err
	}
	size, start, err := s.ledger.Store.FileStart(ctx, hash)
	if errors.Is(err, store.ErrNotFound) || (err == nil && !public && !who.May(access.SeeWork)) {
		return 0, "", false, problem.New(problem.NotFound, "no file with the SHA-256 %s is stored here", name)
	}
	if err != nil {
		return 0, "", false, ledger.Failed(err, "reading a file")
	}
	return size, MediaType(start), public, nil
}

func (s *Service) publicFile(ctx context.Context, name string) (bool, error) {
	state, err := s.ledger.State(ctx, 0)
	if err != nil {
		return false, err
	}
	for i := range state.Checklists.Lists {
		list := &state.Checklists.Lists[i]
		if slices.ContainsFunc(list.Kit, func(f checklist.KitFile) bool { return f.SHA256 == name }) {
			return true, nil
		}
	}
	is, err := s.ledger.Store.IsEvidence(ctx, name)
	if err != nil {
		return false, ledger.Failed(err, "looking up a file")
	}
	return is, nil
}

// Kept is a stored file.
type Kept struct {
	Name   string // the SHA-256 of its content, in hexadecimal
	Size   int64
	Change int64 // 0: it was stored before
}

// PutFile stores a file under the SHA-256 of its content. The caller gives the hash, so that a damaged upload is
// detected; with an empty name any content is accepted. Storing the same file again does no harm.
func (s *Service) PutFile(ctx context.Context, who *access.Actor, name string, content io.Reader) (Kept, error) {
	if err := who.Permit(Upload); err != nil {
		return Kept{}, err
	}
	most := int64(LargestFile)
	if !who.May(checklists.EditChecklist) {
		most = LargestEvidence
	}
	if name != "" {
		hash, err := hex.DecodeString(name)
		if err != nil || len(hash) != sha256.Size {
			return Kept{}, problem.Field("sha256", "%q is not a SHA-256 in 64 hexadecimal digits", name)
		}
		if size, err := s.ledger.Store.FileSize(ctx, hash); err == nil {
			return Kept{Name: name, Size: size}, nil
		}
	}
	// The content is checked before any of it is written to the database.
	spool, err := os.CreateTemp("", "dtally-upload-*")
	if err != nil {
		return Kept{}, problem.Unkept("the upload", err)
	}
	defer os.Remove(spool.Name())
	defer spool.Close()
	sum := sha256.New()
	size, err := io.Copy(io.MultiWriter(spool, sum), io.LimitReader(content, most+1))
	found := hex.EncodeToString(sum.Sum(nil))
	switch {
	case err != nil:
		return Kept{}, problem.Unkept("the upload", err)
	case size > most && most == LargestEvidence:
		return Kept{}, problem.New(
			problem.Invalid,
			"a file of evidence can have up to %d MiB; shorten the recording, or give a link to it with "+
				"a time code",
			most>>20,
		)
	case size > most:
		return Kept{}, problem.New(
			problem.Invalid,
			"a file can have up to %d MiB here; list a larger one by its hash, and give its source in "+
				"the note",
			most>>20,
		)
	case name != "" && found != name:
		return Kept{}, problem.New(
			problem.Invalid,
			"the content has the SHA-256 %s, not %s; the upload was damaged, or the wrong file was sent",
			found,
			name,
		)
	}
	return s.keep(ctx, who, found, size, spool)
}

// keep stores a checked file.
func (s *Service) keep(ctx context.Context, who *access.Actor, name string, size int64, spool *os.File) (Kept, error) {
	hash, err := hex.DecodeString(name)
	if err != nil {
		return Kept{}, err
	}
	if _, err := s.ledger.Store.FileSize(ctx, hash); err == nil {
		return Kept{Name: name, Size: size}, nil
	}
	change, err := s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if _, err := spool.Seek(0, io.SeekStart); err != nil { // the victim of a deadlock is written again
			return err
		}
		if _, err := tx.AddFile(hash, spool); err != nil {
			return err
		}
		return tx.Log("uploaded", store.SortFile, name, "")
	})
	var mine *problem.Error
	if errors.As(err, &mine) && mine.Kind == problem.Conflict {
		return Kept{Name: name, Size: size}, nil // somebody else stored the same file first
	}
	return Kept{name, size, change}, err
}

// WriteFile writes a stored file's content.
func (s *Service) WriteFile(ctx context.Context, name string, w io.Writer) error {
	hash, err := hex.DecodeString(name)
	if err != nil {
		return problem.New(problem.NotFound, "there is no file %q", name)
	}
	if err := s.ledger.Store.WriteFile(ctx, hash, w); err != nil {
		return ledger.Failed(err, "reading a file")
	}
	return nil
}
