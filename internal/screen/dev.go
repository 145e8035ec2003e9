package screen

import (
	"crypto/rand"
	"fmt"
	"html/template"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"github.com/gin-gonic/gin"
)

// For whoever works on Diadrom (make dev): templates, styles and scripts are read from disk, and pages reload
// when one of them changes or the program is started anew. Served to others there is none of this.

// read parses the templates: those that are built in, or where Dev names the folder of this package those of
// the disk.
func (o *Options) read() (*template.Template, fs.FS, error) {
	files, assets := fs.FS(templateFiles), fs.FS(assetFiles)
	if o.Dev != "" {
		files, assets = os.DirFS(o.Dev), os.DirFS(o.Dev)
	}
	t, err := template.New("").Funcs(
		functions,
	).Funcs(template.FuncMap{"dev": func() bool { return o.Dev != "" }}).ParseFS(files, "templates/*.html")
	if err != nil {
		return nil, nil, err
	}
	assets, err = fs.Sub(assets, "assets")
	return t, assets, err
}

const reloadScript = `// Reloads the page when the program says that something changed.
let was = null;
const changes = new EventSource("/dev/changes");
changes.onmessage = (event) => { if (was !== null && was !== event.data) location.reload(); was = event.data; };
`

// devRoutes serve what reloads pages.
func (s *Server) devRoutes(r *gin.Engine) {
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
				newest(s.options.Dev).UnixNano(),
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
	for _, pattern := range []string{"templates/*.html", "assets/*", "assets/js/*"} {
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
