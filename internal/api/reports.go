package api

import (
	"context"
	"encoding/hex"
	"slices"

	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/contract"
	"dappertally/internal/report"
	"dappertally/internal/reports"
)

// everybody is the name, in addresses, of the audience without a key.
const everybody = "-"

func (h *handlers) ListReports(ctx context.Context, r ListReportsRequest) (*contract.ReportList, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	all, err := h.reports.Reports(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(x reports.Report) bool { return !about(&x, &r.Params) })
	some, next, err := page(all, func(x reports.Report) string { return x.ID }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := contract.ReportList{Reports: []contract.Report{}, Names: map[string]contract.EditionName{}, Next: next}
	for i := range some {
		list.Reports = append(list.Reports, reportView(&some[i], whoAsks(request(ctx))))
		for _, x := range some[i].Revisions {
			for _, e := range x.Editions {
				list.Names[e] = editionName(st, e)
			}
		}
	}
	return &list, nil
}

// about reports whether a report matches a filter, by the subject of its newest revision and by the date of its first
// publication.
func about(x *reports.Report, asked *contract.ListReportsParams) bool {
	if asked.Series != "" && (x.Series == nil || x.Series.Key != asked.Series) {
		return false
	}
	if asked.Audience == "" && asked.Edition == "" && asked.Year == 0 {
		return true
	}
	if len(x.Revisions) == 0 {
		return false
	}
	audience := asked.Audience
	if audience == everybody {
		audience = ""
	}
	newest, first := &x.Revisions[0], &x.Revisions[len(x.Revisions)-1]
	return (asked.Year == 0 || first.Published.UTC().Year() == asked.Year) &&
		(asked.Audience == "" || slices.Contains(newest.Audiences, audience)) &&
		(asked.Edition == "" || slices.Contains(newest.Editions, asked.Edition))
}

func reportView(x *reports.Report, who *access.Actor) contract.Report {
	out := contract.Report{
		Key:       x.Key,
		May:       reports.MayReport(who, x),
		Created:   x.Created,
		Authors:   orEmpty(x.Authors),
		Drafted:   x.Draft != nil,
		Revisions: []contract.ReportRevision{},
	}
	if x.Series != nil {
		out.Series, out.SeriesTitle, out.Number = x.Series.Key, x.Series.Title, x.Number
	}
	if x.Draft != nil {
		out.Title, out.About = x.Draft.Spec.Title, x.Draft.Spec.About
	}
	for i := range x.Revisions {
		out.Revisions = append(out.Revisions, revisionView(&x.Revisions[i]))
	}
	if len(x.Revisions) > 0 {
		out.Title, out.About = x.Revisions[0].Title, x.Revisions[0].About
	}
	return out
}

func revisionView(x *reports.ReportRevision) contract.ReportRevision {
	out := contract.ReportRevision{
		Revision: x.Revision, Seal: hex.EncodeToString(x.Seal), Title: x.Title, About: x.About,
		Checklist: x.Checklist, Audiences: orEmpty(x.Audiences),
		Editions: orEmpty(
			x.Editions,
		), Authors: orEmpty(x.Authors), Erratum: x.Erratum, Published: x.Published, Files: []contract.ReportFile{},
	}
	for _, f := range x.Files {
		name := hex.EncodeToString(f.SHA256)
		out.Files = append(
			out.Files,
			contract.ReportFile{
				Name:    f.Name,
				Type:    f.Type,
				Sha256:  name,
				Size:    f.Size,
				Address: frozenPath + name + "/" + f.Name,
			},
		)
	}
	return out
}

func orEmpty(list []string) []string {
	if list == nil {
		return []string{}
	}
	return list
}

// showReport returns a report, after a change if there was one.
func (h *handlers) showReport(ctx context.Context, change int64, key string) (contract.Report, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return contract.Report{}, err
		}
	}
	x, err := h.reports.Report(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return contract.Report{}, err
	}
	return reportView(&x, whoAsks(request(ctx))), nil
}

func (h *handlers) ShowReport(ctx context.Context, r ShowReportRequest) (*contract.Report, error) {
	x, err := h.showReport(ctx, 0, r.Report)
	return &x, err
}

func (h *handlers) AddReport(ctx context.Context, r AddReportRequest) (*contract.Report, error) {
	var series *reports.ReportSeries
	if b := r.Body; b.Series != "" {
		series = &reports.ReportSeries{Key: b.Series, Title: b.SeriesTitle}
		known, err := h.reports.ReportSeries(ctx)
		if err != nil {
			return nil, err
		}
		for _, x := range known {
			if x.Key == b.Series {
				series.Title = x.Title
			}
		}
	}
	n, err := h.reports.NewReport(ctx, whoAsks(request(ctx)), r.Body.Key, series, r.Body.Spec)
	if err != nil {
		return nil, err
	}
	x, err := h.showReport(ctx, n, r.Body.Key)
	return &x, err
}

