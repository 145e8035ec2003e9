package past

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"html/template"
	"io"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/orderlist"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

var filesPage = shell.Page{Here: "/quotes", Title: "Past orders: files", Template: "past-files"}

// filesView is the page of files.
type filesView struct {
	Files  []fileRow
	Orders string // "2,000 orders of 1 November 2025 to 31 October 2026"; "" for none
	Said   string // what became of what was sent
	Slip   string
	Busy   bool
	Lines  []orderlist.Refused // of an invoice
	OOB    bool
}

// fileRow is a file that was taken in, or is being.
type fileRow struct {
	ID           int64
	Name         string
	State        string
	Said         string
	Percent      int
	Refused      []sqlite.PastRefused
	More         int
	RefusedCount string
}

func (s *Screens) filesView(c *gin.Context) (v filesView, ok bool) {
	ctx := c.Request.Context()
	files, err := s.history.DB().Files(ctx)
	if err != nil {
		s.Internal(c, err)
		return v, false
	}
	span, err := s.history.Span(ctx)
	if err != nil {
		s.Internal(c, err)
		return v, false
	}
	v.Orders = spanWords(&span)
	for i := range files {
		f := &files[i]
		row := fileRow{ID: f.ID, Name: f.Name, State: f.State}
		switch f.State {
		case sqlite.PastPreview:
			row.Said = "waits until you say how it is read"
		case sqlite.PastWaiting:
			v.Busy = true
			row.Percent = int(100 * f.Taken / max(f.Bytes, 1))
			row.Said = plural.Count(f.Orders, "order") + " so far"
		default:
			row.Said = fileSaid(f, s.draft.State().File)
		}
		if f.Refused > 0 {
			if row.Refused, err = s.history.DB().RefusedOf(ctx, f.ID, upload.MaxRows); err != nil {
				s.Internal(c, err)
				return v, false
			}
			row.RefusedCount = plural.Count(f.Refused, "line")
			row.More = f.Refused - len(row.Refused)
		}
		v.Files = append(v.Files, row)
	}
	return v, true
}

// fileSaid says what became of a file.
func fileSaid(f *sqlite.PastFile, file *store.File) string {
	parts := []string{plural.Count(f.Orders, "order") + " imported"}
	if f.Repeated > 0 {
		were := " were there already"
		if f.Repeated == 1 {
			were = " was there already"
		}
		parts = append(parts, plural.Count(f.Repeated, "order")+were)
	}
	if f.Refunds > 0 {
		apart := plural.Count(f.Refunds, "refunded or cancelled order") + " kept apart"
		if !f.Refunded.IsZero() {
			apart += " (" + price(file, f.Refunded) + " of delivery)"
		}
		parts = append(parts, apart)
	}
	switch f.State {
	case sqlite.PastStopped:
		parts = append(parts, "stopped before its end")
	case sqlite.PastFailed:
		parts = append(parts, "failed: "+f.Problem)
	}
	return strings.Join(parts, ", ")
}

// spanWords says what orders there are; "" for none.
func spanWords(s *sqlite.PastSpan) string {
	switch {
	case s.Orders == 0:
		return ""
	case s.First == "":
		return plural.Count(s.Orders, "order")
	}
	return plural.Count(s.Orders, "order") + ", " + day(s.First) + " to " + day(s.Last)
}

func (s *Screens) files(c *gin.Context) {
	v, ok := s.filesView(c)
	switch {
	case !ok:
	case shell.IsHTMX(c) && c.GetHeader("HX-Target") == "past-files":
		s.HTML(c, http.StatusOK, s.Render("past-file-list", v))
	default:
		s.Show(c, filesPage, v)
	}
}

// showFiles shows the page of files with something to say.
func (s *Screens) showFiles(c *gin.Context, status int, told func(*filesView)) {
	if v, ok := s.filesView(c); ok {
		told(&v)
		s.ShowStatus(c, status, filesPage, v)
	}
}

