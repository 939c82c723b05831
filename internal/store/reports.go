package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"dappertally/core/reporting"
)

// Report is a report with its publications, newest first, and its draft.
type Report struct {
	ID        string
	Key       string
	Series    *Series
	Number    int // within its series
	Created   time.Time
	Authors   []string // titles, by name of account
	Draft     *ReportDraft
	Revisions []ReportRevision
}

// Series is a group of reports.
type Series struct {
	ID, Key, Title string
}

// ReportDraft is a draft of a report.
type ReportDraft struct {
	Ref
	Drafted
	Person  string // name of the last author
	Written time.Time
}

// Drafted is what authors write: the report, and for a correction what it corrects.
type Drafted struct {
	Spec    reporting.Spec     `json:"spec"`
	Erratum *reporting.Erratum `json:"erratum,omitempty"`
}

// DraftVersion is an earlier version of a draft.
type DraftVersion struct {
	Number  int
	Person  string
	Written time.Time
	Drafted
}

// ReportRevision is a published revision.
type ReportRevision struct {
	Revision  int
	Seal      []byte
	Title     string
	About     string
	Checklist string
	Audiences []string
	Editions  []string
	Authors   []string
	Erratum   *reporting.Erratum
	Published time.Time
	Files     []ReportFile // in the order in which they were made
}

// ReportFile is one form of a revision.
type ReportFile struct {
	Name   string
	Type   string
	SHA256 []byte
	Size   int64
}

// Reports reads all reports, newest first.
func (s *Store) Reports(ctx context.Context) ([]Report, error) { return loadReports(ctx, s.db, "") }

// Report reads one report by its key.
func (s *Store) Report(ctx context.Context, key string) (Report, error) {
	rs, err := loadReports(ctx, s.db, ` WHERE x.key = ?`, key)
	if err != nil {
		return Report{}, err
	}
	if len(rs) == 0 {
		return Report{}, ErrNotFound
	}
	return rs[0], nil
}

func loadReports(ctx context.Context, q querier, where string, args ...any) ([]Report, error) {
	rs := []Report{}
	at := map[string]*Report{}
	err := each(
		ctx,
		q,
		`SELECT x.id, x.key, x.created, s.id, s.key, s.title, COALESCE(x.number, 0), d.document, COALESCE(d.revision, 0), p.name, d.written
		FROM reports x LEFT JOIN report_series s ON s.id = x.series LEFT JOIN report_drafts d ON d.id = x.id LEFT JOIN people p ON p.id = d.person`+where+`
		ORDER BY x.created DESC, x.id DESC`,
		args,
		func(row *sql.Rows) error {
			var r Report
			var series Series
			var draft ReportDraft
			var document []byte
			var written sql.NullTime
			if err := row.Scan(&r.ID, &r.Key, &r.Created, orEmpty{&series.ID}, orEmpty{&series.Key}, orEmpty{&series.Title}, &r.Number, &document, &draft.Revision, orEmpty{&draft.Person}, &written); err != nil {
				return err
			}
			if series.ID != "" {
				r.Series = &series
			}
			if document != nil {
				draft.ID, draft.Written = r.ID, written.Time
				if err := json.Unmarshal(document, &draft.Drafted); err != nil {
					return err
				}
				r.Draft = &draft
			}
			rs = append(rs, r)
			return nil
		},
	)
	if err != nil {
		return nil, err
	}
	for i := range rs {
		at[rs[i].ID] = &rs[i]
	}
	if err := loadRevisions(ctx, q, at, where, args); err != nil {
		return nil, err
	}
	err = each(
		ctx,
		q,
		`SELECT x.id, IF(p.title = '', p.name, p.title) FROM report_authors a JOIN reports x ON x.id = a.report JOIN people p ON p.id = a.person`+where+` ORDER BY p.name`,
		args,
		func(row *sql.Rows) error {
			var id, name string
			if err := row.Scan(&id, &name); err != nil {
				return err
			}
			at[id].Authors = append(at[id].Authors, name)
			return nil
		},
	)
	return rs, err
}

func loadRevisions(ctx context.Context, q querier, at map[string]*Report, where string, args []any) error {
	err := each(
		ctx,
		q,
		`SELECT x.id, r.revision, r.seal, r.title, r.about, r.checklist, r.audiences, r.editions, r.authors, r.erratum, r.published
		FROM report_revisions r JOIN reports x ON x.id = r.report`+where+` ORDER BY r.report, r.revision DESC`,
		args,
		func(row *sql.Rows) error {
			var id string
			var r ReportRevision
			var audiences, editions, authors, erratum []byte
			if err := row.Scan(&id, &r.Revision, &r.Seal, &r.Title, &r.About, &r.Checklist, &audiences, &editions, &authors, &erratum, &r.Published); err != nil {
				return err
			}
			for _, x := range []struct {
				text []byte
				into any
			}{{audiences, &r.Audiences}, {editions, &r.Editions}, {authors, &r.Authors}, {erratum, &r.Erratum}} {
				if x.text == nil {
					continue
				}
				if err := json.Unmarshal(x.text, x.into); err != nil {
					return err
				}
			}
			if report := at[id]; report != nil {
				report.Revisions = append(report.Revisions, r)
			}
			return nil
		},
	)
	if err != nil {
		return err
	}
	return each(
		ctx,
		q,
		`SELECT x.id, f.revision, f.name, z.type, f.sha256, z.size FROM report_files f JOIN reports x ON x.id = f.report JOIN frozen_files z ON z.sha256 = f.sha256`+where+` ORDER BY f.report, f.revision, f.number`,
		args,
		func(row *sql.Rows) error {
			var id string
			var revision int
			var f ReportFile
			if err := row.Scan(&id, &revision, &f.Name, &f.Type, &f.SHA256, &f.Size); err != nil {
				return err
			}
			if report := at[id]; report != nil {
				for i := range report.Revisions {
					if report.Revisions[i].Revision == revision {
						report.Revisions[i].Files = append(report.Revisions[i].Files, f)
					}
				}
			}
			return nil
		},
	)
}

