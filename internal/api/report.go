package api

import (
	"bytes"
	"net/http"

	"github.com/gin-gonic/gin"

	"dappertally/internal/report"
	"dappertally/internal/service"
)

// report answers with a printable comparison of the editions that the address
// names, as one page of HTML.
func (h *handlers) report(c *gin.Context) {
	q, err := h.view(c)
	if err != nil {
		refuse(c, err)
		return
	}
	compared, err := h.Service.Compare(c, q, c.QueryArray("edition"), c.Query("baseline"))
	if err != nil {
		refuse(c, err)
		return
	}
	content := report.Content{
		Team: h.Team, Made: h.Now(), List: compared.List, Audience: compared.Audience, Editions: compared.Editions, Missing: compared.Missing,
		Names: map[string]string{}, Rigs: map[string]string{}, Cards: compared.Cards, Ranking: compared.Ranking, Measures: compared.Measures,
	}
	for _, e := range c.QueryArray("edition") {
		n := editionName(compared.State, e)
		content.Names[e] = n.Distribution + " " + n.Release + " " + n.Edition
	}
	for _, r := range compared.State.Catalogue.Rigs {
		content.Rigs[r.Key] = r.Name
	}
	var page bytes.Buffer
	if err := report.HTML(&page, content); err != nil {
		refuse(c, &service.Error{Kind: service.Internal, Message: "the report could not be drawn: " + err.Error()})
		return
	}
	c.Data(http.StatusOK, "text/html; charset=utf-8", page.Bytes())
}
