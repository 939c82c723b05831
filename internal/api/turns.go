package api

import (
	"github.com/gin-gonic/gin"

	"dappertally/internal/people"
	"dappertally/internal/turns"
)

// asReader makes what is computed for this request take turns with what is computed for
// other readers.
func (h *handlers) asReader(c *gin.Context) {
	c.Request = c.Request.WithContext(h.turns.Reader(c.Request.Context(), people.Network(c.ClientIP())))
}

// inTurn is for what is computed and drawn anew at each asking: it waits for its turn. It
// stands within what holds the answer, so that a reader who is slow to take it holds no turn.
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
