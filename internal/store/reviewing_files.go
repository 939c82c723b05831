package store

import (
	"context"
	"database/sql"
	"io"
)

// piece is how much of a file one row holds; it fits into a packet of the server.
const piece = 1 << 20

// AddFile stores content under its hash, reading it to the end, and returns its size. The caller checks the hash
// before the transaction commits.
func (t *Tx) AddFile(hash []byte, content io.Reader) (int64, error) {
	if err := t.exec(`INSERT INTO files (sha256, size, person, created) VALUES (?, 0, ?, ?)`, hash, null(t.person), t.now); err != nil {
		return 0, err
	}
	var size int64
	buffer := make([]byte, piece)
	for number := 0; ; number++ {
		n, err := io.ReadFull(content, buffer)
		if n > 0 {
			if err := t.exec(`INSERT INTO file_pieces (sha256, number, content) VALUES (?, ?, ?)`, hash, number, buffer[:n]); err != nil {
				return size, err
			}
			size += int64(n)
		}
		if err == io.EOF || err == io.ErrUnexpectedEOF {
			return size, t.exec(`UPDATE files SET size = ? WHERE sha256 = ?`, size, hash)
		}
		if err != nil {
			return size, err
		}
	}
}

// FileSize returns the size of a stored file; ErrNotFound if there is none.
func (s *Store) FileSize(ctx context.Context, hash []byte) (size int64, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT size FROM files WHERE sha256 = ?`, hash).Scan(&size)
	return size, translate(err)
}

// sniffed is how much of a file is needed to detect its type.
const sniffed = 512

// FileStart returns the size of a stored file and its first bytes.
func (s *Store) FileStart(ctx context.Context, hash []byte) (size int64, start []byte, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT f.size, COALESCE(LEFT(p.content, ?), '') FROM files f LEFT JOIN file_pieces p ON p.sha256 = f.sha256 AND p.number = 0 WHERE f.sha256 = ?`,
		sniffed, hash).
		Scan(&size, &start)
	return size, start, translate(err)
}

// IsEvidence reports whether a file is pinned evidence.
func (s *Store) IsEvidence(ctx context.Context, name string) (is bool, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM review_entries e JOIN reviews r ON r.id = e.review
		WHERE e.part = 'evidence' AND e.pinned AND r.state <> 'withdrawn' AND JSON_VALUE(e.document, '$.sha256') = ?)`, name).Scan(&is)
	return is, translate(err)
}

// WriteFile writes a stored file's content piece by piece.
func (s *Store) WriteFile(ctx context.Context, hash []byte, w io.Writer) error {
	for number := 0; ; number++ {
		var content []byte
		err := s.db.QueryRowContext(ctx, `SELECT content FROM file_pieces WHERE sha256 = ? AND number = ?`, hash, number).
			Scan(&content)
		if err == sql.ErrNoRows {
			return nil
		}
		if err != nil {
			return translate(err)
		}
		if _, err := w.Write(content); err != nil {
			return err
		}
	}
}
