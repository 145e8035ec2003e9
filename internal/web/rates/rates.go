package rates

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/review/policy"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// cellView is a cell of a price list: the charge of a row in a zone, as text.
type cellView struct {
	DOM      string // its id
	At, Zone string // which row (its break point) and column
	Text     string // as typed, or canonical
	Was      string // the canonical text that the edit starts from
	Label    string // for those who do not see the heads
	No       bool
	Hit      bool // the Till's cart is priced here
	Slip     string
	Quiet    string // something to know that is no fault
	Offer    *boundsOffer
}

// boundsOffer is what of a refused cell can be set in the terms of its zone.
type boundsOffer struct {
	edit.Bounds
	Path, Zone string // the name of the zone
}

// Refuse is shell.Cell's.
func (v *cellView) Refuse(why string, was *string) {
	if v.Slip = why; was != nil {
		v.Was = *was
	}
}

type headView struct {
	DOM           string
	Method, Table string
	Index         int
	Before, After string // words around the break point: "up to and including", "and over"
	At            string
	Unit          string
	Was           string
	Fixed         bool // the break point cannot be changed
	Words         string
	Slip          string
	Last          bool
	OOB           bool
}

type rowView struct {
	Head  headView
	Cells []cellView
}

type tableView struct {
	Method, ID, Name         string
	Title                    string
	Measures                 string           // "Weight"
	Columns                  []shell.ZoneHead // those that are shown
	AllColumns               []shell.ZoneHead
	Across, Down             *shell.Window // the columns and rows that are shown; nil for all
	Rows                     []rowView
	NewZone                  string
	Many                     bool             // there are too many other zones to choose from a menu
	Others                   []shell.ZoneHead // zones that could be added
	Extends                  bool             // whether a row can be added
	NewAt                    string
	NewUnit                  string
	Slip                     string
	Opens                    string // what removing this list, or the column of OpensZone, would offer to whom
	OpensZone                string
	For                      string // which goods
	Note                     string // what became of what was pasted
	AsZone, AsFrom, AsChange string
	Prices                   string // what its cells are: "Price" or "Cost"
	Warnings                 []string
	Reading                  bool   // they are those of a state before
	First                    bool   // it has the help for all lists
	Unmeasured               string // why its distances cannot be measured
	By                       string
	Measure                  []shell.Choice
	Edges                    []shell.Choice
	PerOrder                 bool
	Graduates, Graduated     bool
	ClassText                string
	Several                  bool
	OOB                      bool
	Large                    bool // its curve comes a moment later
	Curve                    *curveView
}

type ratesView struct {
	Methods []tab
	Costs   []tab
	Cost    *costView // these lists say what sending costs; nil where they are a method's
	Method  string
	Label   string
	Say     []string
	Asks    string // what these lists are for where a carrier names the price; "" where they do
	Tables  []tableView
	None    bool

	Slip       string
	NewClasses string
	Combines   []shell.Choice
	OOB        bool
	Measure    []shell.Choice
}

type tab struct {
	ID, Name string
	Here     bool
}

var measureHeads = map[rate.By]string{
	rate.ByOrder:    "Each order",
	rate.ByWeight:   "Weight",
	rate.ByBilled:   "Billed weight",
	rate.BySubtotal: "Order value",
	rate.ByQuantity: "Number of items",
	rate.ByDistance: "Distance",
}

// warn fills in the warnings about a list.
func (v *tableView) warn(state *draft.State, m *store.Method, t *rate.Table) {
	if isCost(state.File, m.ID) {
		return
	}
	found, done := state.Soon()
	v.Reading = !done
	if found != nil {
		for _, o := range found.Warnings {
			if o.Method == m.ID && o.Table == t.ID {
				v.Warnings = append(v.Warnings, o.Beside(state.File))
			}
		}
	}
	if warnings.Measures(t) {
		v.Unmeasured = warnings.Unmeasured(state.File, state.Engine.Gazetteer(), m)
	}
}

// warningsAgain answers with the warnings about a list once a large shop has been read.
func (s *Screens) warningsAgain(c *gin.Context) {
	state := s.draft.State()
	m, t, err := tableAt(c, state.File)
	if err != nil {
		s.HTML(c, http.StatusOK)
		return
	}
	parts := []template.HTML{s.listWarnings(state, m, t)}
	if state.File.CostOf(m.ID) != nil && !isCost(state.File, m.ID) { // the curve waited for what sending costs
		quoted := s.quoted(c, state)
		if curve := curveOf(state, m, t, &quoted); curve != nil {
			curve.OOB = true
			parts = append(parts, s.Render("curve", curve))
		}
	}
	s.HTML(c, http.StatusOK, parts...)
}

// listWarnings are the warnings about a list, for a page that stands.
func (s *Screens) listWarnings(state *draft.State, m *store.Method, t *rate.Table) template.HTML {
	v := tableView{ID: t.ID, Method: m.ID, OOB: true}
	v.warn(state, m, t)
	return s.Render("list-warnings", v)
}

