package store

import (
	"bufio"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
)

// ErrNotEmpty is a database with content that would be lost.
var ErrNotEmpty = errors.New("the database is not empty")

// ErrHalfRestored is a database with an unfinished restore.
var ErrHalfRestored = errors.New(
	"a backup is being restored into this database, or that was interrupted; if nobody is doing " +
		"it now, run dtallyd restore again",
)

// restoringTable exists as long as a restore is not finished.
const restoringTable = "restoring"

// Whole returns ErrHalfRestored if a restore is not finished.
func (s *Store) Whole(ctx context.Context) error {
	there, err := hasTable(ctx, s.db, restoringTable)
	if err == nil && there {
		return ErrHalfRestored
	}
	return translate(err)
}

// Restore restores a dump, which CheckDump has accepted, into a database without tables. The schema is that of the
// dump; Migrate updates it. After an error the database is empty again; a killed restore leaves a mark, by which
// Restore starts over and everybody else stays away. progress is called for every row.
func (s *Store) Restore(ctx context.Context, in io.Reader, progress func(rows, of int)) error {
	conn, err := s.patient.Conn(ctx)
	if err != nil {
		return translate(err)
	}
	defer conn.Close()
	if err := lockMigrations(ctx, conn); err != nil {
		return translate(err)
	}
	defer conn.ExecContext(
		context.WithoutCancel(ctx),
		`DO RELEASE_LOCK(`+lockName+`)`,
	) //nolint:errcheck // a connection that cannot is lost, and the lock with it
	there, err := tables(ctx, conn)
	if err != nil {
		return translate(err)
	}
	switch begun := slices.Contains(there, restoringTable); {
	case begun:
		err = dropTables(ctx, conn)
	case len(there) > 0:
		return fmt.Errorf("%w: it has %d tables; a backup needs an empty database", ErrNotEmpty, len(there))
	default:
		_, err = conn.ExecContext(
			ctx, `CREATE TABLE `+restoringTable+` (begun DATETIME(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6))`,
		)
	}
	if err == nil {
		err = s.restore(ctx, conn, in, progress)
	}
	if err != nil {
		after := context.WithoutCancel(ctx)
		return errors.Join(err, dropTables(after, conn), ended(after, conn))
	}
	return ended(ctx, conn)
}

// ended removes the mark of a restore.
func ended(ctx context.Context, conn *sql.Conn) error {
	_, err := conn.ExecContext(ctx, `DROP TABLE `+restoringTable)
	return translate(err)
}

func (s *Store) restore(ctx context.Context, conn *sql.Conn, in io.Reader, progress func(rows, of int)) error {
	lines := json.NewDecoder(bufio.NewReaderSize(in, 1<<16))
	var head DumpHead
	if err := lines.Decode(&head); err != nil {
		return err
	}
	provider, err := s.provider()
	if err != nil {
		return err
	}
	if _, newest, err := provider.GetVersions(ctx); err != nil {
		return err
	} else if head.Schema > newest {
		return fmt.Errorf("the backup has schema version %d, and this program knows %d; use the newer program", head.Schema, newest)
	}
	if _, err := provider.UpTo(ctx, head.Schema); err != nil {
		return fmt.Errorf("creating the tables: %w", err)
	}
	return restoreRows(ctx, conn, &head, lines, progress)
}

// restoreRows inserts all rows, replacing those that a new schema contains. Rows can refer to later ones.
func restoreRows(
	ctx context.Context,
	conn *sql.Conn,
	head *DumpHead,
	lines *json.Decoder,
	progress func(rows, of int),
) error {
	have, err := tables(ctx, conn)
	if err != nil {
		return err
	}
	have = slices.DeleteFunc(have, func(name string) bool { return name == restoringTable })
	if _, err := conn.ExecContext(ctx, `SET foreign_key_checks = 0`); err != nil {
		return err
	}
	defer conn.ExecContext(
		context.WithoutCancel(ctx),
		`SET foreign_key_checks = 1`,
	) //nolint:errcheck // a connection on which that fails is discarded
	for _, name := range have {
		if _, err := conn.ExecContext(ctx, "DELETE FROM "+identifier(name)); err != nil {
			return fmt.Errorf("table %s: %w", name, err)
		}
	}
	done, all := 0, head.Rows()
	for _, t := range head.Tables {
		if !slices.Contains(have, t.Name) {
			return fmt.Errorf("schema version %d has no table %s; the backup is damaged", head.Schema, t.Name)
		}
		var name string
		if err := lines.Decode(&name); err != nil || name != t.Name {
			return fmt.Errorf("the rows of table %s are not in their place", t.Name)
		}
		err := insertRows(ctx, conn, &t, lines, func(n int) { done += n; progress(done, all) })
		if err != nil {
			return fmt.Errorf("table %s: %w", t.Name, err)
		}
	}
	return nil
}

// Limits of one statement: the server accepts 16 MiB, and bytes can double in transit.
const (
	mostRows  = 500
	mostBytes = 1 << 20
)

// insertRows inserts a table's rows, each statement separately: an interrupted restore starts over.
func insertRows(ctx context.Context, conn *sql.Conn, t *DumpTable, lines *json.Decoder, put func(rows int)) error {
	raw, err := texts(
		ctx,
		conn,
		`SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ? AND (data_type LIKE '%binary' OR data_type LIKE '%blob')`,
		t.Name,
	)
	if err != nil {
		return err
	}
	into := "INSERT INTO " + identifier(t.Name) + " (" + identifiers(t.Columns) + ") VALUES "
	one := "(" + strings.TrimSuffix(strings.Repeat("?, ", len(t.Columns)), ", ") + ")"
	var values []any
	rows, size := 0, 0
	flush := func() error {
		if rows == 0 {
			return nil
		}
		_, err := conn.ExecContext(ctx, into+strings.TrimSuffix(strings.Repeat(one+", ", rows), ", "), values...)
		put(rows)
		values, rows, size = values[:0], 0, 0
		return err
	}
	for range t.Rows {
		var row [][]byte
		if err := lines.Decode(&row); err != nil {
			return err
		}
		if len(row) != len(t.Columns) {
			return fmt.Errorf("a row has %d values for %d columns", len(row), len(t.Columns))
		}
		for i, v := range row {
			values = append(values, value(v, slices.Contains(raw, t.Columns[i])))
			size += len(v)
		}
		if rows++; rows >= mostRows || size >= mostBytes {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	return flush()
}

// value returns what the driver needs: bytes for a binary column, else text, which the server converts to a number, a
// time or an id; nil for none.
func value(b []byte, raw bool) any {
	switch {
	case b == nil:
		return nil
	case raw:
		return b
	}
	return string(b)
}

// dropTables removes all tables of a schema that was empty before.
func dropTables(ctx context.Context, conn *sql.Conn) error {
	names, err := tables(ctx, conn)
	if err != nil {
		return err
	}
	if _, err := conn.ExecContext(ctx, `SET foreign_key_checks = 0`); err != nil {
		return err
	}
	for _, name := range append(names, migratorsTable, stepsTable) {
		if name == restoringTable {
			continue
		}
		if _, err := conn.ExecContext(ctx, "DROP TABLE IF EXISTS "+identifier(name)); err != nil {
			return err
		}
	}
	_, err = conn.ExecContext(ctx, `SET foreign_key_checks = 1`)
	return err
}
