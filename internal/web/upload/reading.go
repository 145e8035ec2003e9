package upload

import (
	"context"
	"html/template"
	"net/http"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"diadrom/internal/core/plural"
	"diadrom/internal/shop/confined"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// How long a page waits for a file to be read before it shows how far that is, how long nobody may look at it before
// reading stops, and how long a reading is kept for whoever asked for it.
const (
	patience  = 1200 * time.Millisecond
	unwatched = 10 * time.Second
	keptFor   = time.Minute
)

// readings are the files that are being read for previews. The zero value is ready to use.
type readings struct {
	mu   sync.Mutex
	list map[string]*reading
}

// reading is a file that is being read for a preview.
type reading struct {
	done   chan struct{}
	stop   context.CancelFunc
	at     atomic.Pointer[confined.Progress]
	seen   atomic.Int64 // when somebody last looked, in nanoseconds of the clock
	view   any
	status int
	err    error
}

// readingView is the page that stands in for a preview until the file is read.
type readingView struct {
	Address string
	Query   template.URL
	Said    string // how far it is
	Percent int    // -1 where it is not known
}

// key is what makes two readings the same: the file, what was chosen, and who asks.
func (i *Import) key(c *gin.Context) string {
	return i.Kind + " " + c.Param("file") + " " + strconv.FormatInt(shell.Person(c.Request.Context()).ID, 10) + " " +
		c.Request.URL.RawQuery
}

// begun gives the reading that a page asks for, and begins it where there is none.
func (i *Import) begun(c *gin.Context) (*reading, error) {
	key := i.key(c)
	i.readings.mu.Lock()
	r := i.readings.list[key]
	i.readings.mu.Unlock()
	if r != nil {
		return r, nil
	}
	u, err := i.Find(c)
	if err != nil {
		return nil, err
	}
	r = &reading{done: make(chan struct{})}
	r.look()
	i.readings.mu.Lock()
	defer i.readings.mu.Unlock()
	if other := i.readings.list[key]; other != nil {
		return other, nil
	}
	if i.readings.list == nil {
		i.readings.list = map[string]*reading{}
	}
	i.readings.list[key] = r
	var ctx context.Context
	ctx, r.stop = context.WithCancel(context.WithoutCancel(c.Request.Context()))
	ctx = confined.Reporting(ctx, func(p confined.Progress) { r.at.Store(&p) })
	page := c.Copy()
	page.Request = page.Request.WithContext(ctx)
	go i.read(page, r, key, &u)
	return r, nil
}

// read reads a file for a preview, and forgets it where nobody looks any more.
func (i *Import) read(c *gin.Context, r *reading, key string, u *sqlite.Upload) {
	defer time.AfterFunc(keptFor, func() { i.forget(key, r) })
	watched := time.NewTicker(time.Second)
	defer watched.Stop()
	defer r.stop()
	go func() {
		defer close(r.done)
		if !i.Shell.Part("preview of "+i.Kind, func() { r.view, r.status, r.err = i.previewed(c, u) }) {
			r.err = shell.Refusef("this file could not be previewed: something in it was not expected")
		}
	}()
	for {
		select {
		case <-r.done:
			return
		case <-watched.C:
			if time.Since(time.Unix(0, r.seen.Load())) > unwatched {
				r.stop()
			}
		}
	}
}

// previewed makes a preview while it holds one of the places in which files are read.
func (i *Import) previewed(c *gin.Context, u *sqlite.Upload) (any, int, error) {
	ctx, leave, err := i.Shell.Files.Hold(c.Request.Context(), int64(len(u.Body)))
	if err != nil {
		return nil, 0, err
	}
	defer leave()
	defer Collect(Often)()
	c.Request = c.Request.WithContext(ctx)
	return i.Preview(c, u, "")
}

func (r *reading) look() { r.seen.Store(time.Now().UnixNano()) }

func (i *Import) forget(key string, r *reading) {
	i.readings.mu.Lock()
	defer i.readings.mu.Unlock()
	if i.readings.list[key] == r {
		delete(i.readings.list, key)
	}
}

// preview shows what a file would change, or how far it has been read.
func (i *Import) preview(c *gin.Context) {
	r, err := i.begun(c)
	if err != nil {
		i.Refused(c, err)
		return
	}
	r.look()
	select {
	case <-r.done:
	case <-time.After(patience):
	case <-c.Request.Context().Done(): // the window was closed
		r.stop()
		i.forget(i.key(c), r)
		return
	}
	r.look()
	select {
	case <-r.done:
	default:
		i.waits(c, r)
		return
	}
	if shell.IsHTMX(c) { // the page that waited asks for the preview as a page
		c.Header("HX-Refresh", "true")
		c.Status(http.StatusNoContent)
		return
	}
	i.forget(i.key(c), r)
	if r.err != nil {
		i.Refused(c, r.err)
		return
	}
	i.Shell.ShowStatus(c, r.status, i.Page, r.view)
}

// waits shows how far a file has been read.
func (i *Import) waits(c *gin.Context, r *reading) {
	v := readingView{Address: c.Request.URL.Path, Query: template.URL(c.Request.URL.Query().Encode()), Percent: -1, Said: "Reading the file…"}
	if p := r.at.Load(); p != nil {
		v.Said = "Reading the file: " + plural.Number(int(p.Done)) + " " + p.What
		if p.Total > 0 {
			v.Said += " of " + plural.Number(int(p.Total))
			v.Percent = int(100 * p.Done / p.Total)
		}
	}
	if shell.IsHTMX(c) {
		i.Shell.HTML(c, http.StatusOK, i.Shell.Render("reading", v))
		return
	}
	page := i.Page
	page.Template = "reading"
	i.Shell.Show(c, page, v)
}

// stop stops reading a file that a page waits for, and goes back to where it was chosen.
func (i *Import) stop(c *gin.Context) {
	key := i.key(c)
	i.readings.mu.Lock()
	r := i.readings.list[key]
	delete(i.readings.list, key)
	i.readings.mu.Unlock()
	if r != nil {
		r.stop()
	}
	c.Redirect(http.StatusSeeOther, i.Page.Here)
}
