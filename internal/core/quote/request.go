package quote

import (
	"strconv"
	"strings"
	"time"
	"unicode/utf8"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"

	"github.com/sosodev/duration"
)

// Limits of a request.
const (
	MaxQuantity = 1_000_000 // of one line
	MaxLines    = 10_000
	// MaxListed is how many units the requests of a list that ask for parcels have together, at most.
	MaxListed = 100_000
	// MaxCoupons is how many coupons a request names, and MaxCoupon how many letters each has.
	MaxCoupons = 20
	MaxCoupon  = 64
	// HoldNear is how far the time of an order that is held may be from now.
	HoldNear = 5 * time.Minute
	// MaxHold is for how long an answer is held at most.
	MaxHold = 24 * time.Hour
)

// Request asks what a cart costs to an address.
type Request struct {
	To       place.Address
	Lines    []Line
	Coupons  []string
	Customer string
	Group    string
	Parcels  bool      // whether each option lists its parcels
	Costs    bool      // whether each option says what it costs the shop
	Checkout bool      // whether the answer is for a checkout, which shows more than the price
	Point    string    // the location at which the buyer has chosen to collect, "" for none yet
	Collects bool      // whether a point was given, "" too: the answer then says more of each
	At       time.Time // when the order is placed; zero where it is not said
	// Hold is for how long the answer is to be held, up to [MaxHold]; 0 for not at all. The engine does not look at it.
	Hold time.Duration
	// Language is that in which the buyer reads (BCP 47), "" where it is not said. The engine does not look at it:
	// package spoken does.
	Language string
}

// Line is some of one product.
type Line struct {
	Product  store.Product // of the store, or the line's own
	Quantity int64         // 1 to [MaxQuantity]
}

// ReadRequest reads a request, or a list of requests; many says which. Lines that name a sku get that product of the
// store; fields that they carry beside it stand in its place.
func (e *Engine) ReadRequest(data []byte) (requests []Request, many bool, faults fault.List) {
	r := jsonread.New(data, "")
	if r.Kind() == '[' {
		many = true
		var listed units
		r.List(func(int) {
			requests = append(requests, e.requestOf(r, &listed, Limits{}))
		})
	} else {
		requests = append(requests, e.request(r, Limits{}))
	}
	r.End()
	return requests, many, r.Faults
}

// Limits bound what is read; 0 is no bound but the usual ones.
type Limits struct {
	Requests int // of a list
	Faults   int // that are listed of a request
	Lines    int // of a cart
	// At, unless it is zero, is when all orders are placed; what requests say of that is passed over.
	At time.Time
	// Now, unless it is zero, is the time that orders to be held are placed at, give or take [HoldNear].
	Now time.Time
}

// Item is a request as it was sent, or what is wrong with it.
type Item struct {
	Request
	Sent   []byte // JSON, which is only good as long as what was read
	Faults fault.List
}

// ReadItems reads a request, or a list of requests, each by itself: a fault in one does not spoil the others. What
// spoils all of them is given as faults: what is no JSON, and a list with more requests than it may have.
func (e *Engine) ReadItems(data []byte, limits Limits) (items []Item, many bool, faults fault.List) {
	r := jsonread.Pooled(data, "")
	defer r.Release()
	read := func(r *jsonread.Reader, sent []byte, read func(*jsonread.Reader) Request) {
		r.MaxFaults = limits.Faults
		item := Item{Request: read(r), Sent: sent}
		r.End()
		item.Faults = r.Faults
		items = append(items, item)
	}
	if r.Kind() != '[' {
		read(r, data, func(r *jsonread.Reader) Request { return e.request(r, limits) })
		return items, false, nil
	}
	var listed units
	r.List(func(i int) {
		if limits.Requests > 0 && i == limits.Requests {
			r.Stop(fault.TooLarge, "a list has at most %d requests", limits.Requests)
			return
		}
		if sent := r.Raw(); sent != nil {
			read(jsonread.New(sent, "/"+strconv.Itoa(i)), sent, func(r *jsonread.Reader) Request {
				return e.requestOf(r, &listed, limits)
			})
		}
	})
	r.End()
	return items, true, r.Faults
}

