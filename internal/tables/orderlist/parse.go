package orderlist

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"
)

// numbered are the fields by small numbers, for the hot loop.
var numbered = func() map[Field]int {
	m := map[Field]int{}
	for i, f := range Fields {
		m[f] = i
	}
	return m
}()

// parser makes orders of lines. It is for one goroutine.
type parser struct {
	o      *Options
	at     [32]int // the column of each field, −1 for none
	whole  []int   // fields of the order as a whole that have a column
	known  map[string]string
	visit  func(*past.Order) error
	result Result

	order  past.Order // that is being read
	begun  bool
	said   [32]string // what its lines say of the whole
	line   int        // its first
	texts  []string   // its lines, and where they stand
	lines  []int
	refuse string // why it is refused
	faulty int    // which of its lines is why
	refund bool
	paid   decimal.Decimal
	sent   *decimal.Decimal // what lines for sending say was paid
	gone   bool             // it was cancelled
	err    error

	days   map[string]time.Time
	prices map[string]decimal.Decimal
}

func newParser(o *Options, visit func(*past.Order) error) *parser {
	p := &parser{o: o, visit: visit, known: map[string]string{}, days: map[string]time.Time{},
		prices: map[string]decimal.Decimal{}}
	for i := range p.at {
		p.at[i] = -1
	}
	for i, f := range o.Columns {
		if f != "" {
			p.at[numbered[f]] = i
		}
	}
	for _, f := range whole {
		if n := numbered[f]; p.at[n] >= 0 {
			p.whole = append(p.whole, n)
		}
	}
	return p
}

// Positions of the fields that every line is asked for.
var (
	fOrder, fSKU, fQuantity, fPrice = numbered[OrderID], numbered[SKU], numbered[Quantity], numbered[Price]
	fWeight, fClass, fCoupon        = numbered[Weight], numbered[Class], numbered[Coupon]
	fAt, fCountry, fRegion, fCity   = numbered[At], numbered[Country], numbered[Region], numbered[City]
	fPostcode, fCustomer, fGroup    = numbered[Postcode], numbered[Customer], numbered[Group]
	fMethod, fPaid, fCost           = numbered[Method], numbered[Paid], numbered[Cost]
	fCurrency, fTracking, fStreet   = numbered[Currency], numbered[Tracking], numbered[Street]

	fValue, fTotalWeight, fItems = numbered[Value], numbered[TotalWeight], numbered[Items]
	fStatus, fCancelled          = numbered[Status], numbered[Cancelled]
)

func (p *parser) cell(cells []string, field int) string {
	i := p.at[field]
	if i < 0 {
		return ""
	}
	text := cells[i]
	if n := len(text); n > 0 && (text[0] <= ' ' || text[n-1] <= ' ' || text[0] >= 0x80 || text[n-1] >= 0x80) {
		return strings.TrimSpace(text)
	}
	return text
}

// keep is a text that outlives the block that it stands in.
func (p *parser) keep(text string) string {
	if text == "" {
		return ""
	}
	if have, ok := p.known[text]; ok {
		return have
	}
	if len(p.known) > 1<<17 {
		clear(p.known)
	}
	text = strings.Clone(text)
	p.known[text] = text
	return text
}

// shown is a line as it is listed where it is refused.
func (p *parser) shown(cells []string, text string) string {
	if !p.o.Private {
		return text
	}
	if len(cells) != len(p.o.Columns) {
		return ""
	}
	var kept []string
	for i, f := range p.o.Columns {
		if f != "" && f != Street && f != Customer {
			kept = append(kept, cells[i])
		}
	}
	return strings.Join(kept, ", ")
}

// add reads a line. text is the line as it stands in the file.
func (p *parser) add(line int, cells []string, text string) {
	p.result.Lines++
	id := p.cell(cells, fOrder)
	if id == "" {
		text = p.shown(cells, text)
		p.end()
		p.alone(line, text, "it has no order number; where it belongs to the order above, that one lacks it")
		return
	}
	if !p.begun || id != p.order.ID {
		p.end()
		p.begin(line, id)
	}
	if p.o.Private {
		text = p.shown(cells, text)
	}
	p.texts, p.lines = append(p.texts, text), append(p.lines, line)
	if p.refuse != "" {
		return
	}
	if p.refuse = p.read(cells); p.refuse != "" {
		p.faulty = line
	}
}

// broken refuses a line that is no row of the table. Nobody knows to which order it belongs: the one before it is
// refused with it where its number is the same.
func (p *parser) broken(line int, text, id, reason string) {
	p.result.Lines++
	text = p.shown(nil, text)
	if p.begun && id == p.order.ID {
		p.texts, p.lines = append(p.texts, text), append(p.lines, line)
		if p.refuse == "" {
			p.refuse, p.faulty = reason, line
		}
		return
	}
	p.end()
	if id == "" {
		p.alone(line, text, reason)
		return
	}
	p.begin(line, id)
	p.texts, p.lines = append(p.texts, text), append(p.lines, line)
	p.refuse, p.faulty = reason, line
}

