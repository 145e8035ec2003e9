package carriers

import (
	"cmp"
	"context"
	"fmt"
	"html/template"
	"net/http"
	"strings"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

type view struct {
	Carriers       int
	OnCarriers     bool
	Rows           []row
	MayChange      bool
	KeyWithBackups bool
	AnySecret      bool
	ZonesKnown     bool

	TypedName, TypedURL string
	Slip                string
}

// row is a carrier.
type row struct {
	ID, Name, URL string
	Rename, Reach string // as typed, where it was refused
	Slip          string
	Tariff        bool // its address is that of a file
	Secret        services.SecretState
	SecretSaid    string
	May           bool // the secret may be changed
	MayConfirm    bool // that the secret of the environment is for this address
	Uses          []use
	Listed        []listed
	ListedAt      string
	Unknown       []string // services that methods ask for, and the carrier does not list
	Tried         *tried
	Record        recordView
	Standin       bool // it ships with the program
	Moods         []shell.Choice
}

type use struct{ ID, Name string }

// listed is a service as the carrier lists it.
type listed struct {
	Code, Name, Days string
	On               bool // a method has it on
}

func (s *Screens) view(ctx context.Context, state *draft.State) view {
	f := state.File
	v := view{
		Carriers: len(f.Carriers), OnCarriers: true, ZonesKnown: len(f.Zones) > 0,
		MayChange: shell.Person(ctx).Role == auth.Owner, KeyWithBackups: s.services.KeyWithBackups(),
	}
	for i := range f.Carriers {
		r := s.row(f, &f.Carriers[i])
		r.MayConfirm = v.MayChange && r.Secret == services.Unconfirmed
		r.May = v.MayChange && !r.Secret.Environment()
		v.AnySecret = v.AnySecret || r.Secret != services.NoSecret && !r.Secret.Environment()
		v.Rows = append(v.Rows, r)
	}
	return v
}

// secretWords say what is known of a secret.
var secretWords = map[services.SecretState]string{
	services.Kept:          "A secret is kept. It is never shown again.",
	services.OfEnvironment: "The program was started with its secret.",
	services.Elsewhere: "Its secret was given for another address and is not sent to this one. Give it again, or " +
		"change the address back.",
	services.NotHere: "The program was started with its secret for another address, and does not send it to this one.",
	services.Unconfirmed: "The program was started with its secret, and nobody has confirmed yet that it is for this " +
		"address. It is not asked until then.",
	services.Unreadable: "Its secret cannot be read here, because it was sealed with another key. Give it again.",
}

func (s *Screens) row(f *store.File, c *store.Carrier) row {
	r := row{ID: c.ID, Name: cmp.Or(c.Name, c.ID), URL: c.URL, Tariff: carriers.IsTariff(c.URL),
		Secret: s.services.SecretOf(c)}
	r.SecretSaid = secretWords[r.Secret]
	on := map[string]bool{}
	var asked []string
	for i := range f.Methods {
		m := &f.Methods[i]
		if m.Carrier == nil || m.Carrier.ID != c.ID {
			continue
		}
		r.Uses = append(r.Uses, use{m.ID, cmp.Or(m.Name, m.ID)})
		for _, service := range m.Carrier.Services {
			if service.Enabled && !on[service.Code] {
				on[service.Code] = true
				asked = append(asked, service.Code)
			}
		}
	}
	if known, ok := s.services.Listed(c); ok {
		r.list(known, on, asked)
	}
	r.Record = recordOf(f, c, s.services.Carriers.Record(c.ID))
	if of := s.services.Standins[carriers.Host(c.URL)]; of != nil {
		r.Standin, r.Moods = true, moodChoices(of.Mood.Get())
	}
	return r
}

// list shows the services of a carrier, and which that methods ask for it has not.
func (r *row) list(known services.Fetched, on map[string]bool, asked []string) {
	r.ListedAt = known.At.Format("15:04:05")
	has := map[string]bool{}
	for _, service := range known.Services {
		has[service.Code] = true
		r.Listed = append(r.Listed, listed{service.Code, service.Name, carriers.DaysText(service.Days),
			on[service.Code]})
	}
	for _, code := range asked {
		if !has[code] {
			r.Unknown = append(r.Unknown, code)
		}
	}
}

func (s *Screens) carriers(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/methods", Title: "Carriers", Template: "carriers"},
		s.view(c.Request.Context(), s.draft.State()))
}

func (s *Screens) edit(c *gin.Context, change func(*store.File) error, slipped func(*view, string)) {
	shell.EditWorkAt(s.Shell, c, "/methods", "carriers",
		func(state *draft.State) view { return s.view(c.Request.Context(), state) }, change, slipped)
}

