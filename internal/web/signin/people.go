package signin

import (
	"bytes"
	"context"
	"errors"
	"net/http"
	"strconv"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

type personRow struct {
	sqlite.Person
	Since  string
	Self   bool
	Factor bool // whether they have a second factor
}

type keyRow struct {
	sqlite.APIKey
	Since, Gone, Maker, Until, Last string
	Ended                           bool
}

type peopleView struct {
	Demo, Owner bool
	Self        auth.Person
	Again       againView
	People      []personRow
	Keys        []keyRow
	Name, Slip  string // of somebody new
	AsOwner     bool
	OwnSlip     string // of one's own passphrase
	Said        string
	KeyForm     keyForm
	KeySlip     string
	Key, KeyOf  string // a key that was just made: shown this once
	KeyPages    bool   // and whether it is publishable
	Home, SKU   string // for the snippet of a key for pages
	Script      string // the path of the version of the element
	Integrity   string // of that version
	Factor      factorView
	Sessions    []sessionRow
	Signing     []signingRow
	SigningSlip string
	Events      []eventRow
	Older       int64 // before which event there are more; 0 where there are none
}

type eventRow struct{ When, Who, Did, About, From string }

// maxEvents is how many events a page shows.
const maxEvents = 50

func eventRowOf(e *sqlite.Event) eventRow {
	row := eventRow{shell.Moment(e.At), e.Name, e.Kind.String(), e.Detail, e.Address}
	if row.Who == "" {
		row.Who = "somebody"
	}
	return row
}

// eventsFile answers with all that happened to the locks, as a table.
func (s *Screens) eventsFile(c *gin.Context) {
	rows := [][]string{{"number", "at", "event", "person", "name", "address", "detail"}}
	for before := int64(0); ; {
		list, err := s.db.Events(c.Request.Context(), before, 1000)
		if err != nil {
			s.Internal(c, err)
			return
		}
		for _, e := range list {
			rows = append(
				rows,
				[]string{
					strconv.FormatInt(e.ID, 10),
					e.At.UTC().Format(time.RFC3339),
					string(e.Kind),
					strconv.FormatInt(e.Person, 10),
					e.Name,
					e.Address,
					e.Detail,
				},
			)
			before = e.ID
		}
		if len(list) < 1000 || len(rows) > maxEventsFile {
			break
		}
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, rows); err != nil {
		s.Internal(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="events.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

// maxEventsFile bounds a file of events: the newest stand in it.
const maxEventsFile = 100_000

func day(t time.Time) string { return t.Local().Format("2 Jan 2006") }

func (s *Screens) peopleView(ctx context.Context, before int64, current string) (v peopleView, err error) {
	v = peopleView{Demo: s.Demo, Self: shell.Person(ctx), Owner: shell.Person(ctx).Role == auth.Owner}
	people, err := s.db.People(ctx)
	if err != nil {
		return v, err
	}
	factors, err := s.db.Factors(ctx)
	if err != nil {
		return v, err
	}
	for _, p := range people {
		v.People = append(v.People, personRow{p, day(p.At), p.ID == v.Self.ID, factors[p.ID]})
	}
	if !s.Demo {
		if v.Factor, err = s.factorView(ctx); err != nil {
			return v, err
		}
		if v.Sessions, err = s.sessions(ctx, current); err != nil {
			return v, err
		}
	}
	keys, err := s.db.APIKeys(ctx)
	if err != nil {
		return v, err
	}
	name, err := s.Names(ctx)
	if err != nil {
		return v, err
	}
	for _, k := range keys {
		row := keyRow{APIKey: k, Since: day(k.At), Maker: name(k.By), Ended: k.Expired(time.Now())}
		if !k.Expires.IsZero() {
			row.Until = day(k.Expires.Add(-time.Second))
		}
		if !k.Used.IsZero() {
			row.Last = shell.Moment(k.Used)
		}
		if !k.Revoked.IsZero() {
			row.Gone = day(k.Revoked)
		}
		v.Keys = append(v.Keys, row)
	}
	v.Signing = s.signing()
	if v.Owner {
		events, err := s.db.Events(ctx, before, maxEvents+1)
		if err != nil {
			return v, err
		}
		if len(events) > maxEvents {
			events = events[:maxEvents]
			v.Older = events[maxEvents-1].ID
		}
		for i := range events {
			v.Events = append(v.Events, eventRowOf(&events[i]))
		}
	}
	return v, nil
}

func (s *Screens) people(c *gin.Context) {
	before, _ := strconv.ParseInt(c.Query("before"), 10, 64)
	v, err := s.peopleView(c.Request.Context(), before, s.current(c.Request))
	if err == nil {
		v.Again, err = s.againOf(c)
	}
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Here: "", Title: "People", Template: "people"}, v)
}

// answerPeople answers with the people and keys as they are now; filled puts what was said, or typed, into them.
func (s *Screens) answerPeople(c *gin.Context, err error, filled func(*peopleView, string)) {
	status, text := http.StatusOK, ""
	if err != nil {
		said, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		status, text = http.StatusUnprocessableEntity, said
	}
	v, err := s.peopleView(c.Request.Context(), 0, s.current(c.Request))
	if err != nil {
		s.Internal(c, err)
		return
	}
	if v.Again, err = s.againOf(c); err != nil {
		s.Internal(c, err)
		return
	}
	filled(&v, text)
	s.HTML(c, status, s.Render("people", v))
}

// addPerson lets a helper, or another owner, in.
func (s *Screens) addPerson(c *gin.Context) {
	role := auth.Helper
	if c.PostForm("role") == string(auth.Owner) {
		role = auth.Owner
	}
	name, hash, nameErr, err := named(c.Request.Context(), c.PostForm("name"), c.PostForm("passphrase"))
	if err = errors.Join(nameErr, err); err != nil {
		err = shell.Refusef("%s", err.Error())
	} else if s.Demo {
		err = shell.Refusef("the demo signs everybody in as its owner: people are let into a shop of your own")
	} else if _, err = s.db.AddPerson(c.Request.Context(), name, role, hash, false); errors.Is(err, sqlite.ErrTaken) {
		err = shell.Refusef("somebody is called %s already", name)
	} else if err == nil {
		s.notes.Note(c.Request, auth.PersonAdded, shell.Person(c.Request.Context()), name+", "+string(role))
	}
	s.answerPeople(c, err, func(v *peopleView, text string) {
		if v.Slip = text; text == "" {
			v.Said = name + " may sign in now. Tell them the passphrase; they can change it here."
		} else {
			v.Name, v.AsOwner = c.PostForm("name"), role == auth.Owner
		}
	})
}

func (s *Screens) switchPerson(c *gin.Context) {
	id, err := strconv.ParseInt(c.Param("person"), 10, 64)
	if err != nil {
		err = shell.Refusef("there is nobody of that number")
	} else if err = s.db.SetActive(c.Request.Context(), id, c.PostForm("active") == "yes"); errors.Is(err,
		sqlite.ErrLastOwner) {
		err = shell.Refusef("a shop needs an owner: invite another one first")
	} else if err == nil {
		kind := auth.PersonDeactivated
		if c.PostForm("active") == "yes" {
			kind = auth.PersonActivated
		}
		name, _ := s.Names(c.Request.Context())
		s.notes.Note(c.Request, kind, shell.Person(c.Request.Context()), name(id))
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.Slip = text })
}

// changePassphrase changes one's own.
func (s *Screens) changePassphrase(c *gin.Context) {
	ctx := c.Request.Context()
	p := shell.Person(ctx)
	_, hash, err := s.db.Passphrase(ctx, p.Name)
	if err != nil {
		s.Internal(c, err)
		return
	}
	switch {
	case s.Demo:
		err = shell.Refusef("the demo has no passphrase")
	default:
		err = s.ownPassphrase(c, p, hash)
	}
	if err == nil {
		c.Header("HX-Redirect", "/sign-in") // all sessions have ended
	}
	s.answerPeople(c, err, func(v *peopleView, text string) { v.OwnSlip = text })
}

// ownPassphrase gives somebody another passphrase who knows the one of now. Wrong ones are held off like wrong
// ones at the door.
func (s *Screens) ownPassphrase(c *gin.Context, p auth.Person, hash string) error {
	if err := s.known(c, p, hash); err != nil {
		return err
	}
	if err := auth.Strong(c.PostForm("passphrase"), p.Name); err != nil {
		return shell.Refusef("%s", err.Error())
	}
	kept, err := auth.Hash(c.Request.Context(), c.PostForm("passphrase"))
	if err != nil {
		return shell.Refusef("%s", err.Error())
	}
	if err := s.db.SetPassphrase(c.Request.Context(), p.ID, kept); err != nil {
		return err
	}
	s.notes.Note(c.Request, auth.PassphraseChanged, p, "")
	return nil
}

// known says whether somebody has typed the passphrase that they have now; its error is for them.
func (s *Screens) known(c *gin.Context, p auth.Person, hash string) error {
	if wait := s.attempts.Allow(
		"own "+strconv.FormatInt(p.ID, 10),
		"from "+auth.Origin(s.visitors.From(c.Request)),
	); wait > 0 {
		return shell.Refusef("that was tried too often: wait %d seconds", int(wait.Seconds())+1)
	}
	right, err := auth.Verify(c.Request.Context(), c.PostForm("now"), hash)
	switch {
	case err != nil:
		return shell.Refusef("%s", err.Error())
	case !right:
		s.notes.Note(c.Request, auth.PassphraseRefused, p, "")
		return shell.Refusef("this is not your passphrase as it is now")
	}
	return nil
}
