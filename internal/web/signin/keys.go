package signin

import (
	"context"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/quote"
	"diadrom/internal/web/api"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/widget"

	"github.com/gin-gonic/gin"
)

// heldKey is a key that holds.
type heldKey struct {
	auth.Key
	used atomic.Int64 // when this was kept last, in seconds since 1970
}

// useEvery is how exactly it is kept when a key was used last: so a quote costs no write.
const useEvery = 5 * time.Minute

// Asker says who asks the API. A key that is sent counts before a session, and one that does not hold is refused
// whoever sends it.
func (s *Screens) Asker(r *http.Request) api.Asker {
	if scheme, secret, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok &&
		strings.EqualFold(scheme, "Bearer") {
		hash := auth.Kept(strings.TrimSpace(secret))
		k := (*s.keys.Load())[hash]
		if k == nil && s.reload() {
			k = (*s.keys.Load())[hash]
		}
		switch {
		case k == nil:
			return api.Asker{Why: "this key does not exist, or was revoked"}
		case k.Expired(time.Now()):
			return api.Asker{Why: "this key has expired"}
		}
		s.used(k)
		return api.Asker{Kind: api.Shop, Key: &k.Key, From: auth.Origin(s.visitors.From(r))}
	}
	if p, ok, err := s.signedIn(r); ok && err == nil {
		return api.Asker{Kind: api.Person, Person: p}
	}
	return api.Asker{}
}

// used keeps that a key was used, at most once in [useEvery].
func (s *Screens) used(k *heldKey) {
	now := time.Now()
	last := k.used.Load()
	if now.Unix()-last < int64(useEvery/time.Second) || !k.used.CompareAndSwap(last, now.Unix()) {
		return
	}
	go func() {
		ctx, stop := context.WithTimeout(context.Background(), 10*time.Second)
		defer stop()
		if err := s.db.UseAPIKey(ctx, k.ID, now); err != nil {
			s.Log.Warn("when a key was used was not kept", "key", k.Name, "error", err)
		}
	}()
}

// Origins says whether some publishable key may be sent by pages of an origin.
func (s *Screens) Origins(origin string) bool {
	named := func() bool {
		now := time.Now()
		for _, k := range *s.keys.Load() {
			if k.Publishable && k.From(origin) && !k.Expired(now) {
				return true
			}
		}
		return false
	}
	return named() || s.reload() && named()
}

// reloadEvery is how often keys are read again because one is not known: diadrom key makes them beside the server.
const reloadEvery = time.Second

// reload reads the keys again, where that was not done a moment ago, and says whether it did.
func (s *Screens) reload() bool {
	now, last := time.Now().UnixNano(), s.reloaded.Load()
	if since := now - last; since >= 0 && since < int64(reloadEvery) || !s.reloaded.CompareAndSwap(last, now) {
		return false
	}
	ctx, stop := context.WithTimeout(context.Background(), 5*time.Second)
	defer stop()
	if err := s.loadKeys(ctx); err != nil {
		s.Log.Warn("keys were not read again", "error", err)
		return false
	}
	return true
}

// loadKeys takes over which API keys hold.
func (s *Screens) loadKeys(ctx context.Context) error {
	list, err := s.db.APIKeys(ctx)
	if err != nil {
		return err
	}
	keys := make(map[string]*heldKey, len(list))
	for _, k := range list {
		if k.Revoked.IsZero() {
			held := &heldKey{Key: k.Key}
			if !k.Used.IsZero() {
				held.used.Store(k.Used.Unix())
			}
			keys[k.Kept] = held
		}
	}
	s.keys.Store(&keys)
	return nil
}

// keyForm is a key as it is asked for.
type keyForm struct {
	Name, Kind, Sites, Until string
	Rights                   []string
}

// Kinds of keys as the form names them.
const (
	kindServer = "server"
	kindPages  = "pages"
)

// Has says whether a right is chosen.
func (f keyForm) Has(r auth.Right) bool { return slices.Contains(f.Rights, string(r)) }

