package api

import (
	"net/http"
	"strings"

	"github.com/gin-gonic/gin"
)

// preflightAge is for how many seconds a browser may remember that pages of a site may ask: the most that Chromium
// takes.
const preflightAge = "7200"

// exposed are the headers of an answer that scripts of other sites may read.
const exposed = "RateLimit, RateLimit-Policy, Retry-After, X-Request-Id, ETag, Link, Diadrom-Edition"

// vary is the value of a header of every answer that is not open to all, which nobody changes.
var vary = []string{"Origin"}

// crossOrigin lets pages of other sites ask, as the Fetch Standard has it. A preflight carries no key, so it is let
// through for sites that any publishable key names; the request itself only for a site that its own key names.
func (a *API) crossOrigin(res *resource) gin.HandlerFunc {
	return func(c *gin.Context) {
		a.share(c, res)
		origin := c.GetHeader("Origin")
		if c.Request.Method == http.MethodOptions && origin != "" && c.GetHeader("Access-Control-Request-Method") != "" {
			if c.Writer.Header().Get("Access-Control-Allow-Origin") != "" {
				c.Header("Access-Control-Allow-Methods", res.allowed())
				c.Header("Access-Control-Allow-Headers", "Authorization, Content-Type, Accept-Language, X-Request-Id, Diadrom-Edition")
				c.Header("Access-Control-Max-Age", preflightAge)
			}
			c.Header("Allow", res.allowed())
			c.AbortWithStatus(http.StatusNoContent)
			return
		}
		c.Next()
	}
}

// share says which pages of other sites may read an answer. It allows nothing but reading: who may ask is said by keys.
func (a *API) share(c *gin.Context, res *resource) {
	h := c.Writer.Header()
	if res.open {
		h.Set("Access-Control-Allow-Origin", "*")
		return
	}
	h["Vary"] = vary
	origin := c.GetHeader("Origin")
	if origin == "" || !a.Sites(origin) {
		return
	}
	h.Set("Access-Control-Allow-Origin", origin)
	h.Set("Access-Control-Expose-Headers", exposed)
}

// sameSite says whether a request comes from a page of this program itself, or from no page.
func sameSite(r *http.Request) bool {
	origin := r.Header.Get("Origin")
	if origin == "" {
		return true
	}
	_, host, ok := strings.Cut(origin, "://")
	return ok && strings.EqualFold(host, r.Host)
}
