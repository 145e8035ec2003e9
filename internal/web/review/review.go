package review

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/review/changes"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// facts is what a warning rests on, as a hash.
func facts(w *warnings.Warning) string {
	sum := sha256.Sum256([]byte(w.Facts()))
	return hex.EncodeToString(sum[:])
}

// group is the warnings of one severity.
type group struct {
	Severity, Says string // and what it means
	Rows           []row
}

// row is a warning as it is shown.
type row struct {
	Key, Message string
	Place, Path  string // the station on which it is dealt with
	Slip         *slip  // nil: no cart shows it
	Mend         string
	Note         string // of one that is meant
	Who          string
	Asks         bool // it is asked why it is meant
	Wrong        string
}

// slip is a witness: a cart to an address, and what it gets.
type slip struct {
	Cart, To string
	Gets     []got
	Tries    bool // it can be put into the Till
}

// got is a line of what a witness gets: an option with its price, or why there is none.
type got struct{ What, Price string }

// view is the page.
type view struct {
	Groups  []group
	Count   int
	Window  *shell.Window // those that are shown; nil for all
	Reading bool          // they are those of a state before: the shop is still being read
	Meant   []row
	Notice  string
}

// maxRows is how many warnings are shown at once, the worst first.
const maxRows = 50

func (s *Screens) view(c *gin.Context, state *draft.State) (v view, err error) {
	ctx := c.Request.Context()
	reading, done := state.Soon()
	if v.Reading = !done; reading == nil {
		return v, nil
	}
	found, err := s.sort(ctx, state, reading)
	if err != nil {
		return v, err
	}
	name, err := s.Names(ctx)
	if err != nil {
		return v, err
	}
	engine := reading.Engine()
	v.Count = len(found.List)
	v.Window = shell.WindowOf(shell.Viewed(c), "from", maxRows, v.Count)
	from, to := v.Window.Bounds(v.Count)
	for i := from; i < to; i++ {
		w := &found.List[i]
		if n := len(v.Groups); n == 0 || v.Groups[n-1].Severity != w.Severity.String() {
			v.Groups = append(v.Groups, group{Severity: w.Severity.String(), Says: w.Severity.Means()})
		}
		g := &v.Groups[len(v.Groups)-1]
		g.Rows = append(g.Rows, rowOf(state, engine, w))
	}
	for i := range found.Meant {
		m := &found.Meant[i]
		r := rowOf(state, engine, &m.Warning)
		r.Note, r.Who = m.Note, strings.TrimPrefix(name(m.By)+", "+shell.Moment(m.At), ", ")
		v.Meant = append(v.Meant, r)
	}
	return v, nil
}

func rowOf(state *draft.State, e *quote.Engine, w *warnings.Warning) row {
	r := row{Key: w.Key, Message: w.Message}
	r.Place, r.Path = shell.StationOf(w)
	if w.Mend != nil {
		r.Mend = w.Mend.Text
	}
	if w.Witness != nil {
		r.Slip = slipOf(state, e, w)
	}
	return r
}

// maxGets is how many options of a witness are shown.
const maxGets = 4

// slipOf asks a witness and says what it gets: of a warning about a method, only that, and the one that it is compared
// with; of one about zones, which of them take the address.
func slipOf(state *draft.State, e *quote.Engine, w *warnings.Warning) *slip {
	f, q := state.File, w.Witness
	switch { // what is not shown need not be quoted
	case aboutZones[w.Code]:
		e = e.Only()
	case w.Method != "":
		e = e.Only(w.Method, w.Other)
	}
	s := &slip{Cart: cartWords(f, q), To: addressWords(state, q.To)}
	if than := w.Compared(); than != nil {
		for _, o := range optionsOf(f, e.Quote(than), w) {
			s.Gets = append(s.Gets, got{cartWords(f, than), o.Price})
		}
		for _, o := range optionsOf(f, e.Quote(w.Witness), w) {
			s.Gets = append(s.Gets, got{s.Cart, o.Price})
		}
		s.Cart = f.Method(w.Method).BuyersLabel()
	} else if a := e.Quote(q); aboutZones[w.Code] {
		for _, z := range a.Zones {
			s.Gets = append(s.Gets, got{f.ZoneName(z.Zone), z.Because})
		}
	} else {
		s.Gets = optionsOf(f, a, w)
	}
	if len(s.Gets) == 0 {
		s.Gets = []got{{What: "Nothing is offered"}}
	}
	if more := len(s.Gets) - maxGets; more > 0 {
		s.Gets = append(s.Gets[:maxGets], got{What: fmt.Sprintf("and %d more", more)})
	}
	if w.Code == warnings.TaxMissing {
		s.Gets = append(s.Gets, got{"Tax in these prices", "none"})
	}
	_, s.Tries = tillOf(state, e, w)
	return s
}