// All lists the rights that can be chosen.
func (keyForm) All() []auth.Right { return auth.Rights }

func keyFormOf(c *gin.Context) keyForm {
	return keyForm{
		Name:   c.PostForm("name"),
		Kind:   c.PostForm("kind"),
		Sites:  c.PostForm("sites"),
		Until:  c.PostForm("until"),
		Rights: c.PostFormArray("right"),
	}
}

// key reads a form; its error is in words for whoever filled it in.
func (f keyForm) key(now time.Time) (k auth.Key, err error) {
	if f.Kind != kindServer && f.Kind != kindPages && f.Kind != "" {
		return k, shell.Refusef("there is no such kind of key")
	}
	return auth.KeyText{Name: f.Name, Sites: f.Sites, Until: f.Until, Pages: f.Kind == kindPages,
		Rights: f.Rights}.Read(now)
}

// about says in an event what a key may do.
func about(k *auth.Key) string {
	text := k.Name
	if k.Publishable {
		text += ", publishable, from " + strings.Join(k.Origins, " ")
	}
	for _, r := range k.Rights {
		text += ", may " + r.String()
	}
	if !k.Expires.IsZero() {
		text += ", until " + day(k.Expires.Add(-time.Second))
	}
	return text
}

// addKey makes an API key, which is shown this once.
func (s *Screens) addKey(c *gin.Context) {
	ctx := c.Request.Context()
	form := keyFormOf(c)
	key, err := form.key(time.Now())
	prefix := auth.SecretPrefix
	if key.Publishable {
		prefix = auth.PublishablePrefix
	}
	secret, hash := auth.Secret(prefix)
	if err != nil {
		err = shell.Refusef("%s", err.Error())
	} else if err = s.db.AddAPIKey(ctx, key, hash, shell.Person(ctx).ID); err == nil {
		err = s.loadKeys(ctx)
		s.notes.Note(c.Request, auth.KeyMade, shell.Person(ctx), about(&key))
	}
	s.answerPeople(c, err, func(v *peopleView, text string) {
		if v.KeySlip = text; text == "" {
			v.Key, v.KeyOf, v.KeyPages = secret, key.Name, key.Publishable
			v.Home, v.SKU = s.visitors.Home(c.Request), "SKU"
			v.Script, v.Integrity = widget.Path(), widget.Integrity(widget.Script)
			if products := s.draft.State().File.Products; len(products) > 0 {
				v.SKU = products[0].SKU
			}
		} else {
			v.KeyForm = form
		}
	})
}

func (s *Screens) revokeKey(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("key"), 10, 64)
	if err != nil {
		err = shell.Refusef("there is no key of that number")
	} else if err = s.db.RevokeAPIKey(c.Request.Context(), id); err == nil {
		err = s.loadKeys(c.Request.Context())
		s.notes.Note(c.Request, auth.KeyRevoked, shell.Person(c.Request.Context()), "number "+strconv.FormatInt(id, 10))
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.KeySlip = text })
}

// signingRow is a key with which quotes are held.
type signingRow struct{ ID, Since, Until string }

// signing lists the keys with which quotes are held, or were and count still.
func (s *Screens) signing() (rows []signingRow) {
	if s.Holds == nil {
		return nil
	}
	for _, k := range s.Holds.List() {
		row := signingRow{ID: k.ID, Since: day(k.Made)}
		if !k.Retired.IsZero() {
			row.Until = shell.Moment(k.Retired.Add(quote.MaxHold))
		}
		rows = append(rows, row)
	}
	return rows
}

// replaceSigning has a new key sign from now on.
func (s *Screens) replaceSigning(c *gin.Context) {
	var err error
	if s.Holds == nil {
		err = shell.Refusef("this shop holds no quotes")
	} else if err = s.Holds.Roll(c.Request.Context()); err == nil {
		s.notes.Note(c.Request, auth.SigningReplaced, shell.Person(c.Request.Context()), s.Holds.List()[0].ID)
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.SigningSlip = text })
}
