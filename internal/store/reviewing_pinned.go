package store

import (
	"bytes"
	"cmp"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"dappertally/core/reading"
)

// EachPinned reads the readings that acceptances have pinned, review by review, each by
// time, then id: of the reviews with those ids, or of all where ids is nil. What visit is
// given holds until it returns; meanwhile the next are read.
func (s *Snapshot) EachPinned(ids []string, visit func(review string, readings []reading.Reading)) error {
	p := pinned{
		texts: map[string]string{}, names: map[string]string{},
		read: make(chan ofReview, buffered), used: make(chan []reading.Reading, buffered),
	}
	visited := make(chan struct{})
	go func() {
		defer close(visited)
		for r := range p.read {
			visit(r.id, r.readings)
			select {
			case p.used <- r.readings:
			default:
			}
		}
	}()
	err := s.eachPinned(ids, &p)
	close(p.read)
	<-visited
	return err
}

// buffered is how many reviews are read ahead.
const buffered = 8

// ofReview is the readings of one review.
type ofReview struct {
	id       string
	readings []reading.Reading
}

func (s *Snapshot) eachPinned(ids []string, p *pinned) error {
	for _, query := range []string{`SELECT id, name FROM people`, "SELECT id, `key` FROM rigs"} {
		err := each(s.ctx, s.tx, query, nil, func(row *sql.Rows) error {
			var id, name string
			err := row.Scan(&id, &name)
			p.names[id] = name
			return err
		})
		if err != nil {
			return err
		}
	}
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

// A whole table is read as it lies: names are looked up here, and not by the database.
const (
	pinnedReadings = `SELECT x.review, x.id, x.criterion, x.reviewer, x.rig, x.measured, x.received, x.system, x.method,
		x.setup, x.phase, x.answer, x.adjustment, x.adjustment_reason, x.bound, x.disturbance, x.replaces, x.is_repeat, x.note
		FROM readings x FORCE INDEX (PRIMARY) WHERE x.pinned`
	asStored = ` ORDER BY x.review`
)

// pinned collects the readings of one review after the other. Of a million rows most texts
// are the same few.
type pinned struct {
	ofReview                        // in hand
	read     chan ofReview          // reviews that are whole
	used     chan []reading.Reading // whose memory can be used again
	texts    map[string]string
	names    map[string]string // of people and rigs, by id
	raw      struct {
		review, id, criterion, reviewer, rig, system, method, setup, phase, answer sql.RawBytes
		reason, bound, disturbance, replaces, note                                 sql.RawBytes
		received                                                                   sql.NullTime
		amount                                                                     sql.NullFloat64
	}
}

// longestKept is how long a text may be to be kept for the next row.
const longestKept = 64

// text is a column's text.
func (p *pinned) text(raw []byte) string {
	if len(raw) == 0 {
		return ""
	}
	if known, ok := p.texts[string(raw)]; ok {
		return known
	}
	text := string(raw)
	if len(text) <= longestKept {
		p.texts[text] = text
	}
	return text
}

func (p *pinned) row(row *sql.Rows) error {
	var x reading.Reading
	raw := &p.raw
	err := row.Scan(
		&raw.review, &raw.id, &raw.criterion, &raw.reviewer, &raw.rig, &x.At, &raw.received, &raw.system, &raw.method,
		&raw.setup, &raw.phase, &raw.answer, &raw.amount, &raw.reason, &raw.bound, &raw.disturbance, &raw.replaces,
		&x.Repeat, &raw.note,
	)
	if err != nil {
		return err
	}
	if string(raw.review) != p.id {
		p.flush()
		p.id = string(raw.review)
	}
	x.ID, x.Replaces = string(raw.id), string(raw.replaces)
	x.Criterion, x.System = p.text(raw.criterion), p.text(raw.system)
	x.Reviewer, x.Rig = p.names[string(raw.reviewer)], p.names[string(raw.rig)]
	x.Context.Method, x.Context.Setup, x.Context.Phase = p.text(raw.method), p.text(raw.setup), p.text(raw.phase)
	x.Bound, x.Disturbance, x.Note = p.text(raw.bound), p.text(raw.disturbance), p.text(raw.note)
	if raw.received.Valid {
		x.Received = new(raw.received.Time)
	}
	if raw.amount.Valid {
		x.Adjustment = &reading.Adjustment{Amount: raw.amount.Float64, Reason: p.text(raw.reason)}
	}
	if err := p.answer(raw.answer, &x.Answer); err != nil {
		return fmt.Errorf("the answer of reading %s: %w", x.ID, err)
	}
	p.readings = append(p.readings, x)
	return nil
}

// flush hands the review in hand over.
func (p *pinned) flush() {
	if len(p.readings) == 0 {
		return
	}
	slices.SortFunc(p.readings, func(a, b reading.Reading) int {
		return cmp.Or(a.At.Compare(b.At), strings.Compare(a.ID, b.ID))
	})
	p.read <- p.ofReview
	select {
	case used := <-p.used:
		p.readings = used[:0]
	default:
		p.readings = nil
	}
}

// answer reads an answer as it is written here. The common ones are read without much ado.
func (p *pinned) answer(document []byte, into *reading.Answer) error {
	name, value, plain := plainly(document)
	switch {
	case !plain:
	case name == "grade":
		if x, err := strconv.ParseFloat(string(value), 64); err == nil {
			into.Grade = &x
			return nil
		}
	case name == "check" || name == "level":
		if text, ok := quoted(value); ok {
			if name == "check" {
				into.Check = p.text(text)
			} else {
				into.Level = p.text(text)
			}
			return nil
		}
	case name == "runs":
		if runs, ok := numbers(value); ok {
			into.Runs = runs
			return nil
		}
	case name == "count":
		if count, ok := ofMany(value); ok {
			into.Count = count
			return nil
		}
	}
	return json.Unmarshal(document, into)
}

// plainly takes a document of one field apart: {"name":value}.
func plainly(document []byte) (name string, value []byte, ok bool) {
	rest, opens := bytes.CutPrefix(document, []byte(`{"`))
	rest, closes := bytes.CutSuffix(rest, []byte(`}`))
	key, value, named := bytes.Cut(rest, []byte(`":`))
	return string(key), value, opens && closes && named
}

// quoted is a text in quotation marks without anything special in it.
func quoted(value []byte) (text []byte, ok bool) {
	if len(value) < 2 || value[0] != '"' || value[len(value)-1] != '"' {
		return nil, false
	}
	text = value[1 : len(value)-1]
	return text, !bytes.ContainsAny(text, `"\`)
}

// numbers is a list of numbers.
func numbers(value []byte) (all []float64, ok bool) {
	if len(value) < 3 || value[0] != '[' || value[len(value)-1] != ']' {
		return nil, false
	}
	value = value[1 : len(value)-1]
	all = make([]float64, 0, bytes.Count(value, []byte(","))+1)
	for part := range bytes.SplitSeq(value, []byte(",")) {
		x, err := strconv.ParseFloat(string(part), 64)
		if err != nil {
			return nil, false
		}
		all = append(all, x)
	}
	return all, true
}

// ofMany is a count of so many: {"k":13,"n":20}.
func ofMany(value []byte) (*reading.Count, bool) {
	rest, opens := bytes.CutPrefix(value, []byte(`{"k":`))
	rest, closes := bytes.CutSuffix(rest, []byte(`}`))
	left, right, both := bytes.Cut(rest, []byte(`,"n":`))
	k, badK := strconv.Atoi(string(left))
	n, badN := strconv.Atoi(string(right))
	if !opens || !closes || !both || badK != nil || badN != nil {
		return nil, false
	}
	return &reading.Count{K: &k, N: &n}, true
}

// Follow is a finding that says what became of an earlier one.
type Follow struct {
	ID      string
	At      time.Time
	Follows string // the earlier one
	Fate    string
}

// Follows reads the findings that follow another and that acceptances have pinned, by
// review: of the reviews with those ids, or of all where ids is nil.
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