// editRow is edit of the carrier of the address.
func (s *Screens) editRow(c *gin.Context, change func(f *store.File, id string) error, slipped func(*row, string)) {
	id := c.Param("carrier")
	s.edit(c, func(f *store.File) error { return change(f, id) }, func(v *view, text string) {
		if r := v.of(id); r != nil {
			slipped(r, text)
			return
		}
		v.Slip = text
	})
}

func (v *view) of(id string) *row {
	for i := range v.Rows {
		if v.Rows[i].ID == id {
			return &v.Rows[i]
		}
	}
	return nil
}

func (s *Screens) add(c *gin.Context) {
	name, url := c.PostForm("name"), c.PostForm("url")
	s.edit(c, func(f *store.File) error {
		if err := s.services.CheckCarrier(url); err != nil {
			return err
		}
		return edit.AddCarrier(f, name, url)
	}, func(v *view, text string) { v.TypedName, v.TypedURL, v.Slip = name, url, text })
}

func (s *Screens) set(c *gin.Context) {
	field, typed := c.PostForm("field"), c.PostForm("value")
	s.editRow(c, func(f *store.File, id string) error {
		if field == "name" {
			return edit.NameCarrier(f, id, typed)
		}
		if err := s.services.CheckCarrier(typed); err != nil {
			return err
		}
		if s.services.Moves(f.Carrier(id), typed) && shell.Person(c.Request.Context()).Role != auth.Owner {
			return edit.Problemf("this carrier has a secret, which would be for another address: ask an owner to move it")
		}
		return edit.MoveCarrier(f, id, typed)
	}, func(r *row, text string) {
		if r.Slip = text; field == "name" {
			r.Rename = typed
		} else {
			r.Reach = typed
		}
	})
}

func (s *Screens) remove(c *gin.Context) {
	s.editRow(c, edit.RemoveCarrier, func(r *row, text string) { r.Slip = text })
}

// carrier is the one of the address, as the draft has it.
func (s *Screens) carrier(c *gin.Context, state *draft.State) *store.Carrier {
	of := state.File.Carrier(c.Param("carrier"))
	if of == nil {
		s.Problem(c, http.StatusNotFound, "This carrier was removed meanwhile.")
	}
	return of
}

// setSecret keeps a secret or removes it, which holds at once, for live quotes too.
func (s *Screens) setSecret(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	of := s.carrier(c, state)
	if of == nil {
		return
	}
	typed := c.PostForm("value")
	if err := s.services.SetSecret(ctx, of, typed); err != nil {
		c.Header("HX-Retarget", "#secret-slip-"+of.ID) // the field keeps what was typed, and nothing repeats it
		c.Header("HX-Reswap", "innerHTML")
		s.Refused(c, err, func(text string) template.HTML { return s.Render("slip", text) })
		return
	}
	said := "given"
	if strings.TrimSpace(typed) == "" {
		said = "removed"
	}
	s.notes.Note(c.Request, auth.ServiceSet, shell.Person(ctx), "secret of the carrier "+cmp.Or(of.Name, of.ID)+": "+
		said)
	s.Answer(c, "/methods", state, s.Render("carriers", s.view(ctx, state)))
}

// confirm has the secret that the program was started with be for the carrier's address of now.
func (s *Screens) confirm(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	of := s.carrier(c, state)
	if of == nil {
		return
	}
	if err := s.services.Confirm(ctx, of); err != nil {
		s.Refused(c, err, func(text string) template.HTML { return s.Render("slip", text) })
		return
	}
	s.notes.Note(c.Request, auth.ServiceSet, shell.Person(ctx), "secret of the carrier "+cmp.Or(of.Name, of.ID)+
		": confirmed for "+of.URL)
	s.Answer(c, "/methods", state, s.Render("carriers", s.view(ctx, state)))
}

func (s *Screens) keepKey(c *gin.Context) {
	ctx, state, keep := c.Request.Context(), s.draft.State(), c.PostForm("value") == "on"
	if err := s.services.KeepKeyWithBackups(ctx, keep); err != nil {
		s.Internal(c, err)
		return
	}
	said := "the key of the carriers' secrets does not lie with the backups"
	if keep {
		said = "the key of the carriers' secrets lies with the backups"
	}
	s.notes.Note(c.Request, auth.ServiceSet, shell.Person(ctx), said)
	s.Answer(c, "/methods", state, s.Render("carriers", s.view(ctx, state)))
}

// addMethod adds a method with the services that the carrier listed last, all of them on.
func (s *Screens) addMethod(c *gin.Context) {
	s.editRow(c, func(f *store.File, id string) error {
		var codes []string
		if of := f.Carrier(id); of != nil {
			known, _ := s.services.Listed(of)
			for _, service := range known.Services {
				codes = append(codes, service.Code)
			}
		}
		return edit.AddCarrierMethod(f, id, c.PostForm("name"), codes)
	}, func(r *row, text string) { r.Slip = text })
}

