package api

import (
	"context"

	"dappertally/internal/answers"
	"dappertally/internal/contract"
)

func (h *handlers) ListLines(ctx context.Context, _ ListLinesRequest) (*contract.LineList, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	lines, state, err := h.answers.Lines(ctx, after)
	if err != nil {
		return nil, err
	}
	list := contract.LineList{Lines: []contract.LineView{}}
	for _, l := range lines {
		v := contract.LineView{
			Distribution: l.Distribution,
			Name:         state.DistributionName(l.Distribution),
			Line:         l.Line,
			Releases:     []contract.LineRelease{},
		}
		for _, r := range l.Releases {
			v.Releases = append(v.Releases, contract.LineRelease{
				Edition: r.Edition, Release: r.Place.Release.Version, Date: r.Place.Release.Date, Stage: r.Place.Release.Stage, Desktop: r.Place.Edition.Desktop,
				Checklists: append([]string{}, r.Checklists...),
			})
		}
		list.Lines = append(list.Lines, v)
	}
	return &list, nil
}

func (h *handlers) ShowLine(ctx context.Context, r ShowLineRequest) (*contract.HistoryView, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	line, err := h.answers.History(ctx, q, r.Distribution, r.Line)
	if err != nil {
		return nil, err
	}
	v := contract.HistoryView{
		Checklist:    line.List.Name(),
		Audience:     line.Audience.Key,
		Distribution: line.Distribution,
		Line:         line.Line.Line,
		Points:       []contract.LinePoint{},
		Successions:  line.Successions,
	}
	named := []string{}
	for _, p := range line.Points {
		named = append(named, p.Edition)
		v.Points = append(
			v.Points,
			contract.LinePoint{
				Edition:   p.Edition,
				Date:      p.Date,
				Checklist: p.Checklist,
				Overall:   p.Overall,
				Ground:    p.Ground,
				Common:    p.Common,
			},
		)
	}
	v.Names = namesOf(line.State, named)
	return &v, nil
}

func (h *handlers) ListRecords(ctx context.Context, r ListRecordsRequest) (*contract.RecordList, error) {
	q := answers.Query{}
	var err error
	if q.After, err = h.after(ctx); err != nil {
		return nil, err
	}
	if !r.Params.At.IsZero() {
		q.At = &r.Params.At
	}
	records, state, err := h.answers.RecordBook(ctx, q)
	if err != nil {
		return nil, err
	}
	list := contract.RecordList{Records: []contract.RecordBook{}}
	named := []string{}
	for _, book := range records {
		if r.Params.Criterion != "" && book.Criterion != r.Params.Criterion {
			continue
		}
		list.Records = append(list.Records, book)
		for _, x := range book.Records {
			named = append(named, x.Edition)
		}
	}
	list.Names = namesOf(state, named)
	return &list, nil
}

func (h *handlers) ListLeaders(ctx context.Context, _ ListLeadersRequest) (*contract.LeaderList, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	reigns, state, err := h.answers.Leaders(ctx, q)
	if err != nil {
		return nil, err
	}
	list := contract.LeaderList{Audience: q.Audience, Reigns: []contract.Reign{}}
	named := []string{}
	for _, x := range reigns {
		named = append(append(named, x.Edition), x.Shared...)
		v := contract.Reign{
			Edition:   x.Edition,
			Checklist: x.Checklist,
			Score:     x.Score,
			Shared:    append([]string{}, x.Shared...),
			From:      x.From,
		}
		if x.To != nil {
			v.To = *x.To
		}
		list.Reigns = append(list.Reigns, v)
	}
	list.Names = namesOf(state, named)
	return &list, nil
}
