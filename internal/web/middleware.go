package web

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net/http"
	"runtime/debug"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/shop/confined"
	"diadrom/internal/web/api"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// MaxBody is the largest body of a request to a screen, in bytes.
const MaxBody = 1 << 20

// noSniff is the value of a header of every answer, which nobody changes.
var noSniff = []string{"nosniff"}

// headers sends the security headers: everything comes from here, nothing is inline, but for the tiles of a map that
// the shop has chosen, whose origin tiles gives ("" for none).
func headers(tiles func() string) gin.HandlerFunc {
	return func(c *gin.Context) {
		h := c.Writer.Header()
		h["X-Content-Type-Options"] = noSniff
		if api.Asked(c.Request.URL.Path) { // what follows is for documents
			c.Next()
			return
		}
		images := "'self' data:"
		if origin := tiles(); origin != "" {
			images += " " + origin
		}
		h.Set(
			"Content-Security-Policy",
			"default-src 'none'; script-src 'self'; style-src 'self'; font-src 'self'; img-src "+images+"; "+
				"connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'",
		)
		h.Set("Referrer-Policy", "same-origin")
		h.Set("Cross-Origin-Opener-Policy", "same-origin")
		c.Next()
	}
}

// takesFile are the addresses that take a file, which may be larger than other requests; they say so by themselves.
var takesFile = map[string]bool{
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

// sending says whose files are read with a request, so that one person does not hold up the others'.
func sending(c *gin.Context) {
	who := shell.Person(c.Request.Context())
	c.Request = c.Request.WithContext(confined.As(c.Request.Context(), strconv.FormatInt(who.ID, 10)))
	c.Next()
}

// finished has an edit go on to its end when the window that sent it is closed before it is answered: a browser gives
// up what is under way when its page is left, and what was typed there is meant all the same.
func finished(c *gin.Context) {
	if c.Request.Method == http.MethodPost {
		c.Request = c.Request.WithContext(context.WithoutCancel(c.Request.Context()))
	}
	c.Next()
}

func limited(c *gin.Context) {
	if takesFile[c.Request.URL.Path] {
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

// requestID is the header of a request's id, in and out.
const requestID = "X-Request-Id"

// identified gives each request an id: its own where it has one that can stand in a log, else a new one.
func identified(c *gin.Context) {
	id := c.GetHeader(requestID)
	if len(id) > 64 || id == "" || strings.ContainsFunc(id, func(r rune) bool {
		return r != '-' && r != '_' && r != '.' && (r < '0' || r > '9') && (r < 'a' || r > 'z') && (r < 'A' || r > 'Z')
	}) {
		id = strconv.FormatUint(rand.Uint64(), 36) + strconv.FormatUint(rand.Uint64(), 36)
	}
	c.Writer.Header()[requestID] = []string{id}
	c.Next()
}

// logged writes a line for each request, without anything that tells who a visitor is: events have that, for the
// owners.
func (s *Server) logged(c *gin.Context) {
	start := time.Now()
	c.Next()
	if strings.HasPrefix(c.Request.URL.Path, "/assets/") {
		return
	}
	level := slog.LevelInfo
	switch status := c.Writer.Status(); {
	case status >= http.StatusInternalServerError:
		level = slog.LevelError
	case status >= http.StatusBadRequest:
		level = slog.LevelWarn
	}
	if !s.log.Enabled(c.Request.Context(), level) {
		return
	}
	attributes := []slog.Attr{
		slog.String("id", c.Writer.Header().Get(requestID)),
		slog.String("method", c.Request.Method),
		slog.String("path", c.Request.URL.Path),
		slog.Int("status", c.Writer.Status()),
		slog.Duration("took", time.Since(start)),
	}
	if key := c.GetString("key"); key != "" {
		attributes = append(attributes, slog.String("key", key))
	}
	if person := shell.Person(c.Request.Context()).ID; person != 0 {
		attributes = append(attributes, slog.Int64("person", person))
	}
	s.log.LogAttrs(c.Request.Context(), level, "request", attributes...)
}

// recovered answers a panic without telling the browser more than that.
func (s *Server) recovered(c *gin.Context) {
	defer func() {
		if p := recover(); p != nil {
			s.log.Error(
				"panic",
				"id",
				c.Writer.Header().Get(requestID),
				"path",
				c.Request.URL.Path,
				"panic",
				fmt.Sprint(p),
				"stack",
				string(debug.Stack()),
			)
			c.Abort()
			switch {
			case c.Writer.Written():
			case api.Asked(c.Request.URL.Path), s.shell == nil:
				api.Internal.Answer(c.Writer, "something went wrong here: please try again")
			default:
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
