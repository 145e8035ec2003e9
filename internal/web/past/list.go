package past

import (
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/propose"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/history"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

var listPage = shell.Page{Here: "/quotes", Title: "Past orders: a price list proposed", Template: "past-list"}

// listView is the page on which a price list is proposed.
type listView struct {
	None    bool
	Orders  string
	Methods []shell.Choice
	Zones   []shell.Choice
	Lists   []shell.Choice
	By      []shell.Choice
	Days    []shell.Choice
	Rows    string
	Margin  string
	Endings string
	Cover   string
	Slip    string
	Said    []string
	Made    []listRow
	Dots    *dots
	Query   template.URL
	Into    string // what the button does
	Takes   bool   // it can be taken into the draft
}

// listRow is a row of a proposed list.
type listRow struct {
	At, Price, Orders, Mean, Left string
	Losing                        string
	Loses                         bool
}

// wanted is what list is wanted.
type wanted struct {
	past.Selection
	options propose.Options
	days    string
}

// wants reads what list is wanted; slip says what of it cannot be.
func wants(c *gin.Context, f *store.File, v *listView) (w wanted, slip string) {
	w.Method, w.Zone, w.By = c.Query("method"), c.Query("zone"), rate.By(c.Query("by"))
	if f.Method(w.Method) == nil {
		w.Method = mostPriced(f)
	}
	if !slices.Contains(propose.Measures, w.By) {
		w.By = rate.ByWeight
	}
	m := f.Method(w.Method)
	zones := m.ServedZones()
	if _, said := c.GetQuery("zone"); !said && len(zones) > 0 {
		w.Zone = zones[0]
	}
	v.Zones = append(v.Zones, shell.Choice{Name: "all its zones", Chosen: w.Zone == ""})
	found := w.Zone == ""
	for _, id := range zones {
		found = found || id == w.Zone
		v.Zones = append(v.Zones, shell.Choice{ID: id, Name: f.ZoneName(id), Chosen: id == w.Zone})
	}
	if !found {
		w.Zone = ""
	}
	v.Rows, v.Margin = c.DefaultQuery("rows", "4"), c.DefaultQuery("margin", "0")
	v.Endings, v.Cover = c.DefaultQuery("endings", "0.90"), c.Query("cover")
	digits := f.Store.Units().Digits
	if digits == 0 && c.Query("endings") == "" {
		v.Endings = ""
	}
	w.options = propose.Options{Digits: digits}
	var err error
	if w.options.Rows, err = strconv.Atoi(strings.TrimSpace(v.Rows)); err != nil || w.options.Rows < 1 ||
		w.options.Rows > propose.MaxRows {
		slip = fmt.Sprintf("A list has 1 to %d rows; “%.20s” is no such number", propose.MaxRows, v.Rows)
	}
	if w.options.Margin, err = decimal.Parse(number(v.Margin)); err != nil {
		slip = cmp.Or(slip, fmt.Sprintf("“%.20s” is not a percentage such as 10", v.Margin))
	}
	if v.Cover != "" {
		cover, err := decimal.Parse(number(v.Cover))
		if w.options.Cover = &cover; err != nil {
			slip = cmp.Or(slip, fmt.Sprintf("“%.20s” is not a percentage such as 95", v.Cover))
		}
	}
	if w.options.Endings, err = propose.ParseEndings(v.Endings, digits); err != nil {
		slip = cmp.Or(slip, err.Error())
	}
	var days string
	v.Days, days = chosen(spans, c.DefaultQuery("days", "365"))
	w.days = days
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == w.Method})
		}
	}
	for _, by := range propose.Measures {
		v.By = append(v.By, shell.Choice{ID: string(by), Name: by.Words(), Chosen: by == w.By})
	}
	v.Query = template.URL(
		url.Values{"method": {w.Method}, "zone": {w.Zone}, "by": {string(w.By)}, "rows": {v.Rows}, "margin": {v.Margin},
			"endings": {v.Endings}, "cover": {v.Cover}, "days": {days}}.Encode(),
	)
	return w, slip
}

// number is a number as it is typed, with its decimal sign a point.
func number(text string) string {
	return strings.TrimSpace(strings.NewReplacer(",", ".", "%", "", "−", "-").Replace(text))
}

