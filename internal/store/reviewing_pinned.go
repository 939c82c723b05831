package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"dappertally/core/reading"
)

// EachPinned reads the pinned readings, review by review, each ordered by time, then id: of the reviews with those
// ids, or of all if ids is nil. What visit gets is valid until it returns; the next reviews are read in the meantime.
func (s *Snapshot) EachPinned(ids []string, visit func(review string, readings []reading.Reading)) error {
	names, err := namesByID(s.ctx, s.tx)
	if err != nil {
		return err
	}
	p := pinned{read: make(chan []byte, buffered), used: make(chan []byte, buffered)}
	visited := make(chan error)
	go func() {
		r := rowReader{texts: map[string]string{}, names: names}
		var failed error
		for rows := range p.read {
			if failed == nil {
				failed = r.review(rows, visit)
			}
			select {
			case p.used <- rows:
			default:
			}
		}
		visited <- failed
	}()
	err = s.eachPinned(ids, &p)
	close(p.read)
	return errors.Join(err, <-visited)
}

// buffered is how many reviews are read ahead.
const buffered = 8

// namesByID reads the names of people and rigs, by id.
func namesByID(ctx context.Context, q querier) (map[string]string, error) {
	names := map[string]string{}
	for _, query := range []string{`SELECT id, name FROM people`, "SELECT id, `key` FROM rigs"} {
		err := each(ctx, q, query, nil, func(row *sql.Rows) error {
			var id, name string
			err := row.Scan(&id, &name)
			names[id] = name
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	return names, nil
}

func (s *Snapshot) eachPinned(ids []string, p *pinned) error {
	if ids == nil {
		if err := each(s.ctx, s.tx, pinnedReadings+asStored, nil, p.row); err != nil {
			return err
		}
		p.flush()
		return nil
	}
	for some := range slices.Chunk(ids, manyIDs) {
		err := each(s.ctx, s.tx, pinnedReadings+` AND x.review IN (?`+among(some)+`)`+asStored, anys(some), p.row)
		if err != nil {
			return err
		}
		p.flush()
	}
	return nil
}

// A whole table is read in storage order: names are looked up here, not by the database. The common columns come as
// one text, since separate values would each allocate memory. Rows of an unfinished import are in no existing review.
const (
	noUUID         = `'------------------------------------'`
	noMoment       = `'--------------------------'`
	pinnedReadings = `SELECT CONCAT(x.review, x.id, x.reviewer, IFNULL(CONCAT(x.rig, ''), ` + noUUID + `),
		IFNULL(CONCAT(x.replaces, ''), ` + noUUID + `), x.measured, IFNULL(x.received, ` + noMoment + `), x.is_repeat,
		x.criterion, '\n', x.system, '\n', x.method, '\n', x.setup, '\n', x.phase, '\n', x.bound, '\n', x.boots, '\n',
		IFNULL(x.adjustment, ''), '\n', x.answer),
		NULLIF(x.adjustment_reason, ''), NULLIF(x.disturbance, ''), NULLIF(x.note, '')
		FROM readings x FORCE INDEX (PRIMARY) WHERE x.pinned`
	asStored = ` ORDER BY x.review`
)

// rowColumns is the number of columns.
const rowColumns = 4

// pinned collects the rows of one review after the other, each column preceded by its length.
type pinned struct {
	rows    []byte      // the current review
	review  string      // its review id
	read    chan []byte // complete reviews
	used    chan []byte // memory for reuse
	columns [rowColumns]sql.RawBytes
}

func (p *pinned) row(row *sql.Rows) error {
	c := &p.columns
	if err := row.Scan(&c[0], &c[1], &c[2], &c[3]); err != nil {
		return err
	}
	if len(c[0]) < fixedWidth {
		return fmt.Errorf("a reading is too short to be one: %.80q", c[0])
	}
	if review := c[0][:uuidWidth]; string(review) != p.review {
		p.flush()
		p.review = string(review)
	}
	for _, column := range c {
		p.rows = append(binary.AppendUvarint(p.rows, uint64(len(column))), column...)
	}
	return nil
}

// flush passes the current review on.
func (p *pinned) flush() {
	if len(p.rows) == 0 {
		return
	}
	p.read <- p.rows
	select {
	case used := <-p.used:
		p.rows = used[:0]
	default:
		p.rows = nil
	}
}

// rowReader decodes the rows of reviews. Most texts repeat over a million rows.
type rowReader struct {
	texts    map[string]string
	names    map[string]string // of people and rigs, by id
	readings []reading.Reading
}

// review reads the rows of a review.
func (r *rowReader) review(rows []byte, visit func(review string, readings []reading.Reading)) error {
	r.readings = r.readings[:0]
	review := ""
	for len(rows) > 0 {
		var columns [rowColumns][]byte
		for i := range columns {
			n, width := binary.Uvarint(rows)
			columns[i], rows = rows[width:width+int(n)], rows[width+int(n):]
		}
		review = string(columns[0][:uuidWidth])
		x, err := r.reading(columns)
		if err != nil {
			return fmt.Errorf("reading %s of review %s: %w", columns[0][uuidWidth:2*uuidWidth], review, err)
		}
		r.readings = append(r.readings, x)
	}
	slices.SortFunc(r.readings, func(a, b reading.Reading) int {
		return cmp.Or(a.At.Compare(b.At), strings.Compare(a.ID, b.ID))
	})
	visit(review, r.readings)
	return nil
}

// Follow is a finding that follows up an earlier one.
type Follow struct {
	ID      string
	At      time.Time
	Follows string // the earlier one
	Fate    string
}

// Follows reads the pinned findings that follow up another, by review: of the reviews with those ids, or of all if
// ids is nil.
func (s *Snapshot) Follows(ids []string) (map[string][]Follow, error) {
	const follows = `AND e.part = 'finding' AND JSON_VALUE(e.document, '$.follows') <> '' `
	var rows []EntryRow
	var err error
	if ids == nil {
		rows, err = loadEntries(s.ctx, s.tx, true, follows)
	}
	for some := range slices.Chunk(ids, manyIDs) {
		part, err := loadEntries(s.ctx, s.tx, true, follows+`AND e.review IN (?`+among(some)+`)`, anys(some)...)
		if err != nil {
			return nil, err
		}
		rows = append(rows, part...)
	}
	all := map[string][]Follow{}
	for i := range rows {
		f := rows[i].Finding
		all[rows[i].Review] = append(all[rows[i].Review], Follow{f.ID, f.At, f.Follows, f.Fate})
	}
	return all, err
}
