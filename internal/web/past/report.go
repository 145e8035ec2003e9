package past

import (
	"cmp"
	"context"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

var reportPage = shell.Page{Here: "/quotes", Title: "Past orders", Template: "past"}

// day writes a day as people read it.
func day(text string) string {
	if t, err := time.Parse(time.DateOnly, text); err == nil {
		return t.Format("2 January 2006")
	}
	return text
}

// price writes a sum in the store's currency, rounded to its digits.
func price(f *store.File, d decimal.Decimal) string {
	digits := f.Store.Units().Digits
	return strings.Replace(world.Price(d.Round(digits).Fixed(digits), f.Store.Currency), "-", "−", 1)
}

// reportView is the page of past orders.
type reportView struct {
	Orders  string // what orders there are; "" for none
	None    bool
	Of      []shell.Choice
	Than    []shell.Choice
	By      []shell.Choice
	Days    []shell.Choice
	Query   template.URL
	Slip    string
	Waiting []string // names of files that wait to be read
	Zeros   []zeroMonth
	Result  *resultView
	Done    int // percent
	Compare bool
}

// zeroMonth is a month in which all orders are said to have cost 0.
type zeroMonth struct{ ID, Name string }

// resultView is what came of rating orders anew.
type resultView struct {
	Head     []string // in sentences
	Compared string
	Than, Of string // what the columns are of
	Key      string // what the groups are by
	Groups   []groupRow
	Total    groupRow
	Zones    *bars
	Changes  *bars
	Dots     *dots
	Losses   []lossRow
	Unknown  []history.Named
	More     int
	Names    []nameRow
	Waits    int // orders that name a method that the shop does not have: no total is shown before it is known
	Compare  bool
	Took     string
	Costs    bool
	Served   bool // some orders are not served
	NoCost   bool // of some nothing says what they cost
}

// groupRow is a group of orders.
type groupRow struct {
	Key                                 []string
	Orders                              int
	Paid, Charge, Cost, Left, Each      string
	Loses                               bool
	Other, NotServed, Unrated           int
	NoCost                              int
	ThenCharge, ThenLeft                string
	ThenLoses                           bool
	Dearer, Cheaper, Same, Lost, Gained int
}

// lossRow is an order that loses.
type lossRow struct {
	orderRow
	Zone, Charge, Left string
}

// nameRow is a name that files have for a method.
type nameRow struct {
	Name    string
	Orders  string
	Methods []shell.Choice
}

// spans are from how many days ago on orders are looked at.
var spans = []shell.Choice{{ID: "90", Name: "the last 90 days"}, {ID: "30", Name: "the last 30 days"},
	{ID: "365", Name: "the last year"}, {ID: "", Name: "all orders"}}

// byNames are what orders are grouped by.
var byNames = []shell.Choice{{ID: "zone", Name: "zone"}, {ID: "method", Name: "method"}, {ID: "month", Name: "month"},
	{ID: "method,zone", Name: "method and zone"}, {ID: "country", Name: "country"}, {ID: "weight", Name: "weight"},
	{ID: "class", Name: "shipping class"}}

// chosen marks the choice with an id; the first where none has it.
func chosen(list []shell.Choice, id string) ([]shell.Choice, string) {
	list = slices.Clone(list)
	at := max(0, slices.IndexFunc(list, func(c shell.Choice) bool { return c.ID == id }))
	list[at].Chosen = true
	return list, list[at].ID
}

// sides are the stores that orders can be rated under.
func (s *Screens) sides(ctx context.Context) []shell.Choice {
	list := []shell.Choice{{ID: "draft", Name: "The draft"}}
	if s.draft.Live() != nil {
		list = append(list, shell.Choice{ID: "live", Name: "What is live"})
	}
	editions, err := s.db.Editions(ctx)
	if err != nil {
		s.Log.Warn("editions", "error", err)
	}
	for i := range editions {
		n := strconv.FormatInt(editions[i].Number, 10)
		list = append(list, shell.Choice{ID: "edition-" + n, Name: "Edition " + n})
	}
	return list
}

// asked reads what orders are to be rated for; than is without an engine where nothing is compared.
func (s *Screens) asked(c *gin.Context) (v reportView, ask history.Ask, of, than side, err error) {
	ctx := c.Request.Context()
	span, err := s.history.Span(ctx)
	if err != nil {
		return v, ask, of, than, err
	}
	v.Orders, v.None = spanWords(&span), span.Orders == 0
	if of, err = s.sideOf(ctx, cmp.Or(c.Query("of"), "draft")); err != nil {
		return v, ask, of, than, err
	}
	compare, said := c.GetQuery("than")
	if !said && s.draft.Live() != nil && len(s.draft.Ahead()) > 0 { // else there is nothing to compare
		compare = "live"
	}
	if than, err = s.sideOf(ctx, cmp.Or(compare, "none")); err != nil {
		return v, ask, of, than, err
	}
	sides := s.sides(ctx)
	add := func(list []shell.Choice, one side) []shell.Choice {
		if one.ID != "" && !slices.ContainsFunc(list, func(c shell.Choice) bool { return c.ID == one.ID }) {
			list = append(list, shell.Choice{ID: one.ID, Name: one.Name})
		}
		return list
	}
	v.Of, _ = chosen(add(sides, of), of.ID)
	v.Than, _ = chosen(append([]shell.Choice{{Name: "nothing"}}, add(sides, than)...), than.ID)
	var by, days string
	v.By, by = chosen(byNames, c.Query("by"))
	v.Days, days = chosen(spans, c.DefaultQuery("days", "365"))
	ask.By, err = past.ParseBy(by)
	if n, _ := strconv.Atoi(days); n > 0 {
		ask.From = sinceLast(&span, n)
	}
	if ask.Under = of.Engine; than.Engine != nil {
		ask.Under, ask.Against, v.Compare = than.Engine, of.Engine, true
	}
	ask.Key = strings.Join([]string{of.Key, than.Key, by, ask.From, strconv.FormatInt(span.Version, 10)}, "\x00")
	v.Query = template.URL(url.Values{"of": {of.ID}, "than": {than.ID}, "by": {by}, "days": {days}}.Encode())
	return v, ask, of, than, err
}

// sinceLast is the first of so many days up to the last day of which there are orders.
func sinceLast(span *sqlite.PastSpan, days int) string {
	last, err := time.Parse(time.DateOnly, span.Last)
	if err != nil {
		return ""
	}
	return last.AddDate(0, 0, 1-days).Format(time.DateOnly)
}

// report is the page of past orders.
func (s *Screens) report(c *gin.Context) {
	v, ask, of, than, err := s.asked(c)
	if err != nil {
		s.Problem(c, http.StatusNotFound, strings.ToUpper(errGone.Error()[:1])+errGone.Error()[1:]+".")
		return
	}
	files, err := s.history.DB().Files(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	for i := range files {
		if files[i].State == sqlite.PastPreview || files[i].State == sqlite.PastWaiting {
			v.Waiting = append(v.Waiting, files[i].Name)
		}
	}
	zeros, err := s.history.ZeroMonths(c.Request.Context())
	if err != nil {
		s.Internal(c, err)
		return
	}
	for _, month := range zeros {
		v.Zeros = append(v.Zeros, zeroMonth{month, keyWords(nil, past.Month, month)})
	}
	if !v.None {
		s.fill(&v, ask, of, than, 400*time.Millisecond)
	}
	s.Show(c, reportPage, v)
}

// rated answers with the part of the page that has the result, or how far it is.
func (s *Screens) rated(c *gin.Context) {
	v, ask, of, than, err := s.asked(c)
	if err != nil || v.None {
		s.HTML(c, http.StatusOK)
		return
	}
	s.fill(&v, ask, of, than, 800*time.Millisecond)
	s.HTML(c, http.StatusOK, s.Render("past-result", v))
}

// stopRating stops rating.
func (s *Screens) stopRating(c *gin.Context) {
	if _, ask, _, _, err := s.asked(c); err == nil {
		s.history.Cancel(ask.Key)
	}
	s.HTML(c, http.StatusOK, `<p class="note" role="status">Stopped. <a href="/past">Rate the orders again</a></p>`)
}

// fill rates the orders, as far as that takes no longer than a while.
func (s *Screens) fill(v *reportView, ask history.Ask, of, than side, wait time.Duration) {
	r, at := s.history.Report(ask, wait)
	switch {
	case at.Err != nil:
		s.Log.Error("rating past orders", "error", at.Err)
		v.Slip = "The orders could not be rated; the log of the server says why."
	case r == nil:
		v.Done = 100 * at.Done / max(at.Of, 1)
	default:
		v.Result = s.resultOf(r, &ask, of, than)
	}
}

func (s *Screens) resultOf(r *history.Result, ask *history.Ask, of, than side) *resultView {
	f := ask.Under.Store()
	v := &resultView{Compare: ask.Against != nil, Than: than.Name, Of: of.Name}
	if r.Total == nil {
		v.Head = []string{"There are no orders in this time."}
		return v
	}
	var keys []string
	for _, by := range ask.By {
		keys = append(keys, keyHeads[by])
	}
	v.Key = strings.Join(keys, ", ")
	for _, g := range r.Groups {
		v.Groups = append(v.Groups, rowOfGroup(f, ask.By, g))
	}
	slices.SortStableFunc(v.Groups, func(a, b groupRow) int {
		if ask.By[0] == past.Month || ask.By[0] == past.Weight {
			return 0
		}
		return b.Orders - a.Orders
	})
	v.Total = rowOfGroup(f, nil, r.Total)
	v.Costs = r.Total.CostUnknown < r.Total.Orders-r.Total.NotOffered-r.Total.Unrated
	v.Served, v.NoCost = v.Total.NotServed > 0, r.Total.CostUnknown > 0
	v.Head = headOf(f, r.Total)
	if v.Compare {
		v.Compared = Compared(f, r.Total, of.Name)
		v.Changes = changeBars(f, r.Differences)
	}
	v.Zones = zoneBars(f, r.Zones)
	v.Dots = dotsOf(f, r.Points)
	for i := range r.Losses {
		l := &r.Losses[i]
		v.Losses = append(v.Losses, lossRow{rowOf(f, &l.Order), f.ZoneName(l.Rated.Zone), price(f, l.Rated.Charge),
			price(f, l.Rated.Margin)})
		v.Losses[i].Cost = price(f, l.Rated.Cost)
		v.Losses[i].Method = f.MethodName(l.Rated.Method)
	}
	v.Unknown = r.Unknown[:min(len(r.Unknown), 20)]
	v.More = len(r.Unknown) - len(v.Unknown)
	for _, n := range r.Names[:min(len(r.Names), 20)] {
		row := nameRow{Name: n.Name, Orders: plural.Count(n.Orders, "order"), Methods: []shell.Choice{{Name: "choose the method"}}}
		if n.Name != "" {
			row.Methods = append(row.Methods, shell.Choice{ID: cheapest, Name: "none of them: the cheapest option"})
		}
		for i := range f.Methods {
			row.Methods = append(row.Methods, shell.Choice{ID: f.Methods[i].ID,
				Name: cmp.Or(f.Methods[i].Name, f.Methods[i].ID)})
		}
		v.Names = append(v.Names, row)
	}
	if v.Waits = unnamed(r.Names); v.Waits > 0 { // totals would be those of other methods than the orders went by
		return &resultView{Names: v.Names, Waits: v.Waits, Costs: true, Head: []string{fmt.Sprintf("%s a method that this shop "+
			"does not have under that name. Say which method it was; totals follow then.",
			map[bool]string{true: "1 order names", false: plural.Number(v.Waits) + " orders name"}[v.Waits == 1])}}
	}
	return v
}

// toTill puts an order into the Till.
func (s *Screens) toTill(c *gin.Context) {
	ctx := c.Request.Context()
	o, ok, err := s.history.DB().Order(ctx, c.PostForm("order"))
	if err != nil {
		s.Internal(c, err)
		return
	}
	if !ok {
		s.Problem(c, http.StatusNotFound, "This order is not kept any more.")
		return
	}
	t := sqlite.Till{Coupons: strings.Join(o.Coupons, ", "), Group: o.Group}
	country := world.CountryName(o.To.Country)
	local := strings.TrimSpace(o.To.Postcode + " " + o.To.City)
	switch {
	case local == "":
		t.Destination = country
	case s.draft.State().File.Home() == o.To.Country:
		t.Destination = local
	default:
		t.Destination = local + ", " + country
	}
	f := s.draft.State().File
	for i := range o.Lines {
		l := &o.Lines[i]
		line := sqlite.CartLine{SKU: l.SKU, Quantity: l.Quantity, Class: l.Class}
		if f.Product(l.SKU) == nil {
			line.SKU, line.Name = "", cmp.Or(l.SKU, "Goods")
		}
		if l.Price != nil {
			line.Price = l.Price.String()
		}
		if l.Weight != nil {
			line.Weight = l.Weight.String()
		}
		t.Cart = append(t.Cart, line)
	}
	if err := s.db.SaveTill(ctx, t); err != nil {
		s.Internal(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/quotes/why")
}

// zeros has the costs of 0 of a month count as not known.
func (s *Screens) zeros(c *gin.Context) {
	if err := s.history.ForgetZeros(c.Request.Context(), c.PostForm("month")); err != nil {
		s.Internal(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/past?"+c.Request.URL.RawQuery)
}

// cheapest stands for a method of past orders that is none of the shop's: they are charged by the cheapest option.
const cheapest = "cheapest--"

// nameMethod remembers which method a name means.
func (s *Screens) nameMethod(c *gin.Context) {
	name, method := c.PostForm("name"), c.PostForm("method")
	if method == cheapest && name != "" {
		method = "" // as if the order named none
	} else if s.draft.State().File.Method(method) == nil {
		s.Problem(c, http.StatusUnprocessableEntity, "Choose a method of the shop.")
		return
	}
	if err := s.history.NameMethod(c.Request.Context(), name, method); err != nil {
		s.Internal(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/past?"+c.Request.URL.RawQuery)
}

// sendStore keeps a store file that orders are to be rated under.
func (s *Screens) sendStore(c *gin.Context) {
	name, r, err := upload.Sent(c)
	var body []byte
	if err == nil {
		body, err = io.ReadAll(io.LimitReader(r, store.MaxSize+1))
	}
	if err == nil {
		_, faults, readErr := s.Files.Store(c.Request.Context(), body[:min(len(body), store.MaxSize)])
		if text, ok := files.Told(readErr); ok {
			err = shell.Refusef("%.60s: %s", name, text)
		} else if readErr != nil {
			err = readErr
		} else if len(faults) > 0 || len(body) > store.MaxSize {
			err = shell.Refusef(
				"%.60s is no store file of Diadrom, or has faults: import it on the Live station to see them",
				name,
			)
		}
	}
	var id int64
	if err == nil {
		id, err = s.db.AddUpload(c.Request.Context(), storeKind, name, body)
	}
	if err != nil {
		s.refuse(c, err)
		return
	}
	query := c.Request.URL.Query()
	query.Set("of", "file-"+strconv.FormatInt(id, 10))
	c.Redirect(http.StatusSeeOther, "/past?"+query.Encode())
}

// ahead says what the draft would have made of the last 90 days beside what is live.
func (s *Screens) ahead(c *gin.Context) {
	ctx := c.Request.Context()
	live := s.draft.Live()
	span, err := s.history.Span(ctx)
	if err != nil || live == nil || span.Orders == 0 {
		s.HTML(c, http.StatusOK)
		return
	}
	than, _ := s.sideOf(ctx, "live")
	of, _ := s.sideOf(ctx, "draft")
	from := sinceLast(&span, 90)
	ask := history.Ask{Under: than.Engine, Against: of.Engine, From: from, By: []past.By{past.Zone},
		Key: strings.Join([]string{of.Key, than.Key, "ahead", from, strconv.FormatInt(span.Version, 10)}, "\x00")}
	r, at := s.history.Report(ask, time.Second)
	switch {
	case at.Err != nil:
		s.HTML(c, http.StatusOK)
	case r == nil:
		s.HTML(c, http.StatusOK, s.Render("past-ahead", map[string]any{"Done": 100 * at.Done / max(at.Of, 1)}))
	default:
		said := ""
		if waits := unnamed(r.Names); waits > 0 {
			said = plural.Count(waits, "order") + " of the last 90 days are by methods that this shop does not have under that name."
		} else if r.Total != nil {
			said = "On the " + plural.Count(r.Total.Orders, "order") + " of the last 90 days: " +
				lower(Compared(than.Engine.Store(), r.Total, "The draft"))
		}
		s.HTML(c, http.StatusOK, s.Render("past-ahead", map[string]any{"Said": said}))
	}
}

// unnamed is how many orders name a method that the shop does not have.
func unnamed(names []history.Named) (n int) {
	for _, one := range names {
		if one.Name != "" {
			n += one.Orders
		}
	}
	return n
}

// lower begins with a small letter.
func lower(text string) string { return strings.ToLower(text[:1]) + text[1:] }
