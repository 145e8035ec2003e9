package api

import (
	"context"
	"net/http"

	"diadrom/internal/auth"
	"diadrom/internal/review/warnings"

	"github.com/gin-gonic/gin"
)

// Reviewer gives the warnings about the draft, or about what is live; ok is false where nothing is live.
type Reviewer func(ctx context.Context, draft bool) (list []warnings.Wire, ok bool, err error)

// review answers with the warnings about a store, to people who are signed in: a shop's key is for its checkout.
func (a *API) review(c *gin.Context) {
	who, ok := a.asker(c)
	of := c.Query("of")
	switch {
	case !ok:
		return
	case who.Kind != Person && !who.May(auth.Setup):
		problem(c, NoRight, "warnings are for people of the shop who are signed in, and for keys that may "+
			auth.Setup.String(), nil)
		return
	case of != "" && of != "live" && of != "draft":
		problem(c, BadRequest, "warnings are about the live edition or the draft", nil)
		return
	}
	list, ok, err := a.Review(c.Request.Context(), of == "draft")
	switch {
	case err != nil:
		problem(c, Internal, "the warnings cannot be read; the log of the server says why", nil)
	case !ok:
		problem(c, NotLive, "nothing is live yet: the shop is still being set up", nil)
	default:
		send(c, http.StatusOK, list)
	}
}
