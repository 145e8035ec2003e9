package signin

import (
	"errors"
	"strconv"
	"sync"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/shop/secrets"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// sureFor is for how long whoever has typed their passphrase again need not do so once more.
const sureFor = 10 * time.Minute

// sure are the sessions whose people have just typed their passphrase, or a code of their second factor, again. A
// session alone, which somebody may have stolen or left open, changes nothing that locks its owner out or outlives it.
type sure struct {
	mu    sync.Mutex
	until map[string]time.Time // by what is kept of the session
}

func (s *sure) of(session string) (until time.Time, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	until, ok = s.until[session]
	return until, ok && time.Now().Before(until)
}

func (s *sure) add(session string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now := time.Now()
	for other, until := range s.until {
		if now.After(until) {
			delete(s.until, other)
		}
	}
	s.until[session] = now.Add(sureFor)
}

// againView asks for the passphrase again.
type againView struct {
	Asked  bool   // it is needed
	Factor bool   // a code is, instead of the passphrase
	Slip   string // what was wrong with it
	Until  string // until when it is not asked for
}

// againOf is what the page of people asks for.
func (s *Screens) againOf(c *gin.Context) (v againView, err error) {
	if s.Demo {
		return v, nil
	}
	if until, ok := s.sure.of(s.current(c.Request)); ok {
		v.Until = until.Local().Format("15:04")
		return v, nil
	}
	f, ok, err := s.db.FactorOf(c.Request.Context(), shell.Person(c.Request.Context()).ID)
	v.Asked, v.Factor = true, ok && f.Confirmed
	return v, err
}

// asksAgain lets those through who have just typed their passphrase again, or do so with this request.
func (s *Screens) asksAgain(c *gin.Context) {
	if err := s.again(c); err != nil {
		s.refuseAgain(c, err)
		c.Abort()
	}
}

// asksCodeAgain is asksAgain for what asks for the passphrase itself: where there is a second factor.
func (s *Screens) asksCodeAgain(c *gin.Context) {
	v, err := s.againOf(c)
	if err == nil && v.Factor {
		s.asksAgain(c)
	}
}

func (s *Screens) refuseAgain(c *gin.Context, err error) {
	s.answerPeople(c, err, func(v *peopleView, text string) {
		v.Again.Slip = text
		switch c.FullPath() { // what was typed stays
		case "/people":
			v.Name, v.AsOwner = c.PostForm("name"), c.PostForm("role") == string(auth.Owner)
		case "/keys":
			v.KeyForm = keyFormOf(c)
		}
	})
}

// confirm takes the passphrase again, for what follows.
func (s *Screens) confirm(c *gin.Context) {
	if err := s.again(c); err != nil {
		s.refuseAgain(c, err)
		return
	}
	s.answerPeople(c, nil, func(*peopleView, string) {})
}

// again says why somebody may not do what their session alone does not allow.
func (s *Screens) again(c *gin.Context) error {
	ctx := c.Request.Context()
	v, err := s.againOf(c)
	if err != nil || !v.Asked {
		return err
	}
	p, typed := shell.Person(ctx), c.PostForm("again")
	if typed == "" {
		if v.Factor {
			return shell.Refusef("type a code of your second factor here first: this changes who gets in")
		}
		return shell.Refusef("type your passphrase here first: this changes who gets in")
	}
	if wait := s.attempts.Allow("own " + strconv.FormatInt(p.ID, 10)); wait > 0 {
		return shell.Refusef("that was tried too often: wait %d seconds", int(wait.Seconds())+1)
	}
	if v.Factor {
		right, recovery, err := s.factorTaken(ctx, p.ID, typed)
		switch {
		case errors.Is(err, secrets.ErrUnreadable):
			return shell.Refusef("the codes of your program cannot be checked: the file %s of this shop is another. "+
				"Type one of your recovery codes", sqlite.KeyName)
		case err != nil:
			return err
		case !right:
			s.notes.Note(c.Request, auth.CodeRefused, p, "")
			return shell.Refusef("this code is not right, or was used already: type the one that your program shows now")
		}
		if recovery {
			s.notes.Note(c.Request, auth.RecoveryUsed, p, "")
		}
	} else {
		_, hash, err := s.db.Passphrase(ctx, p.Name)
		if err != nil {
			return err
		}
		right, err := auth.Verify(ctx, typed, hash)
		if err != nil {
			return shell.Refusef("%s", err.Error())
		}
		if !right {
			s.notes.Note(c.Request, auth.PassphraseRefused, p, "")
			return shell.Refusef("this is not your passphrase")
		}
	}
	s.sure.add(s.current(c.Request))
	return nil
}