// refuse shows the page of files with why something was not done.
func (s *Screens) refuse(c *gin.Context, err error) {
	text, ok := shell.Told(err)
	var bad *grid.Error
	var slip *sheet.Error
	switch {
	case ok:
	case errors.As(err, &bad),
		errors.As(err, &slip),
		errors.Is(err, history.ErrEmpty),
		errors.Is(err, history.ErrLarge),
		errors.Is(err, sheet.ErrEmpty):
		text = err.Error()
	default:
		s.Internal(c, err)
		return
	}
	s.showFiles(c, http.StatusUnprocessableEntity, func(v *filesView) { v.Slip = text })
}

// send keeps a file and leads to its preview.
func (s *Screens) send(c *gin.Context) {
	name, r, err := upload.Sent(c)
	if err == nil {
		var f sqlite.PastFile
		if f, err = s.history.Keep(c.Request.Context(), name, r); err == nil {
			c.Redirect(http.StatusSeeOther, "/past/files/"+strconv.FormatInt(f.ID, 10))
			return
		}
	}
	s.refuse(c, err)
}

// previewView is a file as it would be read.
type previewView struct {
	ID        int64
	Name      string
	Columns   []upload.Column
	Decimal   string
	Dates     []shell.Choice
	Countries []shell.Choice // that all orders may have gone to
	Orders    []orderRow
	Refused   []orderlist.Refused
	Said      string
	Blocks    string // why it cannot be imported yet
	Found     []string
	Asks      []upload.Ask
	Answered  map[string][]string // what was answered before, to be sent again
	Problem   string
	Query     template.URL
}

// orderRow is an order as it is read.
type orderRow struct{ ID, At, To, Goods, Method, Paid, Cost string }

var previewPage = shell.Page{Here: "/quotes", Title: "Past orders: preview", Template: "past-preview"}

func (s *Screens) found(c *gin.Context) (f sqlite.PastFile, ok bool) {
	id, err := strconv.ParseInt(c.Param("file"), 10, 64)
	if err == nil {
		f, ok, err = s.history.DB().File(c.Request.Context(), id)
	}
	if err != nil || !ok {
		s.Problem(c, http.StatusNotFound, "This file is not kept any more: choose it again.")
		return f, false
	}
	return f, true
}

// choices are how a file is read as somebody chose it.
func (s *Screens) choices(c *gin.Context) history.Choices {
	f := s.draft.State().File
	query := upload.Query(c)
	out := history.Choices{Currency: f.Store.Currency, Decimal: query.Get("decimal"), Weights: f.Store.WeightUnit,
		Dates: orderlist.DateOrder(query.Get("dates")), Zeros: upload.Zeros(query), States: map[string]bool{},
		Settled: query["ok"]}
	for name, values := range query {
		if state, ok := strings.CutPrefix(name, statePrefix); ok {
			out.States[world.Fold(state)] = values[0] == "yes"
		}
	}
	if country, ok := world.CountryByCode(query.Get("country")); ok {
		out.Country = country.Alpha2
	}
	if p := f.Store.Dispatch; p != nil {
		out.Location = p.TimeZone
	}
	chosen := false
	for i := 0; query.Has("c" + strconv.Itoa(i)); i++ {
		name := "c" + strconv.Itoa(i)
		out.Columns = append(out.Columns, orderlist.Field(query.Get(name)))
		chosen = chosen || upload.Chose(query, name)
	}
	if !chosen { // as the headings say
		out.Columns = nil
	}
	return out
}

// statePrefix begins the names of answers to whether orders in a state count.
const statePrefix = "s:"

func (s *Screens) preview(c *gin.Context) {
	if f, ok := s.found(c); ok {
		s.look(c, &f, http.StatusOK, "")
	}
}