// Series lists the series of reports, by key.
func (s *Store) Series(ctx context.Context) ([]Series, error) {
	out := []Series{}
	err := each(
		ctx,
		s.db,
		`SELECT id, `+"`key`"+`, title FROM report_series ORDER BY `+"`key`",
		nil,
		func(row *sql.Rows) error {
			var x Series
			err := row.Scan(&x.ID, &x.Key, &x.Title)
			out = append(out, x)
			return err
		},
	)
	return out, err
}

// AddReport adds a report with its first draft by the writing person. A report of a series, which is created if it is
// new, gets the next number.
func (t *Tx) AddReport(r *Report, first *Drafted) error {
	var series sql.NullString
	var number sql.NullInt64
	if r.Series != nil {
		if err := t.exec("INSERT IGNORE INTO report_series (id, `key`, title) VALUES (?, ?, ?)", NewID(), r.Series.Key, r.Series.Title); err != nil {
			return err
		}
		if err := t.row("SELECT id FROM report_series WHERE `key` = ? FOR UPDATE", r.Series.Key).Scan(&series); err != nil {
			return translate(err)
		}
		if err := t.row(`SELECT COALESCE(MAX(number), 0) + 1 FROM reports WHERE series = ?`, series).Scan(&number); err != nil {
			return translate(err)
		}
	}
	if err := t.exec("INSERT INTO reports (id, `key`, series, number, created, person) VALUES (?, ?, ?, ?, ?, ?)", r.ID, r.Key, series, number, t.now, null(t.person)); err != nil {
		return err
	}
	return t.BeginReportDraft(r.ID, first)
}

// BeginReportDraft adds a draft to a report that has none.
func (t *Tx) BeginReportDraft(report string, d *Drafted) error {
	if err := t.exec(`INSERT INTO report_drafts (id, document, person, written) VALUES (?, ?, ?, ?)`, report, asJSON(d), null(t.person), t.now); err != nil {
		return err
	}
	return t.author(report)
}

func (t *Tx) author(report string) error {
	if t.person == "" {
		return nil
	}
	return t.exec(`INSERT IGNORE INTO report_authors (report, person) VALUES (?, ?)`, report, t.person)
}

// keepEvery is how long versions of a draft by one author replace each other.
const keepEvery = 5 * time.Minute

// EditReport replaces the draft on which the text is based. The old draft is stored as a version if another author
// wrote it, or if some minutes have passed since the last version.
func (t *Tx) EditReport(ref Ref, d *Drafted) error {
	var person sql.NullString
	var written time.Time
	if err := t.row(`SELECT person, written FROM report_drafts WHERE id = ? AND revision = ? FOR UPDATE`, ref.ID, ref.Revision).Scan(&person, &written); err == sql.ErrNoRows {
		return ErrStale
	} else if err != nil {
		return translate(err)
	}
	var kept sql.NullTime
	if err := t.row(`SELECT MAX(written) FROM report_draft_versions WHERE report = ?`, ref.ID).Scan(&kept); err != nil {
		return translate(err)
	}
	if person.String != t.person || !kept.Valid || t.now.Sub(kept.Time) >= keepEvery {
		if err := t.keepDraft(ref.ID); err != nil {
			return err
		}
	}
	if err := t.author(ref.ID); err != nil {
		return err
	}
	return t.edit(
		"report_drafts",
		ref.ID,
		ref.Revision,
		"document = ?, person = ?, written = ?",
		asJSON(d),
		null(t.person),
		t.now,
	)
}

// keepDraft stores a draft among its versions.
func (t *Tx) keepDraft(report string) error {
	return t.exec(`INSERT INTO report_draft_versions (report, number, document, person, written)
		SELECT d.id, COALESCE((SELECT MAX(v.number) FROM report_draft_versions v WHERE v.report = d.id), 0) + 1, d.document, d.person, d.written FROM report_drafts d WHERE d.id = ?`, report)
}