func measureChoices(chosen rate.By) (list []shell.Choice) {
	for _, by := range rate.Measures {
		list = append(list, shell.Choice{ID: string(by), Name: by.Words(), Chosen: by == chosen})
	}
	return list
}

// tillHits finds the cells that price the Till's cart.
func tillHits(a *quote.Answer) map[string]bool {
	hits := map[string]bool{}
	if a == nil {
		return hits
	}
	for _, o := range a.Options {
		for _, step := range o.Steps {
			for _, row := range step.Rows {
				hits[hitKey(o.Method, step.Table, row, o.Zone)] = true
			}
		}
	}
	return hits
}

func hitKey(method, table string, row int, zone string) string {
	return strings.Join([]string{method, table, strconv.Itoa(row), zone}, "/")
}

func cellOf(f *store.File, m *store.Method, t *rate.Table, row, column int, hits map[string]bool) cellView {
	z := f.Zone(t.Zones[column])
	text := charge.Format(t.Rows[row].Charges[column], f.Words())
	return cellView{
		DOM: fmt.Sprintf("c-%s-%d-%d", t.ID, row, column),
		At:  edit.AtText(t.Rows[row].At), Zone: t.Zones[column],
		Text: text, Was: text, No: text == "no",
		Label: cmp.Or(z.Name, z.ID) + ", " + t.RowWords(row, f.Store.Units()),
		Hit:   hits[hitKey(m.ID, t.ID, row, t.Zones[column])],
	}
}

func headOf(f *store.File, m *store.Method, t *rate.Table, row int) headView {
	u := f.Store.Units()
	h := headView{
		DOM:    fmt.Sprintf("h-%s-%d", t.ID, row),
		Method: m.ID,
		Table:  t.ID,
		Index:  row,
		Unit:   edit.Unit(f, t.By),
		At:     edit.AtText(t.Rows[row].At),
		Words:  t.RowWords(row, u),
		Last:   row+1 == len(t.Rows),
	}
	h.Was = h.At
	switch {
	case t.By == rate.ByOrder:
		h.Fixed = true
	case t.Edges == rate.UpTo:
		h.Before = "up to and including"
		h.Fixed = t.Rows[row].At == nil
	default:
		h.Before, h.Fixed = "from", row == 0
	}
	return h
}

// How much of a price list a page shows: so many cells, in rows of which there are at most so many, and at least so many
// columns.
const (
	maxCells   = 600
	maxRows    = 150
	minColumns = 4
)

// windows are the parts of a list that a page shows: where the query asks for none, those with the zone that it names.
func windows(t *rate.Table, query url.Values) (across, down *shell.Window) {
	rows := min(len(t.Rows), maxRows)
	if len(t.Rows)*len(t.Zones) <= maxCells {
		rows = len(t.Rows)
	}
	down = shell.WindowOf(query, "rows", max(rows, 1), len(t.Rows))
	if rows*len(t.Zones) <= maxCells {
		return nil, down
	}
	columns := max(minColumns, maxCells/max(rows, 1))
	return shell.WindowWith(query, "zones", columns, len(t.Zones), slices.Index(t.Zones, query.Get("zone"))), down
}

// maxOthers is how many zones without a column a menu has; of more, one is typed.
const maxOthers = 60

func (s *Screens) tableView(f *store.File, m *store.Method, t *rate.Table, hits map[string]bool,
	query url.Values) tableView {
	v := tableView{
		Method:   m.ID,
		ID:       t.ID,
		Name:     cmp.Or(t.Name, t.ID),
		Measures: measureHeads[t.By],
		Extends:  t.By != rate.ByOrder,
		NewUnit:  edit.Unit(f, t.By),
		Prices:   "Price",
	}
	if isCost(f, m.ID) {
		v.Prices = "Cost"
	}
	v.Title = cmp.Or(m.Name, m.ID) + ", " + t.Words()
	if len(m.Tables) > 1 {
		v.Title = v.Name + ", " + t.Words()
	}
	if len(t.Classes) > 0 {
		v.For = "for goods of class " + strings.Join(f.ClassNames(t.Classes), ", ")
	} else if m.Classes != store.Together {
		v.For = "for all other goods"
	}
	v.Several, v.By, v.Graduated = m.Classes != store.Together, string(t.By), t.Graduated
	v.PerOrder = t.Per == rate.PerOrder
	v.Graduates = t.By != rate.ByOrder && t.By != rate.BySubtotal
	v.Measure = measureChoices(t.By)
	if t.By != rate.ByOrder {
		v.Edges = []shell.Choice{
			{ID: string(rate.UpTo), Name: "up to and including the break", Chosen: t.Edges == rate.UpTo},
			{ID: string(rate.From), Name: "from the break on", Chosen: t.Edges == rate.From},
		}
	}
	v.ClassText = strings.Join(f.ClassNames(t.Classes), ", ")
	for _, id := range t.Zones {
		z, i := f.Zone(id), f.ZoneIndex(id)
		v.AllColumns = append(v.AllColumns, shell.ZoneHead{ID: id, Name: cmp.Or(z.Name, z.ID), Colour: shell.Colour(i)})
	}
	v.Across, v.Down = windows(t, query)
	first, last := v.Across.Bounds(len(t.Zones))
	v.Columns = v.AllColumns[first:last]
	if n := len(t.Zones); n > 1 {
		v.AsZone, v.AsFrom = t.Zones[n-1], t.Zones[0]
	}
	if v.Many = len(f.Zones)-len(t.Zones) > maxOthers; !v.Many {
		for i := range f.Zones {
			if z := &f.Zones[i]; !slices.Contains(t.Zones, z.ID) {
				v.Others = append(v.Others, shell.ZoneHead{ID: z.ID, Name: cmp.Or(z.Name, z.ID), Colour: shell.Colour(i)})
			}
		}
	}
	top, end := v.Down.Bounds(len(t.Rows))
	for i := top; i < end; i++ {
		row := rowView{Head: headOf(f, m, t, i)}
		for j := first; j < last; j++ {
			row.Cells = append(row.Cells, cellOf(f, m, t, i, j, hits))
		}
		v.Rows = append(v.Rows, row)
	}
	return v
}

