package orderlist

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/heads"
)

// headings are those of the fields. A heading that begins with one of them is one too, where nothing fits better.
var headings = map[Field][]string{
	OrderID:  heads.Words(heads.Order, heads.OrderNumber, heads.Name),
	At:       heads.Words(heads.Date),
	Country:  heads.Words(heads.Country),
	Region:   heads.Words(heads.Region),
	City:     heads.Words(heads.City),
	Postcode: heads.Words(heads.Postcode),
	Street:   heads.Words(heads.Street),
	SKU:      heads.Words(heads.SKU, heads.Article),
	Quantity: heads.Words(heads.Quantity),
	Price:    heads.Words(heads.Price, heads.UnitPrice),
	Weight:   heads.Words(heads.Weight),
	Class:    heads.Words(heads.Class),
	Customer: heads.Words(heads.Customer),
	Group:    append(heads.Words(heads.Group), "group"),
	Coupon:   heads.Words(heads.Coupon),
	Method:   heads.Words(heads.Method),
	Paid:     heads.Words(heads.Paid),
	Cost:     heads.Words(heads.Cost),
	Currency: heads.Words(heads.Currency),
	Tracking: heads.Words(heads.Tracking),

	Value:       heads.Words(heads.OrderValue),
	TotalWeight: heads.Words(heads.TotalWeight),
	Items:       heads.Words(heads.ItemCount),
	Status:      heads.Words(heads.Status),
	Cancelled:   heads.Words(heads.Cancelled),
}

// ofBill are words in headings of the address to which the bill goes, folded.
var ofBill = []string{"billing", "bill", "invoice", "payment", "rechnung", "rechnungs", "facturation", "facturacion",
	"lasku", "laskutus", "faktura", "fakturering"}

// ofDelivery are what stands before the parts of the address that an order goes to, folded; common practice, no source.
var ofDelivery = []string{"liefer ", "liefer", "lieferung ", "versand ", "ship to ", "shipto ", "deliver to ", "delivery ", "shipping ",
	"livraison ", "envio ", "toimitus ", "toimitus", "leverans ", "leverans"}

// Guess finds what the columns of a table hold by their heads: first those that are called exactly so, then those that
// begin or end so. Each field is in one column.
func Guess(head []string) []Field {
	columns := make([]Field, len(head))
	taken := map[Field]bool{}
	pass := func(fits func(head, name string) bool) {
		for i, cell := range head {
			text := heads.Fold(cell)
			for _, f := range Fields {
				if heads.HoldsAny(text, ofBill) && (f == Method || slices.Contains(destinations, f)) {
					continue // "payment method", "billing country"
				}
				if columns[i] == "" && text != "" && !taken[f] &&
					slices.ContainsFunc(headings[f], func(name string) bool { return fits(text, name) }) {
					columns[i], taken[f] = f, true
				}
			}
		}
	}
	pass(func(head, name string) bool { return head == name })
	pass(func(head, name string) bool { return slices.Contains(ofDelivery, strings.TrimSuffix(head, name)) })
	pass(func(head, name string) bool {
		return len(name) > 3 && (strings.HasPrefix(head, name+" ") || strings.HasSuffix(head, " "+name))
	})
	return columns
}

// destinations are the fields that say where an order goes.
var destinations = []Field{Country, Region, City, Postcode, Street}

// totals are words in heads of what a whole order comes to, which is never what sending it cost, folded; sending are
// words that say that it is about sending all the same.
var (
	totals = []string{"total", "subtotal", "sub total", "grand total", "order total", "order value", "sum", "summa",
		"amount", "net",
		"net amount", "gross", "betrag", "gesamt", "gesamtbetrag", "charge", "montant", "importe"}
	sending = []string{"shipping", "delivery", "freight", "carrier", "postage", "courier", "rahti", "toimitus", "frakt",
		"versand", "porto",
		"livraison", "envio", "transport"}
)

