package api

import (
	"bytes"
	"net/http"
	"strings"

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
	"dappertally/internal/problem"
	"dappertally/internal/report"
	"dappertally/internal/tables"
)

// Exports answer in many media types and stand outside the contract's strict
// handlers, which have one each.
const exportPath = base + "/exports/:what"

// export answers with records or results in the form that is asked for. Everybody
// gets what they may see.
func (h *handlers) export(c *gin.Context) {
	what, form := c.Param("what"), c.DefaultQuery("form", "csv")
	if !exports.Known(what) {
		refuse(
			c,
			problem.New(problem.NotFound, "one of %s can be exported, not %s", strings.Join(exports.Names, ", "), what),
		)
		return
	}
	body, mediaType, ending, err := h.exported(c, what, form)
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
	mine(c)
	c.Data(http.StatusOK, mediaType, body)
}

func (h *handlers) exported(c *gin.Context, what, form string) (body []byte, mediaType, ending string, err error) {
	var out bytes.Buffer
	switch {
	case what == "bundle":
		b, err := h.intake.Bundle(c.Request.Context(), whoAsks(c))
		if err != nil {
			return nil, "", "", err
		}
		err = bundle.Write(&out, b)
		return out.Bytes(), "application/json", ".json", err
	case what == "readings" && form == "tap":
		records, err := h.intake.AllReadings(c.Request.Context(), whoAsks(c), which(c))
		if err != nil {
			return nil, "", "", err
		}
		err = exports.TAP(&out, records)
		return out.Bytes(), "text/plain; charset=utf-8", ".tap", err
	case what == "ranking" && (form == "svg" || form == "png"):
		return h.drawn(c, form)
	}
	f, ok := tables.Find(form)
	if !ok {
		return nil, "", "", problem.New(
			problem.Invalid, "form must be one of %s, not %s", strings.Join(formsOf(what), ", "), form,
		)
	}
	table, err := h.table(c, what)
	if err != nil {
		return nil, "", "", err
	}
	if err := f.Write(&out, table); err != nil {
		return nil, "", "", err
	}
	return out.Bytes(), f.MediaType, f.Ending, nil
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
		records, err := h.intake.AllReadings(c.Request.Context(), who, which(c))
		if err != nil {
			return nil, err
		}
		return exports.Readings(records), nil
	case "reviews":
		reviews, err := h.reviewing.Reviews(c.Request.Context(), who)
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

func (h *handlers) drawn(c *gin.Context, form string) (body []byte, mediaType, ending string, err error) {
	result, err := h.resultAsked(c)
	if err != nil {
		return nil, "", "", err
	}
	if len(result.Ranking.Ranking) == 0 {
		return nil, "", "", problem.New(problem.Conflict, "there is nothing to draw: %s", result.Nobody())
	}
	places := map[string]catalogue.Place{}
	for _, e := range result.Table.Editions {
		places[e], _ = result.State.Place(e)
	}
	figure := report.Ranking(
		&reporting.Results{
			List:   result.List,
			Places: places,
			Views:  []reporting.View{{Audience: result.Audience, Cards: result.Cards, Ranking: result.Ranking}},
		},
	)
	var out bytes.Buffer
	if form == "svg" {
		err = figure.SVG(&out)
	} else {
		err = figure.PNG(&out, &drawing.Light)
	}
	if err != nil {
		return nil, "", "", err
	}
	return out.Bytes(), map[string]string{"svg": "image/svg+xml", "png": "image/png"}[form], "." + form, nil
}
