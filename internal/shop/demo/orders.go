package demo

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"sync"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/history"
	"diadrom/internal/shop/shipped"
	"diadrom/internal/tables/orderlist"
)

// seed makes the invented orders the same each time.
const seed = 20260302

// orderHead are the columns of the orders, those of docs/model.md.
const orderHead = "order,at,country,region,city,postcode,street,sku,quantity,price,customer,group,coupon,method,paid,cost\n"

// madeOrder is an invented order.
type madeOrder struct {
	number            int
	at                time.Time
	country, postcode string
	city              string
	lines             []madeLine
	method            string
	paid, cost        string
}

type madeLine struct {
	sku, price string
	quantity   int
}

// demand is how often a product is ordered beside the others.
var demand = []struct {
	sku, price string
	grams      int
	often      int
	most       int
}{
	{"TOWEL-70", "29.00", 350, 14, 3}, {"TOWEL-50", "14.50", 160, 12, 4}, {"SEAT-1", "12.00", 120, 14, 6},
	{"CAP-FELT", "24.00", 110, 8, 2}, {"CAP-LINEN", "19.00", 90, 6, 2}, {"ROBE-M", "89.00", 950, 3, 2},
	{"MITT-1", "9.50", 50, 8, 3}, {"LADLE-B", "24.00", 400, 9, 1}, {"LADLE-C", "48.00", 600, 4, 1},
	{"BUCKET-5", "54.00", 2100, 6, 1}, {"BUCKET-C", "118.00", 2800, 2, 1}, {"THERM-1", "32.00", 300, 5, 1},
	{"HOUR-15", "28.00", 450, 4, 1}, {"WHISK-D", "16.50", 500, 6, 3}, {"REST-1", "36.00", 1200, 3, 2},
	{"STONE-20", "39.00", 20000, 4, 3}, {"STONE-10", "23.00", 10000, 5, 2}, {"BENCH-120", "189.00", 14000, 1, 1},
	{"STEPS-2", "96.00", 9500, 1, 1}, {"OIL-BIRCH", "13.90", 120, 10, 4}, {"OIL-TAR", "15.90", 200, 7, 3},
	{"CANDLE-3", "18.00", 600, 5, 3}, {"GIFT-50", "50.00", 0, 1, 1}, {"SAMPLE-1", "0.00", 80, 2, 1},
}

// abroad are some postcodes of other countries, and how often orders go there; Finland's come from the list of places.
var abroad = []struct {
	country, city string
	postcodes     []string
	often         int
}{
	{"FI", "", nil, 160}, {"SE", "Stockholm", []string{"111 20", "114 35", "118 26"}, 12},
	{"EE", "Tallinn", []string{"10111", "10145", "11313"}, 10}, {"LV", "Riga", []string{"LV-1010", "LV-1050"}, 4},
	{"DE", "Hamburg", []string{"20095", "20146", "22767"}, 6}, {"FR", "Lyon", []string{"69001", "69007"}, 3},
	{"US", "Duluth", []string{"55802", "55811"}, 2}, {"AX", "Mariehamn", []string{"22100"}, 3},
}

// codes are Finland's postcodes with their towns.
var codes = sync.OnceValue(func() (list [][2]string) {
	_, in, _ := shipped.Open("FI")
	for lines := bufio.NewScanner(in); lines.Scan(); {
		if cells := strings.Split(lines.Text(), "\t"); len(cells) > 2 {
			list = append(list, [2]string{cells[1], cells[2]})
		}
	}
	return list
})

// How many of twenty orders have another product when they have some: orders of 2.5 lines, and smaller ones.
const (
	manyLines = 13
	fewLines  = 7
)