// ReadSent reads one request that stands at a path of something larger, such as what is verified.
func (e *Engine) ReadSent(data []byte, path string, limits Limits) Item {
	r := jsonread.New(data, path)
	r.MaxFaults = limits.Faults
	item := Item{Request: e.request(r, limits), Sent: data}
	r.End()
	item.Faults = r.Faults
	return item
}

// Coupons lists the coupons that a store knows, as they are written there.
func (e *Engine) Coupons() (list []string) {
	for i := range e.methods {
		m := e.methods[i].Method
		add := func(n *store.Needs, f *store.Free) {
			if n != nil {
				list = append(list, n.Coupons...)
			}
			if f != nil {
				list = append(list, f.Coupons...)
			}
		}
		add(m.Needs, m.Free)
		for _, t := range m.Terms {
			add(t.Needs, t.Free)
		}
	}
	return list
}

// units counts of how many units the requests of a list ask for parcels.
type units int64

// requestOf reads a request of a list.
func (e *Engine) requestOf(r *jsonread.Reader, listed *units, limits Limits) Request {
	q := e.request(r, limits)
	if *listed += units(q.listed()); q.Parcels && *listed > MaxListed {
		r.FaultBelow(fault.Path{"parcels"}, fault.TooLarge,
			"requests of a list that ask for parcels have at most %d units together", MaxListed)
	}
	return q
}

func (e *Engine) request(r *jsonread.Reader, limits Limits) (q Request) {
	maxLines := MaxLines
	if limits.Lines > 0 {
		maxLines = limits.Lines
	}
	before := len(r.Faults)
	addressed, absent := false, r.Kind() == 'n'
	ok := r.Object(func(name []byte) bool {
		switch string(name) {
		case "to":
			addressed = r.Kind() == '{'
			q.To = store.ReadAddress(r)
		case "lines":
			r.List(func(i int) {
				line := e.line(r)
				if i == maxLines {
					r.Fault(fault.TooLarge, "a cart has at most %d lines", maxLines)
				}
				if i < maxLines {
					q.Lines = append(q.Lines, line)
				}
			})
		case "coupons":
			q.Coupons = coupons(r)
		case "customer":
			q.Customer = strings.TrimSpace(r.Text())
		case "checkout":
			q.Checkout = r.Bool(false)
		case "parcels":
			q.Parcels = r.Bool(false)
		case "costs":
			q.Costs = r.Bool(false)
		case "group":
			q.Group = strings.TrimSpace(r.Text())
		case "point":
			q.Point, q.Collects = r.Text(), true
			if q.Point != "" && e.file.Location(q.Point) == nil {
				r.Fault(fault.Reference, "there is no location %.60q", q.Point)
			}
		case "hold":
			if text := r.Text(); text != "" {
				q.Hold = hold(r, text)
			}
		case "language":
			if text := r.Text(); text != "" {
				tag, ok := store.Language(text)
				if !ok {
					r.Fault(fault.Range, "%.40q is not a language such as fi or pt-BR (BCP 47)", text)
				}
				q.Language = tag
			}
		case "at":
			if !limits.At.IsZero() {
				r.Skip()
				return true
			}
			if text := r.Text(); text != "" {
				at, err := time.Parse(time.RFC3339, text)
				if err != nil {
					r.Fault(fault.Range, "%.60q is not a time such as 2026-03-02T10:00:00+02:00", text)
				}
				q.At = at
			}
		default:
			return false
		}
		return true
	})
	if absent {
		r.Fault(fault.Type, "a request is an object, not null")
	}
	if q.At.IsZero() {
		q.At = limits.At
	} else if q.Hold > 0 && !limits.Now.IsZero() && q.At.Sub(limits.Now).Abs() > HoldNear {
		r.FaultBelow(fault.Path{"at"}, fault.Range, "a quote that is held is of now, give or take %.0f minutes: leave at out",
			HoldNear.Minutes())
	}
	if ok && !addressed && len(r.Faults) == before {
		r.FaultBelow(fault.Path{"to", "country"}, fault.Missing, "say where the order goes: at least a country")
	}
	return q
}