func (h *handlers) ListReportParts(context.Context, ListReportPartsRequest) (*contract.ReportParts, error) {
	out := contract.ReportParts{Kinds: []contract.ReportKind{}, References: []contract.ReportReference{}}
	for _, k := range reporting.Kinds {
		out.Kinds = append(out.Kinds, contract.ReportKind{Key: k.Key, Title: k.Title})
	}
	for _, x := range report.References {
		out.References = append(out.References, contract.ReportReference{Name: x.Name, Takes: x.Takes, Says: x.Says})
	}
	return &out, nil
}

// showDraft returns the draft of a report, after a change if there was one.
func (h *handlers) showDraft(ctx context.Context, change int64, key string) (contract.ReportDraft, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return contract.ReportDraft{}, err
		}
	}
	x, err := h.reports.ReportDraft(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return contract.ReportDraft{}, err
	}
	request(ctx).Set(keyRevision, x.Draft.Revision)
	return contract.ReportDraft{
		Report:  key,
		Person:  x.Draft.Person,
		Written: x.Draft.Written,
		Spec:    x.Draft.Spec,
		Erratum: x.Draft.Erratum,
	}, nil
}

func (h *handlers) ShowReportDraft(ctx context.Context, r ShowReportDraftRequest) (*contract.ReportDraft, error) {
	d, err := h.showDraft(ctx, 0, r.Report)
	return &d, err
}

func (h *handlers) WriteReportDraft(ctx context.Context, r WriteReportDraftRequest) (*contract.ReportDraft, error) {
	n, err := h.reports.EditReport(
		ctx,
		whoAsks(request(ctx)),
		r.Report,
		version(r.Params.IfMatch),
		reports.Drafted{Spec: r.Body.Spec, Erratum: r.Body.Erratum},
	)
	if err != nil {
		return nil, err
	}
	d, err := h.showDraft(ctx, n, r.Report)
	return &d, err
}

func (h *handlers) DropReportDraft(ctx context.Context, r DropReportDraftRequest) error {
	n, err := h.reports.DropDraft(ctx, whoAsks(request(ctx)), r.Report, version(r.Params.IfMatch))
	if err != nil {
		return err
	}
	_, err = h.written(ctx, n)
	return err
}

func (h *handlers) ListReportVersions(
	ctx context.Context,
	r ListReportVersionsRequest,
) (*contract.ReportVersions, error) {
	all, err := h.reports.DraftVersions(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	out := contract.ReportVersions{Versions: []contract.ReportVersion{}}
	for _, v := range all {
		out.Versions = append(
			out.Versions,
			contract.ReportVersion{
				Number:  v.Number,
				Person:  v.Person,
				Written: v.Written,
				Spec:    v.Spec,
				Erratum: v.Erratum,
			},
		)
	}
	return &out, nil
}

func (h *handlers) CheckReport(ctx context.Context, r CheckReportRequest) (*contract.ReportCheck, error) {
	check, err := h.reports.CheckReport(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	return &contract.ReportCheck{
		Unfilled: faultsView(check.Unfilled),
		Typed:    faultsView(check.Typed),
		Missing:  orEmpty(check.Missing),
	}, nil
}

func faultsView(all []reports.PartFault) []contract.ReportFault {
	out := []contract.ReportFault{}
	for _, f := range all {
		out = append(
			out, contract.ReportFault{Part: f.Part, Line: f.Line, Column: f.Column, Text: f.Text, Detail: f.Detail},
		)
	}
	return out
}

func (h *handlers) PublishReport(ctx context.Context, r PublishReportRequest) (*contract.Report, error) {
	_, n, err := h.reports.Publish(ctx, whoAsks(request(ctx)), r.Report, version(r.Params.IfMatch))
	if err != nil {
		return nil, err
	}
	x, err := h.showReport(ctx, n, r.Report)
	return &x, err
}

func (h *handlers) CorrectReport(ctx context.Context, r CorrectReportRequest) (*contract.ReportDraft, error) {
	n, err := h.reports.Correct(ctx, whoAsks(request(ctx)), r.Report, *r.Body)
	if err != nil {
		return nil, err
	}
	d, err := h.showDraft(ctx, n, r.Report)
	return &d, err
}

func (h *handlers) ReportMoved(ctx context.Context, r ReportMovedRequest) (*contract.ReportMoved, error) {
	m, err := h.reports.Moved(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	out := contract.ReportMoved{
		Revision: m.Revision,
		Failed:   m.Failed,
		Gone:     m.Gone,
		Views:    []contract.ReportMovedView{},
	}
	for _, v := range m.Views {
		view := contract.ReportMovedView{Audience: v.Audience, Says: v.Says, Moves: []contract.ReportMovedEdition{}}
		for _, x := range v.Moves {
			view.Moves = append(
				view.Moves,
				contract.ReportMovedEdition{
					Edition:   x.Edition,
					RankThen:  x.RankThen,
					RankNow:   x.RankNow,
					ScoreThen: x.ScoreThen,
					ScoreNow:  x.ScoreNow,
				},
			)
		}
		out.Views = append(out.Views, view)
	}
	return &out, nil
}
