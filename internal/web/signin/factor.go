package signin

import (
	"bytes"
	"context"
	"encoding/base64"
	"errors"
	"html/template"
	"image/png"
	"net/http"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
	"github.com/pquerna/otp"
)

// halfLength is how long somebody has to type the code of their second factor.
const halfLength = 5 * time.Minute

// factorPurpose is what the secret of a second factor is sealed for.
func factorPurpose(person int64) string {
	return "second factor of person " + strconv.FormatInt(person, 10)
}

// codePage asks for the code of a second factor.
func (s *Screens) codePage(c *gin.Context) {
	if _, ok, err := s.half(c.Request); err != nil || !ok {
		c.Redirect(http.StatusSeeOther, "/sign-in")
		return
	}
	s.signPage(c, http.StatusOK, signView{Factor: true, Then: c.Query("then")})
}

// half finds whose passphrase was right.
func (s *Screens) half(r *http.Request) (auth.Person, bool, error) {
	c, err := r.Cookie(s.cookie(r))
	if err != nil {
		return auth.Person{}, false, nil
	}
	return s.db.HalfSession(r.Context(), auth.Kept(c.Value))
}

// code takes the code of a second factor, or one that stands in for it.
func (s *Screens) code(c *gin.Context) {
	ctx := c.Request.Context()
	p, ok, err := s.half(c.Request)
	if err != nil {
		s.Internal(c, err)
		return
	}
	if !ok {
		s.signPage(c, http.StatusUnprocessableEntity, signView{Then: c.PostForm("then"),
			Slip: "That took longer than five minutes: type your passphrase again."})
		return
	}
	v := signView{Factor: true, Then: c.PostForm("then")}
	if wait := s.attempts.Allow("code of " + strconv.FormatInt(p.ID, 10)); wait > 0 {
		s.notes.Note(c.Request, auth.SignInHeldOff, p, "code")
		s.heldOff(c, v, wait)
		return
	}
	right, recovery, err := s.factorTaken(ctx, p.ID, c.PostForm("factor"))
	switch {
	case errors.Is(err, secrets.ErrUnreadable):
		v.Slip = "The codes of your program cannot be checked: the file " + sqlite.KeyName + " of this shop is another. " +
			"Type one of your recovery codes."
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	case err != nil:
		s.Internal(c, err)
		return
	case !right:
		s.notes.Note(c.Request, auth.CodeRefused, p, "")
		v.Slip = "This code is not right, or was used already: type the one that your program shows now."
		s.signPage(c, http.StatusUnprocessableEntity, v)
		return
	}
	if recovery {
		s.notes.Note(c.Request, auth.RecoveryUsed, p, "")
	}
	if kept, err := c.Request.Cookie(s.cookie(c.Request)); err == nil {
		if err := s.db.EndSession(ctx, auth.Kept(kept.Value)); err != nil {
			s.Internal(c, err)
			return
		}
	}
	s.signedInNow(c, p, within(v.Then))
}

// factorTaken says whether a code is right: of the second factor, each once, or one that stands in for it.
func (s *Screens) factorTaken(ctx context.Context, person int64, typed string) (right, recovery bool, err error) {
	if len(typed) > 40 {
		return false, false, nil
	}
	if right, err = s.db.TakeRecovery(ctx, person, auth.KeptRecovery(typed)); right || err != nil {
		return right, right, err
	}
	f, ok, err := s.db.FactorOf(ctx, person)
	if err != nil || !ok {
		return false, false, err
	}
	secret, err := s.Vault.Open(f.Sealed, factorPurpose(person))
	if err != nil {
		return false, false, err
	}
	step, ok := auth.FactorStep(secret, typed, time.Now())
	if !ok {
		return false, false, nil
	}
	right, err = s.db.TakeStep(ctx, person, step)
	return right, false, err
}

// factorView is the second factor of whoever is signed in.
type factorView struct {
	On       bool
	Since    string
	Left     int          // recovery codes
	Offered  bool         // whether one is being set up
	Picture  template.URL // of its address, for programs that read it with a camera
	Secret   string
	Recovery []string // codes that were just made: shown this once
	Slip     string
}

