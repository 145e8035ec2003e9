package api

import (
	"bytes"
	"errors"
	"fmt"
	"net/http"

	"github.com/gin-gonic/gin"
)

// sentJSON says whether a body is sent as JSON; where it is not, that is answered. what is what is sent, with its article.
func sentJSON(c *gin.Context, what string) bool {
	if isJSON(c.GetHeader("Content-Type")) {
		return true
	}
	if c.Request.Method == http.MethodPost {
		c.Header("Accept-Post", "application/json")
	}
	why := what + " is JSON: send it with Content-Type: application/json"
	problem(c, http.StatusUnsupportedMediaType, why, nil)
	return false
}

// entered waits until a body of a size may be worked on; leave ends that, and is nil where it took too long, which has been
// answered then.
func (a *API) entered(c *gin.Context, size int64) (leave func()) {
	leave, err := a.limits.enter(c.Request.Context(), int(max(0, size)))
	if err != nil {
		c.Header("Retry-After", "5")
		problem(c, http.StatusServiceUnavailable, "too much is asked at the moment: try again in a few seconds", nil)
		return nil
	}
	return leave
}

// readInto reads the body of a request; false where it cannot be, which is answered then.
func readInto(c *gin.Context, in *bytes.Buffer, most int64) bool {
	body, err := unpacked(c.Writer, c.Request, most)
	if err == nil {
		_, err = in.ReadFrom(body)
	}
	var large *http.MaxBytesError
	switch {
	case errors.Is(err, errEncoding):
		c.Header("Accept-Encoding", "gzip")
		problem(c, http.StatusUnsupportedMediaType, err.Error(), nil)
	case errors.As(err, &large):
		why := fmt.Sprintf("a request has at most %d MB", most>>20)
		problem(c, http.StatusRequestEntityTooLarge, why, nil)
	case err != nil:
		problem(c, http.StatusBadRequest, "the request broke off, or is not what its headers say", nil)
	}
	return err == nil
}
