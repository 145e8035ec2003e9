package past

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
)

// By is what orders are grouped by.
type By string

// What orders are grouped by. A weight is that of a band: its largest, one of 1, 2 and 5 times a power of ten.
const (
	Method  By = "method"
	Zone    By = "zone"
	Month   By = "month" // "2026-03"; "" where it is not known when the order was placed
	Country By = "country"
	Weight  By = "weight"
	Class   By = "class"
)

// Groupings lists them.
var Groupings = []By{Method, Zone, Month, Country, Weight, Class}

// ParseBy reads a list such as "method,zone".
func ParseBy(text string) (list []By, err error) {
	for name := range strings.SplitSeq(text, ",") {
		name = strings.TrimSpace(name)
		if name == "" {
			continue
		}
		by := By(name)
		if !slices.Contains(Groupings, by) {
			names := make([]string, len(Groupings))
			for i, g := range Groupings {
				names[i] = string(g)
			}
			return nil, fmt.Errorf(
				"orders cannot be grouped by %.40q: it is some of %s",
				name,
				strings.Join(names, ", "),
			)
		}
		if slices.Contains(list, by) {
			return nil, fmt.Errorf("%s is named twice", name)
		}
		list = append(list, by)
	}
	return list, nil
}

// Sums are what one store makes of orders.
type Sums struct {
	NotOffered  int             // nothing is offered, or nothing needs shipping
	NoShipping  int             // of these, orders of which nothing needs shipping
	OtherMethod int             // charged by another method than their own
	Unrated     int             // with goods that the store does not know
	Charge, Tax decimal.Decimal // of those that are charged
	Cost        decimal.Decimal // of those whose cost is known
	Margin      decimal.Decimal // of the same
	CostUnknown int             // charged, their cost not known
}

// add adds what a store made of an order.
func (s *Sums) add(is *Rated) { s.count(is, 1) }

// count adds what a store made of an order, or takes it off again, as n is 1 or −1.
func (s *Sums) count(is *Rated, n int) {
	switch is.Outcome {
	case Unrated:
		s.Unrated += n
		return
	case NotOffered:
		s.NotOffered += n
		if !is.NeedsShipping {
			s.NoShipping += n
		}
		return
	case ByOther:
		s.OtherMethod += n
	}
	signed := func(d decimal.Decimal) decimal.Decimal {
		if n < 0 {
			return d.Neg()
		}
		return d
	}
	s.Charge, s.Tax = s.Charge.Add(signed(is.Charge)), s.Tax.Add(signed(is.Tax))
	if !is.CostKnown {
		s.CostUnknown += n
		return
	}
	s.Cost, s.Margin = s.Cost.Add(signed(is.Cost)), s.Margin.Add(signed(is.Margin))
}

func (s *Sums) merge(o *Sums) {
	s.NotOffered += o.NotOffered
	s.NoShipping += o.NoShipping
	s.OtherMethod += o.OtherMethod
	s.Unrated += o.Unrated
	s.CostUnknown += o.CostUnknown
	s.Charge, s.Tax = s.Charge.Add(o.Charge), s.Tax.Add(o.Tax)
	s.Cost, s.Margin = s.Cost.Add(o.Cost), s.Margin.Add(o.Margin)
}

// Group is orders that have the same of what they are grouped by, under the store that rates first.
type Group struct {
	Key         []string // in the order of Report.By
	Orders      int
	Paid        decimal.Decimal // of those of which it is known
	PaidUnknown int
	Sums
	Against *Sums // what the other store makes of the same orders; nil where there is none

	// Orders that are charged under both stores and that cost the buyer more, less or the same under the other one;
	// those that only the first serves, and that only the other one does.
	Dearer, Cheaper, Same, Lost, Gained int
}

func (g *Group) merge(o *Group) {
	g.Orders += o.Orders
	g.Paid = g.Paid.Add(o.Paid)
	g.PaidUnknown += o.PaidUnknown
	g.Sums.merge(&o.Sums)
	if o.Against != nil {
		if g.Against == nil {
			g.Against = &Sums{}
		}
		g.Against.merge(o.Against)
	}
	g.Dearer += o.Dearer
	g.Cheaper += o.Cheaper
	g.Same += o.Same
	g.Lost += o.Lost
	g.Gained += o.Gained
}

// Report is orders that were rated, in groups.
type Report struct {
	By     []By
	groups map[string]*Group
	key    []byte // scratch
	bands  map[string]string
}

// NewReport makes an empty one.
func NewReport(by []By) *Report {
	return &Report{By: by, groups: map[string]*Group{}, bands: map[string]string{}}
}

// Add adds an order as one store rates it, and as another does; that is nil where there is none.
func (r *Report) Add(o *Order, is, against *Rated) {
	g := r.groups[string(r.keyOf(o, is))]
	if g == nil {
		g = &Group{Key: strings.Split(strings.TrimSuffix(string(r.key), "\x00"), "\x00")}
		if len(r.By) == 0 {
			g.Key = nil
		}
		if against != nil {
			g.Against = &Sums{}
		}
		r.groups[string(r.key)] = g
	}
	g.Orders++
	if o.Paid != nil {
		g.Paid = g.Paid.Add(*o.Paid)
	} else {
		g.PaidUnknown++
	}
	g.Sums.add(is)
	if against == nil {
		return
	}
	g.against(is, against, 1)
}

// against adds what the other store made of an order, or takes it off again.
func (g *Group) against(is, against *Rated, n int) {
	g.Against.count(against, n)
	switch {
	case is.Charged() && against.Charged():
		switch is.Total.Cmp(against.Total) {
		case -1:
			g.Dearer += n
		case 0:
			g.Same += n
		default:
			g.Cheaper += n
		}
	case is.Charged():
		g.Lost += n
	case against.Charged():
		g.Gained += n
	}
}

