package web

import (
	"crypto/rand"
	"fmt"
	"html/template"
	"io/fs"
	"maps"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"time"

	"diadrom/internal/web/assets"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// For people who work on Diadrom (make dev): templates, styles and scripts are read from disk, and pages reload
// when one of them changes or the program is restarted. Served to others there is none of this.

// templates parses the templates: those that are built in, once; or those of the folder that Dev names, each time.
func (o *Options) templates() (shell.Templates, fs.FS, error) {
	if o.Dev != "" {
		var dirs []fs.FS
		for _, name := range slices.Sorted(maps.Keys(templates)) {
			dirs = append(dirs, os.DirFS(filepath.Join(o.Dev, name)))
		}
		read := func() (*template.Template, error) { return shell.Parse(true, dirs...) }
		_, err := read()
		return read, os.DirFS(filepath.Join(o.Dev, "assets")), err
	}
	t, err := shell.Parse(false, slices.Collect(maps.Values(templates))...)
	return func() (*template.Template, error) { return t, nil }, assets.Files, err
}

const reloadScript = `// Reloads the page when the program says that something changed.
let was = null;
const changes = new EventSource("/dev/changes");
changes.onmessage = (event) => { if (was !== null && was !== event.data) location.reload(); was = event.data; };
`

// devRoutes serve what reloads pages.
func devRoutes(r *gin.Engine, dir string) {
	started := rand.Text()
	r.GET(
		"/dev/reload.js",
		func(c *gin.Context) { c.Data(http.StatusOK, "text/javascript; charset=utf-8", []byte(reloadScript)) },
	)
	r.GET("/dev/changes", func(c *gin.Context) {
		c.Header("Content-Type", "text/event-stream")
		c.Header("Cache-Control", "no-store")
		for { // the server's own limit on writing ends it, and the browser asks again
			if _, err := fmt.Fprintf(
				c.Writer,
				"retry: 300\ndata: %s %d\n\n",
				started,
				newest(dir).UnixNano(),
			); err != nil {
				return
			}
			c.Writer.Flush()
			select {
			case <-c.Request.Context().Done():
				return
			case <-time.After(300 * time.Millisecond):
			}
		}
	})
}

// newest is when a template, style or script of a folder changed last.
func newest(dir string) (at time.Time) {
	for _, pattern := range []string{"*/templates/*.html", "assets/*", "assets/js/*"} {
		names, err := filepath.Glob(filepath.Join(dir, pattern))
		if err != nil {
			continue
		}
		for _, name := range names {
			if info, err := os.Stat(name); err == nil && info.ModTime().After(at) {
				at = info.ModTime()
			}
		}
	}
	return at
}
