package api

import (
	"bufio"
	"compress/gzip"
	"errors"
	"io"
	"net/http"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/gin-gonic/gin"

	"dappertally/core/bundle"
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
	"dappertally/internal/turns"
)

// Exports answer in many media types and stand outside the contract's strict
// handlers, which have one each.
const exportPath = base + "/exports/:what"

// ofExports is how many exports there may be at once.
var ofExports = limits{
	all: 40, readers: 16, network: 4, account: 8,
	full: "too many exports are under way; let them end first",
}

// slowest is how long somebody may take to read a part of an export.
const slowest = 30 * time.Second

// export answers with records or results in the form that is asked for. Everybody
// gets what they may see. It is written to the disk first: what goes wrong is told as an
// error, and somebody who reads slowly holds neither memory nor a turn.
func (h *handlers) export(c *gin.Context) {
	what, form := c.Param("what"), c.DefaultQuery("form", "csv")
	if !exports.Known(what) {
		refuse(
			c,
			problem.New(problem.NotFound, "one of %s can be exported, not %s", strings.Join(exports.Names, ", "), what),
		)
		return
	}
	done, err := h.exports.take(whoAsks(c), people.Network(c.ClientIP()), 1)
	if err != nil {
		refuse(c, err)
		return
	}
	defer done()
	spool, err := os.CreateTemp("", "dtally-export-*")
	if err != nil {
		refuse(c, problem.Unkept("the export", err))
		return
	}
	defer spool.Close()
	if err := os.Remove(spool.Name()); err != nil { // it goes with its last reader
		refuse(c, problem.Unkept("the export", err))
		return
	}
	mediaType, ending, err := h.spooled(c, spool, what, form)
	if err != nil {
		refuse(c, err)
		return
	}
	if who := whoAsks(c); who.SignedIn() { // it may hold what readers cannot see
		if err := h.ledger.Note(c.Request.Context(), who, "exported", "export", what, form); err != nil {
			refuse(c, err)
			return
		}
	}
	c.Header("Content-Disposition", `attachment; filename="`+what+ending+`"`)
	c.Header("Content-Type", mediaType)
	mine(c)
	send(c, spool)
}

// spooled writes an export into a file, in its turn.
func (h *handlers) spooled(c *gin.Context, spool *os.File, what, form string) (mediaType, ending string, err error) {
	done, err := turns.Take(c.Request.Context())
	if err != nil {
		return "", "", err
	}
	defer done()
	file := bufio.NewWriter(spool)
	var out io.Writer = file
	var packer *gzip.Writer
	if accepts(c.GetHeader("Accept-Encoding"), "gzip") && form != "xlsx" && form != "png" {
		packer = packers.Get().(*gzip.Writer)
		defer packers.Put(packer)
		packer.Reset(file)
		out = packer
	}
	if mediaType, ending, err = h.exported(c, out, what, form); packer != nil && err == nil {
		err = packer.Close()
	}
	if full := file.Flush(); full != nil { // whatever failed first, this is why
		err = full
	}
	var disk *os.PathError
	switch {
	case errors.As(err, &disk):
		return "", "", problem.Unkept("the export", err)
	case err == nil && packer != nil:
		c.Header("Content-Encoding", "gzip")
	}
	return mediaType, ending, err
}

// send answers with a file from its beginning, as long as somebody reads.
func send(c *gin.Context, file *os.File) {
	size, err := file.Seek(0, io.SeekCurrent)
	if err == nil {
		_, err = file.Seek(0, io.SeekStart)
	}
	if err != nil {
		refuse(c, problem.Unkept("the export", err))
		return
	}
	c.Header("Content-Length", strconv.FormatInt(size, 10))
	c.Writer.Header().Add("Vary", "Accept-Encoding")
	c.Status(http.StatusOK)
	control := http.NewResponseController(c.Writer)
	for {
		if err := control.SetWriteDeadline(time.Now().Add(slowest)); err != nil {
			panic(http.ErrAbortHandler)
		}
		switch _, err := io.CopyN(c.Writer, file, 256<<10); {
		case errors.Is(err, io.EOF):
			return
		case err != nil: // nobody reads; what was sent has no end, and tells so
			panic(http.ErrAbortHandler)
		}
	}
}

// exported writes an export.
func (h *handlers) exported(c *gin.Context, out io.Writer, what, form string) (mediaType, ending string, err error) {
	switch {
	case what == "bundle":
		b, err := h.intake.Bundle(c.Request.Context(), whoAsks(c))
		if err != nil {
			return "", "", err
		}
		return "application/json", ".json", bundle.Write(out, b)
	case what == "readings" && form == "tap":
		records, err := h.intake.AllReadings(c.Request.Context(), whoAsks(c), which(c))
		if err != nil {
			return "", "", err
		}
		return "text/plain; charset=utf-8", ".tap", exports.TAP(out, records)
	case what == "ranking" && (form == "svg" || form == "png"):
		return h.drawn(c, out, form)
	}
	f, ok := tables.Find(form)
	if !ok {
		return "", "", problem.New(
			problem.Invalid, "form must be one of %s, not %s", strings.Join(formsOf(what), ", "), form,
		)
	}
	table, err := h.table(c, what)
	if err != nil {
		return "", "", err
	}
	if err = f.Write(out, table); errors.Is(err, tables.ErrTooMany) {
		err = problem.New(problem.Invalid, "%s", err)
	}
	return f.MediaType, f.Ending, err
}

// formsOf lists the forms that something can be exported in.
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
		return exports.Readings(func(visit func(intake.ReadingOf) error) error {
			return h.intake.EachReading(c.Request.Context(), who, which(c), visit)
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

// resultAsked is the ranking that the address asks for, as the ranking's own address
// does.
func (h *handlers) resultAsked(c *gin.Context) (*answers.Result, error) {
	q, err := h.view(c)
	if err != nil {
		return nil, err
	}
	q.By = ranking.By{Section: c.Query("section"), Criterion: c.Query("criterion")}
	return h.answers.Rank(c.Request.Context(), q)
}

// mostDrawn is how many editions a figure has room for.
const mostDrawn = 500

func (h *handlers) drawn(c *gin.Context, out io.Writer, form string) (mediaType, ending string, err error) {
	result, err := h.resultAsked(c)
	if err != nil {
		return "", "", err
	}
	if len(result.Ranking.Ranking) == 0 {
		return "", "", problem.New(problem.Conflict, "there is nothing to draw: %s", result.Nobody())
	}
	if n := len(result.Ranking.Ranking); n > mostDrawn {
		return "", "", problem.New(
			problem.Conflict, "%d editions are more than the %d that a figure has room for; narrow the group", n, mostDrawn)
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
		return "image/svg+xml", ".svg", figure.SVG(out)
	}
	return "image/png", ".png", figure.PNG(out, &drawing.Light)
}
