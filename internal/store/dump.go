package store

import (
	"bufio"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"time"
)

// DumpFormat and DumpVersion name the format of a dump: lines of JSON, the first describing the content, then every
// table's name and its rows, and at the end the SHA-256 of everything before.
const (
	DumpFormat  = "dapper-tally/backup"
	DumpVersion = 1
)

// DumpHead is the first line of a dump.
type DumpHead struct {
	Format  string      `json:"format"`
	Version int         `json:"version"`
	Schema  int64       `json:"schema"` // schema version of the rows
	Made    time.Time   `json:"made"`
	Audit   string      `json:"audit,omitempty"`  // the newest entry of the audit trail, as NUMBER:HASH
	Binlog  string      `json:"binlog,omitempty"` // position of MariaDB's binary log, as FILE:POSITION; empty: there is none
	Tables  []DumpTable `json:"tables"`
}

// Rows returns the number of rows of all tables.
func (h *DumpHead) Rows() (n int) {
	for _, t := range h.Tables {
		n += t.Rows
	}
	return n
}

// DumpTable is a table of a dump. Its rows follow as arrays of bytes, with null for missing values.
type DumpTable struct {
	Name    string   `json:"name"`
	Columns []string `json:"columns"`
	Rows    int      `json:"rows"`
}

type dumpEnd struct {
	SHA256 string `json:"sha256"`
}

// migratorsTable belongs to the migrator.
const migratorsTable = "goose_db_version"

// instancesTable holds the running instances. They are not records, and change every few seconds.
const instancesTable = "instances"

// Dump writes everything in the database as of one moment: later writes are not included, and they do not wait.
// progress is called for every row.
func (s *Store) Dump(ctx context.Context, out io.Writer, now time.Time, progress func(rows, of int)) (DumpHead, error) {
	head := DumpHead{Format: DumpFormat, Version: DumpVersion, Made: now.UTC()}
	var err error
	if head.Schema, _, err = s.SchemaVersions(ctx); err != nil {
		return head, err
	}
	if head.Schema == 0 {
		return head, errors.New("the database has no records of Dapper Tally; is its address correct?")
	}
	conn, err := s.patient.Conn(ctx)
	if err != nil {
		return head, translate(err)
	}
	defer conn.Close()
	for _, begin := range []string{`SET SESSION TRANSACTION ISOLATION LEVEL REPEATABLE READ`, `START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY`} {
		if _, err := conn.ExecContext(ctx, begin); err != nil {
			return head, translate(err)
		}
	}
	defer conn.ExecContext(
		context.WithoutCancel(ctx),
		`ROLLBACK`,
	) //nolint:errcheck // a connection on which that fails is discarded
	if err := head.place(ctx, conn); err != nil {
		return head, translate(err)
	}
	if head.Tables, err = dumpTables(ctx, conn); err != nil {
		return head, translate(err)
	}
	sum := sha256.New()
	w := bufio.NewWriterSize(io.MultiWriter(out, sum), 1<<16)
	lines := json.NewEncoder(w)
	if err := lines.Encode(head); err != nil {
		return head, err
	}
	done, all := 0, head.Rows()
	for _, t := range head.Tables {
		n, err := dumpRows(ctx, conn, &t, lines, func() { done++; progress(done, all) })
		if err != nil {
			return head, fmt.Errorf("table %s: %w", t.Name, translate(err))
		}
		if n != t.Rows {
			return head, fmt.Errorf("table %s has %d rows, not the %d that were counted", t.Name, n, t.Rows)
		}
	}
	if err := w.Flush(); err != nil {
		return head, err
	}
	return head, json.NewEncoder(out).Encode(dumpEnd{hex.EncodeToString(sum.Sum(nil))})
}

// place sets the moment of the dump: in the audit trail, and in MariaDB's binary log.
func (h *DumpHead) place(ctx context.Context, conn *sql.Conn) error {
	var number int64
	var hash []byte
	switch err := conn.QueryRowContext(ctx, `SELECT number, hash FROM audit_head`).Scan(&number, &hash); {
	case isNoTable(err): // a schema of an early version has none
	case err != nil:
		return err
	default:
		h.Audit = fmt.Sprintf("%d:%x", number, hash)
	}
	at := map[string]string{}
	err := each(ctx, conn, `SHOW STATUS LIKE 'binlog_snapshot_%'`, nil, func(row *sql.Rows) error {
		var name, value string
		err := row.Scan(&name, &value)
		at[strings.ToLower(name)] = value
		return err
	})
	if file := at["binlog_snapshot_file"]; file != "" && file != "none" {
		h.Binlog = file + ":" + at["binlog_snapshot_position"]
	}
	return err
}

// tables lists the tables of the schema by name, except those that keep track of migrations.
func tables(ctx context.Context, conn *sql.Conn) ([]string, error) {
	return texts(
		ctx,
		conn,
		`SELECT table_name FROM information_schema.tables WHERE table_schema = DATABASE() AND table_type = 'BASE TABLE'
			AND table_name NOT IN (?, ?) ORDER BY table_name`,
		migratorsTable, stepsTable,
	)
}

// hasTable reports whether the schema has a table of that name.
func hasTable(ctx context.Context, from querier, name string) (there bool, err error) {
	err = from.QueryRowContext(ctx, `SELECT COUNT(*) > 0 FROM information_schema.tables
		WHERE table_schema = DATABASE() AND table_name = ?`, name).Scan(&there)
	return there, err
}

