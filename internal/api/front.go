package api

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"net/http"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/core/catalogue"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/contract"
	"dappertally/internal/front"
	"dappertally/internal/ledger"
	"dappertally/internal/numerals"
	"dappertally/internal/problem"
)

const (
	// firstEntries is how many entries the console requests first, as web/src/pages/ranking/entries.ts does.
	firstEntries = 100
	// drawnEntries is how many of them are in the page before its code is loaded.
	drawnEntries = 30
	// framedEntries is the default number of entries of an embedded ranking.
	framedEntries = 10

	previewPath = "/previews/"
	framePath   = "/frames/"
)

// readers answers requests that do not need the console: pictures for links, embedded pages, the sitemap.
func (h *handlers) readers(r *gin.Engine, o *Options) {
	r.GET(previewPath+"ranking.png", limitTime, h.teamsOwn, h.tagged, h.inTurn, h.rankingPicture)
	r.GET(
		previewPath+"edition/:distribution/:release/:edition",
		limitTime,
		h.teamsOwn,
		h.tagged,
		h.inTurn,
		h.editionPicture,
	)
	framed := framedBy(o.Frames)
	r.GET(framePath+"ranking", framed, limitTime, h.teamsOwn, h.tagged, h.inTurn, h.rankingFrame)
	r.GET(
		framePath+"edition/:distribution/:release/:edition",
		framed,
		limitTime,
		h.teamsOwn,
		h.tagged,
		h.inTurn,
		h.editionFrame,
	)
	r.GET("/sitemap.xml", limitTime, h.tagged, h.sitemap)
	r.GET("/robots.txt", func(c *gin.Context) {
		if o.Closed {
			c.String(http.StatusOK, "User-agent: *\nDisallow: /\n")
			return
		}
		c.String(http.StatusOK, "User-agent: *\nDisallow: /api/\nDisallow: /desk/\nSitemap: %s/sitemap.xml\n", h.origin(c))
	})
}

// framedBy lets the pages of these origins embed an address; with none, it is refused.
func framedBy(origins []string) gin.HandlerFunc {
	return func(c *gin.Context) {
		if len(origins) == 0 {
			fail(c, http.StatusForbidden, "not-framed",
				"This service does not allow other pages to embed it. An administrator can allow it with the "+
					"setting frames", nil)
			c.Abort()
			return
		}
		c.Header("Content-Security-Policy",
			"default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors "+
				strings.Join(origins, " "))
		c.Next()
	}
}

// firstView answers with the console's page and what can be read before its code is loaded: the front page and
// scorecards. For anything else, and after any error, it is the plain page: the console reports errors.
func (h *handlers) firstView(c *gin.Context, index []byte) []byte {
	var p *front.Page
	var err error
	h.asReader(c)
	path := c.Request.URL.Path
	switch edition, found := strings.CutPrefix(path, "/edition/"); {
	case c.Request.URL.RawQuery != "":
		return index
	case path == "/":
		p, err = h.rankingPage(c)
	case found && strings.Count(edition, "/") == 2:
		p, err = h.editionPage(c, edition)
	default:
		return index
	}
	if err == nil {
		var whole []byte
		if whole, err = front.Into(index, p); err == nil {
			return whole
		}
	}
	if !problem.IsKind(err, problem.NotFound) {
		h.ledger.Log.DebugContext(c.Request.Context(), "no first view", "path", path, "why", err)
	}
	return index
}

func (h *handlers) rankingPage(c *gin.Context) (*front.Page, error) {
	ctx := c.Request.Context()
	result, err := h.answers.Rank(ctx, answers.Query{})
	if err != nil {
		return nil, err
	}
	type drawn struct {
		ranking *front.Ranking
		page    front.Page
	}
	d, err := ledger.Remember(ctx, result.State, "front page", func(ctx context.Context) (drawn, error) {
		v := rankingView(result, standingPage{limit: firstEntries}, true)
		if err := h.addStandings(context.WithoutCancel(ctx), &v, result, contract.RankingParams{Ranges: true}); err != nil {
			return drawn{}, err
		}
		known, err := json.Marshal(v)
		if err != nil {
			return drawn{}, err
		}
		ranking := frontRanking(&v, drawnEntries)
		content, err := front.RankingContent(ranking)
		if err != nil {
			return drawn{}, err
		}
		return drawn{ranking, front.Page{
			Title:       "Ranking",
			Description: numerals.Count(v.Counts.Ranked, "edition") + " of Linux distributions, ranked by " + v.Heading.Title + ".",
			Team:        h.ledger.Team(),
			Content:     content,
			Known:       map[string][]byte{"ranking-data": known},
		}}, nil
	})
	if err != nil {
		return nil, err
	}
	p, at := d.page, h.origin(c)
	p.Address, p.Picture = at+"/", at+previewPath+"ranking.png"
	p.Data = []any{front.ListData(d.ranking.Title, p.Address, d.ranking.Entries, at)}
	return &p, nil
}

