package api

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"net/http"
	"net/url"
	"strconv"

	"github.com/gin-gonic/gin"
)

// MaxPage is how many members a page of a list has at most, where a limit is asked for.
const MaxPage = 1_000

// pages is which part of a list is asked for: at most limit members, 0 for all, that follow one.
type pages struct {
	limit int
	after string // the end of the page before, as the link to the next one has it; "" for the beginning
}

// readPages reads limit and after of a query; false where they are not understood, which has been answered then.
func readPages(c *gin.Context) (p pages, ok bool) {
	p.after = c.Query("after")
	text, there := c.GetQuery("limit")
	if !there {
		return p, true
	}
	n, err := strconv.Atoi(text)
	if err != nil || n < 1 || n > MaxPage {
		problem(c, BadRequest, fmt.Sprintf("limit is a whole number from 1 to %d", MaxPage), nil)
		return p, false
	}
	p.limit = n
	return p, true
}

// next links to the page that follows a member (RFC 8288), with whatever else was asked for.
func (p *pages) next(c *gin.Context, last string) {
	query := c.Request.URL.Query()
	query.Set("after", last)
	at := url.URL{Path: c.Request.URL.Path, RawQuery: query.Encode()}
	c.Header("Link", "<"+at.String()+`>; rel="next"`)
}

// unchanged gives an answer its entity tag, of the sum of its body, and says whether whoever asks has it already, which
// has been answered then.
func unchanged(c *gin.Context, sum hash.Hash) bool {
	tag := `"` + hex.EncodeToString(sum.Sum(nil)[:8]) + `"`
	c.Header("ETag", tag)
	c.Header("Cache-Control", "no-cache")
	if !named(c.GetHeader("If-None-Match"), tag) {
		return false
	}
	c.Status(http.StatusNotModified)
	return true
}

// sendTagged answers with JSON that is asked for again and again.
func sendTagged(c *gin.Context, v any) {
	out := buffers.Get().(*bytes.Buffer)
	defer giveBackBuffer(out)
	write(out, v)
	sum := sha256.New()
	sum.Write(out.Bytes())
	if unchanged(c, sum) {
		return
	}
	c.Header("Content-Length", strconv.Itoa(out.Len()))
	c.Data(http.StatusOK, "application/json", out.Bytes())
}