// proposed makes the list that is wanted.
func (s *Screens) proposed(c *gin.Context, v *listView) (w wanted, p history.Proposed, slip string, err error) {
	state, ctx := s.draft.State(), c.Request.Context()
	span, err := s.history.Span(ctx)
	if err != nil {
		return w, p, "", err
	}
	v.Orders, v.None = spanWords(&span), span.Orders == 0 || mostPriced(state.File) == ""
	if v.None {
		return w, p, "", nil
	}
	w, slip = wants(c, state.File, v)
	if slip != "" {
		return w, p, slip, nil
	}
	from := ""
	if n, _ := strconv.Atoi(w.days); n > 0 {
		from = sinceLast(&span, n)
	}
	p, err = s.history.Propose(ctx, state.Engine, w.Selection, w.options, from)
	if errors.Is(err, propose.ErrNoOrders) {
		return w, p, "No order that went by this method to these zones has a known cost", nil
	}
	if err != nil && p.Proposal == nil && ctx.Err() == nil {
		return w, p, err.Error(), nil
	}
	return w, p, "", err
}

func (s *Screens) list(c *gin.Context) {
	var v listView
	w, p, slip, err := s.proposed(c, &v)
	if err != nil {
		s.Internal(c, err)
		return
	}
	if v.Slip = slip; slip == "" && !v.None {
		s.fillList(&v, &w, &p)
	}
	s.Show(c, listPage, v)
}

// fillList shows a proposed list.
func (s *Screens) fillList(v *listView, w *wanted, p *history.Proposed) {
	f := s.draft.State().File
	u := f.Store.Units()
	for i := range p.Rows {
		r := &p.Rows[i]
		row := listRow{
			At:     "up to " + u.Measure(w.By, r.At),
			Price:  price(f, r.Price),
			Orders: plural.Count(r.Orders, "order"),
			Mean:   price(f, r.Mean),
			Left:   price(f, r.Margin),
			Loses:  r.Margin.Sign() < 0,
		}
		if r.Losing > 0 {
			row.Losing = plural.Count(r.Losing, "order") + " below cost"
		}
		v.Made = append(v.Made, row)
	}
	v.Said = append(v.Said, fmt.Sprintf("On %s these prices would have earned %s after tax and cost.",
		plural.Count(p.Proposal.Orders, "order"), price(f, p.Proposal.Margin)))
	if loss := p.Worst.Loss(); loss.Sign() > 0 {
		v.Said = append(v.Said, fmt.Sprintf("The worst, order %s of %s, costs %s and would have lost %s.", p.Worst.ID,
			u.Measure(w.By, p.Worst.Measure), price(f, p.Worst.Cost), price(f, loss)))
	} else {
		v.Said = append(v.Said, "No order would have lost money.")
	}
	if n := p.Selected.ManyParcels; n > 0 {
		v.Said = append(
			v.Said,
			fmt.Sprintf("%s went in several parcels: here they are counted as one of all their goods, "+
				"while a price list prices each parcel.", plural.Count(n, "order")),
		)
	}
	if n := p.Selected.NoCost; n > 0 {
		v.Said = append(v.Said, "Left out, because nothing says what they cost: "+plural.Count(n, "order")+".")
	}
	if n := p.Selected.NoMeasure; n > 0 {
		v.Said = append(v.Said, "Left out, because nothing is measured: "+plural.Count(n, "order")+".")
	}
	m := f.Method(w.Method)
	v.Takes, v.Into = takes(m, w)
	v.Dots = s.listDots(f, w, p)
}

// takes says whether a proposal can be taken into the draft, and what that does.
func takes(m *store.Method, w *wanted) (ok bool, what string) {
	switch {
	case len(m.Tables) > 1:
		return false, "This method has several price lists. Take the prices over by hand."
	case len(m.Tables) == 1 && m.Tables[0].By == w.By && w.Zone != "":
		return true, "Its column gets these prices; rows that it lacks are added to the list."
	case w.Zone != "" && len(m.Tables) == 1 && len(m.Tables[0].Zones) > 1:
		return false, "The list of this method goes " + m.Tables[0].By.Words() + " and has other zones. Propose a list for " +
			"all its zones, or one that goes " + m.Tables[0].By.Words() + "."
	}
	return true, "The price list of the method becomes this one, with these prices in every zone that it has."
}

