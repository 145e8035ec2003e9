// Package safety has the page of backups: how old the last is, whether it could be restored, whether backups are
// encrypted.
package safety

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"net/http"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/shop/backups"
	"diadrom/internal/shop/rehearsal"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"time"

	"github.com/gin-gonic/gin"
)

// Files are the templates of this page.
//
//go:embed templates/*.html
var Files embed.FS

// Notes keeps what happens to the locks.
type Notes interface {
	Note(r *http.Request, kind auth.Event, p auth.Person, detail string)
}

// Screens is the page of backups.
type Screens struct {
	*shell.Shell
	db    *sqlite.DB
	notes Notes
}

// New makes the page of backups.
func New(sh *shell.Shell, db *sqlite.DB, n Notes) *Screens { return &Screens{sh, db, n} }

// Routes registers the page; owners lets in owners only.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.GET("/backups", owners, s.page)
	r.POST("/backups", owners, s.make)
	r.POST("/backups/test", owners, s.test)
	r.POST("/backups/key", owners, s.encrypt)
}

type view struct {
	Count                       int
	Name, When, Size            string
	Encrypted                   bool
	Age                         string // of the last one, in words
	Old                         bool   // older than it should be
	Missed, MissedWhy           string // when and why the last one could not be made
	Passed, Backup, Failed, Why string
	Folder, Said, Slip, KeySlip string
	Key                         string // that was just made: shown this once
}

func (s *Screens) view(ctx context.Context) (v view, err error) {
	last, count, err := sqlite.LastBackup(s.db.Dir())
	if err != nil {
		return v, err
	}
	v.Count, v.Name, v.Encrypted, v.Folder = count, last.Name, sqlite.BackupsEncrypted(s.db.Dir()), s.db.Dir()
	if count > 0 {
		v.When, v.Size = shell.Moment(last.At), size(last.Size)
		v.Age, v.Old = age(time.Since(last.At)), time.Since(last.At) > maxAge
	}
	at, why, err := backups.Failed(ctx, s.db)
	if err != nil {
		return v, err
	}
	if !at.IsZero() {
		v.Missed, v.MissedWhy = shell.Moment(at), why
	}
	r, err := rehearsal.Last(ctx, s.db)
	if err != nil {
		return v, err
	}
	if !r.Passed.IsZero() {
		v.Passed, v.Backup = shell.Moment(r.Passed), r.Backup
	}
	if !r.Failed.IsZero() {
		v.Failed, v.Why = shell.Moment(r.Failed), r.Why
	}
	return v, nil
}

// maxAge is how old the last backup is at most where they are made by themselves as they are usually.
const maxAge = 2 * backups.Daily

// size writes how many bytes a file has.
func size(bytes int64) string {
	if bytes < 1e6 {
		return fmt.Sprintf("%d kB", (bytes+999)/1000)
	}
	return fmt.Sprintf("%.1f MB", float64(bytes)/1e6)
}

// age says how long ago something was.
func age(d time.Duration) string {
	switch {
	case d < time.Minute:
		return "Just now"
	case d < time.Hour:
		return plural.Count(int(d.Minutes()), "minute") + " ago"
	case d < 48*time.Hour:
		return plural.Count(int(d.Hours()), "hour") + " ago"
	}
	return plural.Count(int(d.Hours()/24), "day") + " ago"
}

func (s *Screens) page(c *gin.Context) {
	v, err := s.view(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Title: "Backups", Template: "backups"}, v)
}

// answer answers with the page as it is now.
func (s *Screens) answer(c *gin.Context, status int, filled func(*view)) {
	v, err := s.view(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	filled(&v)
	s.HTML(c, status, s.Render("backups", v))
}

func (s *Screens) make(c *gin.Context) {
	if err := s.db.Backup(c.Request.Context(), "by-hand"); err != nil {
		s.Internal(c, err)
		return
	}
	s.answer(c, http.StatusOK, func(v *view) { v.Said = "A backup was made." })
}

func (s *Screens) test(c *gin.Context) {
	err := rehearsal.Test(c.Request.Context(), s.db, s.db.Dir())
	switch {
	case errors.Is(err, rehearsal.ErrNone):
		s.answer(
			c,
			http.StatusUnprocessableEntity,
			func(v *view) { v.Slip = "There is no backup yet: make one first." },
		)
	case err != nil:
		s.Log.Error("the newest backup could not be restored for a test", "error", err)
		s.answer(c, http.StatusOK, func(*view) {})
	default:
		s.answer(c, http.StatusOK, func(v *view) { v.Said = "The newest backup can be restored." })
	}
}

// encrypt has backups be encrypted from now on. The key is shown once.
func (s *Screens) encrypt(c *gin.Context) {
	key, made, err := sqlite.MakeBackupKey(s.db.Dir())
	if err != nil {
		s.Internal(c, err)
		return
	}
	if !made {
		s.answer(c, http.StatusUnprocessableEntity, func(v *view) { v.KeySlip = "Backups are encrypted already." })
		return
	}
	s.notes.Note(c.Request, auth.BackupKeyMade, shell.Person(c.Request.Context()), "")
	s.answer(c, http.StatusOK, func(v *view) { v.Key = key })
}
