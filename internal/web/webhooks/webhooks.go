// Package webhooks has the page of webhooks: which addresses are told what changes, and what became of each message.
package webhooks

import (
	"context"
	"embed"
	"errors"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/shop/deliveries"
	"diadrom/internal/shop/notices"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

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

// Sender makes secrets and checks addresses.
type Sender interface {
	CheckURL(text string) (string, error)
	Add(ctx context.Context, w sqlite.Webhook) (id int64, secret string, err error)
	ReplaceSecret(ctx context.Context, id int64) (secret string, err error)
	Try(ctx context.Context, id int64) error
}

// Store keeps webhooks.
type Store interface {
	Webhooks(ctx context.Context) ([]sqlite.Webhook, error)
	PauseWebhook(ctx context.Context, id int64, why string) error
	RemoveWebhook(ctx context.Context, id int64) error
	LastDeliveries(ctx context.Context, most int) ([]sqlite.Delivery, error)
	SendAgain(ctx context.Context, id int64) error
}

// Screens is the page of webhooks.
type Screens struct {
	*shell.Shell
	db     Store
	sender Sender
	notes  Notes
}

// New makes the page of webhooks.
func New(sh *shell.Shell, db Store, s Sender, n Notes) *Screens { return &Screens{sh, db, s, n} }

// Routes registers the page; owners lets in owners only.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.GET("/webhooks", owners, s.page)
	r.POST("/webhooks", owners, s.add)
	r.GET("/webhooks/log", owners, shell.PartOf("/webhooks"), s.log)
	r.POST("/webhooks/:webhook/try", owners, s.try)
	r.POST("/webhooks/:webhook/secret", owners, s.secret)
	r.POST("/webhooks/:webhook/pause", owners, s.pause)
	r.POST("/webhooks/:webhook/resume", owners, s.resume)
	r.POST("/webhooks/:webhook/remove", owners, s.remove)
	r.POST("/webhooks/deliveries/:delivery/again", owners, s.again)
}

// maxShown is how many deliveries are shown.
const maxShown = 50

// pausedByHand is why a webhook is paused that an owner has paused.
const pausedByHand = "an owner paused it"

type choice struct {
	Type, Words string
	Chosen      bool
}

type row struct {
	ID                   int64
	URL, Told, Paused    string
	Since, Last, Failing string // when it took something last, and why it does not now
	Waits                string // how many messages wait
}

type line struct {
	ID             int64
	When, Of, To   string
	Said, Next     string
	Bad, Delivered bool
}

type view struct {
	Rows             []row
	Lines            []line
	URL              string // as typed
	Choices          []choice
	Slip             string
	Said             string
	Secret, SecretOf string // that was just made: shown this once
	Full             bool
	Waiting          bool // something is under way: the log is asked for again
}

func (s *Screens) view(ctx context.Context) (v view, err error) {
	hooks, err := s.db.Webhooks(ctx)
	if err != nil {
		return v, err
	}
	list, err := s.db.LastDeliveries(ctx, deliveries.Max*maxShown)
	if err != nil {
		return v, err
	}
	v.Full = len(hooks) >= deliveries.Max
	for _, t := range notices.Types {
		v.Choices = append(v.Choices, choice{t, notices.Words(t), true})
	}
	addresses := map[int64]string{}
	for i := range hooks {
		w := &hooks[i]
		addresses[w.ID] = w.URL
		told := make([]string, len(w.Types))
		for i, t := range w.Types {
			told[i] = notices.Words(t)
		}
		r := row{ID: w.ID, URL: w.URL, Told: strings.Join(told, "; "), Paused: w.Paused, Since: shell.Moment(w.At)}
		r.fill(list)
		v.Rows = append(v.Rows, r)
	}
	for i := range list[:min(len(list), maxShown)] {
		d := &list[i]
		l := line{ID: d.ID, When: shell.Moment(d.Notice.At), Of: notices.Words(d.Notice.Type), To: addresses[d.Webhook],
			Said: d.Said, Delivered: d.State == sqlite.Delivered, Bad: d.State == sqlite.GivenUp}
		switch {
		case d.State == sqlite.GivenUp:
			l.Next = "given up after " + plural.Count(d.Attempts, "attempt")
		case d.State == sqlite.DeliveryWaiting && d.Attempts > 0:
			l.Bad, l.Next = true, "attempt "+strconv.Itoa(d.Attempts+1)+" of "+strconv.Itoa(deliveries.Attempts)+" at "+
				shell.Moment(d.Due)
		case d.State == sqlite.DeliveryWaiting:
			l.Next, v.Waiting = "on its way", true
		}
		v.Lines = append(v.Lines, l)
	}
	return v, nil
}

// fill says how a webhook does, from the last deliveries, the last one first.
func (r *row) fill(list []sqlite.Delivery) {
	waits := 0
	for i := range list {
		d := &list[i]
		if d.Webhook != r.ID {
			continue
		}
		if d.State == sqlite.DeliveryWaiting && d.Attempts > 0 {
			waits++
		}
		if r.Last == "" && d.State == sqlite.Delivered {
			r.Last = shell.Moment(d.Tried)
		}
		if r.Last == "" && r.Failing == "" && d.Attempts > 0 {
			r.Failing = d.Said
		}
	}
	if waits > 0 {
		r.Waits = plural.Count(waits, "message") + " will be sent again"
	}
}