// coupons reads the coupons that a buyer has typed.
func coupons(r *jsonread.Reader) (list []string) {
	r.List(func(i int) {
		text := r.Text()
		switch {
		case i == MaxCoupons:
			r.Fault(fault.TooLarge, "a request names at most %d coupons", MaxCoupons)
		case i > MaxCoupons:
		case utf8.RuneCountInString(text) > MaxCoupon:
			r.Fault(fault.TooLarge, "a coupon has at most %d letters", MaxCoupon)
		default:
			list = append(list, text)
		}
	})
	return list
}

// hold reads for how long an answer is to be held (ISO 8601).
func hold(r *jsonread.Reader, text string) time.Duration {
	d, err := duration.Parse(text)
	if err != nil || len(text) > 60 {
		r.Fault(fault.Range, "%.60q is not a duration such as PT30M", text)
		return 0
	}
	length := d.ToTimeDuration()
	if length < time.Second || length > MaxHold {
		r.Fault(fault.Range, "a quote is held for one second to one day (PT1S to P1D), not %.60s", text)
		return 0
	}
	return length
}

// listed is of how many units a request asks for parcels.
func (q *Request) listed() (n int64) {
	for i := range q.Lines {
		if q.Parcels {
			n += q.Lines[i].Quantity
		}
	}
	return n
}

func (e *Engine) line(r *jsonread.Reader) (line Line) {
	own := store.Product{NeedsShipping: true}
	var given []string
	var quantity *int64
	asked, faultyQuantity := false, false
	absent := r.Kind() == 'n'
	ok := r.Object(func(name []byte) bool {
		if string(name) == "quantity" {
			asked = true
			before := len(r.Faults)
			quantity = r.Int()
			faultyQuantity = len(r.Faults) > before
			if quantity != nil && (*quantity < 1 || *quantity > MaxQuantity) {
				r.Fault(fault.Range, "a quantity is a whole number from 1 to %d, not %d", MaxQuantity, *quantity)
			}
			return true
		}
		given = append(given, string(name))
		return store.ProductField(r, name, &own)
	})
	if absent {
		r.Fault(fault.Type, "a line is an object, not null")
	}
	if !ok {
		return line
	}
	line.Product = own
	switch {
	case quantity != nil:
		line.Quantity = *quantity
	case !asked || !faultyQuantity:
		r.FaultBelow(fault.Path{"quantity"}, fault.Missing, "say how many")
	}
	if own.SKU != "" {
		i, ok := e.products[own.SKU]
		if !ok {
			r.FaultBelow(fault.Path{"sku"}, fault.Reference, "the store has no product %.60q", own.SKU)
		} else {
			line.Product = e.file.Products[i]
			line.Product.Overlay(&own, given)
		}
	}
	if class := line.Product.Class; class != "" && !e.classes[class] {
		r.FaultBelow(fault.Path{"class"}, fault.Reference, "there is no class %.60q", class)
	}
	if from := line.Product.From; from != "" && e.file.Location(from) == nil {
		r.FaultBelow(fault.Path{"from"}, fault.Reference, "there is no location %.60q", from)
	}
	return line
}

// name is what a line's goods are called.
func (l *Line) name(i int) string {
	switch {
	case l.Product.Name != "":
		return l.Product.Name
	case l.Product.SKU != "":
		return l.Product.SKU
	}
	return "line " + strconv.Itoa(i+1)
}