// listDots draws costs over what the list goes by, with the list of the draft and the proposed one. Prices stand there
// without the tax of the first order that has some.
func (s *Screens) listDots(f *store.File, w *wanted, p *history.Proposed) *dots {
	var xs, ys []float64
	tax := decimal.Zero
	for i := range p.Orders {
		xs, ys = append(xs, p.Orders[i].Measure.Float64()), append(ys, p.Orders[i].Cost.Float64())
		if tax.IsZero() {
			tax = p.Orders[i].Tax
		}
	}
	net := func(d decimal.Decimal) decimal.Decimal {
		return d.Mul(decimal.Hundred).Quo(decimal.Hundred.Add(tax))
	}
	most := 0.0
	for i := range p.Rows {
		most = max(most, net(p.Rows[i].Price).Float64())
	}
	sc := scale{mostOf(xs), max(mostOf(ys), most*1.05)}
	if sc.x <= 0 || sc.y <= 0 {
		return nil
	}
	u := f.Store.Units()
	d := &dots{X: ticks(sc.x, sc.px), Y: ticks(sc.y, sc.py), YName: "cost and price without tax, " + f.Store.Currency,
		XName: w.By.Words()[len("by "):]}
	if unit := edit.Unit(f, w.By); w.By != rate.ByQuantity {
		d.XName += ", " + unit
	}
	every := max(1, len(p.Orders)/1500)
	zone := max(f.ZoneIndex(w.Zone), 0)
	for i := 0; i < len(p.Orders); i += every {
		o := &p.Orders[i]
		d.List = append(d.List, dot{sc.px(o.Measure.Float64()), sc.py(o.Cost.Float64()), shell.Colour(zone),
			fmt.Sprintf("%s: %s costs %s", o.ID, u.Measure(w.By, o.Measure), price(f, o.Cost))})
	}
	var at, prices []decimal.Decimal
	for i := range p.Rows {
		at, prices = append(at, p.Rows[i].At), append(prices, net(p.Rows[i].Price))
	}
	d.Proposed = stepPath(sc, at, prices)
	d.Curve = listPath(sc, f.Method(w.Method), w, net)
	return d
}

// listPath draws what the draft's list charges.
func listPath(sc scale, m *store.Method, w *wanted, net func(decimal.Decimal) decimal.Decimal) string {
	path := ""
	for i := range m.Tables {
		t := &m.Tables[i]
		if t.By != w.By || len(t.Zones) == 0 {
			continue
		}
		column := max(0, slices.Index(t.Zones, w.Zone))
		for _, s := range t.Curve(column, rate.Goods{Quantity: 1}, decimal.FromFloat(sc.x, 3)) {
			path += "M" + sc.px(s.X1.Float64()) + " " + sc.py(net(s.Y1).Float64()) + "L" + sc.px(s.X2.Float64()) + " " +
				sc.py(net(s.Y2).Float64())
		}
	}
	return path
}

// takeList takes a proposed list into the draft.
func (s *Screens) takeList(c *gin.Context) {
	var v listView
	w, p, slip, err := s.proposed(c, &v)
	if err == nil && slip != "" {
		err = shell.Refusef("%s", slip)
	}
	if err == nil && v.None {
		err = shell.Refusef("there are no past orders")
	}
	if err == nil {
		_, err = s.draft.Edit(c.Request.Context(), func(f *store.File) error {
			at, prices := rowsOf(p.Proposal)
			return edit.TakeList(f, w.Method, w.Zone, w.By, at, prices)
		})
	}
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		v.Slip = text
		s.ShowStatus(c, http.StatusUnprocessableEntity, listPage, v)
		return
	}
	c.Redirect(http.StatusSeeOther, "/rates/"+w.Method)
}

// rowsOf are the breaks and prices of a proposed list.
func rowsOf(p *propose.Proposal) (at, prices []decimal.Decimal) {
	for i := range p.Rows {
		at, prices = append(at, p.Rows[i].At), append(prices, p.Rows[i].Price)
	}
	return at, prices
}