func (s *Screens) page(c *gin.Context) {
	v, err := s.view(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Title: "Webhooks", Template: "webhooks"}, v)
}

// log answers with the log of deliveries as it is now.
func (s *Screens) log(c *gin.Context) {
	v, err := s.view(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusOK, s.Render("webhook-log", v))
}

// answer answers with the page as it is now.
func (s *Screens) answer(c *gin.Context, err error, filled func(*view)) {
	status := http.StatusOK
	v, broke := s.view(c.Request.Context())
	if errors.Is(err, sqlite.ErrNoWebhook) {
		err = shell.Refusef("That was removed meanwhile.")
	}
	if text, ok := shell.Told(err); ok {
		status, v.Slip = http.StatusUnprocessableEntity, text
	} else if err != nil {
		broke = err
	}
	if broke != nil {
		s.Internal(c, broke)
		return
	}
	filled(&v)
	s.HTML(c, status, s.Render("webhooks", v))
}

func (s *Screens) add(c *gin.Context) {
	ctx, who := c.Request.Context(), shell.Person(c.Request.Context())
	typed, types := c.PostForm("url"), c.PostFormArray("type")
	secret := ""
	address, err := s.sender.CheckURL(typed)
	if err == nil {
		err = deliveries.CheckTypes(types)
	}
	if err == nil {
		err = s.room(ctx, address)
	}
	if err != nil {
		err = shell.Refusef("%s", err.Error())
	} else if _, secret, err = s.sender.Add(ctx, sqlite.Webhook{URL: address, Types: types, By: who.ID}); err == nil {
		s.notes.Note(c.Request, auth.WebhookAdded, who, address)
	}
	s.answer(c, err, func(v *view) {
		if err == nil {
			v.Secret, v.SecretOf = secret, address
			return
		}
		v.URL = typed
		for i := range v.Choices {
			v.Choices[i].Chosen = slices.Contains(types, v.Choices[i].Type)
		}
	})
}

// room says why a webhook cannot be added to those that there are.
func (s *Screens) room(ctx context.Context, address string) error {
	hooks, err := s.db.Webhooks(ctx)
	switch {
	case err != nil:
		return err
	case len(hooks) >= deliveries.Max:
		return shell.Refusef("a shop has at most %d webhooks: remove one first", deliveries.Max)
	case slices.ContainsFunc(hooks, func(w sqlite.Webhook) bool { return w.URL == address }):
		return shell.Refusef("this address is told already: remove it first to change what it is told")
	}
	return nil
}

// number reads the number of what a form is about.
func number(c *gin.Context, name string) int64 {
	n, err := strconv.ParseInt(c.Param(name), 10, 64)
	if err != nil {
		return -1 // there is none
	}
	return n
}

// address is the address of a webhook; "" where there is none.
func (s *Screens) address(ctx context.Context, id int64) string {
	hooks, err := s.db.Webhooks(ctx)
	if err != nil {
		return ""
	}
	for i := range hooks {
		if hooks[i].ID == id {
			return hooks[i].URL
		}
	}
	return ""
}

func (s *Screens) try(c *gin.Context) {
	err := s.sender.Try(c.Request.Context(), number(c, "webhook"))
	s.answer(c, err, func(v *view) {
		if err == nil {
			v.Said = "A test is on its way: what came of it is below in a moment."
		}
	})
}

func (s *Screens) secret(c *gin.Context) {
	ctx, id := c.Request.Context(), number(c, "webhook")
	secret, err := s.sender.ReplaceSecret(ctx, id)
	if err == nil {
		s.notes.Note(c.Request, auth.WebhookSecret, shell.Person(ctx), s.address(ctx, id))
	}
	s.answer(c, err, func(v *view) {
		if err == nil {
			v.Secret, v.SecretOf = secret, s.address(ctx, id)
			v.Said = "The secret before it signs as well for 24 hours, so that nothing is lost while you change it there."
		}
	})
}

func (s *Screens) pause(c *gin.Context) {
	s.answer(c, s.db.PauseWebhook(c.Request.Context(), number(c, "webhook"), pausedByHand), func(*view) {})
}

func (s *Screens) resume(c *gin.Context) {
	s.answer(c, s.db.PauseWebhook(c.Request.Context(), number(c, "webhook"), ""), func(*view) {})
}

func (s *Screens) remove(c *gin.Context) {
	ctx, id := c.Request.Context(), number(c, "webhook")
	address := s.address(ctx, id)
	err := s.db.RemoveWebhook(ctx, id)
	if err == nil {
		s.notes.Note(c.Request, auth.WebhookRemoved, shell.Person(ctx), address)
	}
	s.answer(c, err, func(v *view) {
		if err == nil {
			v.Said = address + " is told nothing any more."
		}
	})
}

func (s *Screens) again(c *gin.Context) {
	err := s.db.SendAgain(c.Request.Context(), number(c, "delivery"))
	s.answer(c, err, func(v *view) {
		if err == nil {
			v.Said = "It is sent again: what came of it is below in a moment."
		}
	})
}