// optionsOf are the options of an answer that a warning is about, and why its method is not among them.
func optionsOf(f *store.File, a *quote.Answer, w *warnings.Warning) (list []got) {
	for i := range a.Options {
		o := &a.Options[i]
		if w.Method != "" && o.Method != w.Method && o.Method != w.Other {
			continue
		}
		text := o.Label
		if days := terms.FormatDays(o.Days); w.Other != "" && days != "" {
			text += ", " + days
		}
		list = append(list, got{text, world.DeliveryPrice(o.Charge, f.Store.Currency)})
	}
	for i := range a.Refused {
		if r := &a.Refused[i]; w.Method != "" && r.Method == w.Method {
			list = append(list, got{What: f.Method(r.Method).BuyersLabel() + ": " + r.Reason})
		}
	}
	return list
}

// addressWords writes an address, with the town where a list has its code.
func addressWords(state *draft.State, a place.Address) string {
	if g := state.Engine.Gazetteer(); g != nil && a.Postcode != "" && a.City == "" {
		if known := g.Postcode(a.Country, postcode.Read(a.Country, a.Postcode)); len(known) > 0 {
			a.City = known[0].Name
		}
	}
	return a.Line(state.Reader().Home)
}

// aboutZones are the warnings of which the zones that take an address show more than what it is offered.
var aboutZones = map[warnings.Code]bool{warnings.ZonesTie: true, warnings.EntryRepeated: true,
	warnings.EntrySwallowed: true, warnings.EntryUnlisted: true, warnings.ZoneUnreachable: true}

// cartWords says in a few words what is in a cart, with what goods of its own measure.
func cartWords(f *store.File, q *quote.Request) string {
	u := f.Store.Units()
	var parts []string
	for i := range q.Lines {
		l := &q.Lines[i]
		text := fmt.Sprintf("%d × %s", l.Quantity, cmp.Or(l.Product.Name, l.Product.SKU))
		if l.Product.SKU == "" {
			text += " at " + world.Price(u.Money(l.Product.Price), f.Store.Currency)
			if w := l.Product.Weight; w != nil {
				text += ", " + u.Measure(rate.ByWeight, *w)
			}
			if l.Product.Class != "" {
				text += ", " + f.ClassName(l.Product.Class)
			}
		}
		parts = append(parts, text)
	}
	if len(q.Coupons) > 0 {
		parts = append(parts, "coupon "+strings.Join(q.Coupons, ", "))
	}
	if q.Group != "" {
		parts = append(parts, "group "+q.Group)
	}
	return strings.Join(parts, ", ")
}

// tillOf is a Till with the witness of a warning in it; false where an address cannot be typed so.
func tillOf(state *draft.State, e *quote.Engine, w *warnings.Warning) (t sqlite.Till, ok bool) {
	if w.Witness == nil {
		return t, false
	}
	data, err := json.Marshal(w.Witness.For(state.File))
	if err != nil {
		return t, false
	}
	if t, err = samples.OfRequest(data, state.Reader().Home); err != nil {
		return t, false
	}
	q, lines, err := samples.Request(state.Engine, t)
	if err != nil || len(lines) != len(w.Witness.Lines) {
		return t, false
	}
	q.At = w.Witness.At
	tried := *w
	tried.Witness = &q
	return t, tried.Holds(e)
}

func (s *Screens) page(c *gin.Context) {
	v, err := s.view(c, s.draft.State())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Here: "/warnings", Title: "Warnings", Template: "review"}, v)
}

// warning finds a warning by its key, meant or not.
func (s *Screens) warning(ctx context.Context, key string) (w warnings.Warning, err error) {
	found, err := s.Of(ctx, s.draft.State())
	if err != nil {
		return w, err
	}
	for i := range found.Meant {
		found.List = append(found.List, found.Meant[i].Warning)
	}
	i := slices.IndexFunc(found.List, func(w warnings.Warning) bool { return w.Key == key })
	if i < 0 {
		return w, shell.Refusef("this warning is gone: something was changed meanwhile")
	}
	return found.List[i], nil
}