// The moods of a stand-in, by what is chosen.
var moods = []struct {
	id, name string
	mood     standin.Misbehave
}{
	{"well", "answers as it should", standin.Misbehave{}},
	{"slow", "takes 3 seconds", standin.Misbehave{Slow: 3 * time.Second}},
	{"fail", "fails with an error", standin.Misbehave{Fail: true}},
	{"nonsense", "answers with a web page", standin.Misbehave{Nonsense: true}},
}

func moodChoices(now standin.Misbehave) (list []shell.Choice) {
	for _, m := range moods {
		list = append(list, shell.Choice{ID: m.id, Name: m.name, Chosen: m.mood == now})
	}
	return list
}

// setMood has a stand-in misbehave, and be asked anew.
func (s *Screens) setMood(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	of := s.carrier(c, state)
	if of == nil {
		return
	}
	stand := s.services.Standins[carriers.Host(of.URL)]
	if stand == nil {
		s.Problem(c, http.StatusNotFound, "This carrier is no stand-in.")
		return
	}
	for _, m := range moods {
		if m.id == c.PostForm("value") {
			stand.Mood.Set(m.mood)
		}
	}
	s.services.Carriers.Forget()
	s.Answer(c, "/methods", state, s.Render("carriers", s.view(ctx, state)))
}

// recordView is how a carrier answered.
type recordView struct {
	Since     string
	Line      string // "Last answer 14:02:11 · usually within 31 ms …"
	Counts    string
	Instead   []string
	Moved     []string
	Exchanges []exchangeView
	Open      bool // the last one failed
}

type exchangeView struct {
	At, Took, To, Parcels, Said string
	Failed                      bool
}

func recordOf(f *store.File, c *store.Carrier, r carriers.Record) recordView {
	v := recordView{Since: r.Since.Format("15:04")}
	if r.Questions == 0 && len(r.Recent) == 0 {
		return v
	}
	v.Line = "No answer yet"
	if !r.Last.IsZero() {
		v.Line = fmt.Sprintf("Last answer %s. Half of the answers took up to %s, 99 of 100 up to %s",
			r.Last.Format("15:04:05"), took(r.Median), took(r.P99))
	}
	v.Counts = plural.Count(r.Questions, "question") + " since " + v.Since
	if r.Questions > 0 {
		v.Counts += ", " + share(r.Remembered, r.Questions) + " answered from memory"
	}
	v.Counts += "; " + plural.Count(r.Exchanges, "exchange")
	if r.Exchanges > 0 {
		v.Counts += ", " + share(r.Failed, r.Exchanges) + " failed"
	}
	if r.LeftAlone > 0 {
		v.Counts += "; " + times(r.LeftAlone) + " it was not asked"
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		of := r.Instead[m.ID]
		for _, what := range []struct {
			kind quote.Instead
			said string
		}{
			{quote.InsteadTables, "the price of its own price list, as an estimate"},
			{quote.InsteadAgreed, "the agreed charge"},
			{quote.InsteadNone, "nothing: it was not offered"},
		} {
			if n := of[what.kind]; n > 0 {
				v.Instead = append(v.Instead, m.BuyersLabel()+": "+what.said+", "+times(n))
			}
		}
	}
	for _, m := range r.Moved {
		v.Moved = append(v.Moved, m.At.Format("15:04")+" "+m.String())
	}
	for _, x := range r.Recent {
		e := exchangeView{At: x.At.Format("15:04:05"), Took: "not asked", To: x.To, Said: x.Said,
			Parcels: plural.Count(x.Parcels, "parcel") + ", " + x.Kilograms + " kg"}
		if x.Took > 0 {
			e.Took = took(x.Took)
		}
		if x.Failure != "" {
			e.Failed, e.Said = true, sentence(c.Name+" "+x.Failure)
		}
		v.Exchanges = append(v.Exchanges, e)
	}
	v.Open = len(v.Exchanges) > 0 && v.Exchanges[0].Failed
	return v
}

// took writes how long something took: "31 ms", "1.5 s".
func took(d time.Duration) string {
	switch {
	case d < time.Millisecond:
		return "1 ms"
	case d < time.Second:
		return fmt.Sprintf("%d ms", d.Milliseconds())
	}
	return fmt.Sprintf("%.1f s", d.Seconds())
}

// share writes a part of a whole in per cent, and how many that is.
func share(part, whole int) string {
	if part == 0 {
		return "none"
	}
	return fmt.Sprintf("%.3g %% (%s)", float64(part)*100/float64(whole), plural.Number(part))
}

func times(n int) string {
	if n == 1 {
		return "once"
	}
	return plural.Number(n) + " times"
}

func sentence(text string) string {
	if text == "" {
		return ""
	}
	return strings.ToUpper(text[:1]) + text[1:]
}