// orders makes n invented orders of the year up to a day, the oldest first.
func orders(n int, until time.Time, more int) func(yield func(*madeOrder) bool) {
	return func(yield func(*madeOrder) bool) {
		r := rand.New(rand.NewPCG(seed, uint64(n)))
		often, far := 0, 0
		for i := range demand {
			often += demand[i].often
		}
		for i := range abroad {
			far += abroad[i].often
		}
		span := 365 * 24 * time.Hour
		var o madeOrder
		for i := range n {
			o = madeOrder{number: 10001 + i, lines: o.lines[:0]}
			o.at = until.Add(-span + time.Duration(i)*(span/time.Duration(n)) +
				time.Duration(r.IntN(3600))*time.Second).Truncate(time.Second)
			place := r.IntN(far)
			for k := range abroad {
				if place -= abroad[k].often; place < 0 {
					o.country, o.city = abroad[k].country, abroad[k].city
					if p := abroad[k].postcodes; p != nil {
						o.postcode = p[r.IntN(len(p))]
					}
					break
				}
			}
			if o.country == "FI" {
				code := codes()[r.IntN(len(codes()))]
				o.postcode, o.city = code[0], code[1]
			}
			grams, bulky := 0, false
			for len(o.lines) < 5 && (len(o.lines) == 0 || r.IntN(20) < more) {
				pick := r.IntN(often)
				for k := range demand {
					if pick -= demand[k].often; pick < 0 {
						d, q := &demand[k], 1+min(r.IntN(demand[k].most), r.IntN(demand[k].most))
						o.lines = append(o.lines, madeLine{d.sku, d.price, q})
						grams += d.grams * q
						bulky = bulky || strings.HasPrefix(d.sku, "BENCH") || strings.HasPrefix(d.sku, "STEPS")
						break
					}
				}
			}
			o.send(r, grams, bulky)
			if !yield(&o) {
				return
			}
		}
	}
}

// soft says whether all goods are of the class that letters take.
func (o *madeOrder) soft() bool {
	for i := range o.lines {
		switch name, _, _ := strings.Cut(o.lines[i].sku, "-"); name {
		case "TOWEL", "SEAT", "CAP", "ROBE", "MITT", "SAMPLE":
		default:
			return false
		}
	}
	return true
}

// cents is what the goods cost.
func (o *madeOrder) cents() (sum int) {
	for i := range o.lines {
		d := decimal.MustParse(o.lines[i].price).Mul(decimal.Hundred)
		sum += int(d.Float64()) * o.lines[i].quantity
	}
	return sum
}

// send chooses how an order went, what was paid for it and what the carrier billed.
func (o *madeOrder) send(r *rand.Rand, grams int, bulky bool) {
	home := o.country == "FI" || o.country == "AX"
	paid, cost := 0, 0 // cents
	switch {
	case grams == 0:
		return
	case bulky:
		o.method, paid, cost = "freight", 4900, 3900+grams/20
	case grams <= 500 && o.soft() && r.IntN(3) > 0:
		o.method, paid, cost = "letter", 490, 310+grams/4
	case home && grams <= 15000 && r.IntN(2) > 0:
		o.method, paid, cost = "locker", 590, 420+grams/60
	case home || o.country == "SE" || o.country == "EE" || o.country == "LV":
		o.method, paid, cost = "parcel", 790+grams/40, 560+grams/35
	default:
		o.method, paid, cost = "abroad", 1790+grams/20, 1450+grams/18
	}
	if !home {
		paid, cost = paid+400, cost+380
	}
	cost += r.IntN(120) - 40
	if free := map[string]int{"parcel": 12000, "locker": 9000}[o.method]; free > 0 && home && o.cents() >= free {
		paid = 0
	}
	o.paid = decimal.New(int64(paid/10*10), 2).Fixed(2)
	if r.IntN(12) > 0 {
		o.cost = decimal.New(int64(cost), 2).Fixed(2)
	}
}

// WriteOrders writes n invented orders of the year up to a day as docs/model.md has past orders.
func WriteOrders(w io.Writer, n int, until time.Time) error {
	out := bufio.NewWriterSize(w, 1<<16)
	out.WriteString(orderHead)
	for o := range orders(n, until, manyLines) {
		for _, l := range o.lines {
			fmt.Fprintf(
				out,
				"%d,%s,%s,,%s,%s,,%s,%d,%s,,,,%s,%s,%s\n",
				o.number,
				o.at.Format(time.RFC3339),
				o.country,
				o.city,
				o.postcode,
				l.sku,
				l.quantity,
				l.price,
				o.method,
				o.paid,
				o.cost,
			)
		}
	}
	return out.Flush()
}

