package reports

import (
	"bytes"
	"compress/gzip"
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"dappertally/core/catalogue"
	"dappertally/core/fault"
	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/store"
	"dappertally/internal/team"
)

// Publish freezes a draft as the next revision of its report. A correction describes what it corrects and why, and
// names the reader's suggestion that led to it.
func (s *Service) Publish(
	ctx context.Context,
	who *access.Actor,
	key string,
	v ledger.Version,
) (revision int, change int64, err error) {
	if err := who.Permit(PublishReports); err != nil {
		return 0, 0, err
	}
	r, ref, err := s.draftAt(ctx, who, key, v)
	if err != nil {
		return 0, 0, err
	}
	m, err := s.compose(ctx, &r.Draft.Spec)
	if err != nil {
		return 0, 0, err
	}
	erratum := r.Draft.Erratum
	if err := publishable(&r, erratum, m); err != nil {
		return 0, 0, err
	}
	m.place(&r)
	next := ReportRevision{
		Revision:  len(r.Revisions) + 1,
		Title:     m.Document.Spec.Title,
		About:     m.Document.Spec.About,
		Checklist: m.Results.List.Name(),
		Audiences: m.Results.Audiences,
		Editions:  m.Results.Editions,
		Authors:   m.Document.Authors,
		Published: s.ledger.Now(),
	}
	if next.Revision > 1 {
		next.Erratum = erratum
		m.Document.Errata = append(m.Document.Errata, erratumOf(&next))
	}
	m.Document.Revision, m.Document.Published = next.Revision, next.Published
	frozen, err := report.Freeze(m.Document, m.Bundle, m.Results, m.Pictures)
	if err != nil {
		return 0, 0, ledger.Failed(err, "freezing a report")
	}
	if next.Seal, err = hex.DecodeString(frozen.Seal); err != nil {
		return 0, 0, err
	}
	files, err := packed(frozen)
	if err != nil {
		return 0, 0, ledger.Failed(err, "packing a report")
	}
	change, err = s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.Publish(r.ID, &next, files); err != nil {
			return ledger.Exists(
				err, "somebody else just published revision %d; check it first", next.Revision,
			)
		}
		if err := tx.DropReportDraft(ref); err != nil {
			return err
		}
		if next.Erratum != nil && next.Erratum.Suggestion != "" {
			if err := team.AcceptSuggestion(tx, next.Erratum.Suggestion, fmt.Sprintf("%s, revision %d", key, next.Revision)); err != nil {
				return err
			}
		}
		return tx.Log("published", store.SortReport, key, fmt.Sprintf("revision %d, %s", next.Revision, frozen.Seal))
	})
	return next.Revision, change, err
}

// publishable refuses what would mislead readers.
func publishable(r *Report, e *Erratum, m *Made) error {
	var book fault.Book
	for _, u := range m.Unfilled {
		i := slices.IndexFunc(m.Document.Spec.Parts, func(p reporting.Part) bool { return p.ID == u.Part })
		book.In("parts", func() {
			book.In(i, func() { book.Field("text", "line %d, column %d: %s: %s", u.Line, u.Column, u.Text, u.Detail) })
		})
	}
	if len(r.Revisions) > 0 && (e == nil || strings.TrimSpace(e.What) == "" || strings.TrimSpace(e.Why) == "") {
		book.Field("erratum", "a correction needs what changed and why")
	}
	return problem.From("the report", book.List())
}

