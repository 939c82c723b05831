package api

import (
	"github.com/gin-gonic/gin"

	"dappertally/internal/people"
	"dappertally/internal/turns"
)

// asReader makes computations for this request take turns with those for other readers.
func (h *handlers) asReader(c *gin.Context) {
	c.Request = c.Request.WithContext(h.turns.Reader(c.Request.Context(), people.Network(c.ClientIP())))
}

// inTurn is for answers that are computed and drawn for each request: it waits for its turn. It is inside what holds
// the answer, so that a slow reader holds no turn.
func (h *handlers) inTurn(c *gin.Context) {
	h.asReader(c)
	done, err := turns.Take(c.Request.Context())
	if err != nil {
		refuse(c, err)
		return
	}
	defer done()
	c.Next()
}
