package shell

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"runtime/debug"
	"strings"

	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// Part makes a part of a page. A panic is logged and makes it false: a part that cannot be shown does not take
// the page with it.
func (s *Shell) Part(name string, make func()) (ok bool) {
	defer func() {
		if p := recover(); p != nil {
			s.Log.Error("panic", "part", name, "panic", fmt.Sprint(p), "stack", string(debug.Stack()))
			ok = false
		}
	}()
	make()
	return true
}

// Render executes a template; what fails is logged, never shown.
func (s *Shell) Render(name string, data any) template.HTML {
	templates, err := s.templates()
	if err != nil { // only while somebody edits them
		return template.HTML(template.HTMLEscapeString(err.Error()))
	}
	var b bytes.Buffer
	if err := templates.ExecuteTemplate(&b, name, data); err != nil {
		panic(err)
	}
	return template.HTML(b.String())
}

// IsHTMX says whether htmx asks: for a part of a page.
func IsHTMX(c *gin.Context) bool { return c.GetHeader("HX-Request") == "true" }

// PartOf is for an address that answers with a part of a page: whoever opens it by itself is sent to the page, whose
// path may name parameters of the address (/rates/:method).
func PartOf(page string) gin.HandlerFunc {
	return func(c *gin.Context) {
		if IsHTMX(c) {
			return
		}
		to := page
		for _, p := range c.Params {
			to = strings.ReplaceAll(to, ":"+p.Key, url.PathEscape(p.Value))
		}
		c.Redirect(http.StatusSeeOther, to)
		c.Abort()
	}
}

// Problem answers with a sentence.
func (s *Shell) Problem(c *gin.Context, status int, text string) {
	if IsHTMX(c) {
		c.Header("HX-Retarget", "#notice")
		c.Header("HX-Reswap", "innerHTML")
		s.HTML(c, status, s.Render("problem", text))
		return
	}
	s.HTML(c, status, s.Render("bare", text))
}

// HTML answers with parts of a page, one behind the other.
func (s *Shell) HTML(c *gin.Context, status int, body ...template.HTML) {
	c.Status(status)
	c.Header("Content-Type", "text/html; charset=utf-8")
	for _, b := range body {
		if _, err := c.Writer.WriteString(string(b)); err != nil {
			return
		}
	}
}

// Internal answers an error that is not the owner's.
func (s *Shell) Internal(c *gin.Context, err error) {
	if errors.Is(err, context.Canceled) {
		return
	}
	if sqlite.Full(err) {
		s.Log.Error("full", "path", c.Request.URL.Path, "error", err)
		s.Problem(
			c,
			http.StatusInsufficientStorage,
			"The disk is full. Nothing was changed, and nothing is lost: make room and try again.",
		)
		return
	}
	s.Log.Error("internal", "path", c.Request.URL.Path, "error", err)
	s.Problem(c, http.StatusInternalServerError, "This could not be saved. Nothing was changed; please try again.")
}

// ViewedPath is the path of the page that is shown: of the page that an edit was sent from, "" where that is not known.
func ViewedPath(c *gin.Context) string {
	if c.Request.Method == http.MethodGet {
		return c.Request.URL.Path
	}
	from, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err != nil {
		return ""
	}
	return from.Path
}

// Viewed is the query of the page that is shown: of the page that an edit was sent from.
func Viewed(c *gin.Context) url.Values {
	if c.Request.Method == "GET" {
		return c.Request.URL.Query()
	}
	from, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err != nil {
		return url.Values{}
	}
	q := from.Query()
	q.Del("new")
	return q
}