func texts(ctx context.Context, from querier, query string, args ...any) (all []string, err error) {
	err = each(ctx, from, query, args, func(row *sql.Rows) error {
		var text string
		err := row.Scan(&text)
		all = append(all, text)
		return err
	})
	return all, err
}

func dumpTables(ctx context.Context, conn *sql.Conn) ([]DumpTable, error) {
	names, err := tables(ctx, conn)
	if err != nil {
		return nil, err
	}
	names = slices.DeleteFunc(names, func(name string) bool { return name == instancesTable })
	all := make([]DumpTable, len(names))
	for i, name := range names {
		t := &all[i]
		t.Name = name
		// Generated columns are not restored.
		if t.Columns, err = texts(ctx, conn, `SELECT column_name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = ? AND generation_expression IS NULL ORDER BY ordinal_position`, name); err != nil {
			return nil, err
		}
		if err := conn.QueryRowContext(ctx, "SELECT COUNT(*) FROM "+identifier(name)).Scan(&t.Rows); err != nil {
			return nil, err
		}
	}
	return all, nil
}

// identifier quotes a name of the schema.
func identifier(name string) string { return "`" + strings.ReplaceAll(name, "`", "``") + "`" }

func identifiers(names []string) string {
	quoted := make([]string, len(names))
	for i, n := range names {
		quoted[i] = identifier(n)
	}
	return strings.Join(quoted, ", ")
}

func dumpRows(ctx context.Context, conn *sql.Conn, t *DumpTable, lines *json.Encoder, each func()) (n int, err error) {
	if err := lines.Encode(t.Name); err != nil {
		return 0, err
	}
	rows, err := conn.QueryContext(ctx, "SELECT "+identifiers(t.Columns)+" FROM "+identifier(t.Name))
	if err != nil {
		return 0, err
	}
	defer rows.Close()
	values, into := make([]any, len(t.Columns)), make([]any, len(t.Columns))
	for i := range values {
		into[i] = &values[i]
	}
	row := make([][]byte, len(t.Columns))
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return n, err
		}
		for i, v := range values {
			if row[i], err = asBytes(v); err != nil {
				return n, fmt.Errorf("column %s: %w", t.Columns[i], err)
			}
		}
		if err := lines.Encode(row); err != nil {
			return n, err
		}
		n++
		each()
	}
	return n, rows.Err()
}

// asBytes returns a value as the database reads it back; nil for none.
func asBytes(v any) ([]byte, error) {
	switch v := v.(type) {
	case nil:
		return nil, nil
	case []byte:
		return append([]byte{}, v...), nil // not nil where it is empty
	case string:
		return append([]byte{}, v...), nil
	case int64:
		return strconv.AppendInt(nil, v, 10), nil
	case uint64:
		return strconv.AppendUint(nil, v, 10), nil
	case float32:
		return strconv.AppendFloat(nil, float64(v), 'g', -1, 32), nil
	case float64:
		return strconv.AppendFloat(nil, v, 'g', -1, 64), nil
	case time.Time:
		return v.UTC().AppendFormat(nil, "2006-01-02 15:04:05.999999"), nil
	}
	return nil, fmt.Errorf("a value of type %T cannot be saved", v)
}

// CheckDump reads a whole dump and refuses a damaged one.
func CheckDump(in io.Reader) (DumpHead, error) {
	head, _, err := DigestDump(in)
	return head, err
}

// Digest is a digest of a table's rows, independent of their order.
type Digest [4]uint64

// add adds one row.
func (d *Digest) add(row []byte) {
	sum := sha256.Sum256(row)
	for i := range d {
		d[i] += binary.BigEndian.Uint64(sum[8*i:])
	}
}

// DigestDump is CheckDump, and returns the digest of each table's rows, by the table's name.
func DigestDump(in io.Reader) (DumpHead, map[string]Digest, error) {
	digests := map[string]Digest{}
	head, err := digest(in, digests)
	return head, digests, err
}

func digest(in io.Reader, digests map[string]Digest) (DumpHead, error) {
	var head DumpHead
	sum := sha256.New()
	r := bufio.NewReaderSize(in, 1<<16)
	line := func() ([]byte, error) {
		text, err := r.ReadBytes('\n')
		if errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) {
			err = fmt.Errorf("the backup is incomplete")
		}
		return text, err
	}
	first, err := line()
	if err != nil {
		return head, err
	}
	if err := json.Unmarshal(first, &head); err != nil || head.Format != DumpFormat {
		return head, fmt.Errorf("this is not a Dapper Tally backup")
	}
	if head.Version != DumpVersion {
		return head, fmt.Errorf(
			"the backup has format version %d; this program reads version %d", head.Version, DumpVersion,
		)
	}
	sum.Write(first)
	for _, t := range head.Tables {
		var d Digest
		for i := range 1 + t.Rows {
			text, err := line()
			if err != nil {
				return head, err
			}
			sum.Write(text)
			if i > 0 { // the first line is the table's name
				d.add(text)
			}
		}
		digests[t.Name] = d
	}
	last, err := line()
	if err != nil {
		return head, err
	}
	var end dumpEnd
	if err := json.Unmarshal(last, &end); err != nil || end.SHA256 != hex.EncodeToString(sum.Sum(nil)) {
		return head, fmt.Errorf("the backup is damaged: its content was changed")
	}
	if _, err := r.ReadByte(); !errors.Is(err, io.EOF) {
		return head, fmt.Errorf("the backup is damaged: there is content after its end")
	}
	return head, nil
}
