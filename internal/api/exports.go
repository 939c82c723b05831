package api

import (
	"compress/gzip"
	"context"
	"errors"
	"io"
	"strings"

	"github.com/gin-gonic/gin"

	"dappertally/core/catalogue"
	"dappertally/core/ranking"
	"dappertally/core/reporting"
	"dappertally/internal/access"
	"dappertally/internal/answers"
	"dappertally/internal/exports"
	drawing "dappertally/internal/figure"
	"dappertally/internal/intake"
	"dappertally/internal/people"
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/reviewing"
	"dappertally/internal/tables"
)

// Exports have many media types and are not part of the contract's strict handlers, which have one each.
const exportPath = base + "/exports/:what"

// ofExports is how many exports can run at once.
var ofExports = limits{
	all: 40, readers: 16, network: 4, account: 8,
	full: "too many exports are in progress; wait until one is finished",
}

// export answers with records or results in the requested form. Everybody gets what they are allowed to see. The
// export is written to the disk and sent from there while it is written: an error at the beginning can still be
// reported, and a slow reader holds neither memory nor a turn.
func (h *handlers) export(c *gin.Context) {
	what, form := c.Param("what"), c.DefaultQuery("form", "csv")
	if !exports.Known(what) {
		refuse(
			c,
			problem.New(problem.NotFound, "choose one of %s to export, not %s", strings.Join(exports.Names, ", "), what),
		)
		return
	}
	done, err := h.exports.reserve(whoAsks(c), people.Network(c.ClientIP()), 1)
	if err != nil {
		refuse(c, err)
		return
	}
	defer done()
	ctx, stop := context.WithCancel(c.Request.Context())
	defer stop()
	c.Request = c.Request.WithContext(ctx)
	e, err := h.exported(c, what, form)
	if err != nil {
		refuse(c, err)
		return
	}
	if accepts(c.GetHeader("Accept-Encoding"), "gzip") && form != "xlsx" && form != "png" {
		e = e.packed()
		c.Header("Content-Encoding", "gzip")
	}
	s, err := startSpool(ctx, e.write)
	if err != nil {
		refuse(c, err)
		return
	}
	defer func() { stop(); s.close() }() // in this order: close waits for the writer
	err = s.begun()
	if who := whoAsks(c); err == nil && who.SignedIn() { // it may contain what readers cannot see
		err = h.ledger.Note(ctx, who, "exported", "export", what, form)
	}
	if err != nil {
		c.Writer.Header().Del("Content-Encoding")
		refuse(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="`+what+e.ending+`"`)
	c.Header("Content-Type", e.mediaType)
	mine(c)
	s.send(c)
}

// written is an export that is ready to be written.
type written struct {
	mediaType, ending string
	write             func(io.Writer) error
}

// packed is the same, compressed.
func (e written) packed() written {
	plain := e.write
	e.write = func(w io.Writer) error {
		packer := packers.Get().(*gzip.Writer)
		defer packers.Put(packer)
		packer.Reset(w)
		if err := plain(packer); err != nil {
			return err
		}
		return packer.Close()
	}
	return e
}

// exported determines what an export contains.
func (h *handlers) exported(c *gin.Context, what, form string) (written, error) {
	ctx, who := c.Request.Context(), whoAsks(c)
	switch {
	case what == "bundle":
		return written{"application/json", ".json", func(w io.Writer) error {
			return h.intake.WriteBundle(ctx, who, w, nil)
		}}, nil
	case what == "readings" && form == "tap":
		records, err := h.intake.AllReadings(ctx, who, which(c))
		return written{"text/plain; charset=utf-8", ".tap", func(w io.Writer) error {
			return exports.TAP(w, records)
		}}, err
	case what == "ranking" && (form == "svg" || form == "png"):
		return h.drawn(c, form)
	}
	f, ok := tables.Find(form)
	if !ok {
		return written{}, problem.New(
			problem.Invalid, "form must be one of %s, not %s", strings.Join(formsOf(what), ", "), form,
		)
	}
	table, err := h.table(c, what)
	return written{f.MediaType, f.Ending, func(w io.Writer) error {
		err := f.Write(w, table)
		if errors.Is(err, tables.ErrTooMany) {
			err = problem.New(problem.Invalid, "%s", err)
		}
		return err
	}}, err
}

// formsOf lists the forms in which something can be exported.
func formsOf(what string) []string {
	var names []string
	for _, f := range tables.Forms {
		names = append(names, f.Name)
	}
	switch what {
	case "readings":
		names = append(names, "tap")
	case "ranking":
		names = append(names, "svg", "png")
	}
	return names
}

func which(c *gin.Context) intake.Which {
	return intake.Which{
		Review:    c.Query("review"),
		Edition:   c.Query("edition"),
		Criterion: c.Query("criterion"),
		Rig:       c.Query("rig"),
		Checklist: c.Query("checklist"),
	}
}

func (h *handlers) table(c *gin.Context, what string) (*tables.Table, error) {
	who := whoAsks(c)
	switch what {
	case "catalogue":
		state, err := h.ledger.State(c.Request.Context(), 0)
		if err != nil {
			return nil, err
		}
		return exports.Catalogue(state.Catalogue.Distributions, state.Catalogue.Rigs), nil
	case "readings":
		ctx, wanted := c.Request.Context(), which(c)
		if err := h.intake.Wanted(ctx, who, wanted); err != nil {
			return nil, err
		}
		return exports.Readings(func(visit func(intake.ReadingOf) error) error {
			return h.intake.EachReading(ctx, who, wanted, visit)
		}), nil
	case "reviews":
		state, err := h.ledger.Latest(c.Request.Context())
		if err != nil {
			return nil, err
		}
		all := reviewing.Listed(state, who, func(*reviewing.Review) bool { return true })
		reviews, err := h.reviewing.Counted(c.Request.Context(), who, all)
		if err != nil {
			return nil, err
		}
		return exports.Reviews(reviews, who.May(access.SeeWork)), nil
	}
	result, err := h.resultAsked(c)
	if err != nil {
		return nil, err
	}
	switch what {
	case "scorecards":
		return exports.Scorecards(result), nil
	case "points":
		return exports.Points(result), nil
	}
	if why := result.Nobody(); why != "" {
		c.Header(tables.NoteHeader, why)
	}
	return exports.Ranking(result), nil
}

// resultAsked returns the ranking that the address requests, with the same parameters as the ranking itself.
func (h *handlers) resultAsked(c *gin.Context) (*answers.Result, error) {
	q, err := h.view(c)
	if err != nil {
		return nil, err
	}
	q.By = ranking.By{Section: c.Query("section"), Criterion: c.Query("criterion")}
	return h.answers.Rank(c.Request.Context(), q)
}

// mostDrawn is how many editions fit into a figure.
const mostDrawn = 500

func (h *handlers) drawn(c *gin.Context, form string) (written, error) {
	result, err := h.resultAsked(c)
	if err != nil {
		return written{}, err
	}
	if len(result.Ranking.Ranking) == 0 {
		return written{}, problem.New(problem.Conflict, "there is nothing to draw: %s", result.Nobody())
	}
	if n := len(result.Ranking.Ranking); n > mostDrawn {
		return written{}, problem.New(
			problem.Conflict, "%d editions are more than the %d that fit in a figure; filter the group", n, mostDrawn)
	}
	places := map[string]catalogue.Place{}
	view := reporting.View{Audience: result.Audience, Ranking: result.Ranking}
	for _, p := range result.Ranking.Ranking {
		places[p.Edition], _ = result.State.Place(p.Edition)
		card, _ := result.Card(p.Edition)
		view.Cards = append(view.Cards, *card)
	}
	figure := report.Ranking(
		&reporting.Results{
			List:   result.List,
			Places: places,
			Views:  []reporting.View{view},
		},
	)
	if form == "svg" {
		return written{"image/svg+xml", ".svg", figure.SVG}, nil
	}
	return written{"image/png", ".png", func(w io.Writer) error { return figure.PNG(w, &drawing.Light) }}, nil
}
