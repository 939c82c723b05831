package api

import (
	"context"
	"encoding/hex"
	"slices"

	"dappertally/core/reporting"
	"dappertally/internal/report"
	"dappertally/internal/service"
)

// everybody is how an address names the audience that has no key.
const everybody = "-"

func (h *handlers) ListReports(ctx context.Context, r ListReportsRequestObject) (ListReportsResponseObject, error) {
	st, err := h.state(ctx)
	if err != nil {
		return nil, err
	}
	all, err := h.Reports(ctx, whoAsks(request(ctx)))
	if err != nil {
		return nil, err
	}
	all = slices.DeleteFunc(all, func(x service.Report) bool { return !about(&x, &r.Params) })
	some, next, err := page(all, func(x service.Report) string { return x.ID }, r.Params.Limit, r.Params.Cursor)
	if err != nil {
		return nil, err
	}
	list := ReportList{Reports: []Report{}, Names: map[string]EditionName{}, Next: next}
	for i := range some {
		list.Reports = append(list.Reports, reportView(&some[i]))
		for _, x := range some[i].Revisions {
			for _, e := range x.Editions {
				list.Names[e] = editionName(st, e)
			}
		}
	}
	return ListReports200JSONResponse(list), nil
}

// about reports whether a report is one of those asked for: by what its newest revision
// is about, and by when it was first published.
func about(x *service.Report, asked *ListReportsParams) bool {
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

func reportView(x *service.Report) Report {
	out := Report{
		Key:       x.Key,
		Created:   x.Created,
		Authors:   orEmpty(x.Authors),
		Drafted:   x.Draft != nil,
		Revisions: []ReportRevision{},
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

func revisionView(x *service.ReportRevision) ReportRevision {
	out := ReportRevision{
		Revision: x.Revision, Seal: hex.EncodeToString(x.Seal), Title: x.Title, About: x.About, Checklist: x.Checklist, Audiences: orEmpty(x.Audiences),
		Editions: orEmpty(
			x.Editions,
		), Authors: orEmpty(x.Authors), Erratum: x.Erratum, Published: x.Published, Files: []ReportFile{},
	}
	for _, f := range x.Files {
		name := hex.EncodeToString(f.SHA256)
		out.Files = append(
			out.Files,
			ReportFile{
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

// showReport is a report as it stands, after a change where there was one.
func (h *handlers) showReport(ctx context.Context, change int64, key string) (Report, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return Report{}, err
		}
	}
	x, err := h.Report(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return Report{}, err
	}
	return reportView(&x), nil
}

func (h *handlers) ShowReport(ctx context.Context, r ShowReportRequestObject) (ShowReportResponseObject, error) {
	x, err := h.showReport(ctx, 0, r.Report)
	return ShowReport200JSONResponse(x), err
}

func (h *handlers) AddReport(ctx context.Context, r AddReportRequestObject) (AddReportResponseObject, error) {
	var series *service.ReportSeries
	if b := r.Body; b.Series != "" {
		series = &service.ReportSeries{Key: b.Series, Title: b.SeriesTitle}
		known, err := h.ReportSeries(ctx)
		if err != nil {
			return nil, err
		}
		for _, x := range known {
			if x.Key == b.Series {
				series.Title = x.Title
			}
		}
	}
	n, err := h.NewReport(ctx, whoAsks(request(ctx)), r.Body.Key, series, r.Body.Spec)
	if err != nil {
		return nil, err
	}
	x, err := h.showReport(ctx, n, r.Body.Key)
	return AddReport201JSONResponse(x), err
}

func (h *handlers) ListReportParts(
	context.Context,
	ListReportPartsRequestObject,
) (ListReportPartsResponseObject, error) {
	out := ReportParts{Kinds: []ReportKind{}, References: []ReportReference{}}
	for _, k := range reporting.Kinds {
		out.Kinds = append(out.Kinds, ReportKind{Key: k.Key, Title: k.Title})
	}
	for _, x := range report.References {
		out.References = append(out.References, ReportReference{Name: x.Name, Takes: x.Takes, Says: x.Says})
	}
	return ListReportParts200JSONResponse(out), nil
}

// showDraft is the draft of a report, after a change where there was one.
func (h *handlers) showDraft(ctx context.Context, change int64, key string) (ReportDraft, error) {
	if change > 0 {
		if _, err := h.written(ctx, change); err != nil {
			return ReportDraft{}, err
		}
	}
	x, err := h.Service.ReportDraft(ctx, whoAsks(request(ctx)), key)
	if err != nil {
		return ReportDraft{}, err
	}
	request(ctx).Set(keyRevision, x.Draft.Revision)
	return ReportDraft{
		Report:  key,
		Person:  x.Draft.Person,
		Written: x.Draft.Written,
		Spec:    x.Draft.Spec,
		Erratum: x.Draft.Erratum,
	}, nil
}

func (h *handlers) ShowReportDraft(
	ctx context.Context,
	r ShowReportDraftRequestObject,
) (ShowReportDraftResponseObject, error) {
	d, err := h.showDraft(ctx, 0, r.Report)
	return ShowReportDraft200JSONResponse(d), err
}

func (h *handlers) WriteReportDraft(
	ctx context.Context,
	r WriteReportDraftRequestObject,
) (WriteReportDraftResponseObject, error) {
	n, err := h.EditReport(
		ctx,
		whoAsks(request(ctx)),
		r.Report,
		version(r.Params.IfMatch),
		service.Drafted{Spec: r.Body.Spec, Erratum: r.Body.Erratum},
	)
	if err != nil {
		return nil, err
	}
	d, err := h.showDraft(ctx, n, r.Report)
	return WriteReportDraft200JSONResponse(d), err
}

func (h *handlers) DropReportDraft(
	ctx context.Context,
	r DropReportDraftRequestObject,
) (DropReportDraftResponseObject, error) {
	n, err := h.DropDraft(ctx, whoAsks(request(ctx)), r.Report, version(r.Params.IfMatch))
	if err != nil {
		return nil, err
	}
	_, err = h.written(ctx, n)
	return DropReportDraft204Response{}, err
}

func (h *handlers) ListReportVersions(
	ctx context.Context,
	r ListReportVersionsRequestObject,
) (ListReportVersionsResponseObject, error) {
	all, err := h.DraftVersions(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	out := ReportVersions{Versions: []ReportVersion{}}
	for _, v := range all {
		out.Versions = append(
			out.Versions,
			ReportVersion{Number: v.Number, Person: v.Person, Written: v.Written, Spec: v.Spec, Erratum: v.Erratum},
		)
	}
	return ListReportVersions200JSONResponse(out), nil
}

func (h *handlers) CheckReport(ctx context.Context, r CheckReportRequestObject) (CheckReportResponseObject, error) {
	check, err := h.Service.CheckReport(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	return CheckReport200JSONResponse{
		Unfilled: faultsView(check.Unfilled),
		Typed:    faultsView(check.Typed),
		Missing:  orEmpty(check.Missing),
	}, nil
}

func faultsView(all []service.PartFault) []ReportFault {
	out := []ReportFault{}
	for _, f := range all {
		out = append(out, ReportFault{Part: f.Part, Line: f.Line, Column: f.Column, Text: f.Text, Detail: f.Detail})
	}
	return out
}

func (h *handlers) PublishReport(
	ctx context.Context,
	r PublishReportRequestObject,
) (PublishReportResponseObject, error) {
	_, n, err := h.Publish(ctx, whoAsks(request(ctx)), r.Report, version(r.Params.IfMatch))
	if err != nil {
		return nil, err
	}
	x, err := h.showReport(ctx, n, r.Report)
	return PublishReport201JSONResponse(x), err
}

func (h *handlers) CorrectReport(
	ctx context.Context,
	r CorrectReportRequestObject,
) (CorrectReportResponseObject, error) {
	n, err := h.Correct(ctx, whoAsks(request(ctx)), r.Report, *r.Body)
	if err != nil {
		return nil, err
	}
	d, err := h.showDraft(ctx, n, r.Report)
	return CorrectReport201JSONResponse(d), err
}

func (h *handlers) ReportMoved(ctx context.Context, r ReportMovedRequestObject) (ReportMovedResponseObject, error) {
	m, err := h.Moved(ctx, whoAsks(request(ctx)), r.Report)
	if err != nil {
		return nil, err
	}
	out := ReportMoved{Revision: m.Revision, Failed: m.Failed, Gone: m.Gone, Views: []ReportMovedView{}}
	for _, v := range m.Views {
		view := ReportMovedView{Audience: v.Audience, Says: v.Says, Moves: []ReportMovedEdition{}}
		for _, x := range v.Moves {
			view.Moves = append(
				view.Moves,
				ReportMovedEdition{
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
	return ReportMoved200JSONResponse(out), nil
}