// look shows a file as it would be read.
func (s *Screens) look(c *gin.Context, f *sqlite.PastFile, status int, problem string) {
	if f.State != sqlite.PastPreview {
		c.Redirect(http.StatusSeeOther, "/past/files")
		return
	}
	l, err := s.history.Look(f, s.choices(c))
	if err != nil {
		s.refuse(c, shell.Refusef("%s", err.Error()))
		return
	}
	v := previewView{
		Query:   template.URL(upload.Query(c).Encode()),
		ID:      f.ID,
		Name:    f.Name,
		Decimal: l.Choices.Decimal,
		Found:   l.Found,
		Problem: problem,
		Refused: l.Refused,
	}
	v.questions(c, l)
	file := s.draft.State().File
	v.Countries = []shell.Choice{{Name: "are refused"}}
	for _, code := range countriesOf(file) {
		v.Countries = append(v.Countries, shell.Choice{ID: code, Name: "went to " + world.CountryName(code),
			Chosen: code == l.Choices.Country})
	}
	for i, head := range l.Head {
		name := "c" + strconv.Itoa(i)
		col := upload.Column{Index: i, Head: head, NotMapped: l.Choices.Columns[i] == "", Field: string(l.Choices.Columns[i]),
			Chosen: upload.Chose(upload.Query(c), name)}
		for _, row := range l.Rows {
			if i < len(row) && row[i] != "" && col.Example == "" {
				col.Example = row[i]
			}
		}
		for _, field := range orderlist.Fields {
			name := fieldNames[field]
			if field == orderlist.Weight || field == orderlist.TotalWeight {
				name += ", in " + cmp.Or(l.Choices.Unit, file.Store.WeightUnit)
			}
			col.Fields = append(
				col.Fields,
				shell.Choice{ID: string(field), Name: name, Chosen: field == l.Choices.Columns[i]},
			)
		}
		v.Columns = append(v.Columns, col)
	}
	v.Dates = []shell.Choice{{ID: "day", Name: "the day first", Chosen: l.Choices.Dates == orderlist.DayFirst},
		{ID: "month", Name: "the month first", Chosen: l.Choices.Dates == orderlist.MonthFirst}}
	if l.Count.Lines > 0 {
		v.Said = fmt.Sprintf("Of the first %s: %s read", plural.Count(l.Count.Lines, "line"),
			plural.Count(l.Count.Orders, "order"))
		if l.Count.RefusedLines > 0 {
			v.Said += ", " + plural.Count(l.Count.RefusedLines, "line") + " refused"
		}
		if l.Count.Refunds > 0 {
			v.Said += ", " + plural.Count(l.Count.Refunds, "refunded or cancelled order") + " kept apart"
		}
		v.Said += "."
	}
	for i := range l.Orders {
		v.Orders = append(v.Orders, rowOf(file, &l.Orders[i]))
	}
	s.ShowStatus(c, status, previewPage, v)
}

const notAnswered = "answer first what is asked about the list"

// questions are what the file leaves open, each with what answers it.
func (v *previewView) questions(c *gin.Context, l *history.Look) {
	query := upload.Query(c)
	state := 0
	for _, a := range l.Asks {
		one := upload.Ask{Code: a.Code, Message: a.Message, Open: true}
		answer := func(label, name, value string) {
			one.Answers = append(one.Answers, upload.NewAnswer(label, "", name, value))
		}
		switch a.Code {
		case orderlist.AskDecimal:
			answer("Decimal point", "decimal", ".")
			answer("Decimal comma", "decimal", ",")
		case orderlist.AskDates:
			answer("The day", "dates", string(orderlist.DayFirst))
			answer("The month", "dates", string(orderlist.MonthFirst))
		case orderlist.AskZero:
			answer("They have lost a zero", "zeros", string(destination.ZerosLost))
			answer("Leave it as it is", "zeros", string(destination.ZerosNone))
		case orderlist.AskCost:
			answer("What buyers paid", "c"+strconv.Itoa(l.Cost), string(orderlist.Paid))
			answer("What the carrier billed", "c"+strconv.Itoa(l.Cost), string(orderlist.Cost))
		case orderlist.AskState:
			answer("They count", statePrefix+l.States[state], "yes")
			answer("Leave them out", statePrefix+l.States[state], "no")
			state++
		case orderlist.AskColumns:
			one.Open, one.Leave = false, "Leave them out"
		case orderlist.AskTotals:
			one.Open = false
		}
		v.Asks = append(v.Asks, one)
	}
	if len(v.Asks) > 0 {
		v.Blocks = notAnswered
	}
	v.Answered = upload.Answered(query, v.Asks)
	for name, values := range query {
		if strings.HasPrefix(name, statePrefix) {
			v.Answered[name] = values
		}
	}
}

