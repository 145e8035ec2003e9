package screen

import (
	"context"
	"crypto/subtle"
	"fmt"
	"net"
	"net/http"
	"strings"
	"time"

	"diadrom/internal/access"
	"diadrom/internal/api"
	"diadrom/internal/draft"
	"diadrom/internal/storage"

	"github.com/gin-gonic/gin"
)

// demoOwner is who the demo signs in by itself.
var demoOwner = access.Person{Name: "the demo's owner", Role: access.Owner}

type whoKey struct{}

// who is signed in.
func who(ctx context.Context) access.Person {
	p, _ := ctx.Value(whoKey{}).(access.Person)
	return p
}

// cookie is the name of the session's cookie. With __Host- a browser takes it from here alone and only over https; loopback has none.
func cookie(r *http.Request) string {
	if secure(r) {
		return "__Host-diadrom"
	}
	return "diadrom"
}

// secure says whether a request came over https, to here or to a proxy in front, or from somewhere else than this machine.
func secure(r *http.Request) bool {
	return r.TLS != nil || r.Header.Get("X-Forwarded-Proto") == "https" || !loopback(r.Host)
}

func loopback(host string) bool {
	name, _, err := net.SplitHostPort(host)
	if err != nil {
		name = host
	}
	name = strings.Trim(name, "[]")
	ip := net.ParseIP(name)
	return strings.EqualFold(name, "localhost") || ip != nil && ip.IsLoopback()
}

// signedIn finds who a request is from.
func (s *Server) signedIn(r *http.Request) (access.Person, bool, error) {
	if s.options.Demo {
		return demoOwner, true, nil
	}
	c, err := r.Cookie(cookie(r))
	if err != nil {
		return access.Person{}, false, nil
	}
	return s.db.Session(r.Context(), access.Kept(c.Value))
}

// asker says who asks the API.
func (s *Server) asker(r *http.Request) api.Asker {
	if s.options.Demo {
		return api.Person
	}
	if scheme, key, ok := strings.Cut(r.Header.Get("Authorization"), " "); ok && strings.EqualFold(scheme, "Bearer") {
		if (*s.keys.Load())[access.Kept(strings.TrimSpace(key))] {
			return api.Shop
		}
		return api.Nobody
	}
	if _, ok, err := s.signedIn(r); ok && err == nil {
		return api.Person
	}
	return api.Nobody
}

// loadKeys takes over which API keys hold.
func (s *Server) loadKeys(ctx context.Context) error {
	list, err := s.db.APIKeys(ctx)
	if err != nil {
		return err
	}
	keys := make(map[string]bool, len(list))
	for _, k := range list {
		keys[k.Kept] = k.Revoked.IsZero()
	}
	s.keys.Store(&keys)
	return nil
}

// signed lets in who is signed in; others are led to where they can be.
func (s *Server) signed(c *gin.Context) {
	p, ok, err := s.signedIn(c.Request)
	if err != nil {
		s.internal(c, err)
		c.Abort()
		return
	}
	if !ok {
		to := "/sign-in"
		people, err := s.db.People(c.Request.Context())
		if err == nil && len(people) == 0 {
			to = "/start"
		}
		if isHTMX(c) {
			c.Header("HX-Redirect", to)
			c.AbortWithStatus(http.StatusUnauthorized)
			return
		}
		if c.Request.Method == http.MethodGet && c.Request.URL.Path != "/" && to == "/sign-in" {
			to += "?then=" + queryEscape(c.Request.URL.RequestURI())
		}
		c.Redirect(http.StatusSeeOther, to)
		c.Abort()
		return
	}
	ctx := context.WithValue(draft.By(c.Request.Context(), p.ID), whoKey{}, p)
	c.Request = c.Request.WithContext(ctx)
	if err := s.draft.Refresh(ctx); err != nil {
		s.internal(c, err)
		c.Abort()
		return
	}
	c.Next()
}

