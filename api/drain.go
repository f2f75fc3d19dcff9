package api

import (
	"io"
	"net/http"
	"time"

	"github.com/gin-gonic/gin"
)

// How much of an upload that is refused is still read, and for how long.
const (
	drainedBytes = 1 << 30
	drainedTime  = 20 * time.Second
)

// drainRefused reads on, for a while, what a client still sends of an upload that has been refused. Many clients read the answer only
// when they have sent everything; if the connection ended before, they would never learn the reason.
func drainRefused(c *gin.Context) {
	body := c.Request.Body
	control := http.NewResponseController(c.Writer)
	_ = control.EnableFullDuplex() // what cannot do it answers before it is read, as every connection of HTTP/2
	c.Next()
	if c.Writer.Status() < http.StatusBadRequest {
		return
	}
	c.Writer.Flush()
	_ = control.SetReadDeadline(time.Now().Add(drainedTime)) // without one, the bytes are the limit
	_, _ = io.CopyN(io.Discard, body, drainedBytes)          // a client that has gone is none that waits
}
