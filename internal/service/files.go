package service

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"io"
	"os"

	"dappertally/internal/store"
)

// LargestFile bounds what is kept here; larger files of a kit are listed by hash,
// with where to get them.
const LargestFile = 64 << 20

// PutFile keeps a file under the SHA-256 of its content, in hexadecimal. Putting
// the same file again does no harm.
func (s *Service) PutFile(ctx context.Context, who *Actor, name string, content io.Reader) (size int64, change int64, err error) {
	if err := who.permit(EditChecklist); err != nil {
		return 0, 0, err
	}
	hash, err := hex.DecodeString(name)
	if err != nil || len(hash) != sha256.Size {
		return 0, 0, wrong("sha256", "%q is not a SHA-256 in 64 hexadecimal digits", name)
	}
	if size, err := s.store.FileSize(ctx, hash); err == nil {
		return size, 0, nil
	}
	// The content is checked before the database sees any of it.
	spool, err := os.CreateTemp("", "dtally-upload-*")
	if err != nil {
		return 0, 0, &Error{Kind: Unavailable, Message: "there is no room to take the upload in; tell the administrator", cause: err}
	}
	defer os.Remove(spool.Name())
	defer spool.Close()
	sum := sha256.New()
	size, err = io.Copy(io.MultiWriter(spool, sum), io.LimitReader(content, LargestFile+1))
	switch {
	case err != nil:
		return 0, 0, &Error{Kind: Unavailable, Message: "the upload broke off, or there is no room for it; nothing was kept", cause: err}
	case size > LargestFile:
		return 0, 0, problem(Invalid, "a file may have up to %d MiB here; list a larger one by its hash, with where to get it in its note", LargestFile>>20)
	case hex.EncodeToString(sum.Sum(nil)) != name:
		return 0, 0, problem(Invalid, "the content has the SHA-256 %x, not %s; the upload was damaged on its way, or the wrong file was sent", sum.Sum(nil), name)
	}
	change, err = s.write(ctx, who, func(tx *store.Tx) error {
		if _, err := spool.Seek(0, io.SeekStart); err != nil { // a deadlock's victim is written anew
			return err
		}
		if _, err := tx.AddFile(hash, spool); err != nil {
			return err
		}
		return tx.Log("uploaded", store.SortFile, name, "")
	})
	var mine *Error
	if errors.As(err, &mine) && mine.Kind == Conflict {
		return size, 0, nil // somebody else was faster with the same file
	}
	return size, change, err
}

// FileSize is the size of a kept file.
func (s *Service) FileSize(ctx context.Context, name string) (int64, error) {
	hash, err := hex.DecodeString(name)
	if err != nil || len(hash) != sha256.Size {
		return 0, problem(NotFound, "there is no file %q", name)
	}
	size, err := s.store.FileSize(ctx, hash)
	if errors.Is(err, store.ErrNotFound) {
		return 0, problem(NotFound, "no file with the SHA-256 %s is kept here", name)
	}
	if err != nil {
		return 0, failed(err, "reading a file")
	}
	return size, nil
}

// WriteFile writes a kept file.
func (s *Service) WriteFile(ctx context.Context, name string, w io.Writer) error {
	hash, err := hex.DecodeString(name)
	if err != nil {
		return problem(NotFound, "there is no file %q", name)
	}
	return s.store.WriteFile(ctx, hash, w)
}
