// Package reports manages reports: drafts, published ones and their corrections.
package reports

import (
	"context"
	"encoding/hex"
	"errors"
	"slices"
	"strings"

	"dappertally/core/checklist"
	"dappertally/core/fault"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
	"dappertally/internal/store"
)

// What the store holds of reports.
type (
	Report         = store.Report
	ReportSeries   = store.Series
	Drafted        = store.Drafted
	Erratum        = reporting.Erratum
	DraftVersion   = store.DraftVersion
	ReportRevision = store.ReportRevision
)

// Reports lists reports, newest first: to readers only published ones, without drafts.
func (s *Service) Reports(ctx context.Context, who *access.Actor) ([]Report, error) {
	all, err := s.ledger.Store.Reports(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading reports")
	}
	if who.May(access.SeeWork) {
		return all, nil
	}
	for i := range all {
		all[i].Draft = nil
	}
	return slices.DeleteFunc(all, func(r Report) bool { return len(r.Revisions) == 0 }), nil
}

// Report returns one report.
func (s *Service) Report(ctx context.Context, who *access.Actor, key string) (Report, error) {
	r, err := s.ledger.Store.Report(ctx, key)
	if errors.Is(err, store.ErrNotFound) || (err == nil && len(r.Revisions) == 0 && !who.May(access.SeeWork)) {
		return Report{}, problem.New(problem.NotFound, "there is no report %q", key)
	}
	if err != nil {
		return Report{}, ledger.Failed(err, "reading a report")
	}
	if !who.May(access.SeeWork) {
		r.Draft = nil
	}
	return r, nil
}

// ReportSeries lists the series of reports.
func (s *Service) ReportSeries(ctx context.Context) ([]ReportSeries, error) {
	all, err := s.ledger.Store.Series(ctx)
	if err != nil {
		return nil, ledger.Failed(err, "reading the series of reports")
	}
	return all, nil
}

// NoReport is the only key that no report can have: its address starts a new one.
const NoReport = "new"

// NewReport starts a report with a key that is part of its public address. A report of a series gets the next number.
func (s *Service) NewReport(
	ctx context.Context,
	who *access.Actor,
	key string,
	series *ReportSeries,
	spec reporting.Spec,
) (int64, error) {
	if err := who.Permit(WriteReports); err != nil {
		return 0, err
	}
	var book fault.Book
	if key == NoReport {
		book.Field("key", "%q is a new report; choose another key", key)
	}
	checklist.NoteKey(&book, "key", key)
	if series != nil {
		checklist.NoteKey(&book, "series", series.Key)
	}
	if series != nil && (strings.TrimSpace(series.Title) == "" || len(series.Title) > reporting.LongestTitle) {
		book.Field("seriesTitle", "give the series a title of 1 to %d bytes", reporting.LongestTitle)
	}
	if len(spec.Parts) == 0 {
		spec.Parts = standardParts()
	}
	spec.Validate(&book)
	if err := problem.From("the report", book.List()); err != nil {
		return 0, err
	}
	r := Report{ID: ledger.NewID(), Key: key, Series: series}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.AddReport(&r, &Drafted{Spec: spec}); err != nil {
			return ledger.Exists(err, "a report %q exists already; choose another key", key)
		}
		return tx.Log("begun", store.SortReport, key, spec.Title)
	})
}

// standardParts are the parts of a new report; authors can move and remove them.
func standardParts() []reporting.Part {
	var parts []reporting.Part
	for _, k := range []string{
		reporting.Summary, reporting.Ranking, reporting.Sureness, reporting.Sections, reporting.Measures,
		reporting.HeadToHead, reporting.Findings, reporting.Releases, reporting.Verdicts, reporting.Advice,
		reporting.Contenders, reporting.Method, reporting.Rigs, reporting.Caveats,
	} {
		parts = append(parts, reporting.Part{ID: k, Kind: k})
	}
	return parts
}