// owners lets in owners only.
func (s *Server) owners(c *gin.Context) {
	if who(c.Request.Context()).Role != access.Owner {
		s.problem(c, http.StatusForbidden, "Only an owner of the shop may do this.")
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
	Plain          bool // whether the page came over a wire that others can read
}

func (s *Server) signPage(c *gin.Context, status int, v signView) {
	v.Shop = shopName(s.draft.State().File)
	v.Plain = secure(c.Request) && c.Request.TLS == nil && c.GetHeader("X-Forwarded-Proto") != "https"
	s.html(c, status, s.render("sign", v))
}

// startPage asks for the first owner, in a shop that has nobody yet.
func (s *Server) startPage(c *gin.Context) {
	if people, err := s.db.People(c.Request.Context()); err != nil || len(people) > 0 || s.options.Demo {
		c.Redirect(http.StatusSeeOther, "/")
		return
	}
	s.signPage(c, http.StatusOK, signView{Start: true, Code: c.Query("code")})
}

func (s *Server) start(c *gin.Context) {
	v := signView{Start: true, Name: c.PostForm("name"), Code: c.PostForm("code")}
	if s.options.StartCode != "" && subtle.ConstantTimeCompare([]byte(v.Code), []byte(s.options.StartCode)) != 1 {
		v.Slip = "Open the address that was printed where the shop was started: it carries a code that shows that the shop is yours."
		s.signPage(c, http.StatusForbidden, v)
		return
	}
	name, hash, nameErr, err := named(v.Name, c.PostForm("passphrase"))
	if nameErr != nil || err != nil {
		v.NameSlip, v.Slip = said(nameErr), said(err)
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	p, err := s.db.AddPerson(c.Request.Context(), name, access.Owner, hash, true)
	if err == storage.ErrStarted {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	if err != nil {
		s.internal(c, err)
		return
	}
	s.letIn(c, p, "/")
}

func said(err error) string {
	if err == nil {
		return ""
	}
	return err.Error()
}

// named reads a name and a passphrase.
func named(name, passphrase string) (string, string, error, error) {
	name, nameErr := access.Name(name)
	hash, err := access.Hash(passphrase)
	return name, hash, nameErr, err
}

func (s *Server) signInPage(c *gin.Context) {
	if _, ok, err := s.signedIn(c.Request); ok && err == nil {
		c.Redirect(http.StatusSeeOther, "/")
		return
	}
	s.signPage(c, http.StatusOK, signView{Then: c.Query("then")})
}

func (s *Server) signIn(c *gin.Context) {
	v := signView{Name: c.PostForm("name"), Then: c.PostForm("then")}
	if wait := s.attempts.Allow("from "+from(c.Request), "as "+strings.ToLower(v.Name)); wait > 0 {
		seconds := int(wait.Seconds()) + 1
		c.Header("Retry-After", fmt.Sprint(seconds))
		v.Slip = fmt.Sprintf("That was tried too often: wait %d seconds.", seconds)
		s.signPage(c, http.StatusTooManyRequests, v)
		return
	}
	p, hash, err := s.db.Passphrase(c.Request.Context(), strings.Join(strings.Fields(v.Name), " "))
	if err != nil {
		s.internal(c, err)
		return
	}
	if !access.Verify(c.PostForm("passphrase"), hash) {
		v.Slip = "This name and this passphrase do not belong together."
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	to := v.Then
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		to = "/"
	}
	s.letIn(c, p, to)
}

// from is the address that a request comes from; behind a proxy on this machine, the one that the proxy says last.
func from(r *http.Request) string {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		return r.RemoteAddr
	}
	if said := r.Header.Values("X-Forwarded-For"); len(said) > 0 && loopback(host) {
		list := strings.Split(said[len(said)-1], ",")
		if ip := net.ParseIP(strings.TrimSpace(list[len(list)-1])); ip != nil {
			return ip.String()
		}
	}
	return host
}

// letIn begins a session.
func (s *Server) letIn(c *gin.Context, p access.Person, to string) {
	secret, kept := access.Secret("")
	until := time.Now().Add(access.SessionLength)
	if err := s.db.AddSession(c.Request.Context(), kept, p.ID, until); err != nil {
		s.internal(c, err)
		return
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookie(c.Request), Value: secret, Path: "/", Expires: until, Secure: secure(c.Request), HttpOnly: true, SameSite: http.SameSiteLaxMode})
	c.Redirect(http.StatusSeeOther, to)
}

func (s *Server) signOut(c *gin.Context) {
	if kept, err := c.Request.Cookie(cookie(c.Request)); err == nil {
		if err := s.db.EndSession(c.Request.Context(), access.Kept(kept.Value)); err != nil {
			s.internal(c, err)
			return
		}
	}
	http.SetCookie(c.Writer, &http.Cookie{Name: cookie(c.Request), Path: "/", MaxAge: -1, Secure: secure(c.Request), HttpOnly: true, SameSite: http.SameSiteLaxMode})
	c.Redirect(http.StatusSeeOther, "/sign-in")
}