// countriesOf are the countries that the zones of a shop name, its own first.
func countriesOf(f *store.File) (list []string) {
	add := func(code string) {
		if code != "" && !slices.Contains(list, code) {
			list = append(list, code)
		}
	}
	add(f.Home())
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			add(f.Zones[i].Places[j].Country)
		}
	}
	return list
}

// fieldNames are what columns hold, as people say it.
var fieldNames = map[orderlist.Field]string{
	orderlist.OrderID: "order number", orderlist.At: "when it was placed", orderlist.Country: "country",
	orderlist.Region: "region", orderlist.City: "town", orderlist.Postcode: "postcode",
	orderlist.Street: "street (not kept)", orderlist.SKU: "SKU", orderlist.Quantity: "quantity",
	orderlist.Price: "price of one", orderlist.Weight: "weight of one", orderlist.Class: "shipping class",
	orderlist.Customer: "customer (not kept)", orderlist.Group: "customer group", orderlist.Coupon: "coupon",
	orderlist.Method: "delivery method", orderlist.Paid: "paid for delivery", orderlist.Cost: "cost, without tax",
	orderlist.Currency: "currency", orderlist.Tracking: "tracking number",
	orderlist.Value: "value of the goods of the order", orderlist.TotalWeight: "weight of the whole order",
	orderlist.Items: "number of items of the order", orderlist.Status: "state of the order",
	orderlist.Cancelled: "when it was cancelled",
}

// lineWords are some of one product in words: "2 × LADLE", or what the list says of them.
func lineWords(f *store.File, l *past.Line) string {
	what := l.SKU
	if l.Weight != nil {
		what = strings.TrimSpace(what + " " + l.Weight.String() + " " + f.Store.WeightUnit)
	}
	return fmt.Sprintf("%d × %s", l.Quantity, what)
}

// saysTotals says whether an order says what its goods come to, and not what they are.
func saysTotals(o *past.Order) bool {
	nothing := func(d *decimal.Decimal) bool { return d != nil && d.IsZero() }
	switch l := o.Lines; {
	case len(l) == 0 || len(l) > 2 || l[0].SKU != "" || l[0].Quantity != 1 || l[0].Weight == nil || l[0].Price == nil:
		return false
	case len(l) == 2:
		return l[1].SKU == "" && nothing(l[1].Weight) && nothing(l[1].Price)
	}
	return true
}

// totalWords are the goods of an order that says only what they come to: "6 items, 18.22 kg, €58.00".
func totalWords(f *store.File, o *past.Order) string {
	n, weight, value := int64(0), decimal.Zero, decimal.Zero
	for i := range o.Lines {
		n += o.Lines[i].Quantity
		if w := o.Lines[i].Weight; w != nil {
			weight = weight.Add(w.Mul(decimal.FromInt(o.Lines[i].Quantity)))
		}
		if p := o.Lines[i].Price; p != nil {
			value = value.Add(p.Mul(decimal.FromInt(o.Lines[i].Quantity)))
		}
	}
	return fmt.Sprintf("%s, %s %s, %s", plural.Count(int(n), "item"), weight, f.Store.WeightUnit, price(f, value))
}