// shopHead are the columns of the shop's own export, whose orders have the mistakes that owners make.
const shopHead = "Order no.;Placed;Buyer;Delivery country;Town;Postcode;Item;Qty;Unit price;Delivery method;Delivery charge;" +
	"Carrier cost;Currency\n"

// WriteShopOrders writes n invented orders of the year up to a day as the shop exports them, with the mistakes that
// owners make: dates in three forms, an old name for a method, a product that is gone, another currency, lines that
// are cut or mistyped, refunds, the same order twice, a month in which all costs are 0.
func WriteShopOrders(w io.Writer, n int, until time.Time) error {
	out := bufio.NewWriterSize(w, 1<<16)
	out.WriteString(shopHead)
	r := rand.New(rand.NewPCG(seed, 7))
	comma := func(text string) string { return strings.Replace(text, ".", ",", 1) }
	names := map[string]string{"letter": "letter", "parcel": "parcel", "locker": "locker", "freight": "freight",
		"abroad": "abroad"}
	renamed, noCosts := until.AddDate(0, -9, 0), until.AddDate(0, -5, 0)
	var again string
	for o := range orders(n, until, fewLines) {
		method, cost, currency, sign := names[o.method], comma(o.cost), "EUR", ""
		if o.at.Before(renamed) && o.method == "parcel" {
			method = "Home parcel"
		}
		if o.at.Month() == noCosts.Month() {
			cost = "0,00"
		}
		placed := o.at.Format("2006-01-02 15:04")
		switch r.IntN(10) {
		case 0:
			placed = o.at.Format("2.1.2006 15.04")
		case 1:
			placed = o.at.Format("02/01/2006")
		}
		odd := r.IntN(400)
		if odd == 1 {
			currency = "SEK"
		}
		if odd == 2 {
			sign = "-"
		}
		var text strings.Builder
		for i, l := range o.lines {
			sku, quantity := l.sku, fmt.Sprint(l.quantity)
			switch {
			case odd == 3 || odd == 4:
				sku = "SOAP-OLD"
			case odd == 5:
				quantity = "two"
			}
			fmt.Fprintf(
				&text,
				"%d;%s;Buyer %d;%s;%s;%s;%s;%s%s;%s;%s;%s%s;%s;%s",
				o.number,
				placed,
				1+r.IntN(900),
				o.country,
				o.city,
				o.postcode,
				sku,
				sign,
				quantity,
				comma(l.price),
				method,
				sign,
				comma(o.paid),
				cost,
				currency,
			)
			if i == 0 && odd == 6 { // cut
				cut := text.String()
				text.Reset()
				text.WriteString(cut[:len(cut)-8])
			}
			text.WriteString("\n")
		}
		if o.number == 10001+n/2 {
			again = text.String()
		}
		out.WriteString(text.String())
	}
	out.WriteString(again)
	return out.Flush()
}

// demoOrders is how many invented orders the demo has.
const demoOrders = 2000

// FillOrders takes the invented orders of the year up to a day into a shop that has none, as its owner would. A shop that
// says nothing of when orders leave is not the demo's, and gets none.
func FillOrders(ctx context.Context, h *history.History, f *store.File, until time.Time) error {
	if f.Store.Dispatch == nil {
		return nil
	}
	files, err := h.DB().Files(ctx)
	if err != nil || len(files) > 0 {
		return err
	}
	var text bytes.Buffer
	if err := WriteShopOrders(&text, demoOrders, until); err != nil {
		return err
	}
	file, err := h.Keep(ctx, "lauha-orders.csv", &text)
	if err != nil {
		return err
	}
	look, err := h.Look(&file, history.Choices{Currency: f.Store.Currency, Location: f.Store.Dispatch.TimeZone,
		Dates: orderlist.DayFirst})
	if err != nil {
		return err
	}
	return h.Take(ctx, &file, look.Choices)
}
