package web

import (
	"errors"
	"fmt"
	"net/http"
	"runtime/debug"
	"strings"
	"time"

	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// MaxBody is the largest body of a request to a screen, in bytes.
const MaxBody = 1 << 20

// headers sends the security headers: everything comes from here, nothing is inline, but for the tiles of a map that
// the shop has chosen, whose origin tiles gives ("" for none).
func headers(tiles func() string) gin.HandlerFunc {
	return func(c *gin.Context) {
		h := c.Writer.Header()
		images := "'self' data:"
		if origin := tiles(); origin != "" {
			images += " " + origin
		}
		h.Set(
			"Content-Security-Policy",
			"default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src "+images+"; "+
				"connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
		)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		c.Next()
	}
}

// files are the addresses that take a file, which may be larger than other requests; they say so by themselves.
var files = map[string]bool{
	"/zones/file":    true,
	"/zones/areas":   true,
	"/goods/file":    true,
	"/rates-file":    true,
	"/lists":         true,
	"/promises/file": true,
	"/live/file":     true,
	"/past/files":    true,
	"/past/invoices": true,
	"/past/store":    true,
}

// maxHeavy is how many tables are read at once: each may take some hundred MB meanwhile.
const maxHeavy = 2

// heavy has requests that read a whole table wait for their turn.
func (s *Server) heavy(c *gin.Context) {
	path := c.Request.URL.Path
	if !files[path] && !strings.HasPrefix(path, "/goods/file/") && !strings.HasPrefix(path, "/rates-file/") &&
		!strings.HasPrefix(path, "/zones/file/") && !strings.HasPrefix(path, "/zones/areas/") &&
		!strings.HasPrefix(path, "/live/file/") ||
		strings.HasSuffix(path, "/progress") ||
		path == "/lists" || path == "/past/files" ||
		c.Request.Method == http.MethodGet && files[path] {
		c.Next()
		return
	}
	select {
	case s.reading <- struct{}{}:
		defer func() { <-s.reading }()
		c.Next()
	case <-c.Request.Context().Done():
		c.Abort()
	}
}

func limited(c *gin.Context) {
	if files[c.Request.URL.Path] {
		c.Next()
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, MaxBody)
	if c.Request.ContentLength > MaxBody {
		c.String(
			http.StatusRequestEntityTooLarge,
			"That is more than %d KB; nothing was changed. Long lists are taken in as files.",
			MaxBody>>10,
		)
		c.Abort()
		return
	}
	if c.Request.Method == http.MethodPost {
		if err := c.Request.ParseForm(); err != nil {
			status, text := http.StatusBadRequest, "The browser sent something that cannot be read; nothing "+
				"was changed."
			var tooLarge *http.MaxBytesError
			if errors.As(err, &tooLarge) {
				status = http.StatusRequestEntityTooLarge
				text = fmt.Sprintf("That is more than %d KB; nothing was changed. Long lists are taken in as files.",
					MaxBody>>10)
			}
			c.String(status, "%s", text)
			c.Abort()
			return
		}
	}
	c.Next()
}

func (s *Server) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	if strings.HasPrefix(c.Request.URL.Path, "/assets/") {
		return
	}
	s.log.Info(
		"request",
		"method",
		c.Request.Method,
		"path",
		c.Request.URL.Path,
		"status",
		c.Writer.Status(),
		"from",
		s.visitors.From(c.Request),
		"person",
		shell.Person(c.Request.Context()).ID,
		"took",
		time.Since(start),
	)
}

// recovered answers a panic without telling the browser more than that.
func (s *Server) recovered(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			s.log.Error("panic", "path", c.Request.URL.Path, "panic", fmt.Sprint(p), "stack", string(debug.Stack()))
			c.Abort()
			if !c.Writer.Written() {
				s.shell.Problem(
					c,
					http.StatusInternalServerError,
					"Something went wrong here. Nothing that was saved is lost; please try again.",
				)
			}
		}
	}()
	c.Next()
}
