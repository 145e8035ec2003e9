package promises

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/promise"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/notices"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/quotes"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// Kept is a promise with what became of it.
type Kept struct {
	promise.Result
	Was, BrokenBy string
	Body          promise.Promise
}

// keeper has what became of all promises in a state of the draft.
type keeper struct {
	mu    sync.Mutex
	state *draft.State // nil: to be checked again
	at    time.Time
	list  []Kept
}

// maxAge is for how long what became of promises counts where it rests on what carriers say.
const maxAge = 10 * time.Minute

// All checks the promises against the draft as it is now, once for each state of it. What a promise was
// when it held last, and the edit that broke it, are kept.
func (s *Screens) All(ctx context.Context) ([]Kept, error) { return s.all(ctx, true) }

// all is All; wait is whether it waits for carriers. Where it does not, nothing is kept of promises that are pending.
func (s *Screens) all(ctx context.Context, wait bool) ([]Kept, error) {
	state := s.draft.State()
	asks := state.Engine.AsksCarriers()
	s.keeper.mu.Lock()
	defer s.keeper.mu.Unlock()
	if s.keeper.state == state && !(asks && time.Since(s.keeper.at) > maxAge) {
		return s.keeper.list, nil
	}
	rows, err := s.db.Promises(ctx)
	if err != nil {
		return nil, err
	}
	engine, pending := s.asking(state, rows, wait), false
	list, changed := make([]Kept, 0, len(rows)), []sqlite.KeptPromise(nil)
	var broken []sqlite.Notice
	for _, row := range rows {
		k := Kept{
			promise.Result{ID: row.ID, Is: "cannot be checked"},
			row.Was,
			row.BrokenBy,
			promise.Promise{ID: row.ID},
		}
		s.Part("promise", func() {
			var p promise.Promise
			if err := json.Unmarshal(row.Body, &p); err != nil {
				s.Log.Error("promise", "id", row.ID, "error", err)
				return
			}
			k.Body, k.Name, k.Wanted = p, p.Name, ""
			k.Result = p.Check(engine)
		})
		switch {
		case k.Pending:
			pending = true
		case k.Holds:
			k.Was, k.BrokenBy = k.Is, ""
		case k.BrokenBy == "":
			k.BrokenBy = blamed(state, engine, &k)
		}
		if k.Was != row.Was || k.BrokenBy != row.BrokenBy {
			changed = append(changed, sqlite.KeptPromise{ID: row.ID, Was: k.Was, BrokenBy: k.BrokenBy})
			if row.BrokenBy == "" && k.BrokenBy != "" {
				broken = append(broken, notices.Of(notices.PromiseBroken, notices.Promise{Promise: k.ID, Name: k.Name,
					Wanted: k.Wanted, Is: k.Is, BrokenBy: k.BrokenBy}))
			}
		}
		list = append(list, k)
	}
	if len(changed) > 0 {
		if err := s.db.MarkPromises(ctx, changed, broken...); err != nil {
			return nil, err
		}
	}
	if !pending {
		s.keeper.state, s.keeper.at, s.keeper.list = state, time.Now(), list
	}
	return list, nil
}

// Bodies lists the promises as they were made; those that wait for a carrier too.
func (s *Screens) Bodies(ctx context.Context) ([]promise.Promise, error) {
	list, err := s.all(ctx, false)
	bodies := make([]promise.Promise, len(list))
	for i := range list {
		bodies[i] = list[i].Body
	}
	return bodies, err
}

// asking is the engine that checks promises: it has asked carriers about all of them at once, or does not wait.
func (s *Screens) asking(state *draft.State, rows []sqlite.KeptPromise, wait bool) *quote.Engine {
	switch {
	case !state.Engine.AsksCarriers():
		return state.Engine
	case !wait:
		return state.Engine.NotWaiting()
	}
	var list []promise.Promise
	for _, row := range rows {
		var p promise.Promise
		if json.Unmarshal(row.Body, &p) == nil { // one that cannot be read is noted where it is checked
			list = append(list, p)
		}
	}
	return promise.Ahead(state.Engine, list)
}