// packed returns the files as they are stored and sent.
func packed(f *report.Frozen) ([]store.Frozen, error) {
	out := make([]store.Frozen, len(f.Files))
	for i, x := range f.Files {
		hash, err := hex.DecodeString(x.SHA256)
		if err != nil {
			return nil, err
		}
		if out[i], err = Pack(store.ReportFile{Name: x.Name, Type: x.Type, SHA256: hash, Size: int64(len(x.Body))}, x.Body); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// Pack compresses a text once, for permanent storage.
func Pack(f store.ReportFile, body []byte) (store.Frozen, error) {
	if !compressible(f.Type) {
		return store.Frozen{ReportFile: f, Body: body}, nil
	}
	var out bytes.Buffer
	w, err := gzip.NewWriterLevel(&out, gzip.BestCompression)
	if err != nil {
		return store.Frozen{}, err
	}
	if _, err := w.Write(body); err != nil {
		return store.Frozen{}, err
	}
	if err := w.Close(); err != nil {
		return store.Frozen{}, err
	}
	return store.Frozen{ReportFile: f, Encoding: "gzip", Body: out.Bytes()}, nil
}

func compressible(mediaType string) bool {
	return strings.HasPrefix(mediaType, "text/") || mediaType == "application/json" || mediaType == "image/svg+xml"
}

// Unpack decompresses a stored file.
func Unpack(f *store.Frozen) error {
	if f.Encoding == "" {
		return nil
	}
	r, err := gzip.NewReader(bytes.NewReader(f.Body))
	if err != nil {
		return ledger.Failed(err, "unpacking a published file")
	}
	if f.Body, err = io.ReadAll(r); err != nil {
		return ledger.Failed(err, "unpacking a published file")
	}
	f.Encoding = ""
	return nil
}

// Correct starts a correction of a published report: a draft with what was last published, and with a description of
// the correction.
func (s *Service) Correct(ctx context.Context, who *access.Actor, key string, e Erratum) (int64, error) {
	if err := who.Permit(PublishReports); err != nil {
		return 0, err
	}
	r, err := s.Report(ctx, who, key)
	if err != nil {
		return 0, err
	}
	var book fault.Book
	validateErratum(&e, &book)
	if err := problem.From("the correction", book.List()); err != nil {
		return 0, err
	}
	switch {
	case len(r.Revisions) == 0:
		return 0, problem.New(problem.Conflict, "%s was never published; change its draft", key)
	case r.Draft != nil:
		return 0, problem.New(problem.Conflict, "%s already has a draft correction", key)
	}
	d, err := s.document(ctx, &r.Revisions[0])
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.BeginReportDraft(r.ID, &Drafted{Spec: d.Spec, Erratum: &e}); err != nil {
			return ledger.Exists(err, "somebody else just started a correction of %s", key)
		}
		return tx.Log("corrects", store.SortReport, key, e.What)
	})
}

// PublishedPage returns the frozen page of a revision, and the revision; 0 stands for the newest.
func (s *Service) PublishedPage(
	ctx context.Context,
	key string,
	revision int,
) (Report, *ReportRevision, []byte, error) {
	r, err := s.Report(ctx, &access.Actor{}, key)
	if err != nil {
		return r, nil, nil, err
	}
	i := 0
	if revision != 0 {
		i = slices.IndexFunc(r.Revisions, func(x ReportRevision) bool { return x.Revision == revision })
	}
	if i < 0 {
		return r, nil, nil, problem.New(
			problem.NotFound,
			"the report %q has no revision %d; its newest is %d",
			key,
			revision,
			r.Revisions[0].Revision,
		)
	}
	f, err := s.plain(ctx, &r.Revisions[i], report.PageFile)
	return r, &r.Revisions[i], f.Body, err
}

// AsDrawn reports whether the page of a revision equals the one drawn now from its document and bundle: an imported
// page may differ.
func (s *Service) AsDrawn(ctx context.Context, r *ReportRevision) (bool, error) {
	files := map[string][]byte{}
	hashes := map[string]string{}
	for _, x := range r.Files {
		hashes[x.Name] = hex.EncodeToString(x.SHA256)
		if x.Name != report.DocumentFile && x.Name != report.BundleFile && x.Name != report.PageFile &&
			!strings.HasPrefix(x.Name, "pictures/") {
			continue
		}
		f, err := s.plain(ctx, r, x.Name)
		if err != nil {
			return false, err
		}
		files[x.Name] = f.Body
	}
	pictures := map[string][]byte{}
	for name, body := range files {
		if strings.HasPrefix(name, "pictures/") {
			pictures[hashes[name]] = body
		}
	}
	page, err := report.Redraw(ctx, files[report.DocumentFile], files[report.BundleFile], pictures,
		func(name string) string { return (&report.File{Name: name, SHA256: hashes[name]}).Address() })
	return err == nil && bytes.Equal(page, files[report.PageFile]), nil // what cannot be drawn differs
}

// Moved is how a published report's figures would change if it were computed from the present records.
type Moved struct {
	Revision int
	Views    []MovedView
	Gone     []string // editions without an accepted review any more
	Failed   string   // why it cannot be computed any more; empty if it can
}

// MovedView is the changes for one audience.
type MovedView struct {
	Audience string
	Moves    []MovedEdition // those whose rank or score changed
	Says     []string       // in words
}

// MovedEdition is an edition then and now. A rank is 0 if it is not ranked.
type MovedEdition struct {
	Edition             string
	RankThen, RankNow   int
	ScoreThen, ScoreNow *float64
}

