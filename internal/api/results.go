package api

import (
	"context"
	"encoding/json"
	"net/http"
	"strconv"
	"strings"
	"time"

	"dappertally/core/catalogue"
	"dappertally/core/checklist"
	"dappertally/core/ranking"
	"dappertally/core/scoring"
	"dappertally/internal/board"
	"dappertally/internal/service"
)

// query puts a result's parameters together.
func (h *handlers) query(ctx context.Context, list, audience string, at time.Time, rigWeight []string, common bool) (service.Query, error) {
	after, err := h.after(ctx)
	q := service.Query{Checklist: list, After: after, Options: scoring.Options{Audience: audience, CommonRigs: common}}
	if err != nil {
		return q, err
	}
	if !at.IsZero() {
		q.At = &at
	}
	for _, pair := range rigWeight {
		rig, text, _ := strings.Cut(pair, "=")
		w, err := strconv.ParseFloat(text, 64)
		if err != nil || !(w >= 0 && w <= 1e6) {
			return q, &service.Error{Kind: service.Invalid, Message: "rigWeight " + pair + " is not KEY=N with N between 0 and a million"}
		}
		if q.RigWeights == nil {
			q.RigWeights = map[string]float64{}
		}
		q.RigWeights[rig] = w
	}
	return q, nil
}

func (h *handlers) Ranking(ctx context.Context, r RankingRequestObject) (RankingResponseObject, error) {
	p := r.Params
	q, err := h.query(ctx, p.Checklist, p.Audience, p.At, p.RigWeight, p.CommonRigs)
	if err != nil {
		return nil, err
	}
	if p.Section != "" && p.Criterion != "" {
		return nil, &service.Error{Kind: service.Invalid, Message: "order by a section or by a criterion, not by both"}
	}
	q.By = ranking.By{Section: p.Section, Criterion: p.Criterion}
	result, err := h.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	return board.Remember(result.State, "JSON of "+q.String(), func() (encoded, error) {
		body, err := json.Marshal(rankingView(result))
		return encoded{body, sum(body)}, err
	})
}

// encoded is a ranking as it goes over the network: the page that most readers
// ask for is written, and its tag computed, once for each change.
type encoded struct {
	body []byte
	sum  string
}

// VisitRankingResponse writes the ranking.
func (e encoded) VisitRankingResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/json")
	if held, ok := w.(*heldWriter); ok {
		held.hold(e.body, e.sum)
		return nil
	}
	_, err := w.Write(e.body)
	return err
}

func rankingView(r *service.Result) Ranking {
	out := Ranking{Heading: heading(r), Ranking: []RankingEntry{}, Provisional: []RankingEntry{}, Barred: []RankingEntry{}}
	for _, p := range r.Ranking.Ranking {
		e := entry(r, p.Edition)
		e.Rank, e.Overall, e.DeadHeat, e.DecidedBy = p.Rank, &p.Overall, p.DeadHeat, p.DecidedBy
		out.Ranking = append(out.Ranking, e)
	}
	for _, p := range r.Ranking.Provisional {
		e := entry(r, p.Edition)
		e.Overall = p.Overall
		out.Provisional = append(out.Provisional, e)
	}
	for _, p := range r.Ranking.Barred {
		out.Barred = append(out.Barred, entry(r, p.Edition))
	}
	return out
}

func entry(r *service.Result, edition string) RankingEntry {
	card, _ := r.Card(edition)
	alone := r.State.Alone(card.Review)
	pre, _ := service.PreRelease(r.State, edition)
	return RankingEntry{
		Edition: edition, Name: editionName(r.State, edition), Overall: card.Overall, Total: card.Total, Coverage: card.Coverage, Low: card.Low, High: card.High,
		MeasuredShare: card.MeasuredShare, RigsDiffer: card.RigsDiffer, Sections: card.Sections, GatesOpen: card.GatesOpen, Barred: card.Barred, Alone: alone, PreRelease: pre,
	}
}