func (s *Screens) ratesView(c *gin.Context, state *draft.State, id string) (ratesView, bool) {
	f := state.File
	v := ratesView{Method: id, None: len(f.Methods) == 0}
	for i := range f.Methods {
		m := &f.Methods[i]
		v.Methods = append(v.Methods, tab{m.ID, cmp.Or(m.Name, m.ID), m.ID == id})
	}
	for i := range f.Costs {
		c := &f.Costs[i]
		v.Costs = append(v.Costs, tab{edit.CostOwner(c.ID), cmp.Or(c.Name, c.ID), edit.CostOwner(c.ID) == id})
	}
	m := edit.Owner(f, id)
	if m == nil {
		return v, v.None
	}
	v.Cost = costOf(f, id)
	v.Measure = measureChoices(rate.ByWeight)
	if len(m.Tables) > 1 || m.Classes != store.Together {
		v.Combines = []shell.Choice{
			{ID: "add", Name: "added up", Chosen: m.Classes == store.Add},
			{ID: "dearest", Name: "only the dearest counts", Chosen: m.Classes == store.Dearest},
		}
	}
	v.Label = m.BuyersLabel()
	v.Asks = standsIn(f, m)
	quoted := s.quoted(c, state)
	hits := tillHits(quoted.Answer)
	for i := range m.Tables {
		t := s.tableView(f, m, &m.Tables[i], hits, shell.Viewed(c))
		if t.Large = len(m.Tables[i].Rows)*len(m.Tables[i].Zones) > maxAtOnce; !t.Large {
			t.Curve = curveOf(state, m, &m.Tables[i], &quoted)
			t.warn(state, m, &m.Tables[i])
		}
		t.First = i == 0
		v.Tables = append(v.Tables, t)
	}
	if v.Cost == nil && !slices.ContainsFunc(v.Tables, func(t tableView) bool { return t.Large }) {
		v.Say = policy.Brief(state.Engine, state.Coverage(), m) // of a large one the page asks for it
	}
	return v, true
}

// standsIn says what the price lists of a method are for where a carrier names its price; "" where none does.
func standsIn(f *store.File, m *store.Method) string {
	switch {
	case m.Kind != store.CarrierKind || m.Carrier == nil:
		return ""
	case m.Carrier.Fallback:
		return "These prices stand in where " + f.CarrierName(m.Carrier.ID) +
			" fails. Its columns are the zones that " +
			"the method serves."
	}
	return f.CarrierName(m.Carrier.ID) +
		" names the price. Only the columns of this list count: they are the zones that " +
		"the method serves. Its prices would stand in where the carrier fails, which is switched off."
}

// quoted is the Till quoted; empty where it cannot be read, which the answer around it will tell.
func (s *Screens) quoted(c *gin.Context, state *draft.State) till.View {
	v, err := s.till.View(c.Request.Context(), state, till.Slips{})
	if err != nil {
		return till.View{}
	}
	return v
}

func (s *Screens) firstRates(c *gin.Context) {
	widest, columns := "", -1 // the method with the most to see
	for _, m := range s.draft.State().File.Methods {
		n := 0
		for _, t := range m.Tables {
			n = max(n, len(t.Zones)*len(t.Rows))
		}
		if n > columns {
			widest, columns = m.ID, n
		}
	}
	if widest != "" {
		c.Redirect(http.StatusSeeOther, "/rates/"+widest)
		return
	}
	v, _ := s.ratesView(c, s.draft.State(), "")
	s.Show(c, shell.Page{Here: "/rates", Title: "Rates", Template: "rates"}, v)
}

func (s *Screens) rates(c *gin.Context) {
	v, ok := s.ratesView(c, s.draft.State(), c.Param("method"))
	if !ok {
		s.Problem(c, http.StatusNotFound, "There is no method of that name. It may have been removed.")
		return
	}
	s.Show(c, shell.Page{Here: "/rates", Title: "Rates: " + v.Label, Template: "rates"}, v)
}