// blamed is what broke a promise: the last edit, or a carrier, where the promise would be broken without that edit too.
func blamed(state *draft.State, engine *quote.Engine, k *Kept) string {
	edit := cmp.Or(state.What, "an earlier change")
	if k.Carrier == "" {
		return edit
	}
	if state.Before != nil {
		if was := k.Body.Check(state.Before.Like(engine)); was.Holds || was.Carrier == "" {
			return edit
		}
	}
	return "no edit: " + k.Carrier
}

// recheck has the promises read and checked again.
func (s *Screens) recheck() {
	s.keeper.mu.Lock()
	s.keeper.state = nil
	s.keeper.mu.Unlock()
}

// Promises says in a few words how many promises hold; broken is whether one does not.
func (s *Screens) Promises(ctx context.Context) (said string, broken bool, err error) {
	list, err := s.all(ctx, false)
	if err != nil {
		return "", false, err
	}
	said, broken = Said(list)
	return said, broken, nil
}

// Said says in a few words how many promises hold.
func Said(list []Kept) (said string, broken bool) {
	n, pending := 0, 0
	for i := range list {
		if list[i].Pending {
			pending++
		} else if !list[i].Holds {
			n++
		}
	}
	switch {
	case len(list) == 0:
		return "", false
	case pending > 0 && n == 0:
		return fmt.Sprintf("%d of %d promises wait for a carrier", pending, len(list)), false
	case n > 0:
		return fmt.Sprintf("%d of %d promises broken", n, len(list)), true
	case len(list) == 1:
		return "1 promise holds", false
	}
	return fmt.Sprintf("%d promises hold", len(list)), false
}

// Row is a promise as it is shown.
type Row struct {
	Kept
	What, Now string
}

type promisesView struct {
	Runs []shell.Choice
	Rows []Row
	Said string
	Slip string // why a file was not imported

	Find   string // what is looked for, as typed
	Found  int    // how many have it
	Long   bool   // there are more than are shown at once
	Window *shell.Window
}

// maxShown is how many promises are shown at once.
const maxShown = 50

// shown leaves out of a page what the query does not ask for: promises without one of the words that are looked for,
// and those of other parts of a long list.
func (v promisesView) shown(query url.Values) promisesView {
	v.Long = len(v.Rows) > maxShown
	v.Find = query.Get("find")
	if words := strings.Fields(strings.ToLower(v.Find)); len(words) > 0 {
		v.Rows = slices.DeleteFunc(v.Rows, func(r Row) bool {
			text := strings.ToLower(r.What + "\n" + r.Name + "\n" + r.Now)
			return slices.ContainsFunc(words, func(w string) bool { return !strings.Contains(text, w) })
		})
	}
	v.Found = len(v.Rows)
	v.Window = shell.WindowOf(query, "from", maxShown, len(v.Rows))
	first, last := v.Window.Bounds(len(v.Rows))
	v.Rows = v.Rows[first:last]
	return v
}