func (h *handlers) editionPage(c *gin.Context, key string) (*front.Page, error) {
	card, err := h.frontCard(c, key)
	if err != nil {
		return nil, err
	}
	content, err := front.ScorecardContent(card)
	if err != nil {
		return nil, err
	}
	name := card.Distribution + " " + card.Release + " " + card.Edition
	at := h.origin(c)
	p := front.Page{
		Title: name, Team: h.ledger.Team(), Content: content, Address: at + card.Address,
		Picture: at + previewPath + strings.TrimPrefix(card.Address, "/") + ".png",
	}
	p.Description = fmt.Sprintf("The scorecard of %s on %s.", name, card.Checklist)
	p.Data = []any{front.ReviewData(card, h.ledger.Team(), p.Address)}
	return &p, nil
}

// frontCard is the scorecard of an accepted edition on the shown checklist version.
func (h *handlers) frontCard(c *gin.Context, key string) (*front.Scorecard, error) {
	q, err := h.view(c)
	if err != nil {
		return nil, err
	}
	result, err := h.answers.Rank(c.Request.Context(), q)
	if err != nil {
		return nil, err
	}
	key = result.State.Catalogue.Resolve(key)
	card, ok := result.Card(key)
	if !ok {
		return nil, problem.New(problem.NotFound, "%s has no accepted review on %s", key, result.List.Name())
	}
	n := editionName(result.State, key)
	f := &front.Scorecard{
		Distribution: n.Distribution, Release: n.Release, Edition: n.Edition, Checklist: result.List.Name(),
		Address: "/edition/" + key, Overall: card.Overall, Rank: result.Rank(key), Ranked: len(result.Ranking.Ranking),
		Coverage: card.Coverage,
	}
	for i, share := range result.List.SectionShares(result.Audience) {
		s := &result.List.Sections[i]
		f.Sections = append(f.Sections, front.Section{Title: cmp.Or(s.Title, s.Key), Share: share,
			Score: card.Sections[i].Score})
	}
	if r := result.State.CurrentReview(key); r != nil && r.Accepted != nil {
		f.Accepted = *r.Accepted
	}
	return f, nil
}

// frontRanking is the first entries of a ranking.
func frontRanking(v *contract.Ranking, most int) *front.Ranking {
	r := &front.Ranking{Title: v.Heading.Title, Checklist: v.Heading.Checklist, Count: v.Counts.Ranked}
	if v.Heading.Audience != "" {
		r.Title += ", for " + cmp.Or(v.Heading.AudienceTitle, v.Heading.Audience)
	}
	for _, s := range v.Heading.Sections {
		r.Sections = append(r.Sections, front.Section{Title: cmp.Or(s.Title, s.Key), Share: s.Share})
	}
	for i := range v.Ranking[:min(len(v.Ranking), most)] {
		x := &v.Ranking[i]
		e := front.Entry{
			Rank: x.Rank, DeadHeat: x.DeadHeat, Address: "/edition/" + x.Edition,
			Distribution: x.Name.Distribution, Release: x.Name.Release, Edition: x.Name.Edition,
			Overall: x.Overall, Low: x.Low, High: x.High, Coverage: x.Coverage, Measured: x.MeasuredShare,
		}
		if x.RankLow > 0 {
			e.Range = fmt.Sprint(x.RankLow)
			if x.RankHigh > x.RankLow {
				e.Range += fmt.Sprintf("–%d", x.RankHigh)
			}
		}
		for _, s := range x.Sections {
			e.Sections = append(e.Sections, s.Score)
		}
		e.Remarks = strings.Join(remarks(x), " · ")
		r.Entries = append(r.Entries, e)
	}
	return r
}