// ReportDraft returns a report that has a draft. Only the team can see it.
func (s *Service) ReportDraft(ctx context.Context, who *access.Actor, key string) (Report, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return Report{}, err
	}
	r, err := s.Report(ctx, who, key)
	if err == nil && r.Draft == nil {
		err = problem.New(
			problem.NotFound, "the report %q has no draft; start a correction to change it", key,
		)
	}
	return r, err
}

// draftAt returns a report's draft with the revision that a change names.
func (s *Service) draftAt(
	ctx context.Context,
	who *access.Actor,
	key string,
	v ledger.Version,
) (Report, store.Ref, error) {
	r, err := s.ReportDraft(ctx, who, key)
	if err != nil {
		return r, store.Ref{}, err
	}
	ref, err := ledger.Based(map[string]store.Ref{key: r.Draft.Ref}, key, v)
	return r, ref, err
}

// EditReport replaces the draft on which the text is based. A reference that cannot be filled in yet is no reason to
// lose what was typed: CheckReport lists it, and publishing refuses it.
func (s *Service) EditReport(
	ctx context.Context,
	who *access.Actor,
	key string,
	v ledger.Version,
	d Drafted,
) (int64, error) {
	if err := who.Permit(WriteReports); err != nil {
		return 0, err
	}
	r, ref, err := s.draftAt(ctx, who, key, v)
	if err != nil {
		return 0, err
	}
	var book fault.Book
	d.Spec.Validate(&book)
	validateErratum(d.Erratum, &book)
	if err := problem.From("the report", book.List()); err != nil {
		return 0, err
	}
	if len(r.Revisions) == 0 {
		d.Erratum = nil
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.EditReport(ref, &d); err != nil {
			return err
		}
		return tx.Log("written", store.SortReport, key, "")
	})
}

func validateErratum(e *Erratum, book *fault.Book) {
	if e == nil {
		return
	}
	book.In("erratum", func() {
		for field, says := range map[string]string{"what": e.What, "why": e.Why, "reader": e.Reader} {
			if len(says) > 2000 {
				book.Field(field, "is longer than 2000 bytes")
			}
		}
	})
}

// DraftVersions lists the earlier versions of a report's drafts, newest first.
func (s *Service) DraftVersions(ctx context.Context, who *access.Actor, key string) ([]DraftVersion, error) {
	if err := who.Permit(access.SeeWork); err != nil {
		return nil, err
	}
	r, err := s.Report(ctx, who, key)
	if err != nil {
		return nil, err
	}
	all, err := s.ledger.Store.DraftVersions(ctx, r.ID)
	if err != nil {
		return nil, ledger.Failed(err, "reading the versions of a draft")
	}
	return all, nil
}

// DropDraft closes a draft. Its text stays among the versions.
func (s *Service) DropDraft(ctx context.Context, who *access.Actor, key string, v ledger.Version) (int64, error) {
	if err := who.Permit(PublishReports); err != nil {
		return 0, err
	}
	_, ref, err := s.draftAt(ctx, who, key, v)
	if err != nil {
		return 0, err
	}
	return s.ledger.Write(ctx, who, func(tx *store.Tx) error {
		if err := tx.DropReportDraft(ref); err != nil {
			return err
		}
		return tx.Log("dropped", store.SortReport, key, "")
	})
}

// FrozenFile returns a file of a published report by its hash in hexadecimal, or the file of that name in the same
// report. An empty name stands for the file itself.
func (s *Service) FrozenFile(ctx context.Context, sha256, name string) (store.Frozen, error) {
	hash, err := hex.DecodeString(sha256)
	if err == nil && len(hash) == 32 {
		if name != "" {
			hash, err = s.ledger.Store.Beside(ctx, hash, name)
		}
		var f store.Frozen
		if err == nil {
			if f, err = s.ledger.Store.Frozen(ctx, hash); err == nil {
				return f, nil
			}
		}
		if !errors.Is(err, store.ErrNotFound) {
			return f, ledger.Failed(err, "reading a published file")
		}
	}
	return store.Frozen{}, problem.New(
		problem.NotFound, "no published file has the SHA-256 %.70q, or none with that name", sha256,
	)
}
