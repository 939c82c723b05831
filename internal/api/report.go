package api

import (
	"net/http"

	"github.com/gin-gonic/gin"
)

// report answers with a printable comparison of the editions in the address, as one page of HTML.
func (h *handlers) report(c *gin.Context) {
	q, err := h.view(c)
	if err != nil {
		refuse(c, err)
		return
	}
	page, err := h.reports.QuickReport(c.Request.Context(), q, c.QueryArray("edition"), c.Query("baseline"))
	if err != nil {
		refuse(c, err)
		return
	}
	c.Header("Content-Security-Policy",
		"default-src 'none'; style-src 'unsafe-inline'; img-src 'self' data:; font-src data:; base-uri 'none'; "+
			"form-action 'none'; frame-ancestors 'none'")
	c.Data(http.StatusOK, "text/html; charset=utf-8", page)
}
