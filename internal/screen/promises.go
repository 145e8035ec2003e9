package screen

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strings"
	"sync"

	"diadrom/internal/draft"
	"diadrom/internal/edit"
	"diadrom/internal/exact"
	"diadrom/internal/place"
	"diadrom/internal/promise"
	"diadrom/internal/samples"
	"diadrom/internal/storage"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// kept is a promise with what became of it.
type kept struct {
	promise.Result
	Was, BrokenBy string
	body          promise.Promise
}

// keeper has what became of all promises in a state of the draft.
type keeper struct {
	mu    sync.Mutex
	state *draft.State // nil: to be checked anew
	list  []kept
}

// promises checks the promises against the draft as it is now, once for each state of it. What a promise was
// when it held last, and the edit that broke it, are kept.
func (s *Server) promises(ctx context.Context) ([]kept, error) {
	state := s.draft.State()
	s.keeper.mu.Lock()
	defer s.keeper.mu.Unlock()
	if s.keeper.state == state {
		return s.keeper.list, nil
	}
	rows, err := s.db.Promises(ctx)
	if err != nil {
		return nil, err
	}
	list, changed := make([]kept, 0, len(rows)), []storage.KeptPromise(nil)
	for _, row := range rows {
		k := kept{
			promise.Result{ID: row.ID, Is: "cannot be checked"},
			row.Was,
			row.BrokenBy,
			promise.Promise{ID: row.ID},
		}
		s.part("promise", func() {
			var p promise.Promise
			if err := json.Unmarshal(row.Body, &p); err != nil {
				s.log.Error("promise", "id", row.ID, "error", err)
				return
			}
			k.body, k.Name, k.Wanted = p, p.Name, ""
			k.Result = p.Check(state.Engine)
		})
		switch {
		case k.Holds:
			k.Was, k.BrokenBy = k.Is, ""
		case k.BrokenBy == "":
			k.BrokenBy = cmp.Or(state.What, "an earlier change")
		}
		if k.Was != row.Was || k.BrokenBy != row.BrokenBy {
			changed = append(changed, storage.KeptPromise{ID: row.ID, Was: k.Was, BrokenBy: k.BrokenBy})
		}
		list = append(list, k)
	}
	if len(changed) > 0 {
		if err := s.db.MarkPromises(ctx, changed); err != nil {
			return nil, err
		}
	}
	s.keeper.state, s.keeper.list = state, list
	return list, nil
}

// recheck has the promises read and checked again.
func (s *Server) recheck() {
	s.keeper.mu.Lock()
	s.keeper.state = nil
	s.keeper.mu.Unlock()
}

// promised says in a few words how many promises hold.
func promised(list []kept) (said string, broken bool) {
	n := 0
	for i := range list {
		if !list[i].Holds {
			n++
		}
	}
	switch {
	case len(list) == 0:
		return "", false
	case n > 0:
		return fmt.Sprintf("%d of %d promises broken", n, len(list)), true
	case len(list) == 1:
		return "1 promise holds", false
	}
	return fmt.Sprintf("%d promises hold", len(list)), false
}

type promiseRow struct {
	kept
	What, Now string
}

type promisesView struct {
	Runs []choice
	Rows []promiseRow
	Said string
	Slip string // why a file was not taken in
}

func (s *Server) promisesPage(c *gin.Context) {
	list, err := s.promises(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	s.page(c, "/quotes", "Promises", "promises", promisesViewOf(s.draft.State().File, list))
}

// wantedPrice writes what a promise wants delivery to cost: "€6.90", "at most €6.90".
func wantedPrice(f *store.File, p *promise.Promise) string {
	price := deliveryPrice(f.Store.Units().Money(*p.Amount), f.Store.Currency)
	if p.Holds == promise.AtMost {
		return "at most " + price
	}
	return price
}

func promisesViewOf(f *store.File, list []kept) promisesView {
	v := promisesView{Runs: slices.Clone(runs)}
	v.Said, _ = promised(list)
	for _, k := range list {
		row := promiseRow{kept: k, Now: k.Is}
		if k.body.Holds == promise.Zone {
			row.What = f.ZoneName(k.Wanted) + " takes the address"
			row.Now, row.Was = f.ZoneName(k.Is), f.ZoneName(k.Was)
		} else {
			what := "is " + k.Wanted
			if k.body.Amount != nil {
				what = "costs " + wantedPrice(f, &k.body)
			}
			row.Now, row.Was = deliveryPrice(k.Is, f.Store.Currency), deliveryPrice(k.Was, f.Store.Currency)
			label := k.body.Method
			if m := edit.Method(f, k.body.Method); m != nil {
				label = m.BuyersLabel()
			}
			row.What = label + " " + what
		}
		v.Rows = append(v.Rows, row)
	}
	slices.SortStableFunc(v.Rows, func(a, b promiseRow) int { // the broken ones first
		return cmp.Compare(btoi(a.Holds), btoi(b.Holds))
	})
	return v
}

// keepPromise keeps what the Till shows of a method as it is seen.
func (s *Server) keepPromise(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	said, err := s.makePromise(
		ctx,
		state,
		c.PostForm("method"),
		promise.Kind(c.PostForm("holds")),
		c.PostForm("amount"),
		c.PostForm("zone"),
	)
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		said = text
	}
	s.recheck()
	history, err := s.history(ctx)
	if err != nil {
		s.internal(c, err)
		return
	}
	history.OOB, history.Said = true, said
	c.Header("HX-Trigger", "till-changed")
	s.html(c, http.StatusOK, s.render("history", history))
}

