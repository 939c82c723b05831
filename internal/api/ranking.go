package api

import (
	"cmp"
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"dappertally/core/parallel"
	"dappertally/core/ranking"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

func (h *handlers) Ranking(ctx context.Context, r RankingRequest) (*contract.Ranking, error) {
	p := r.Params
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	if p.Section != "" && p.Criterion != "" {
		return nil, problem.New(problem.Invalid, "order by a section or by a criterion, not by both")
	}
	q.By = ranking.By{Section: p.Section, Criterion: p.Criterion}
	result, err := h.answers.Rank(ctx, q)
	if err != nil {
		return nil, err
	}
	page := func(ctx context.Context) (encoded, error) {
		v := rankingView(result, pageOf(p), p.Limit > 0)
		if err := h.addStandings(ctx, &v, result, p); err != nil {
			return encoded{}, err
		}
		return encode(v)
	}
	var e encoded
	if len(p.SectionWeight)+len(p.CriterionWeight) > 0 || p.Find != "" {
		e, err = page(ctx) // somebody is trying weights, or typing
	} else {
		e, err = ledger.Remember(ctx, result.State, asAsked(request(ctx)), page)
	}
	if err != nil {
		return nil, err
	}
	return nil, e.write(request(ctx).Writer)
}

// fewFirst is the default number of first editions.
const fewFirst = 25

func (h *handlers) RankingFirst(ctx context.Context, r RankingFirstRequest) (*contract.RankingFirst, error) {
	q, err := h.view(request(ctx))
	if err != nil {
		return nil, err
	}
	result, top, err := h.answers.First(ctx, q, cmp.Or(r.Params.Limit, fewFirst))
	if err != nil {
		return nil, err
	}
	out := &contract.RankingFirst{Change: result.State.Number, Ranking: make([]contract.FirstEntry, len(top.Ranking))}
	out.Counts.Ranked, out.Counts.Provisional, out.Counts.Barred = top.Ranked, top.Provisional, top.Barred
	out.Counts.Elsewhere = len(result.Elsewhere())
	for i, p := range top.Ranking {
		e := contract.FirstEntry{
			Edition: p.Edition, Name: editionName(result.State, p.Edition), Rank: p.Rank, Overall: p.Overall,
			DeadHeat: p.DeadHeat, DecidedBy: p.DecidedBy, Low: p.Overall, High: p.Overall,
		}
		if card, stands := result.Card(p.Edition); stands && card.Low != nil && card.High != nil {
			e.Low, e.High = *card.Low, *card.High
		}
		out.Ranking[i] = e
	}
	return out, nil
}

// asAsked is the key under which an answer is remembered: the parameters of the request.
func asAsked(c *gin.Context) string { return "JSON of " + c.Request.URL.RequestURI() }

// known answers with a ranking that was requested with the same parameters since the records changed, without parsing
// them again.
func (h *handlers) known(c *gin.Context) {
	if c.FullPath() == base+"/ranking" && c.Request.Method == http.MethodGet {
		if state, err := h.state(c); err == nil {
			if e, ok := ledger.Recall[encoded](state, asAsked(c)); ok {
				if err := e.write(c.Writer); err == nil {
					c.Abort()
					return
				}
			}
		}
	}
	c.Next()
}

// addStandings adds ranges of ranks, and places gained since a moment, if requested.
func (h *handlers) addStandings(
	ctx context.Context,
	v *contract.Ranking,
	result *answers.Result,
	p contract.RankingParams,
) error {
	if p.Ranges {
		ranges, err := h.answers.Ranges(ctx, result)
		if err != nil {
			return err
		}
		for i := range v.Ranking {
			e := &v.Ranking[i]
			e.RankLow, e.RankHigh = ranges[e.Edition].Low, ranges[e.Edition].High
		}
	}
	if p.Since.IsZero() {
		return nil
	}
	v.Since = p.Since
	ranks, err := h.answers.RanksAt(ctx, result, p.Since)
	if err != nil {
		return err
	}
	for i := range v.Ranking {
		e := &v.Ranking[i]
		if was, ok := ranks[e.Edition]; ok {
			gained := was - e.Rank
			e.Was, e.Gained = &was, &gained
		}
	}
	return nil
}

// encoded is an answer in its final form: the page that most readers request is encoded, and its tag computed, once
// for each change.
type encoded struct {
	body []byte
	sum  string
}

func encode(v any) (encoded, error) {
	body, err := json.Marshal(v)
	return encoded{body, sum(body)}, err
}

// Weight implements ledger.Weighty.
func (e encoded) Weight() int { return len(e.body) >> 20 }

// write answers with it.
func (e encoded) write(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/json")
	if held, ok := w.(*heldWriter); ok {
		held.hold(e.body, e.sum)
		return nil
	}
	_, err := w.Write(e.body)
	return err
}

// standingPage is which entries of a ranking's lists are requested.
type standingPage struct {
	limit, offset int
	standing      string
	words         []string // search text, in lower case
}

func pageOf(p contract.RankingParams) standingPage {
	limit := cmp.Or(p.Limit, mostListed)
	return standingPage{limit, p.Offset, string(p.Standing), strings.Fields(strings.ToLower(p.Find))}
}

// mostListed is the default number of entries of a list.
const mostListed = 1000

// wants reports whether an edition matches the search.
func (p *standingPage) wants(st *ledger.Records, edition string) bool {
	if len(p.words) == 0 {
		return true
	}
	n := editionName(st, edition)
	name := strings.ToLower(strings.Join([]string{n.Distribution, n.Release, n.Edition, edition}, " "))
	return !slices.ContainsFunc(p.words, func(word string) bool { return !strings.Contains(name, word) })
}

// listed returns the entries of a list that are on the page, and their number without limit and offset.
func listed[T, E any](
	p *standingPage, st *ledger.Records, standing string, all []T, edition func(*T) string, entry func(*T) E,
) (on []E, count int) {
	var shown []*T
	for i := range all {
		if !p.wants(st, edition(&all[i])) {
			continue
		}
		if (p.standing == "" || p.standing == standing) && count >= p.offset && len(shown) < p.limit {
			shown = append(shown, &all[i])
		}
		count++
	}
	on = make([]E, len(shown))
	parallel.Each(len(shown), func(i int) { on[i] = entry(shown[i]) })
	return on, count
}

// How many are named of those that win most, and of those that share a win.
const (
	winnersNamed = 3
	mostWinners  = 8
)

func rankingView(r *answers.Result, p standingPage, few bool) contract.Ranking {
	out := contract.Ranking{Heading: heading(r), Nobody: r.Nobody(), Names: map[string]contract.EditionName{}}
	st, winners := r.State, r.Winners()
	out.Ranking, out.Counts.Ranked = listed(&p, st, "ranked", r.Ranking.Ranking,
		func(x *ranking.Place) string { return x.Edition },
		func(x *ranking.Place) contract.RankingEntry {
			e := entry(r, x.Edition)
			e.Rank, e.Overall, e.DeadHeat, e.DecidedBy = x.Rank, &x.Overall, x.DeadHeat, x.DecidedBy
			e.Wins = winners.Wins[x.Edition]
			return e
		})
	out.Provisional, out.Counts.Provisional = listed(&p, st, "provisional", r.Ranking.Provisional,
		func(x *ranking.Provisional) string { return x.Edition },
		func(x *ranking.Provisional) contract.RankingEntry {
			e := entry(r, x.Edition)
			e.Overall = x.Overall
			return e
		})
	out.Barred, out.Counts.Barred = listed(&p, st, "barred", r.Ranking.Barred,
		func(x *ranking.Barred) string { return x.Edition },
		func(x *ranking.Barred) contract.RankingEntry { return entry(r, x.Edition) })
	out.Elsewhere, out.Counts.Elsewhere = listed(&p, st, "elsewhere", r.Elsewhere(),
		func(x *answers.Elsewhere) string { return x.Edition },
		func(x *answers.Elsewhere) contract.Elsewhere {
			return contract.Elsewhere{Edition: x.Edition, Name: editionName(st, x.Edition), Checklist: x.Checklist}
		})
	addWinners(&out, st, winners, few)
	return out
}

// addWinners adds who wins most, and who wins each section and criterion, of which it names the first few; with few,
// it lists only those.
func addWinners(out *contract.Ranking, st *ledger.Records, winners ranking.Winners, few bool) {
	out.MostWins = []contract.EditionWins{}
	for edition, wins := range winners.Wins {
		if wins.Alone+wins.Shared > 0 {
			out.MostWins = append(out.MostWins, contract.EditionWins{Edition: edition, Wins: wins})
		}
	}
	slices.SortFunc(out.MostWins, func(a, b contract.EditionWins) int {
		return cmp.Or(b.Wins.Alone-a.Wins.Alone, b.Wins.Shared-a.Wins.Shared, strings.Compare(a.Edition, b.Edition))
	})
	out.MostWins = out.MostWins[:min(len(out.MostWins), mostWinners)]
	for _, x := range out.MostWins {
		out.Names[x.Edition] = editionName(st, x.Edition)
	}
	list := func(all []ranking.Winner) []contract.Winner {
		listed := []contract.Winner{}
		for _, w := range all {
			first := w.Editions[:min(len(w.Editions), winnersNamed)]
			for _, edition := range first {
				out.Names[edition] = editionName(st, edition)
			}
			x := contract.Winner{
				Key: w.Key, Points: w.Points, Count: len(w.Editions), Editions: w.Editions, Estimated: w.Estimated,
			}
			if few {
				x.Editions = first
				x.Estimated = slices.DeleteFunc(slices.Clone(w.Estimated), func(e string) bool {
					return !slices.Contains(first, e)
				})
			}
			listed = append(listed, x)
		}
		return listed
	}
	out.Winners = contract.Winners{Sections: list(winners.Sections), Criteria: list(winners.Criteria)}
}