// preview says what a mend would change and what buyers would notice of it.
func (s *Screens) preview(c *gin.Context) {
	ctx := c.Request.Context()
	w, err := s.warning(ctx, c.Query("key"))
	if err == nil && w.Mend == nil {
		err = shell.Refusef("there is not one clear way to mend this")
	}
	var state *draft.State
	if err == nil {
		state, err = s.draft.Try(w.Mend.Do)
	}
	if err != nil {
		s.refuse(c, err)
		return
	}
	now := s.draft.State()
	list := changes.Between(now.Side(), state.Side())
	report, err := samples.Compare(ctx, s.db, now.Engine, state.Engine)
	if err != nil {
		s.Internal(c, err)
		return
	}
	notice := "Of " + plural.Count(report.Asked, "sample quote") + " none changes for buyers."
	if n := report.Asked - report.Same; n > 0 {
		first := report.Shifts[0]
		notice = fmt.Sprintf(
			"%s of %d changes for buyers, such as %s %s.",
			plural.Count(n, "sample quote"),
			report.Asked,
			first.Label,
			first.Kind,
		)
	}
	s.HTML(c, http.StatusOK, s.Render("mend-preview", []string{changes.Summary(list) + ".", notice}))
}

// refuse answers what cannot be done.
func (s *Screens) refuse(c *gin.Context, err error) {
	if errors.Is(err, warnings.ErrMoved) {
		err = shell.Refusef("%s", err.Error())
	}
	s.Refused(c, err, func(text string) template.HTML { return s.Render("mend-preview", []string{text + "."}) })
}

// mend does away with a warning: an edit as any other, which is undone as one.
func (s *Screens) mend(c *gin.Context) {
	ctx := c.Request.Context()
	w, err := s.warning(ctx, c.PostForm("key"))
	if err == nil && w.Mend == nil {
		err = shell.Refusef("there is not one clear way to mend this")
	}
	var state *draft.State
	if err == nil {
		state, err = s.draft.Edit(ctx, w.Mend.Do)
	}
	if err != nil {
		if errors.Is(err, warnings.ErrMoved) {
			err = shell.Refusef("%s", err.Error())
		}
		s.again(c, err, c.PostForm("key"))
		return
	}
	s.answer(c, state, "Done: "+w.Mend.Text)
}

// again answers with the page and what was wrong beside the warning.
func (s *Screens) again(c *gin.Context, err error, key string) {
	text, ok := shell.Told(err)
	if !ok {
		s.Internal(c, err)
		return
	}
	v, err := s.view(c, s.draft.State())
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Notice = text + "."
	for i := range v.Groups {
		for j := range v.Groups[i].Rows {
			if r := &v.Groups[i].Rows[j]; r.Key == key {
				r.Wrong, r.Note, r.Asks, v.Notice = text, c.PostForm("note"), true, ""
			}
		}
	}
	s.HTML(c, http.StatusUnprocessableEntity, s.Render("review", v))
}

// answer answers with the page as it is now.
func (s *Screens) answer(c *gin.Context, state *draft.State, said string) {
	v, err := s.view(c, state)
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.AnswerSaying(c, "/warnings", state, said, s.Render("review", v))
}

// try puts the witness of a warning into the Till.
func (s *Screens) try(c *gin.Context) {
	w, err := s.warning(c.Request.Context(), c.PostForm("key"))
	s.till.Change(c, func(_ *store.File, t *sqlite.Till) error {
		if err != nil {
			return err
		}
		state := s.draft.State()
		with, ok := tillOf(state, state.Warnings().Engine(), &w)
		if !ok {
			return shell.Refusef("this cart cannot be put into the Till")
		}
		*t = with
		return nil
	}, func(slips *till.Slips, text string) { slips.DestinationSlip = text })
}

// maxNote is the longest note, in letters.
const maxNote = 300

// meant keeps that a warning is meant.
func (s *Screens) meant(c *gin.Context) {
	ctx := c.Request.Context()
	note := strings.Join(strings.Fields(c.PostForm("note")), " ")
	w, err := s.warning(ctx, c.PostForm("key"))
	switch {
	case err != nil:
	case note == "":
		err = shell.Refusef("say in a few words why it is meant, for whoever reads it next")
	case len([]rune(note)) > maxNote:
		err = shell.Refusef("a note has at most %d letters", maxNote)
	}
	if err != nil {
		s.again(c, err, c.PostForm("key"))
		return
	}
	if err := s.db.SetMeant(ctx, sqlite.Meant{Warning: w.Key, Facts: facts(&w), Note: note, By: shell.Person(ctx).ID,
		At: time.Now()}); err != nil {
		s.Internal(c, err)
		return
	}
	s.answer(c, s.draft.State(), "Noted as meant")
}

// unmeant has a warning count again.
func (s *Screens) unmeant(c *gin.Context) {
	if err := s.db.UnsetMeant(c.Request.Context(), c.PostForm("key")); err != nil {
		s.Internal(c, err)
		return
	}
	s.answer(c, s.draft.State(), "Counts again")
}
