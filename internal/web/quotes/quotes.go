package quotes

import (
	"bytes"
	"cmp"
	"net/http"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// quotesCell is what a method costs; an empty charge is not offered, for the reason. Differs is from the row above.
type quotesCell struct {
	Estimated            bool // its carrier failed, and the price list stands in
	Charge, Reason, Full string
	Price                string // the charge as people read it
	code                 string // why it is not offered
	Differs              bool
	wanted               string // what would fit, where a limit is passed
	Left                 string // what is left of the charge once tax and sending are paid; "" where that is not known
	Margin               string // the same as a number, below 0 too
	Loses                bool   // less than nothing
}

type quotesRow struct {
	Line, Near, Zone, Message string
	Cells                     []quotesCell
	Here                      bool   // what the Till has
	plain                     string // the measure as a spreadsheet takes it
}

type quotesView struct {
	Over    string // "" is destinations; else the measure of the run
	Runs    []shell.Choice
	First   string // what the rows are
	Methods []string
	Wide    int // columns of the table
	Rows    []quotesRow
	About   string
	Empty   bool
	Costs   bool // what is left is known of some
}

// Runs are what a cart can be quoted over.
var Runs = []shell.Choice{
	{ID: "", Name: "Destinations"},
	{ID: string(rate.ByQuantity), Name: "Quantities"},
	{ID: string(rate.ByWeight), Name: "Weights"},
	{ID: string(rate.BySubtotal), Name: "Sums"},
}

// quotes shows what the Till's cart costs to each of the shop's typical destinations, or over a run of one measure.
func (s *Screens) quotes(c *gin.Context) {
	v, ok := s.quotesView(c)
	if ok {
		s.Show(c, shell.Page{Here: "/quotes", Title: "Quotes", Template: "quotes"}, v)
	}
}

// exportQuotes writes what the page shows as a table.
func (s *Screens) exportQuotes(c *gin.Context) {
	v, ok := s.quotesView(c)
	if !ok {
		return
	}
	rows := [][]string{append([]string{v.First, "First zone"}, v.Methods...)}
	if v.Costs {
		for _, m := range v.Methods {
			rows[0] = append(rows[0], m+", left after tax and cost")
		}
	}
	for _, r := range v.Rows {
		row := []string{cmp.Or(r.plain, r.Line), r.Zone}
		for _, cell := range r.Cells {
			if cell.Charge == "" {
				row = append(row, "no: "+cell.Full)
			} else {
				row = append(row, cell.Charge)
			}
		}
		for _, cell := range r.Cells {
			if v.Costs {
				row = append(row, cell.Margin)
			}
		}
		rows = append(rows, row)
	}
	var b bytes.Buffer
	if err := sheet.Write(&b, rows); err != nil {
		s.Internal(c, err)
		return
	}
	c.Header("Content-Disposition", `attachment; filename="quotes.csv"`)
	c.Data(http.StatusOK, "text/csv; charset=utf-8", b.Bytes())
}

func (s *Screens) quotesView(c *gin.Context) (quotesView, bool) {
	state, ctx := s.draft.State(), c.Request.Context()
	f := state.File
	t, err := samples.Till(ctx, s.db, f)
	if err != nil {
		s.Internal(c, err)
		return quotesView{}, false
	}
	q, _, addressErr := samples.Request(state.Engine, t)
	q.Costs = true
	v := quotesView{First: "To"}
	for _, run := range Runs {
		run.Chosen = run.ID == c.Query("over")
		if v.Runs = append(v.Runs, run); run.Chosen {
			v.Over = run.ID
		}
	}
	v.Runs[0].Chosen = v.Over == ""
	column := columns{}
	for i := range f.Methods {
		if m := &f.Methods[i]; m.Enabled {
			v.Methods = append(v.Methods, column.add(m, len(v.Methods))...)
		}
	}
	v.Costs = len(f.Costs) > 0
	v.Empty, v.Wide = len(v.Methods) == 0, len(v.Methods)+2
	if v.Over != "" {
		if addressErr != nil {
			v.About = "Type an address into the Till: a run of quotes goes to one place."
			return v, true
		}
		s.sweep(&v, state, &q, t.Destination, column)
		return v, true
	}
	_, destinations, err := s.db.Samples(ctx)
	if err != nil {
		s.Internal(c, err)
		return v, false
	}
	if len(destinations) == 0 {
		destinations = []string{t.Destination}
	}
	v.About = "The Till's cart to the shop's usual destinations, each quoted now. Change the cart in " +
		"the Till and the table follows."
	reader, lines := state.Reader(), []string(nil)
	var requests []quote.Request
	for _, line := range destinations {
		if q.To, err = reader.Address(line); err != nil {
			continue
		}
		requests, lines = append(requests, q), append(lines, line)
	}
	engine := state.Engine
	if engine.AsksCarriers() {
		engine = engine.AheadOf(requests)
	}
	for i, line := range lines {
		row := quotesRowOf(f, engine.Quote(&requests[i]), column, len(v.Methods))
		row.Line, row.Here = line, line == t.Destination
		v.add(row)
	}
	return v, true
}

// columns are where methods stand in the table: those that ask a carrier have one for each service that is on.
type columns map[string][]int

// add gives a method its columns behind others, and their heads.
func (c columns) add(m *store.Method, at int) (heads []string) {
	name := cmp.Or(m.Name, m.ID)
	if m.Kind == store.CarrierKind && m.Carrier != nil {
		for _, s := range m.Carrier.Services {
			if s.Enabled {
				c[m.ID] = append(c[m.ID], at+len(heads))
				c[m.ID+"/"+s.Code] = []int{at + len(heads)}
				heads = append(heads, name+": "+cmp.Or(s.Label, s.Code))
			}
		}
	}
	if len(heads) == 0 {
		c[m.ID] = []int{at}
		heads = []string{name}
	}
	return heads
}

// of are the columns of an option: that of its service, or all of its method.
func (c columns) of(o *quote.Option) []int {
	if at, ok := c[o.Method+"/"+o.Service]; ok && o.Service != "" {
		return at
	}
	return c[o.Method]
}

// sweep fills in the quotes over a run of one measure, with each break tested just under, on and just over it.
func (s *Screens) sweep(
	v *quotesView,
	state *draft.State,
	q *quote.Request,
	destination string,
	column columns,
) {
	f, by := state.File, rate.By(v.Over)
	u := f.Store.Units()
	v.First = map[rate.By]string{
		rate.ByQuantity: "Quantity",
		rate.ByWeight:   "Weight, " + u.Weight,
		rate.BySubtotal: "Sum of the goods, " + f.Store.Currency,
	}[by]
	v.About = map[rate.By]string{
		rate.ByQuantity: "So many of " + firstName(q),
		rate.ByWeight:   "One parcel like the Till's cart, but of this weight",
		rate.BySubtotal: "One parcel like the Till's cart, but of this sum",
	}[by] + " to " + destination + ": each point at which a price may change, just under, on and just " +
		"over it. What differs from the row above is marked."
	swept := state.Engine.Sweep(q, by)
	for i := range swept {
		row := quotesRowOf(f, swept[i].Answer, column, len(v.Methods))
		row.Line, row.plain = u.Measure(by, swept[i].At), swept[i].At.String()
		if by != rate.ByQuantity { // numbers speak for themselves
			row.Near = []string{"just under", "", "just over"}[swept[i].Side+1]
		}
		row.Message = ""
		for j := range row.Cells { // the row says what the goods are; the cell what they would have to be
			if row.Cells[j].wanted != "" && row.Cells[j].code == quote.Needs {
				row.Cells[j].Reason = row.Cells[j].wanted
			}
		}
		v.add(row)
	}
	switch {
	case len(swept) == 0:
		v.About = "No price or term of this shop goes by that, so that there is nothing to try."
	case len(swept) == quote.MaxSweep:
		v.About += " There are more than are shown."
	}
}

// firstName is what the first product that is shipped is called.
func firstName(q *quote.Request) string {
	for i := range q.Lines {
		if p := &q.Lines[i].Product; p.NeedsShipping {
			return cmp.Or(p.Name, p.SKU)
		}
	}
	return "nothing"
}

// add adds a row; what differs from the row above is marked.
func (v *quotesView) add(row quotesRow) {
	if n := len(v.Rows); n > 0 {
		above := v.Rows[n-1].Cells
		for i := range row.Cells {
			row.Cells[i].Differs = row.Cells[i].Charge != above[i].Charge || row.Cells[i].code != above[i].code
		}
	}
	v.Rows = append(v.Rows, row)
}

func quotesRowOf(f *store.File, a *quote.Answer, column columns, n int) quotesRow {
	row := quotesRow{Cells: make([]quotesCell, n), Message: a.Message}
	if len(a.Zones) > 0 {
		z := f.Zone(a.Zones[0].Zone)
		row.Zone = cmp.Or(z.Name, z.ID)
	}
	for i := range row.Cells { // a service of a method that is offered by others
		row.Cells[i] = quotesCell{Reason: "no price", code: quote.NoRate,
			Full: "the carrier names no price for this service"}
	}
	for i := range a.Options {
		o := &a.Options[i]
		for _, at := range column.of(o) {
			row.Cells[at] = quotesCell{Charge: o.Charge, Price: world.DeliveryPrice(o.Charge, a.Currency),
				Estimated: o.Estimated}
			if o.Costs != nil {
				row.Cells[at].Loses = o.Costs.Margin.Sign() < 0
				row.Cells[at].Margin = o.Costs.Margin.Round(f.Store.Units().Digits).Fixed(f.Store.Units().Digits)
				row.Cells[at].Left = world.Price(strings.TrimPrefix(row.Cells[at].Margin, "-"), a.Currency)
			}
		}
	}
	for _, r := range a.Refused {
		for _, at := range column[r.Method] {
			row.Cells[at] = quotesCell{
				Reason: r.Why.Short(),
				Full:   r.Reason,
				code:   r.Code,
				wanted: r.Why.Wanted(),
			}
		}
	}
	return row
}