// rowOf writes an order for people.
func rowOf(f *store.File, o *past.Order) orderRow {
	r := orderRow{
		ID:     o.ID,
		Method: o.Method,
		To:     strings.TrimSpace(o.To.Country + " " + o.To.Postcode + " " + o.To.City),
	}
	if m := f.Method(o.Method); m != nil && m.Name != "" {
		r.Method = m.Name
	}
	if !o.At.IsZero() {
		r.At = o.At.Format("2 Jan 2006")
	}
	var goods []string
	for i := range o.Lines {
		goods = append(goods, lineWords(f, &o.Lines[i]))
	}
	if saysTotals(o) {
		goods = []string{totalWords(f, o)}
	}
	r.Goods = plural.Few(goods)
	for _, sum := range []struct {
		of   *decimal.Decimal
		into *string
	}{{o.Paid, &r.Paid}, {o.Cost, &r.Cost}} {
		if sum.of != nil {
			*sum.into = price(f, *sum.of)
		}
	}
	return r
}

// begin has a file be taken in.
func (s *Screens) begin(c *gin.Context) {
	f, ok := s.found(c)
	if !ok {
		return
	}
	l, err := s.history.Look(&f, s.choices(c))
	if err != nil {
		s.refuse(c, shell.Refusef("%s", err.Error()))
		return
	}
	if len(l.Asks) > 0 {
		s.look(c, &f, http.StatusUnprocessableEntity, notAnswered)
		return
	}
	if err := s.history.Begin(c.Request.Context(), f.ID, l.Choices); err != nil {
		s.Internal(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/past/files")
}

// stop stops taking a file in, or throws away one that was only looked at.
func (s *Screens) stop(c *gin.Context) {
	if f, ok := s.found(c); ok {
		if err := s.history.Stop(c.Request.Context(), f.ID); err != nil {
			s.Internal(c, err)
			return
		}
		if f.State == sqlite.PastPreview {
			if err := s.history.DB().RemoveFile(c.Request.Context(), f.ID); err != nil {
				s.Internal(c, err)
				return
			}
		}
		c.Redirect(http.StatusSeeOther, "/past/files")
	}
}

// invoices gives orders what a carrier billed.
func (s *Screens) invoices(c *gin.Context) {
	name, r, err := upload.Sent(c)
	if err != nil {
		s.refuse(c, err)
		return
	}
	data, err := io.ReadAll(io.LimitReader(r, upload.MaxTable+1))
	switch {
	case err == nil && len(data) > upload.MaxTable:
		err = shell.Refusef("a carrier's invoice has at most %d MB", upload.MaxTable>>20)
	case err == nil && len(bytes.TrimSpace(data)) == 0:
		err = history.ErrEmpty
	}
	if err != nil {
		s.refuse(c, err)
		return
	}
	out, refused, err := s.history.Invoices(c.Request.Context(), data)
	if err != nil {
		s.refuse(c, shell.Refusef("%.60s: %s", name, err.Error()))
		return
	}
	said := fmt.Sprintf("%s of %.60s matched orders", plural.Count(out.Matched, "line"), name)
	if out.Changed > 0 {
		said += fmt.Sprintf("; %s had another cost before", plural.Count(out.Changed, "order"))
	}
	if n := len(out.Unknown); n > 0 {
		said += fmt.Sprintf("; %s matched no order", plural.Count(n, "line"))
		for _, one := range out.Unknown {
			refused = append(
				refused,
				orderlist.Refused{Line: one.Line, Text: strings.TrimSpace(one.Order + " " + one.Tracking),
					Reason: "no order and no parcel of that number is here"},
			)
		}
	}
	if len(refused) > upload.MaxRows {
		refused = refused[:upload.MaxRows]
	}
	s.showFiles(c, http.StatusOK, func(v *filesView) { v.Said, v.Lines = said+".", refused })
}

// forget removes all past orders.
func (s *Screens) forget(c *gin.Context) {
	if c.PostForm("sure") != "yes" {
		s.showFiles(c, http.StatusUnprocessableEntity, func(v *filesView) {
			v.Slip = "Tick that you want to forget them: past orders cannot be brought back"
		})
		return
	}
	if err := s.history.Forget(c.Request.Context()); err != nil {
		s.Internal(c, err)
		return
	}
	c.Redirect(http.StatusSeeOther, "/past")
}