func (s *Screens) factorView(ctx context.Context) (v factorView, err error) {
	p := shell.Person(ctx)
	f, ok, err := s.db.FactorOf(ctx, p.ID)
	if err != nil || !ok {
		return v, err
	}
	if f.Confirmed {
		v.On, v.Since = true, day(f.Made)
		v.Left, err = s.db.RecoveryLeft(ctx, p.ID)
		return v, err
	}
	secret, err := s.Vault.Open(f.Sealed, factorPurpose(p.ID))
	if errors.Is(err, secrets.ErrUnreadable) {
		return v, nil // it is offered anew
	}
	if err != nil {
		return v, err
	}
	key, err := auth.FactorFor(secret, s.issuer(), p.Name)
	if err != nil {
		return v, err
	}
	v.Offered = true
	v.Secret = grouped(secret)
	v.Picture, err = picture(key)
	return v, err
}

// issuer is the name under which programs show a code.
func (s *Screens) issuer() string {
	return strings.ReplaceAll("Diadrom "+shell.ShopName(s.draft.State().File), ":", " ")
}

// grouped is a secret as people type it.
func grouped(secret string) string {
	var b strings.Builder
	for i, r := range secret {
		if i > 0 && i%4 == 0 {
			b.WriteByte(' ')
		}
		b.WriteRune(r)
	}
	return b.String()
}

// picture draws the address of a second factor as a QR code.
func picture(key *otp.Key) (template.URL, error) {
	image, err := key.Image(220, 220)
	if err != nil {
		return "", err
	}
	var b bytes.Buffer
	if err := png.Encode(&b, image); err != nil {
		return "", err
	}
	return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())), nil
}

// offerFactor makes a second factor, which counts once a code of it was typed.
func (s *Screens) offerFactor(c *gin.Context) {
	ctx := c.Request.Context()
	p := shell.Person(ctx)
	f, ok, err := s.db.FactorOf(ctx, p.ID)
	switch {
	case err != nil:
	case s.Demo:
		err = shell.Refusef("the demo signs everybody in: a shop of your own has second factors")
	case ok && f.Confirmed:
		err = shell.Refusef("you have a second factor already")
	default:
		err = s.makeFactor(ctx, p)
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.Factor.Slip = text })
}

func (s *Screens) makeFactor(ctx context.Context, p auth.Person) error {
	key, err := auth.NewFactor(s.issuer(), p.Name)
	if err != nil {
		return err
	}
	sealed, err := s.Vault.Seal(key.Secret(), factorPurpose(p.ID))
	if err != nil {
		return err
	}
	return s.db.OfferFactor(ctx, p.ID, sealed)
}

// confirmFactor has a second factor be asked for from now on, by whoever can type a code of it.
func (s *Screens) confirmFactor(c *gin.Context) {
	ctx := c.Request.Context()
	p := shell.Person(ctx)
	var codes []string
	f, ok, err := s.db.FactorOf(ctx, p.ID)
	switch {
	case err != nil:
	case !ok || f.Confirmed:
		err = shell.Refusef("there is no second factor to confirm: begin again")
	default:
		codes, err = s.confirmed(c, p, &f)
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.Factor.Slip, v.Factor.Recovery = text, codes })
}

func (s *Screens) confirmed(c *gin.Context, p auth.Person, f *sqlite.Factor) ([]string, error) {
	ctx := c.Request.Context()
	if wait := s.attempts.Allow("code of " + strconv.FormatInt(p.ID, 10)); wait > 0 {
		return nil, shell.Refusef("that was tried too often: wait %d seconds", int(wait.Seconds())+1)
	}
	secret, err := s.Vault.Open(f.Sealed, factorPurpose(p.ID))
	if err != nil {
		return nil, err
	}
	step, ok := auth.FactorStep(secret, c.PostForm("factor"), time.Now())
	if !ok {
		return nil, shell.Refusef("this code is not right: type the one that your program shows now, and see that the " +
			"clocks of both are right")
	}
	codes, kept := auth.NewRecovery()
	if err := s.db.ConfirmFactor(ctx, p.ID, step, kept, s.current(c.Request)); err != nil {
		return nil, err
	}
	s.notes.Note(c.Request, auth.FactorAdded, p, "")
	return codes, nil
}

