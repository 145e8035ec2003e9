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

	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/changes"
	"diadrom/internal/review/promise"
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

// kept reads the promises that are kept; those that cannot be read are left to their own page.
func kept(rows []sqlite.KeptPromise) (list []promise.Promise) {
	for _, row := range rows {
		var p promise.Promise
		if err := json.Unmarshal(row.Body, &p); err == nil {
			p.ID = row.ID
			list = append(list, p)
		}
	}
	return list
}

// row is a warning as it is shown.
type row struct {
	Key, Message   string
	Severity, Says string // the severity and what it means
	Title          string
	Place, Path    string // the station on which it is mended
	Slip           *slip  // nil: no cart shows it
	Mend           string
	Note           string // of one that is meant
	Who            string
	Asks           bool // it is asked why it is meant
	Wrong          string
}

// slip is a witness: a cart to an address, and what it gets.
type slip struct {
	Cart, To string
	Gets     []string
	Tries    bool // it can be put into the Till
}

// says is what each severity means for buyers.
var says = map[warnings.Severity]string{
	warnings.Blocks: "buyers cannot order",
	warnings.Loses:  "buyers pay too little",
	warnings.Deters: "buyers pay too much, or are told what is not so",
	warnings.Untidy: "buyers notice nothing",
}

// view is the page.
type view struct {
	Rows   []row
	Meant  []row
	Said   string
	Notice string
	Tidy   bool
}

func (s *Screens) view(ctx context.Context, state *draft.State) (v view, err error) {
	found, err := s.Of(ctx, state)
	if err != nil {
		return v, err
	}
	name, err := s.Names(ctx)
	if err != nil {
		return v, err
	}
	engine := state.Warnings().Engine()
	for i := range found.List {
		v.Rows = append(v.Rows, rowOf(state, engine, &found.List[i]))
	}
	for i := range found.Meant {
		m := &found.Meant[i]
		r := rowOf(state, engine, &m.Warning)
		r.Note, r.Who = m.Note, strings.TrimPrefix(name(m.By)+", "+shell.Moment(m.At), ", ")
		v.Meant = append(v.Meant, r)
	}
	v.Said = said(found.List)
	return v, nil
}

// said counts warnings by what they cost.
func said(list []warnings.Warning) string {
	counts := map[warnings.Severity]int{}
	for i := range list {
		counts[list[i].Severity]++
	}
	var parts []string
	for s := warnings.Blocks; s >= warnings.Untidy; s-- {
		if n := counts[s]; n > 0 {
			parts = append(parts, fmt.Sprintf("%d where %s", n, says[s]))
		}
	}
	return strings.Join(parts, ", ")
}

func rowOf(state *draft.State, e *quote.Engine, w *warnings.Warning) row {
	r := row{Key: w.Key, Message: w.Message, Severity: w.Severity.String(), Says: says[w.Severity],
		Title: warnings.Titles[w.Code]}
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

// slipOf asks a witness and says what it gets: of a warning about a method, only that.
func slipOf(state *draft.State, e *quote.Engine, w *warnings.Warning) *slip {
	f, q := state.File, w.Witness
	s := &slip{Cart: cartWords(f, q), To: q.To.Line(state.Reader().Home)}
	a := e.Quote(q)
	for i := range a.Options {
		o := &a.Options[i]
		if w.Method == "" || o.Method == w.Method {
			text := o.Label + " " + world.DeliveryPrice(o.Charge, f.Store.Currency)
			if !o.Amounts.Tax.IsZero() {
				text += ", " + world.Price(o.Tax, f.Store.Currency) + " of it tax"
			}
			s.Gets = append(s.Gets, text)
		}
	}
	for i := range a.Refused {
		if r := &a.Refused[i]; w.Method != "" && r.Method == w.Method {
			s.Gets = append(s.Gets, f.Method(r.Method).BuyersLabel()+": "+r.Reason)
		}
	}
	if len(s.Gets) == 0 {
		s.Gets = []string{"nothing is offered"}
	}
	if more := len(s.Gets) - maxGets; more > 0 {
		s.Gets = append(s.Gets[:maxGets], fmt.Sprintf("and %d more", more))
	}
	_, s.Tries = tillOf(state, w)
	return s
}

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
func tillOf(state *draft.State, w *warnings.Warning) (t sqlite.Till, ok bool) {
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
	return t, tried.Holds(state.Warnings().Engine())
}

func (s *Screens) page(c *gin.Context) {
	v, err := s.view(c.Request.Context(), s.draft.State())
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
		notice = fmt.Sprintf("%s of %d changes for buyers, such as %s %s.", plural.Count(n, "sample quote"), report.Asked,
			first.Label, first.Kind)
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
	v, err := s.view(c.Request.Context(), s.draft.State())
	if err != nil {
		s.Internal(c, err)
		return
	}
	at := slices.IndexFunc(v.Rows, func(r row) bool { return r.Key == key })
	if at < 0 {
		v.Notice = text
	} else {
		v.Rows[at].Wrong, v.Rows[at].Note, v.Rows[at].Asks = text, c.PostForm("note"), true
	}
	s.HTML(c, http.StatusUnprocessableEntity, s.Render("review", v))
}

// answer answers with the page as it is now.
func (s *Screens) answer(c *gin.Context, state *draft.State, said string) {
	v, err := s.view(c.Request.Context(), state)
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
		with, ok := tillOf(s.draft.State(), &w)
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