// GuessOrders is [Guess] for a list of orders, of which some rows are known: what an order comes to is never what
// sending it cost, and a column of numbers is never the name of a method, but what was paid.
func GuessOrders(head []string, rows [][]string) []Field {
	columns := Guess(head)
	says := func(i int, list []string) bool {
		text := " " + heads.Fold(head[i]) + " "
		return slices.ContainsFunc(list, func(w string) bool { return strings.Contains(text, " "+w+" ") })
	}
	if i := slices.Index(columns, Cost); i >= 0 && says(i, totals) && !says(i, sending) {
		columns[i] = ""
		for j := range head { // another column may be it
			if columns[j] == "" && !says(j, totals) && slices.Contains(Guess(head[j:j+1]), Cost) {
				columns[j] = Cost
				break
			}
		}
	}
	could := func(j int, f Field) bool { return columns[j] == "" && slices.Contains(Guess(head[j:j+1]), f) }
	if i := slices.Index(columns, Method); i >= 0 && numeric(rows, i) {
		columns[i] = ""
		if !slices.Contains(columns, Paid) {
			columns[i] = Paid
		}
		for j := range head { // another column may name it
			if j != i && could(j, Method) && !numeric(rows, j) {
				columns[j] = Method
				break
			}
		}
	}
	for j := range head { // what sending costs, beside a column with the method
		if !slices.Contains(columns, Paid) && could(j, Method) && numeric(rows, j) {
			columns[j] = Paid
		}
	}
	return columns
}

// free are words for no charge, folded.
var free = []string{"free", "gratis", "kostenlos", "frei", "versandkostenfrei", "gratuit", "offert", "ilmainen", "maksuton", "fri",
	"fritt", "fraktfritt"}

// numeric says whether most cells of a column are sums of money or numbers, or say that nothing was charged.
func numeric(rows [][]string, column int) bool {
	numbers, filled := 0, 0
	for _, row := range rows {
		if column >= len(row) || strings.TrimSpace(row[column]) == "" {
			continue
		}
		if filled++; priced.MatchString(strings.TrimSpace(row[column])) || slices.Contains(free, world.Fold(row[column])) {
			numbers++
		}
	}
	return filled > 0 && numbers*2 > filled
}

// priced is a sum of money, with its currency or not.
var priced = regexp.MustCompile(`^(?:[A-Z]{3}|\p{Sc})?\s*-?[0-9][0-9.,\x{a0}\x{202f} ]*\s*(?:[A-Z]{3}|\p{Sc})?$`)

// Sample is what the first rows of a list show of how it is written.
type Sample struct {
	Numbers   measure.Column // with the decimal sign that they show
	Ambiguous string         // a date of which nobody can say what comes first; "" for none
	Dates     DateOrder      // as dates with a number above 12 show it
	Forms     int            // in how many forms dates are written
	TwoWays   string         // a number that is a thousand or one; "" for none
}

// money are the fields whose cells are numbers with decimals.
var money = []Field{Price, Paid, Cost, Weight, Value, TotalWeight}

// Look looks at rows of a list, with what their columns hold.
func Look(rows [][]string, columns []Field) (s Sample) {
	var cells []string
	forms := map[string]bool{}
	for _, row := range rows {
		for i, f := range columns {
			if i >= len(row) || strings.TrimSpace(row[i]) == "" {
				continue
			}
			text := strings.TrimSpace(row[i])
			switch {
			case slices.Contains(money, f):
				cells = append(cells, strings.TrimLeft(text, "-−"))
			case f == At:
				s.date(text, forms)
			}
		}
	}
	s.Forms = len(forms)
	s.Numbers = measure.Numbers(cells, func(i int) int { return i + 1 })
	if s.Numbers.Decimal == 0 {
		for _, cell := range cells {
			if _, _, err := s.Numbers.Parse(cell); err != nil {
				if _, ok := err.(*measure.TwoWays); ok {
					s.TwoWays = cell
					break
				}
			}
		}
		if s.TwoWays == "" {
			s.Numbers = measure.Column{Decimal: '.'}
		}
	} else {
		s.Numbers = measure.Column{Decimal: s.Numbers.Decimal}
	}
	if s.Dates != DatesUnknown {
		s.Ambiguous = ""
	}
	return s
}

// date looks at a date.
func (s *Sample) date(text string, forms map[string]bool) {
	switch {
	case isoDate.MatchString(text):
		forms["iso"] = true
	case dottedDate.MatchString(text):
		forms["dotted"] = true
	case slashDate.MatchString(text):
		forms["slash"] = true
		_, err := ParseDate(text, DatesUnknown, nil)
		if _, ok := err.(*TwoDates); ok {
			if s.Ambiguous == "" {
				s.Ambiguous = text
			}
			return
		}
		_, day := ParseDate(text, DayFirst, nil)
		_, month := ParseDate(text, MonthFirst, nil)
		if day == nil && month != nil {
			s.Dates = DayFirst
		} else if month == nil && day != nil {
			s.Dates = MonthFirst
		}
	}
}