func (s *Server) makePromise(
	ctx context.Context,
	state *draft.State,
	method string,
	holds promise.Kind,
	amount, zone string,
) (string, error) {
	p := promise.Promise{Holds: holds}
	switch holds {
	case promise.Price, promise.AtMost:
		d, err := exact.Parse(amount)
		if err != nil {
			return "", slipf("%.20q is no amount to promise", amount)
		}
		p.Method, p.Amount = method, &d
	case promise.Offered, promise.NotOffered:
		p.Method = method
	case promise.Zone:
		p.Zone = zone
	default:
		return "", slipf("choose what must hold")
	}
	if p.Method != "" && edit.Method(state.File, p.Method) == nil {
		return "", slipf("this method was removed meanwhile; nothing was kept")
	}
	t, err := samples.Till(ctx, s.db, state.File)
	if err != nil {
		return "", err
	}
	q, _, err := samples.Request(state.Engine, t)
	if err != nil {
		return "", slipf("%s", err.Error())
	}
	lines := t.Cart
	if lines == nil {
		lines = []storage.CartLine{}
	}
	request := map[string]any{"to": addressJSON(q.To), "lines": lines}
	if len(q.Coupons) > 0 {
		request["coupons"] = q.Coupons
	}
	for name, value := range map[string]string{"customer": q.Customer, "group": q.Group} {
		if value != "" {
			request[name] = value
		}
	}
	if p.Request, err = json.Marshal(request); err != nil {
		return "", err
	}
	p.Name = goodsOf(state.File, t.Cart) + " to " + t.Destination
	list, err := s.db.Promises(ctx)
	if err != nil {
		return "", err
	}
	if len(list) >= promise.Max {
		return "", slipf("there are %d promises already; no more are kept", promise.Max)
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
	result := p.Check(state.Engine)
	kept := storage.KeptPromise{ID: p.ID, Body: marshalled(p), Was: result.Is}
	if !result.Holds {
		return "", slipf("the quote has changed meanwhile; nothing was kept")
	}
	return "Promised: " + p.Name, s.db.AddPromises(ctx, kept)
}

func marshalled(p promise.Promise) []byte {
	out, err := json.Marshal(p)
	if err != nil {
		panic(err) // its request is JSON
	}
	return out
}

// addressJSON is an address as a request has it.
func addressJSON(a place.Address) map[string]string {
	out := map[string]string{"country": a.Country}
	for name, value := range map[string]string{
		"region": a.Region, "city": a.City, "postcode": a.Postcode, "street": a.Street,
	} {
		if value != "" {
			out[name] = value
		}
	}
	if a.Lat != nil && a.Lon != nil {
		out["lat"], out["lon"] = a.Lat.String(), a.Lon.String()
	}
	return out
}

// goodsOf says in a few words what is in a cart.
func goodsOf(f *store.File, cart []storage.CartLine) string {
	var names []string
	for _, l := range cart {
		name := nameOr(l.Name, l.SKU)
		if p := f.Product(l.SKU); p != nil {
			name = nameOr(p.Name, p.SKU)
		}
		names = append(names, fmt.Sprintf("%d × %s", l.Quantity, name))
	}
	switch {
	case len(names) == 0:
		return "Nothing"
	case len(names) > 3:
		names = append(names[:2], fmt.Sprintf("%d more", len(names)-2))
	}
	return strings.Join(names, ", ")
}

// forgetPromise takes a promise out.
func (s *Server) forgetPromise(c *gin.Context) {
	if err := s.db.RemovePromise(c.Request.Context(), c.Param("promise")); err != nil {
		s.internal(c, err)
		return
	}
	s.answerPromises(c)
}

func (s *Server) answerPromises(c *gin.Context) {
	s.recheck()
	ctx := c.Request.Context()
	list, err := s.promises(ctx)
	if err != nil {
		s.internal(c, err)
		return
	}
	history, err := s.history(ctx)
	if err != nil {
		s.internal(c, err)
		return
	}
	history.OOB = true
	s.html(
		c,
		http.StatusOK,
		[]template.HTML{
			s.render("promises", promisesViewOf(s.draft.State().File, list)),
			s.render("history", history),
		}...)
}

// tryPromise puts a promise's cart and address into the Till.
func (s *Server) tryPromise(c *gin.Context) {
	list, err := s.promises(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	s.changeTill(c, func(f *store.File, t *storage.Till) error {
		i := slices.IndexFunc(list, func(k kept) bool { return k.ID == c.Param("promise") })
		if i < 0 {
			return slipf("this promise was removed meanwhile")
		}
		var request struct {
			To              struct{ Country, Region, City, Postcode, Street, Lat, Lon string }
			Lines           []storage.CartLine
			Coupons         []string
			Customer, Group string
		}
		if err := json.Unmarshal(list[i].body.Request, &request); err != nil {
			return err
		}
		to := request.To
		a := place.Address{
			Country:  to.Country,
			Region:   to.Region,
			City:     to.City,
			Postcode: to.Postcode,
			Street:   to.Street,
		}
		if lat, err := exact.Parse(to.Lat); err == nil {
			if lon, err := exact.Parse(to.Lon); err == nil {
				a.Lat, a.Lon = &lat, &lon
			}
		}
		*t = storage.Till{
			Cart:        request.Lines,
			Destination: a.Line(f.Home()),
			Coupons:     strings.Join(request.Coupons, ", "),
			Customer:    request.Customer,
			Group:       request.Group,
		}
		return nil
	}, func(slips *tillSlips, text string) { slips.destinationSlip = text })
}

// importPromises takes a list in that was written here or by hand: a promise whose id is there already takes
// that one's place.
func (s *Server) importPromises(c *gin.Context) {
	name, body, err := sentFile(c)
	var list []promise.Promise
	if err == nil {
		list, err = readPromises(name, body)
	}
	kept := make([]storage.KeptPromise, len(list))
	for i := range list {
		kept[i] = storage.KeptPromise{ID: list[i].ID, Body: marshalled(list[i])}
	}
	if err == nil {
		err = s.db.AddPromises(c.Request.Context(), kept...)
	}
	if err == nil {
		s.answerPromises(c)
		return
	}
	text, ok := told(err)
	if !ok {
		s.internal(c, err)
		return
	}
	there, err := s.promises(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	v := promisesViewOf(s.draft.State().File, there)
	v.Slip = text
	s.html(c, http.StatusUnprocessableEntity, s.render("promises", v))
}

// maxPromises is the largest list of promises that is taken in, in bytes.
const maxPromises = 8 << 20

func readPromises(name string, body io.Reader) ([]promise.Promise, error) {
	data, err := io.ReadAll(io.LimitReader(body, maxPromises+1))
	switch {
	case err != nil:
		return nil, err
	case len(data) > maxPromises:
		return nil, slipf("%.60s has more than %d MB: no list of promises is so long", name, maxPromises>>20)
	}
	list, faults := promise.Read(data)
	if len(faults) > 0 {
		more := ""
		if len(faults) > 1 {
			more = fmt.Sprintf(" (and %d more)", len(faults)-1)
		}
		return nil, slipf(
			"%.60s was not taken in: %s at %s%s",
			name,
			faults[0].Message,
			cmp.Or(faults[0].Path, "its beginning"),
			more,
		)
	}
	return list, nil
}

// exportPromises writes the list for the command line.
func (s *Server) exportPromises(c *gin.Context) {
	list, err := s.promises(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	bodies := make([]promise.Promise, len(list))
	for i := range list {
		bodies[i] = list[i].body
	}
	c.Header("Content-Disposition", `attachment; filename="store.promises.json"`)
	c.Data(http.StatusOK, "application/json", promise.Write(bodies))
}