func (s *Screens) promisesPage(c *gin.Context) {
	list, err := s.All(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.Show(c, shell.Page{Here: "/quotes", Title: "Promises", Template: "promises"},
		ViewOf(s.draft.State().File, list).shown(c.Request.URL.Query()))
}

// wantedPrice writes what a promise wants delivery to cost: "€6.90", "at most €6.90".
func wantedPrice(f *store.File, p *promise.Promise) string {
	price := world.DeliveryPrice(f.Store.Units().Money(*p.Amount), f.Store.Currency)
	if p.Holds == promise.AtMost {
		return "at most " + price
	}
	return price
}

// BrokenBy lists the promises that hold in the draft and would not with another engine.
func (s *Screens) BrokenBy(ctx context.Context, e *quote.Engine) ([]Row, error) {
	list, err := s.All(ctx)
	if err != nil {
		return nil, err
	}
	var broken []Kept
	bodies := make([]promise.Promise, len(list))
	for i := range list {
		bodies[i] = list[i].Body
	}
	if e.AsksCarriers() {
		e = promise.Ahead(e, bodies)
	}
	for _, k := range list {
		if r := k.Body.Check(e); k.Holds && !r.Holds {
			broken = append(broken, Kept{Result: r, Was: k.Is, Body: k.Body})
		}
	}
	return ViewOf(e.Store(), broken).Rows, nil
}

// ViewOf is the page of promises.
func ViewOf(f *store.File, list []Kept) promisesView {
	v := promisesView{Runs: slices.Clone(quotes.Runs)}
	v.Said, _ = Said(list)
	for _, k := range list {
		row := Row{Kept: k, Now: k.Is}
		if k.Body.Holds == promise.Zone {
			row.What = f.ZoneName(k.Wanted) + " takes the address"
			row.Now, row.Was = f.ZoneName(k.Is), f.ZoneName(k.Was)
		} else {
			what := "is " + k.Wanted
			if k.Body.Amount != nil {
				what = "costs " + wantedPrice(f, &k.Body)
			}
			row.Now, row.Was = world.DeliveryPrice(k.Is, f.Store.Currency), world.DeliveryPrice(k.Was, f.Store.Currency)
			label := k.Body.Method
			if m := f.Method(k.Body.Method); m != nil {
				label = m.BuyersLabel()
			}
			if k.Body.Service != "" {
				label += " by " + k.Body.Service
			}
			row.What = label + " " + what
		}
		v.Rows = append(v.Rows, row)
	}
	slices.SortStableFunc(v.Rows, func(a, b Row) int { // the broken ones first
		switch {
		case a.Holds == b.Holds:
			return 0
		case b.Holds:
			return -1
		}
		return 1
	})
	return v
}

// keepPromise keeps what the Till shows of a method as it is seen.
func (s *Screens) keepPromise(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	said, err := s.makePromise(ctx, state, samples.Wanted{
		Holds:   promise.Kind(c.PostForm("holds")),
		Method:  c.PostForm("method"),
		Service: c.PostForm("service"),
		Amount:  c.PostForm("amount"),
		Zone:    c.PostForm("zone"),
	})
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		said = text
	}
	s.recheck()
	history, err := s.History(ctx, said)
	if err != nil {
		s.Internal(c, err)
		return
	}
	c.Header("HX-Trigger", "till-changed")
	s.HTML(c, http.StatusOK, history)
}

// makePromise keeps a promise, and says what was kept.
func (s *Screens) makePromise(ctx context.Context, state *draft.State, want samples.Wanted) (said string, err error) {
	t, err := samples.Till(ctx, s.db, state.File)
	if err != nil {
		return "", err
	}
	p, err := samples.Promise(state.Engine, t, want)
	if err != nil {
		return "", err
	}
	list, err := s.db.Promises(ctx)
	if err != nil {
		return "", err
	}
	if len(list) >= promise.Max {
		return "", shell.Refusef("there are %d promises already; no more are kept", promise.Max)
	}
	ids := map[string]bool{}
	for _, row := range list {
		ids[row.ID] = true
		var old promise.Promise
		if err := json.Unmarshal(row.Body, &old); err != nil {
			return "", err
		}
		if old.ID = ""; string(marshalled(old)) == string(marshalled(p)) {
			return "This is promised already", nil
		}
	}
	p.ID = store.NewID("Promise", "promise", func(id string) bool { return ids[id] })
	kept := sqlite.KeptPromise{ID: p.ID, Body: marshalled(p), Was: p.Check(state.Engine).Is}
	return "Promised: " + p.Name, s.db.AddPromises(ctx, kept)
}

