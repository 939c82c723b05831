package api

import (
	"slices"

	"github.com/gin-gonic/gin"

	"dappertally/core/checklist"
	"dappertally/internal/access"
	"dappertally/internal/ledger"
	"dappertally/internal/problem"
)

// teamsOwn hides draft checklists from everybody outside the team, in addresses and parameters.
func (h *handlers) teamsOwn(c *gin.Context) {
	if whoAsks(c).May(access.SeeWork) {
		c.Next()
		return
	}
	names := append(c.QueryArray("checklist"), c.QueryArray("base")...)
	for _, version := range []string{"version", "older"} {
		if v := c.Param(version); v != "" {
			names = append(names, c.Param("checklist")+"@"+v)
		}
	}
	if len(names) > 0 {
		st, err := h.state(c)
		if err != nil {
			refuse(c, err)
			return
		}
		for _, name := range names {
			if isDraft(st, name) {
				refuse(c, problem.New(problem.NotFound, "there is no checklist %s", name))
				return
			}
		}
	}
	c.Next()
}

func isDraft(st *ledger.Records, name string) bool {
	return slices.ContainsFunc(st.Checklists.Lists, func(c checklist.Checklist) bool {
		return c.State == checklist.Draft && c.Name() == name
	})
}