// DraftVersions reads the earlier versions of a report's drafts, newest first.
func (s *Store) DraftVersions(ctx context.Context, report string) ([]DraftVersion, error) {
	vs := []DraftVersion{}
	err := each(
		ctx,
		s.db,
		`SELECT v.number, p.name, v.written, v.document FROM report_draft_versions v LEFT JOIN people p ON p.id = v.person WHERE v.report = ? ORDER BY v.number DESC`,
		[]any{report},
		func(row *sql.Rows) error {
			var v DraftVersion
			var document []byte
			if err := row.Scan(&v.Number, orEmpty{&v.Person}, &v.Written, &document); err != nil {
				return err
			}
			if err := json.Unmarshal(document, &v.Drafted); err != nil {
				return err
			}
			vs = append(vs, v)
			return nil
		},
	)
	return vs, err
}

// DropReportDraft moves a draft to the versions; a report that was never published stays, so that it can be
// continued.
func (t *Tx) DropReportDraft(ref Ref) error {
	if err := t.keepDraft(ref.ID); err != nil {
		return err
	}
	res, err := t.ExecContext(t.ctx, `DELETE FROM report_drafts WHERE id = ? AND revision = ?`, ref.ID, ref.Revision)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 1 {
		return translate(err)
	}
	return ErrStale
}

// RestoreReport adds a report from elsewhere, without a draft.
func (t *Tx) RestoreReport(r *Report) error {
	var series sql.NullString
	var number sql.NullInt64
	if r.Series != nil {
		if err := t.exec("INSERT IGNORE INTO report_series (id, `key`, title) VALUES (?, ?, ?)", NewID(), r.Series.Key, r.Series.Title); err != nil {
			return err
		}
		if err := t.row("SELECT id FROM report_series WHERE `key` = ?", r.Series.Key).Scan(&series); err != nil {
			return translate(err)
		}
		number = sql.NullInt64{Int64: int64(r.Number), Valid: true}
	}
	return t.exec(
		"INSERT INTO reports (id, `key`, series, number, created) VALUES (?, ?, ?, ?, ?)",
		r.ID,
		r.Key,
		series,
		number,
		r.Created,
	)
}

// Frozen is a stored file of a published report.
type Frozen struct {
	ReportFile
	Encoding string // "" or gzip
	Body     []byte // in that encoding
}

// Publish adds a revision of a report with all its files.
func (t *Tx) Publish(report string, r *ReportRevision, files []Frozen) error {
	var erratum any
	if r.Erratum != nil {
		erratum = asJSON(r.Erratum)
	}
	if err := t.exec(`INSERT INTO report_revisions (report, revision, seal, title, about, checklist, audiences, editions, authors, erratum, published, person) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		report, r.Revision, r.Seal, r.Title, r.About, r.Checklist, list(r.Audiences), list(r.Editions), list(r.Authors), erratum, r.Published, null(t.person)); err != nil {
		return err
	}
	for i := range files {
		f := &files[i]
		if err := t.Freeze(f); err != nil {
			return err
		}
		if err := t.exec(`INSERT INTO report_files (report, revision, number, name, sha256) VALUES (?, ?, ?, ?, ?)`, report, r.Revision, i, f.Name, f.SHA256); err != nil {
			return err
		}
	}
	return nil
}

// Freeze stores a file under its hash, once. A file without a body must exist.
func (t *Tx) Freeze(f *Frozen) error {
	res, err := t.ExecContext(
		t.ctx,
		`INSERT IGNORE INTO frozen_files (sha256, type, size, encoding) VALUES (?, ?, ?, ?)`,
		f.SHA256,
		f.Type,
		f.Size,
		f.Encoding,
	)
	if err != nil {
		return translate(err)
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return translate(err)
	}
	for number, body := 0, f.Body; len(body) > 0; number++ {
		n := min(len(body), piece)
		if err := t.exec(`INSERT INTO frozen_pieces (sha256, number, content) VALUES (?, ?, ?)`, f.SHA256, number, body[:n]); err != nil {
			return err
		}
		body = body[n:]
	}
	return nil
}

// Beside returns the hash of the file of that name in the first revision that has the file with this hash.
func (s *Store) Beside(ctx context.Context, hash []byte, name string) (beside []byte, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT b.sha256 FROM report_files a JOIN report_files b ON b.report = a.report AND b.revision = a.revision WHERE a.sha256 = ? AND b.name = ? ORDER BY a.report, a.revision LIMIT 1`, hash, name).
		Scan(&beside)
	return beside, translate(err)
}

// Frozen reads a file of a published report by its hash.
func (s *Store) Frozen(ctx context.Context, hash []byte) (Frozen, error) {
	f := Frozen{ReportFile: ReportFile{SHA256: hash}}
	if err := s.db.QueryRowContext(ctx, `SELECT type, size, encoding FROM frozen_files WHERE sha256 = ?`, hash).Scan(&f.Type, &f.Size, &f.Encoding); err != nil {
		return f, translate(err)
	}
	err := each(
		ctx,
		s.db,
		`SELECT content FROM frozen_pieces WHERE sha256 = ? ORDER BY number`,
		[]any{hash},
		func(row *sql.Rows) error {
			var content []byte
			err := row.Scan(&content)
			f.Body = append(f.Body, content...)
			return err
		},
	)
	return f, err
}