// Moved returns how the records have changed the figures since the newest revision was published.
func (s *Service) Moved(ctx context.Context, who *access.Actor, key string) (Moved, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return Moved{}, err
	}
	r, err := s.Report(ctx, who, key)
	if err != nil {
		return Moved{}, err
	}
	if len(r.Revisions) == 0 {
		return Moved{}, problem.New(problem.Conflict, "%s was never published", key)
	}
	d, err := s.document(ctx, &r.Revisions[0])
	if err != nil {
		return Moved{}, err
	}
	out := Moved{Revision: r.Revisions[0].Revision, Views: []MovedView{}, Gone: []string{}}
	spec := d.Spec
	spec.Checklist, spec.Editions, spec.At = d.Question.Checklist, d.Question.Editions, nil
	spec.Group = catalogue.Group{}
	now, err := s.compose(ctx, &spec)
	if err != nil {
		out.Failed = err.Error()
		return out, nil
	}
	out.Gone = append(out.Gone, now.Missing...)
	for i := range now.Results.Views {
		then, err := rankingThen(d, now.Results.Audiences[i])
		if err != nil {
			return out, ledger.Failed(err, "reading a published report")
		}
		out.Views = append(out.Views, movedView(now.Results, &now.Results.Views[i], then))
	}
	return out, nil
}

// standingThen returns an edition's rank and score in the published report.
type standingThen struct {
	rank  int
	score *float64
}

func rankingThen(d *report.Document, audience string) (map[string]standingThen, error) {
	then := map[string]standingThen{}
	for _, stated := range d.Results {
		if stated.What != "ranking" || stated.Audience != audience {
			continue
		}
		text, err := json.Marshal(stated.Value)
		if err != nil {
			return nil, err
		}
		var r ranking.Ranking
		if err := json.Unmarshal(text, &r); err != nil {
			return nil, err
		}
		for _, p := range r.Ranking {
			then[p.Edition] = standingThen{p.Rank, &p.Overall}
		}
		for _, p := range r.Provisional {
			then[p.Edition] = standingThen{0, p.Overall}
		}
	}
	return then, nil
}

// shownApart is the smallest difference of scores that is visible on a page.
const shownApart = 0.05

func movedView(r *reporting.Results, v *reporting.View, then map[string]standingThen) MovedView {
	out := MovedView{Audience: v.Audience.Key, Moves: []MovedEdition{}, Says: []string{}}
	for _, e := range r.Editions {
		m := MovedEdition{Edition: e, RankThen: then[e].rank, ScoreThen: then[e].score}
		if p := v.Place(e); p != nil {
			m.RankNow = p.Rank
		}
		if c := v.Card(e); c != nil && (m.RankNow > 0 || len(c.Barred) == 0) {
			m.ScoreNow = c.Overall
		}
		if m.RankNow != m.RankThen || apart(m.ScoreThen, m.ScoreNow) {
			out.Moves = append(out.Moves, m)
		}
	}
	swapped := map[string]bool{}
	for i := range out.Moves {
		for j := range out.Moves[:i] {
			a, b := &out.Moves[i], &out.Moves[j]
			if a.swaps(b) {
				low, high := min(a.RankThen, a.RankNow), max(a.RankThen, a.RankNow)
				says := fmt.Sprintf(
					"rank %d and %d would swap: %s and %s", low, high, r.Name(a.Edition), r.Name(b.Edition),
				)
				out.Says = append(out.Says, says)
				swapped[a.Edition], swapped[b.Edition] = true, true
			}
		}
	}
	for i := range out.Moves {
		if m := &out.Moves[i]; !swapped[m.Edition] {
			if says := m.says(r.Name(m.Edition)); says != "" {
				out.Says = append(out.Says, says)
			}
		}
	}
	return out
}

// swaps reports whether two ranked editions would change places.
func (m *MovedEdition) swaps(b *MovedEdition) bool {
	return m.RankThen > 0 && m.RankNow > 0 && m.RankThen != m.RankNow && m.RankThen == b.RankNow &&
		b.RankThen == m.RankNow
}

// says describes what would change for an edition; empty if nothing does.
func (m *MovedEdition) says(name string) string {
	switch {
	case m.RankThen > 0 && m.RankNow == 0:
		return fmt.Sprintf("%s would no longer be ranked; it has rank %d", name, m.RankThen)
	case m.RankThen == 0 && m.RankNow > 0:
		return fmt.Sprintf("%s would have rank %d; it is not ranked", name, m.RankNow)
	case m.RankThen != m.RankNow:
		return fmt.Sprintf("%s would go from rank %d to %d", name, m.RankThen, m.RankNow)
	case m.ScoreThen != nil && m.ScoreNow != nil:
		return fmt.Sprintf(
			"%s would have %.1f points instead of %.1f, with the same rank", name, *m.ScoreNow, *m.ScoreThen,
		)
	}
	return ""
}

func apart(a, b *float64) bool {
	if a == nil || b == nil {
		return (a == nil) != (b == nil)
	}
	return math.Abs(*a-*b) >= shownApart
}
