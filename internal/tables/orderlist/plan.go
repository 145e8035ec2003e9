package orderlist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
)

// Codes of questions.
const (
	AskTwice   = "twice"   // two columns with the same
	AskOrder   = "order"   // no column has the number of the order
	AskCountry = "country" // no column says where orders went
	AskGoods   = "goods"   // no column says what was ordered
	AskTotals  = "totals"  // a list with a line for each order lacks something of what orders come to
	AskDecimal = "decimal" // numbers that may be a thousand or one
	AskDates   = "dates"   // dates that may be two days
	AskZero    = "zero"    // codes that are shorter than the country writes them
	AskState   = "state"   // states of orders that are not known
	AskCost    = "cost"    // a column that may have what the buyer paid for sending, or what the carrier billed
	AskColumns = "columns" // columns about delivery or an address that are not used
)

// Choices are what somebody who looks at a list sets otherwise than it was made out.
type Choices struct {
	Columns []Field // nil as their headings say
	Decimal byte
	Dates   DateOrder
	Country string // of orders that say none
	Zeros   destination.Zeros
	States  map[string]bool // whether orders in a state count, by the folded state
	Settled []string
	Weights string // the store's unit of weight
}

// Plan is how a list of orders is read, as its headings and its first lines show, and what is open about it.
type Plan struct {
	Columns []Field
	Unit    string // of weights; the store's where no heading names one
	Sample  Sample
	Asks    []grid.Ask
	Found   []string // in sentences, what had to be made out
	States  []string // that are asked about
	Cost    int      // the column that [AskCost] is about
	Totals  bool     // a line is an order, with what its goods come to
}

// Make makes out how a list is read.
func Make(head []string, rows [][]string, c Choices) *Plan {
	m := &making{head: head, rows: rows, c: c, asks: grid.NewAsks(c.Settled), p: &Plan{Columns: c.Columns}}
	if len(c.Columns) != len(head) {
		m.p.Columns = GuessOrders(head, rows)
		m.wholeOrders()
	}
	m.units()
	m.p.Sample = Look(rows, m.p.Columns)
	m.missing()
	m.unused()
	m.cost()
	if s := &m.p.Sample; c.Decimal == 0 && s.Numbers.Decimal == 0 {
		m.asks.Add(AskDecimal, "Which decimal sign do the numbers have? "+s.TwoWays+" is a thousand or one.")
	}
	if s := &m.p.Sample; s.Ambiguous != "" && c.Dates == DatesUnknown && s.Dates == DatesUnknown {
		m.asks.Add(AskDates, "What comes first in dates such as "+s.Ambiguous+": the day or the month?")
	}
	m.zeros()
	m.states()
	m.p.Asks = m.asks.List
	return m.p
}

// making is a plan on its way.
type making struct {
	head []string
	rows [][]string
	c    Choices
	asks *grid.Asks
	p    *Plan
}

func (m *making) at(f Field) int { return slices.Index(m.p.Columns, f) }

// cell is what a row says of a field.
func (m *making) cell(row []string, f Field) string {
	if i := m.at(f); i >= 0 && i < len(row) {
		return strings.TrimSpace(row[i])
	}
	return ""
}

// ofOne are words in headings of what one of some goods weighs or costs, folded.
var ofOne = []string{"each", "unit", "item", "per", "piece", "einzel", "einzelgewicht", "stuck", "stuckgewicht", "einzelpreis", "pro",
	"unitaire", "unitario", "yksikko", "yksikkopaino", "kpl", "styck", "styckvikt", "product", "lineitem", "line"}

// wholeOrders has a list with a line for each order and no products be one of what orders come to: its weight is that of
// the order.
func (m *making) wholeOrders() {
	if m.at(SKU) >= 0 || m.at(OrderID) < 0 {
		return
	}
	seen := map[string]bool{}
	for _, row := range m.rows {
		id := m.cell(row, OrderID)
		if seen[id] {
			return
		}
		seen[id] = true
	}
	says := func(f Field) bool { return heads.HoldsAny(heads.Fold(m.head[m.at(f)]), ofOne) }
	if m.at(Weight) >= 0 && says(Weight) || m.at(Price) >= 0 && says(Price) {
		return
	}
	if m.at(Weight) < 0 && m.at(Value) < 0 && m.at(TotalWeight) < 0 {
		return
	}
	for of, whole := range map[Field]Field{Weight: TotalWeight, Quantity: Items} {
		if i := m.at(of); i >= 0 && m.at(whole) < 0 {
			m.p.Columns[i] = whole
		}
	}
	if i := m.at(Price); i >= 0 && m.at(Value) < 0 {
		m.p.Columns[i] = "" // it is asked about: of one, or of all
	}
}

// units finds the unit of the weights by their heading.
func (m *making) units() {
	m.p.Unit = m.c.Weights
	for _, f := range []Field{Weight, TotalWeight} {
		if i := m.at(f); i >= 0 {
			for _, word := range strings.Fields(heads.Fold(m.head[i])) {
				if unit, ok := measure.Unit(measure.Weight, word); ok && word != "t" {
					m.p.Unit = unit
				}
			}
		}
	}
	if m.p.Unit != m.c.Weights {
		m.p.Found = append(m.p.Found, "Weights are in "+m.p.Unit+".")
	}
}