// alone refuses a line that belongs to no order.
func (p *parser) alone(line int, text, reason string) {
	p.result.RefusedLines++
	p.list(line, text, reason)
}

func (p *parser) list(line int, text, reason string) {
	if len(p.result.Refused) < MaxListed {
		p.result.Refused = append(p.result.Refused, Refused{line, cut(text), reason})
	}
}

// cut bounds a text that is listed.
func cut(text string) string {
	if r := []rune(text); len(r) > 200 {
		return string(r[:200]) + "…"
	}
	return strings.ToValidUTF8(text, "\uFFFD")
}

func (p *parser) begin(line int, id string) {
	p.begun, p.line, p.refuse, p.refund, p.paid = true, line, "", false, decimal.Zero
	p.sent, p.gone = nil, false
	p.order = past.Order{ID: strings.Clone(id), Lines: p.order.Lines[:0], Coupons: p.order.Coupons[:0]}
	p.texts, p.lines = p.texts[:0], p.lines[:0]
	for _, f := range p.whole {
		p.said[f] = ""
	}
}

// end gives the order to whoever wants it, or refuses it.
func (p *parser) end() {
	if !p.begun {
		return
	}
	p.begun = false
	if p.refuse == "" {
		p.refuse, p.faulty = p.settle(), p.line
	}
	switch {
	case p.refuse != "":
		p.result.RefusedLines += len(p.lines)
		for i, line := range p.lines {
			reason := p.refuse
			if line != p.faulty {
				reason = fmt.Sprintf("line %d of the same order is refused", p.faulty)
			}
			p.list(line, p.texts[i], reason)
		}
	case p.gone:
		p.result.Refunds++
	case p.refund:
		p.result.Refunds++
		p.result.Refunded = p.result.Refunded.Add(p.paid)
	case p.err == nil:
		p.result.Orders++
		p.err = p.visit(&p.order)
	}
}

// read reads a line of the order; the reason says why it cannot.
func (p *parser) read(cells []string) (reason string) {
	for _, f := range p.whole {
		text := p.cell(cells, f)
		switch {
		case text == "" || text == p.said[f]:
		case p.said[f] == "":
			p.said[f] = text
		default:
			return fmt.Sprintf("%s is %q here and %q in another line of the order", Fields[f], text, p.said[f])
		}
	}
	if coupon := p.cell(cells, fCoupon); coupon != "" && !slices.Contains(p.order.Coupons, coupon) {
		p.order.Coupons = append(p.order.Coupons, p.keep(coupon))
	}
	if len(p.order.Lines) == quote.MaxLines {
		return fmt.Sprintf("an order has at most %d lines", quote.MaxLines)
	}
	if p.at[fSKU] < 0 && p.at[fWeight] < 0 && p.at[fPrice] < 0 && (p.at[fValue] >= 0 || p.at[fTotalWeight] >= 0) {
		return "" // the order says what its goods are
	}
	return p.product(cells)
}

// product reads what a line says of its goods.
func (p *parser) product(cells []string) (reason string) {
	if is, reason := p.sending(cells); is {
		return reason
	}
	l := past.Line{SKU: p.keep(p.cell(cells, fSKU)), Class: p.keep(p.cell(cells, fClass))}
	price, weight := p.cell(cells, fPrice), p.cell(cells, fWeight)
	if l.SKU == "" && price == "" && weight == "" {
		return "it names no product"
	}
	n, reason := p.quantity(p.cell(cells, fQuantity))
	if reason != "" {
		return reason
	}
	if l.Quantity = n; n < 0 {
		p.refund = true
	}
	if l.Price, reason = p.number(price, Price); reason != "" {
		return reason
	}
	if l.Weight, reason = p.number(weight, Weight); reason != "" {
		return reason
	}
	if l.Price != nil && l.Price.Sign() < 0 {
		p.refund = true
	}
	if l.Weight != nil && l.Weight.Sign() < 0 {
		return fmt.Sprintf("weight: %q is below 0", weight)
	}
	l.Weight = p.inStore(l.Weight)
	if p.o.Lacks != nil {
		if reason = p.o.Lacks(&l); reason != "" {
			return reason
		}
	}
	p.order.Lines = append(p.order.Lines, l)
	return ""
}