// heading says through whose eyes a result was computed.
func heading(r *service.Result) Heading {
	h := Heading{
		Checklist: r.List.Name(), Title: r.List.Title, Audience: r.Audience.Key, AudienceTitle: r.Audience.Title, Audiences: named(r.List),
		Maximum: r.List.MaximumPoints(), Margin: r.List.Policy.Margin(), MinCoverage: r.List.Policy.CoverageNeeded(), Change: r.State.Number,
		OrderedBy: r.Query.By.Section + r.Query.By.Criterion,
	}
	if r.Query.At != nil {
		h.At = *r.Query.At
	}
	for i, share := range r.List.SectionShares(r.Audience) {
		s := &r.List.Sections[i]
		h.Sections = append(h.Sections, struct {
			Key   string  `json:"key"`
			Share float64 `json:"share"`
			Title string  `json:"title"`
		}{s.Key, share, s.Title})
	}
	return h
}

// editionName is an edition's key as people say it.
func editionName(st *board.State, key string) EditionName {
	d, version, e, _ := catalogue.SplitEdition(key)
	n := EditionName{Distribution: st.DistributionName(d), Release: version, Edition: e}
	if edition, ok := st.Edition(key); ok {
		n.Edition = edition.Label()
	}
	if n.Distribution == "" {
		n.Distribution = d
	}
	return n
}

func (h *handlers) ShowScorecard(ctx context.Context, r ShowScorecardRequestObject) (ShowScorecardResponseObject, error) {
	p := r.Params
	q, err := h.query(ctx, p.Checklist, p.Audience, p.At, p.RigWeight, p.CommonRigs)
	if err != nil {
		return nil, err
	}
	result, err := h.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	key := result.State.Catalogue.Resolve(catalogue.EditionKey(r.Distribution, r.Release, r.Edition))
	if _, ok := result.State.Edition(key); !ok {
		return nil, &service.Error{Kind: service.NotFound, Message: "there is no edition " + key}
	}
	if _, ok := result.Card(key); !ok {
		return nil, &service.Error{Kind: service.NotFound, Message: key + " has no accepted review on " + result.List.Name()}
	}
	return ShowScorecard200JSONResponse(scorecardView(result, key)), nil
}

func scorecardView(r *service.Result, edition string) ScorecardView {
	card, _ := r.Card(edition)
	return ScorecardView{Heading: heading(r), Name: editionName(r.State, edition), Rank: r.Rank(edition), Scorecard: *card, Facts: facts(r.Table, edition)}
}

// facts is what was recorded of an edition and is never scored.
func facts(t *scoring.Table, edition string) []FactValue {
	out := []FactValue{}
	for e, key := range t.Editions {
		if key != edition {
			continue
		}
		for i, c := range t.Criteria {
			if f := t.Cells[e][i].NewestFact(); c.Kind == checklist.Fact && f != nil {
				out = append(out, FactValue{Key: c.Key, Value: f.String()})
			}
		}
	}
	return out
}

func (h *handlers) ShowDesk(ctx context.Context, r ShowDeskRequestObject) (ShowDeskResponseObject, error) {
	after, err := h.after(ctx)
	if err != nil {
		return nil, err
	}
	result, edition, err := h.Desk(ctx, whoAsks(request(ctx)), r.Id, after)
	if err != nil {
		return nil, err
	}
	return ShowDesk200JSONResponse(scorecardView(result, edition)), nil
}

func (h *handlers) Compare(ctx context.Context, r CompareRequestObject) (CompareResponseObject, error) {
	p := r.Params
	q, err := h.query(ctx, p.Checklist, p.Audience, p.At, p.RigWeight, p.CommonRigs)
	if err != nil {
		return nil, err
	}
	c, err := h.Service.Compare(ctx, q, p.Edition, p.Baseline)
	if err != nil {
		return nil, err
	}
	out := Comparison{Heading: heading(c.Result), Baseline: c.Measures.Baseline, Editions: []Compared{}, Rows: c.Measures.Rows, GeometricMeans: c.Measures.GeometricMeans, Missing: c.Missing, Systems: c.Systems}
	for _, e := range c.Editions {
		v := scorecardView(c.Result, e)
		out.Editions = append(out.Editions, Compared{Name: v.Name, Rank: v.Rank, Scorecard: v.Scorecard, Facts: v.Facts})
	}
	return Compare200JSONResponse(out), nil
}
