package signin

import (
	"context"
	"crypto/subtle"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// cookie is the name of the session's cookie. With __Host- a browser takes it from here alone and only over
// https; loopback has none.
func (s *Screens) cookie(r *http.Request) string {
	if s.visitors.Secure(r) {
		return "__Host-diadrom"
	}
	return "diadrom"
}

// signedIn finds who a request is from.
func (s *Screens) signedIn(r *http.Request) (auth.Person, bool, error) {
	if s.Demo {
		return DemoOwner, true, nil
	}
	c, err := r.Cookie(s.cookie(r))
	if err != nil {
		return auth.Person{}, false, nil
	}
	return s.db.Session(r.Context(), auth.Kept(c.Value))
}

// Signed lets requests of people who are signed in through and leads others to where they can sign in.
func (s *Screens) Signed(c *gin.Context) {
	p, ok, err := s.signedIn(c.Request)
	if err != nil {
		s.Internal(c, err)
		c.Abort()
		return
	}
	if !ok {
		to := "/sign-in"
		people, err := s.db.People(c.Request.Context())
		if err == nil && len(people) == 0 {
			to = "/start"
		}
		if shell.IsHTMX(c) {
			c.Header("HX-Redirect", to)
			c.AbortWithStatus(http.StatusUnauthorized)
			return
		}
		if c.Request.Method == http.MethodGet && c.Request.URL.Path != "/" && to == "/sign-in" {
			to += "?then=" + url.QueryEscape(c.Request.URL.RequestURI())
		}
		c.Redirect(http.StatusSeeOther, to)
		c.Abort()
		return
	}
	if !s.Demo {
		if err := s.db.SeeSession(c.Request.Context(), s.current(c.Request)); err != nil {
			s.Log.Warn("when a session was used was not kept", "error", err)
		}
	}
	c.Header("Cache-Control", "no-store") // what is signed for stays out of every cache
	ctx := shell.WithPerson(draft.By(c.Request.Context(), p.ID), p)
	c.Request = c.Request.WithContext(ctx)
	if err := s.draft.Refresh(ctx); err != nil {
		s.Internal(c, err)
		c.Abort()
		return
	}
	c.Next()
}

// Owners lets in owners only.
func (s *Screens) Owners(c *gin.Context) {
	if p := shell.Person(c.Request.Context()); p.Role != auth.Owner {
		s.notes.Note(c.Request, auth.Forbidden, p, c.Request.Method+" "+c.Request.URL.Path)
		s.Problem(c, http.StatusForbidden, "Only an owner of the shop may do this.")
		c.Abort()
		return
	}
	c.Next()
}

// signView is the page of the first start, or of signing in.
type signView struct {
	Start          bool
	Shop           string
	Name, Then     string
	Code           string // of the first start
	NameSlip, Slip string
	Factor         bool // whether the code of a second factor is asked for
	Plain          bool // whether the page came over a wire that others can read
}

func (s *Screens) signPage(c *gin.Context, status int, v signView) {
	v.Shop = shell.ShopName(s.draft.State().File)
	v.Plain = s.visitors.Secure(c.Request) && !s.visitors.HTTPS(c.Request)
	s.HTML(c, status, s.Render("sign", v))
}

// startPage asks for the first owner, in a shop that has nobody yet.
func (s *Screens) startPage(c *gin.Context) {
	if people, err := s.db.People(c.Request.Context()); err != nil || len(people) > 0 || s.Demo {
		c.Redirect(http.StatusSeeOther, "/")
		return
	}
	s.signPage(c, http.StatusOK, signView{Start: true, Code: c.Query("code")})
}

// maxSignBody bounds what is sent to sign in, in bytes: a name, a passphrase, a code and an address to go to.
const maxSignBody = 16 << 10

// signing bounds the requests of those who are not signed in yet.
func signing(c *gin.Context) {
	if c.Request.ContentLength > maxSignBody {
		c.String(http.StatusRequestEntityTooLarge, "That is too much for a name and a passphrase.")
		c.Abort()
		return
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxSignBody)
	c.Next()
}

// start makes the first owner. A shop that has one is asked nothing more: no passphrase is worked on for it.
func (s *Screens) start(c *gin.Context) {
	people, err := s.db.People(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	if len(people) > 0 || s.Demo {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	v := signView{Start: true, Name: c.PostForm("name"), Code: c.PostForm("code")}
	if wait := s.attempts.Allow("from " + auth.Origin(s.visitors.From(c.Request))); wait > 0 {
		s.heldOff(c, v, wait)
		return
	}
	if s.StartCode != "" && subtle.ConstantTimeCompare([]byte(v.Code), []byte(s.StartCode)) != 1 {
		v.Slip = "Open the address that was printed where the shop was started: it carries a code that " +
			"shows that the shop is yours."
		s.signPage(c, http.StatusForbidden, v)
		return
	}
	name, hash, nameErr, err := named(c.Request.Context(), v.Name, c.PostForm("passphrase"))
	if nameErr != nil || err != nil {
		v.NameSlip, v.Slip = said(nameErr), said(err)
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	p, err := s.db.AddPerson(c.Request.Context(), name, auth.Owner, hash, true)
	if err == sqlite.ErrStarted {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.notes.Note(c.Request, auth.Started, p, "")
	s.letIn(c, p, "/")
}

// heldOff answers somebody who tried too often.
func (s *Screens) heldOff(c *gin.Context, v signView, wait time.Duration) {
	seconds := int(wait.Seconds()) + 1
	c.Header("Retry-After", fmt.Sprint(seconds))
	v.Slip = fmt.Sprintf("That was tried too often: wait %d seconds.", seconds)
	s.signPage(c, http.StatusTooManyRequests, v)
}

func said(err error) string {
	if err == nil {
		return ""
	}
	return err.Error()
}

// named reads a name and a passphrase.
func named(ctx context.Context, name, passphrase string) (clean, hash string, nameErr, err error) {
	clean, nameErr = auth.Name(name)
	if err = auth.Strong(passphrase, clean); nameErr == nil && err == nil {
		hash, err = auth.Hash(ctx, passphrase)
	}
	return clean, hash, nameErr, err
}

func (s *Screens) signInPage(c *gin.Context) {
	if _, ok, err := s.signedIn(c.Request); ok && err == nil {
		c.Redirect(http.StatusSeeOther, "/")
		return
	}
	s.signPage(c, http.StatusOK, signView{Then: c.Query("then")})
}

// signIn begins a session. Where a request comes from is judged before its name; a name that others try
// out is held off, but not from an address from which its owner has signed in before.
func (s *Screens) signIn(c *gin.Context) {
	ctx := c.Request.Context()
	v := signView{Name: c.PostForm("name"), Then: c.PostForm("then")}
	origin := auth.Origin(s.visitors.From(c.Request))
	if wait := s.attempts.Allow("from " + origin); wait > 0 {
		s.notes.Note(c.Request, auth.SignInHeldOff, auth.Person{Name: v.Name}, "")
		s.heldOff(c, v, wait)
		return
	}
	name, err := auth.Name(v.Name)
	if err != nil { // nobody is called so
		v.Slip = "This name and this passphrase do not belong together."
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	p, hash, err := s.db.Passphrase(ctx, name)
	if err != nil {
		s.Internal(c, err)
		return
	}
	key := "as " + auth.Fold(name)
	if p.ID != 0 {
		known, err := s.db.KnowsOrigin(ctx, p.ID, origin)
		if err != nil {
			s.Internal(c, err)
			return
		}
		if known {
			key += " from " + origin
		}
	}
	if wait := s.attempts.Allow(key); wait > 0 {
		s.notes.Note(c.Request, auth.SignInHeldOff, auth.Person{ID: p.ID, Name: name}, "")
		s.heldOff(c, v, wait)
		return
	}
	right, err := auth.Verify(ctx, c.PostForm("passphrase"), hash)
	switch {
	case errors.Is(err, auth.ErrBusy):
		c.Header("Retry-After", "5")
		v.Slip = "Too many people are signing in at the moment: try again in a few seconds."
		s.signPage(c, http.StatusServiceUnavailable, v)
		return
	case err != nil:
		s.Internal(c, err)
		return
	case !right:
		s.notes.Note(c.Request, auth.SignInRefused, auth.Person{ID: p.ID, Name: name}, "")
		v.Slip = "This name and this passphrase do not belong together."
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	if f, ok, err := s.db.FactorOf(ctx, p.ID); err != nil {
		s.Internal(c, err)
		return
	} else if ok && f.Confirmed {
		to := "/sign-in/code"
		if v.Then != "" {
			to += "?then=" + url.QueryEscape(within(v.Then))
		}
		s.begin(c, sqlite.Session{Person: p.ID, Half: true, Until: time.Now().Add(halfLength)}, to)
		return
	}
	s.signedInNow(c, p, within(v.Then))
}

// signedInNow has somebody be signed in who has shown who they are.
func (s *Screens) signedInNow(c *gin.Context, p auth.Person, to string) {
	if err := s.db.KnowOrigin(c.Request.Context(), p.ID, auth.Origin(s.visitors.From(c.Request))); err != nil {
		s.Internal(c, err)
		return
	}
	s.notes.Note(c.Request, auth.SignedIn, p, "")
	s.letIn(c, p, to)
}

// within is an address of the shop to go to, "/" for what may lead elsewhere. Browsers pass over tabs and line
// ends in an address and take a backslash for a slash.
func within(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") ||
		strings.ContainsFunc(to, func(r rune) bool { return r <= ' ' || r == '\\' || r == 0x7f }) {
		return "/"
	}
	u, err := url.Parse(to)
	if err != nil || u.Host != "" || u.Scheme != "" || strings.HasPrefix(u.Path, "//") ||
		strings.ContainsFunc(u.Path, func(r rune) bool { return r < ' ' || r == '\\' || r == 0x7f }) {
		return "/"
	}
	return to
}

// letIn begins a session.
func (s *Screens) letIn(c *gin.Context, p auth.Person, to string) {
	s.begin(c, sqlite.Session{Person: p.ID, Until: time.Now().Add(auth.SessionLength)}, to)
}

// begin begins a session, or half of one, and leads on.
func (s *Screens) begin(c *gin.Context, is sqlite.Session, to string) {
	secret, hash := auth.Secret("")
	is.Address, is.Browser = s.visitors.From(c.Request), browserOf(c.Request.UserAgent())
	if err := s.db.AddSession(c.Request.Context(), hash, is); err != nil {
		s.Internal(c, err)
		return
	}
	s.setCookie(c, http.Cookie{Value: secret, Expires: is.Until})
	c.Redirect(http.StatusSeeOther, to)
}

func (s *Screens) signOut(c *gin.Context) {
	if p, ok, err := s.signedIn(c.Request); ok && err == nil {
		s.notes.Note(c.Request, auth.SignedOut, p, "")
	}
	if kept, err := c.Request.Cookie(s.cookie(c.Request)); err == nil {
		if err := s.db.EndSession(c.Request.Context(), auth.Kept(kept.Value)); err != nil {
			s.Internal(c, err)
			return
		}
	}
	s.setCookie(c, http.Cookie{MaxAge: -1})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}

// setCookie sets the session's cookie to a value and for how long it holds.
func (s *Screens) setCookie(c *gin.Context, cookie http.Cookie) {
	cookie.Name, cookie.Path = s.cookie(c.Request), "/"
	cookie.Secure, cookie.HttpOnly, cookie.SameSite = s.visitors.Secure(c.Request), true, http.SameSiteLaxMode
	http.SetCookie(c.Writer, &cookie)
}