// missing asks for what the columns lack, or have twice.
func (m *making) missing() {
	for _, f := range Fields {
		if i := m.at(f); i >= 0 && slices.Contains(m.p.Columns[i+1:], f) {
			m.asks.AddOnce(AskTwice, "Two columns are said to have the same: "+f.String()+". Choose one of them.")
		}
	}
	has := func(f Field) bool { return m.at(f) >= 0 }
	m.p.Totals = !has(SKU) && !has(Weight) && !has(Price) && (has(Value) || has(TotalWeight))
	if !has(OrderID) {
		m.asks.Add(AskOrder, "Which column has the number of the order?")
	}
	if !has(Country) && m.c.Country == "" {
		m.asks.Add(AskCountry, "Which column has the country that an order went to? Choose it, or say where all of them went.")
	}
	switch {
	case m.p.Totals:
		m.p.Found = append(m.p.Found, "A line is an order: its weight and value are those of all its goods.")
		var lack []string
		for _, one := range []struct {
			f    Field
			what string
		}{{TotalWeight, "what an order weighs"}, {Value, "what its goods are worth"}, {Items, "how many goods it has"}} {
			if !has(one.f) {
				lack = append(lack, one.what)
			}
		}
		if len(lack) > 0 {
			m.asks.Add(AskTotals, "No column says "+strings.Join(lack, " or ")+". Prices that depend on it are rated as if it were 0, or 1 "+
				"item.")
		}
	case !has(SKU) && !has(Weight):
		m.asks.Add(AskGoods, "Which column has the SKU of the product, or the weight or the value of the whole order?")
	case !has(Quantity):
		m.asks.Add(AskGoods, "Which column says how many of a product were ordered?")
	}
}

// eitherCost are headings of what the buyer paid for sending, or of what the carrier billed: nobody can tell which, folded.
var eitherCost = []string{"shipping cost", "shipping costs", "delivery cost", "delivery costs", "freight cost", "freight costs", "postage",
	"cost of shipping", "cost of delivery"}

// cost asks whether a column has what was paid or what was billed, where no other says what was paid.
func (m *making) cost() {
	i := m.at(Cost)
	if len(m.c.Columns) == len(m.head) || i < 0 || m.at(Paid) >= 0 || !slices.Contains(eitherCost, heads.Fold(m.head[i])) {
		return
	}
	m.p.Cost = i
	m.asks.Add(AskCost, fmt.Sprintf("Is “%s” what buyers paid for delivery, or what the carrier billed you?", m.head[i]))
}

// Words in headings of columns about delivery, and of those among them that do not change what it cost, folded; common
// practice, no source.
var (
	aboutDelivery = append([]string{"surcharge", "handling", "zuschlag", "insurance", "versicherung", "assurance", "seguro",
		"supplement", "recargo", "lisamaksu", "tillagg"}, sending...)
	besideDelivery = []string{"name", "phone", "telephone", "company", "street", "address", "address1", "address2", "date", "time",
		"note", "notes", "instructions", "mail", "email", "tax", "vat", "label", "url", "status", "house", "first", "last", "telefon",
		"firma", "strasse", "datum", "notiz", "mwst", "steuer", "adresse", "tva", "nom", "direccion", "nombre", "iva", "nimi",
		"osoite", "puhelin", "alv", "namn", "adress", "moms", "province", "region", "code"}
)

// unused asks about columns that are not used and say something of delivery, or of an address where there is none else.
func (m *making) unused() {
	var list []string
	for i, head := range m.head {
		if m.p.Columns[i] != "" || head == "" {
			continue
		}
		folded := heads.Fold(head)
		delivery := heads.HoldsAny(folded, aboutDelivery) && !heads.HoldsAny(folded, besideDelivery)
		bill := m.at(Country) < 0 && heads.HoldsAny(folded, ofBill) && slices.Contains(destinations, guessed(folded))
		lost := guessed(folded)
		lacks := slices.Contains([]Field{Country, Postcode, SKU, Quantity}, lost) && m.at(lost) < 0 &&
			!heads.HoldsAny(folded, ofBill) && (lost != Quantity && lost != SKU || !m.p.Totals)
		price := !m.p.Totals && m.at(Price) < 0 && m.at(SKU) < 0 && guessed(folded) == Price
		if delivery || bill || price || lacks {
			list = append(list, "“"+head+"”")
		}
	}
	if len(list) > 0 {
		m.asks.Add(AskColumns, "These columns are not used: "+strings.Join(list, ", ")+". Choose what they hold, or leave them out.")
	}
}

// guessed is the field that the last words of a folded heading name, whatever stands before them.
func guessed(folded string) Field {
	words := strings.Fields(folded)
	for i := range words {
		for _, f := range Fields {
			if slices.Contains(headings[f], strings.Join(words[i:], " ")) {
				return f
			}
		}
	}
	return ""
}

// zeros asks about postcodes that are shorter than their country writes them.
func (m *making) zeros() {
	if m.c.Zeros != destination.ZerosAsked {
		return
	}
	for _, row := range m.rows {
		country, ok := countryOf(m.cell(row, Country))
		if !ok {
			country = m.c.Country
		}
		code := m.cell(row, Postcode)
		if short, _ := destination.LostZeros(country, code); short != "" && short == code {
			m.asks.Add(AskZero, fmt.Sprintf("The postcode %s has %d digits, but those of %s have %d. Has it lost a zero?", code, len(code),
				world.CountryName(country), len(code)+1))
			return
		}
	}
}

// maxStates is how many states are asked about.
const maxStates = 12

// states asks about states of orders that are not known.
func (m *making) states() {
	for _, row := range m.rows {
		state := m.cell(row, Status)
		if state == "" {
			continue
		}
		_, known := StateCounts(state)
		_, said := m.c.States[world.Fold(state)]
		if !known && !said && len(m.p.States) < maxStates && !slices.ContainsFunc(m.p.States,
			func(s string) bool { return world.Fold(s) == world.Fold(state) }) {
			m.p.States = append(m.p.States, state)
			m.asks.Add(AskState, fmt.Sprintf("Do orders that are “%s” count?", grid.Cut(state)))
		}
	}
}

// String is the field in words.
func (f Field) String() string { return strings.ReplaceAll(string(f), "_", " ") }