// Replace has an order that was added count as another result of the other store.
func (r *Report) Replace(o *Order, is, was, against *Rated) {
	g := r.groups[string(r.keyOf(o, is))]
	g.against(is, was, -1)
	g.against(is, against, 1)
}

// Clone is a copy that shares nothing with the report.
func (r *Report) Clone() *Report {
	c := NewReport(r.By)
	for key, g := range r.groups {
		copied := *g
		if g.Against != nil {
			against := *g.Against
			copied.Against = &against
		}
		c.groups[key] = &copied
	}
	return c
}

// keyOf is the key of the group that an order is in.
func (r *Report) keyOf(o *Order, is *Rated) []byte {
	r.key = r.key[:0]
	for _, by := range r.By {
		r.key = append(append(r.key, r.of(by, o, is)...), 0)
	}
	return r.key
}

// of is what an order has of a thing that orders are grouped by.
func (r *Report) of(by By, o *Order, is *Rated) string {
	switch by {
	case Method:
		return is.Method
	case Zone:
		return is.Zone
	case Month:
		if o.At.IsZero() {
			return ""
		}
		year, month, _ := o.At.Date()
		return months.of(year, int(month))
	case Country:
		return o.To.Country
	case Weight:
		if !is.NeedsShipping {
			return ""
		}
		return r.band(is.Weight)
	default:
		return is.Classes
	}
}

// band is the band of a weight, remembered.
func (r *Report) band(weight decimal.Decimal) string {
	var buffer [32]byte
	key := weight.Append(buffer[:0], 0)
	if band, ok := r.bands[string(key)]; ok {
		return band
	}
	band := Band(weight).String()
	if len(r.bands) > 1<<16 {
		clear(r.bands)
	}
	r.bands[string(key)] = band
	return band
}

// Band is the smallest of …, 0.1, 0.2, 0.5, 1, 2, 5, 10, … that is not below a weight; 0 for 0.
func Band(weight decimal.Decimal) decimal.Decimal {
	if weight.Sign() <= 0 {
		return decimal.Zero
	}
	step := decimal.One
	for step.Less(weight) {
		step = step.Mul(ten)
	}
	for step.Decimals() < 6 && !step.Mul(tenth).Less(weight) {
		step = step.Mul(tenth)
	}
	for _, share := range [...]decimal.Decimal{decimal.MustParse("0.2"), decimal.MustParse("0.5")} {
		if part := step.Mul(share); !part.Less(weight) {
			return part
		}
	}
	return step
}

var ten, tenth = decimal.FromInt(10), decimal.MustParse("0.1")

// monthNames are the months of some centuries as they are written.
type monthNames [monthsTo - monthsFrom + 1][12]string

const monthsFrom, monthsTo = 1900, 2199

var months = func() *monthNames {
	var m monthNames
	for y := range m {
		for i := range m[y] {
			m[y][i] = fmt.Sprintf("%04d-%02d", y+monthsFrom, i+1)
		}
	}
	return &m
}()

func (m *monthNames) of(year, month int) string {
	if year < monthsFrom || year > monthsTo {
		return fmt.Sprintf("%04d-%02d", year, month)
	}
	return m[year-monthsFrom][month-1]
}

// Merge adds what another report of the same grouping has.
func (r *Report) Merge(o *Report) {
	for key, g := range o.groups {
		have := r.groups[key]
		if have == nil {
			r.groups[key] = g
			continue
		}
		have.merge(g)
	}
}

// Groups lists the groups by their keys: weights by their size, all else as text.
func (r *Report) Groups() []*Group {
	list := make([]*Group, 0, len(r.groups))
	for _, g := range r.groups {
		list = append(list, g)
	}
	slices.SortFunc(list, func(a, b *Group) int {
		for i := range r.By {
			if c := r.compare(r.By[i], a.Key[i], b.Key[i]); c != 0 {
				return c
			}
		}
		return 0
	})
	return list
}

func (r *Report) compare(by By, a, b string) int {
	if by == Weight && a != "" && b != "" {
		return decimal.MustParse(a).Cmp(decimal.MustParse(b))
	}
	return cmp.Compare(a, b)
}

// Total is all groups together; nil where there is no order.
func (r *Report) Total() *Group {
	var total *Group
	for _, g := range r.groups {
		if total == nil {
			total = &Group{}
			if g.Against != nil {
				total.Against = &Sums{}
			}
		}
		total.merge(g)
	}
	return total
}

// Into makes a handler of orders that rates them under one store, and another where there is one, and adds them to a
// report. It is for one goroutine.
func Into(r *Report, first, second *Rater) func(*Order) error {
	rate := Pair(first, second)
	return func(o *Order) error {
		is, against := rate(o)
		r.Add(o, is, against)
		return nil
	}
}

// Pair rates orders under one store and another; against is nil where there is no other. An order whose method is the
// same in both is rated once. It is for one goroutine; what it gives lasts until the next order.
func Pair(first, second *Rater) func(*Order) (is, against *Rated) {
	first = first.Again()
	var one, two Rated
	if second == nil {
		return func(o *Order) (*Rated, *Rated) {
			one = first.Rate(o)
			return &one, nil
		}
	}
	second = second.Again()
	same := Unaffected(first.Store(), second.Store())
	return func(o *Order) (*Rated, *Rated) {
		one = first.Rate(o)
		if one.Outcome == ByItsMethod && same[one.Method] && second.Own(o.Method) == one.Method {
			two = one
		} else {
			two = second.Rate(o)
		}
		return &one, &two
	}
}