// current is what is kept of the session of a request.
func (s *Screens) current(r *http.Request) string {
	c, err := r.Cookie(s.cookie(r))
	if err != nil {
		return ""
	}
	return auth.Kept(c.Value)
}

// removeFactor has somebody sign in without a second factor.
func (s *Screens) removeFactor(c *gin.Context) {
	ctx := c.Request.Context()
	p := shell.Person(ctx)
	err := s.db.RemoveFactor(ctx, p.ID)
	if err == nil {
		s.notes.Note(c.Request, auth.FactorRemoved, p, "")
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.Factor.Slip = text })
}

// resetFactor has somebody else sign in without theirs, who has lost it.
func (s *Screens) resetFactor(c *gin.Context) {
	ctx := c.Request.Context()
	id, err := strconv.ParseInt(c.Param("person"), 10, 64)
	if err != nil {
		err = shell.Refusef("there is nobody of that number")
	} else if err = s.db.RemoveFactor(ctx, id); err == nil {
		name, _ := s.Names(ctx)
		s.notes.Note(c.Request, auth.FactorRemoved, shell.Person(ctx), "of "+name(id))
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.Slip = text })
}

// sessionRow is a session as its person sees it.
type sessionRow struct {
	ID                  int64
	Browser, From, Seen string
	Here                bool
}

// browsers are names that tell browsers apart, the more particular first.
var browsers = []struct{ mark, name string }{
	{"Edg/", "Edge"}, {"OPR/", "Opera"}, {"Firefox/", "Firefox"}, {"Chrome/", "Chrome or like it"}, {"Safari/", "Safari"},
}

var systems = []struct{ mark, name string }{
	{"Android", "Android"}, {"iPhone", "an iPhone"}, {"iPad", "an iPad"}, {"Windows", "Windows"}, {"Mac OS X", "a Mac"},
	{"Linux", "Linux"},
}

// browserOf names a browser as far as a person needs it to know which one it is.
func browserOf(agent string) string {
	name, system := "A browser", ""
	for _, b := range browsers {
		if strings.Contains(agent, b.mark) {
			name = b.name
			break
		}
	}
	for _, o := range systems {
		if strings.Contains(agent, o.mark) {
			system = " on " + o.name
			break
		}
	}
	return name + system
}

// sessions lists where somebody is signed in.
func (s *Screens) sessions(ctx context.Context, current string) (rows []sessionRow, err error) {
	list, here, err := s.db.Sessions(ctx, shell.Person(ctx).ID, current)
	if err != nil {
		return nil, err
	}
	for _, is := range list {
		row := sessionRow{is.ID, is.Browser, is.Address, "", is.ID == here}
		if row.Browser == "" {
			row.Browser = "A browser"
		}
		if !is.Seen.IsZero() {
			row.Seen = shell.Moment(is.Seen)
		}
		rows = append(rows, row)
	}
	return rows, nil
}

// endSession signs somebody out elsewhere: in one place, or in all.
func (s *Screens) endSession(c *gin.Context) {
	ctx := c.Request.Context()
	p := shell.Person(ctx)
	var err error
	if c.Param("session") == "others" {
		if s.asksAgain(c); c.IsAborted() {
			return
		}
		err = s.db.EndOtherSessions(ctx, p.ID, s.current(c.Request))
	} else {
		id, readErr := strconv.ParseInt(c.Param("session"), 10, 64)
		if readErr != nil {
			err = shell.Refusef("there is no such session")
		} else {
			err = s.db.EndSessionOf(ctx, p.ID, id)
		}
	}
	if err == nil {
		s.notes.Note(c.Request, auth.SessionEnded, p, "")
		if _, ok, _ := s.db.Session(ctx, s.current(c.Request)); !ok && !s.Demo {
			c.Header("HX-Redirect", "/sign-in")
		}
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.OwnSlip = text })
}