func marshalled(p promise.Promise) []byte {
	out, err := json.Marshal(p)
	if err != nil {
		panic(err) // its request is JSON
	}
	return out
}

// forgetPromise removes a promise.
func (s *Screens) forgetPromise(c *gin.Context) {
	if err := s.db.RemovePromise(c.Request.Context(), c.Param("promise")); err != nil {
		s.Internal(c, err)
		return
	}
	s.answerPromises(c)
}

func (s *Screens) answerPromises(c *gin.Context) {
	s.recheck()
	ctx := c.Request.Context()
	list, err := s.All(ctx)
	if err != nil {
		s.Internal(c, err)
		return
	}
	history, err := s.History(ctx, "")
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusOK, s.Render("promises", ViewOf(s.draft.State().File, list).shown(shell.Viewed(c))), history)
}

// tryPromise puts a promise's cart and address into the Till.
func (s *Screens) tryPromise(c *gin.Context) {
	list, err := s.All(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.till.Change(c, func(f *store.File, t *sqlite.Till) error {
		i := slices.IndexFunc(list, func(k Kept) bool { return k.ID == c.Param("promise") })
		if i < 0 {
			return shell.Refusef("this promise was removed meanwhile")
		}
		till, err := samples.OfRequest(list[i].Body.Request, f.Home())
		if err == nil {
			*t = till
		}
		return err
	}, func(slips *till.Slips, text string) { slips.DestinationSlip = text })
}

// importPromises takes a list in that was written here or by hand: a promise whose id is there already takes
// that one's place.
func (s *Screens) importPromises(c *gin.Context) {
	name, body, err := upload.Sent(c)
	var list []promise.Promise
	if err == nil {
		list, err = s.readPromises(c.Request.Context(), name, body)
	}
	kept := make([]sqlite.KeptPromise, len(list))
	for i := range list {
		kept[i] = sqlite.KeptPromise{ID: list[i].ID, Body: marshalled(list[i])}
	}
	if err == nil {
		err = s.db.AddPromises(c.Request.Context(), kept...)
	}
	if err == nil {
		s.answerPromises(c)
		return
	}
	text, ok := shell.Told(err)
	if !ok {
		s.Internal(c, err)
		return
	}
	there, err := s.All(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	v := ViewOf(s.draft.State().File, there).shown(shell.Viewed(c))
	v.Slip = text
	s.HTML(c, http.StatusUnprocessableEntity, s.Render("promises", v))
}

// MaxFile is the largest list of promises that is imported, in bytes.
const MaxFile = 8 << 20

func (s *Screens) readPromises(ctx context.Context, name string, body io.Reader) ([]promise.Promise, error) {
	data, err := io.ReadAll(io.LimitReader(body, MaxFile+1))
	switch {
	case err != nil:
		return nil, err
	case len(data) > MaxFile:
		return nil, shell.Refusef("%.60s has more than %d MB: no list of promises is so long", name, MaxFile>>20)
	}
	list, faults, err := s.Files.Promises(ctx, data)
	if text, ok := files.Told(err); ok {
		return nil, shell.Refusef("%.60s was not imported: %s", name, text)
	}
	if err != nil {
		return nil, err
	}
	if len(faults) > 0 {
		more := ""
		if len(faults) > 1 {
			more = fmt.Sprintf(" (and %d more)", len(faults)-1)
		}
		return nil, shell.Refusef(
			"%.60s was not imported: %s at %s%s",
			name,
			faults[0].Message,
			cmp.Or(faults[0].Path, "its beginning"),
			more,
		)
	}
	return list, nil
}

// exportPromises writes the list for the command line.
func (s *Screens) exportPromises(c *gin.Context) {
	list, err := s.All(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	bodies := make([]promise.Promise, len(list))
	for i := range list {
		bodies[i] = list[i].Body
	}
	c.Header("Content-Disposition", `attachment; filename="store.promises.json"`)
	c.Data(http.StatusOK, "application/json", promise.Write(bodies))
}