// quantity reads a whole number, which may be written with zeros behind a decimal sign.
func (p *parser) quantity(text string) (n int64, reason string) {
	if len(text) == 1 && text[0] > '0' && text[0] <= '9' {
		return int64(text[0] - '0'), ""
	}
	d, reason := p.number(text, Quantity)
	switch {
	case reason != "":
		return 0, reason
	case d == nil:
		return 0, "it does not say how many"
	case d.Cmp(d.Round(0)) != 0 || d.IsZero():
		return 0, fmt.Sprintf("quantity: %q is not a whole number from 1 on", text)
	case decimal.FromInt(quote.MaxQuantity).Less(*d):
		return 0, fmt.Sprintf("quantity: %q is more than %d", text, quote.MaxQuantity)
	case d.Sign() < 0:
		return -1, ""
	}
	return d.Whole(0, false, quote.MaxQuantity), ""
}

// number reads a number; nil for none. What was read is remembered, because a shop has few prices.
func (p *parser) number(text string, field Field) (*decimal.Decimal, string) {
	if text == "" {
		return nil, ""
	}
	if d, ok := p.prices[text]; ok {
		return &d, ""
	}
	bare, below := text, false
	if rest, ok := strings.CutPrefix(bare, "-"); ok {
		bare, below = rest, true
	} else if rest, ok := strings.CutPrefix(bare, "−"); ok {
		bare, below = rest, true
	}
	d, around, err := p.o.Numbers.Parse(bare)
	if err != nil {
		return nil, fmt.Sprintf("%s: %v", field, err)
	}
	if around != "" && !p.fits(around, field) {
		return nil, fmt.Sprintf("%s: %q has %q beside its number", field, text, around)
	}
	if below {
		d = d.Neg()
	}
	if len(p.prices) > 1<<16 {
		clear(p.prices)
	}
	p.prices[strings.Clone(text)] = d
	return &d, ""
}

// fits says whether what stands beside a number is the store's currency.
func (p *parser) fits(around string, field Field) bool {
	return (field == Price || field == Paid || field == Cost) && p.o.Currency != "" &&
		world.NamesCurrency(around, p.o.Currency)
}

// settle reads what the lines say of the order as a whole.
func (p *parser) settle() (reason string) {
	o := &p.order
	country := cmp.Or(p.said[fCountry], p.o.Country)
	if country == "" {
		return "it does not say which country it went to"
	}
	alpha2, ok := countryOf(country)
	if !ok {
		return fmt.Sprintf("country: there is no country %q", cut(country))
	}
	if p.gone, reason = p.isGone(); p.gone || reason != "" {
		return reason
	}
	if currency := p.said[fCurrency]; currency != "" && p.o.Currency != "" &&
		!strings.EqualFold(currency, p.o.Currency) && !world.NamesCurrency(currency, p.o.Currency) {
		return fmt.Sprintf("it is in %s; the store is in %s", cut(currency), p.o.Currency)
	}
	o.To.Country, o.To.Region = alpha2, p.keep(p.said[fRegion])
	code, reason := p.postcode(alpha2)
	if reason != "" {
		return reason
	}
	o.To.City, o.To.Postcode = p.keep(p.said[fCity]), p.keep(code)
	if p.o.Streets {
		o.To.Street = p.keep(p.said[fStreet])
	}
	o.Customer, o.Group = p.keep(p.said[fCustomer]), p.keep(p.said[fGroup])
	o.Method = p.keep(p.said[fMethod])
	if id, ok := p.o.Methods[world.Fold(o.Method)]; ok {
		o.Method = id
	}
	o.Tracking = p.keep(p.said[fTracking])
	if o.At, reason = p.moment(p.said[fAt]); reason != "" {
		return reason
	}
	if p.o.Export && slices.Contains(free, world.Fold(p.said[fPaid])) {
		p.said[fPaid] = "0"
	}
	if o.Paid, reason = p.number(p.said[fPaid], Paid); reason != "" {
		return reason
	}
	if o.Cost, reason = p.number(p.said[fCost], Cost); reason != "" {
		return reason
	}
	if o.Paid == nil {
		o.Paid = p.sent
	} else if p.sent != nil && p.sent.Cmp(*o.Paid) != 0 {
		return fmt.Sprintf("%s was paid for sending by one of its lines, and %s by another cell", p.sent, o.Paid)
	}
	if o.Paid != nil {
		p.paid = *o.Paid
	}
	if reason = p.totals(); reason != "" {
		return reason
	}
	if len(o.Lines) == 0 {
		return "it names no product"
	}
	p.refund = p.refund || p.paid.Sign() < 0 || o.Cost != nil && o.Cost.Sign() < 0
	return ""
}

// countryOf is a country by its code or its name in several languages.
func countryOf(text string) (string, bool) {
	if c, ok := world.CountryByCode(text); ok {
		return c.Alpha2, true
	}
	if list := world.CountriesByName(text); len(list) == 1 {
		return list[0].Alpha2, true
	}
	c, ok := world.CountryByTranslation(text)
	return c.Alpha2, ok
}