// remarks returns what readers should know of an edition's place, in the words of the console.
func remarks(x *contract.RankingEntry) (all []string) {
	for _, r := range []struct {
		holds bool
		words string
	}{
		{x.Checklist != "", "reviewed on " + x.Checklist},
		{x.PreRelease, "pre-release"},
		{x.Alone, "accepted by its only reviewer"},
		{x.RigsDiffer, "rigs differ"},
		{len(x.Estimated) > 0, "estimates in " + numerals.Count(len(x.Estimated), "measure")},
		{len(x.Unsteady) > 0, "runs scatter in " + numerals.Count(len(x.Unsteady), "measure")},
		{len(x.GatesOpen) > 0, "required, not tested: " + strings.Join(x.GatesOpen, ", ")},
		{x.DecidedBy != "", "by " + x.DecidedBy},
	} {
		if r.holds {
			all = append(all, r.words)
		}
	}
	return all
}

// rankingAsked returns the first entries of the ranking that an address requests.
func (h *handlers) rankingAsked(c *gin.Context, most int) (*front.Ranking, error) {
	result, err := h.resultAsked(c)
	if err != nil {
		return nil, err
	}
	v := rankingView(result, standingPage{limit: most}, true)
	return frontRanking(&v, most), nil
}

func (h *handlers) rankingPicture(c *gin.Context) {
	r, err := h.rankingAsked(c, framedEntries)
	draw(c, err, func(w io.Writer) error { return front.RankingPicture(w, r, h.ledger.Team()) })
}

// editionAsked returns the key of the edition that an address names.
func editionAsked(c *gin.Context) string {
	return catalogue.EditionKey(
		c.Param("distribution"), c.Param("release"), strings.TrimSuffix(c.Param("edition"), ".png"),
	)
}

func (h *handlers) editionPicture(c *gin.Context) {
	card, err := h.frontCard(c, editionAsked(c))
	draw(c, err, func(w io.Writer) error { return front.ScorecardPicture(w, card, h.ledger.Team()) })
}

// draw answers with a picture, unless there was an error.
func draw(c *gin.Context, err error, paint func(io.Writer) error) {
	var out bytes.Buffer
	if err == nil {
		err = paint(&out)
	}
	if err != nil {
		refuse(c, err)
		return
	}
	c.Data(http.StatusOK, "image/png", out.Bytes())
}

func (h *handlers) rankingFrame(c *gin.Context) {
	r, err := h.rankingAsked(c, framedEntries)
	if err != nil {
		refuse(c, err)
		return
	}
	h.frame(c, r)
}

func (h *handlers) editionFrame(c *gin.Context) {
	card, err := h.frontCard(c, editionAsked(c))
	if err != nil {
		refuse(c, err)
		return
	}
	h.frame(c, card)
}

func (h *handlers) frame(c *gin.Context, data any) {
	body, err := front.Frame(data)
	if err != nil {
		refuse(c, err)
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", body)
}

// The sitemap, as https://www.sitemaps.org/protocol.html defines it.
type sitemap struct {
	XMLName xml.Name     `xml:"http://www.sitemaps.org/schemas/sitemap/0.9 urlset"`
	Pages   []sitemapURL `xml:"url"`
}

type sitemapURL struct {
	Address string `xml:"loc"`
	Changed string `xml:"lastmod,omitempty"`
}

// mostMapped is how many pages a sitemap can name.
const mostMapped = 50_000

// sitemap lists the pages for readers: the ranking, every scorecard, every published report.
func (h *handlers) sitemap(c *gin.Context) {
	state, err := h.state(c)
	if err != nil {
		refuse(c, err)
		return
	}
	at := h.origin(c)
	site := sitemap{}
	for _, page := range []string{"/", "/catalogue", "/checklist", "/records", "/reports", "/lines"} {
		site.Pages = append(site.Pages, sitemapURL{Address: at + page})
	}
	published, err := h.reports.Reports(c.Request.Context(), &access.Actor{})
	if err != nil {
		refuse(c, err)
		return
	}
	for i := range published {
		if x := &published[i]; len(x.Revisions) > 0 {
			site.Pages = append(site.Pages, sitemapURL{at + "/reports/" + x.Key, x.Revisions[0].Published.Format(time.DateOnly)})
		}
	}
	for _, p := range state.Places() {
		if r := state.CurrentReview(p.Key()); r != nil && r.Accepted != nil && len(site.Pages) < mostMapped {
			site.Pages = append(site.Pages, sitemapURL{at + "/edition/" + p.Key(), r.Accepted.Format(time.DateOnly)})
		}
	}
	body, err := xml.Marshal(&site)
	if err != nil {
		refuse(c, err)
		return
	}
	c.Data(http.StatusOK, "application/xml; charset=utf-8", append([]byte(xml.Header), body...))
}
