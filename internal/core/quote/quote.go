package quote

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// asked is a request while it is being answered. What it writes goes into one text, of which the answer's
// strings become parts: a quote has some hundred strings, and as many allocations would cost more than all of
// the arithmetic.
type asked struct {
	e          *Engine
	q          *Request
	to         place.Resolved
	zones      []place.Match // narrowest first
	only       int           // position in zones of the narrowest with only, or len(zones)
	cart       cart
	surcharges []int // indexes of those whose places take the address, in the file's order
	agreed     []*agreement
	taxPercent decimal.Decimal
	nearest    way // from the nearest location that ships
	said       outsideAnswers
	day        time.Time // that is looked at; zero before it is needed

	silent   bool                     // only prices are wanted, no words
	carriers map[*method]carrierAsked // what carriers were asked
	fallen   []string                 // of carriers that failed: by what their methods are priced instead

	parcellings []*parcelling // of each plan, of the charged goods and of all that are shipped
	unlisted    bool          // an option has more parcels than are listed

	text    []byte
	steps   []stepNote
	options []optionNote
	results []priced // scratch of pricing
}

// span is a part of asked.text.
type span struct{ from, to int }

func (s span) of(text string) string { return text[s.from:s.to] }

// stepNote is a step whose strings are still parts of the text.
type stepNote struct {
	kind, table  string
	text, amount span
	rows         []int
}

// optionNote is an option that is still to get its strings and steps.
type optionNote struct {
	m                  *method
	zone               string
	days               *store.Days
	charge, tax, total span
	steps              span // part of asked.steps
	amounts            Amounts
	free               *store.Free // the rule that counts on the day

	service, label string // of a carrier
	estimated      bool
	said           *decimal.Decimal // what the carrier said; nil where it was not asked
	cost           decimal.Decimal  // to the shop, where it was asked for
	costKnown      bool
}

// rowNumbers is 0, 1, 2, …: the single row of a step is a part of it and needs no memory of its own.
var rowNumbers = func() (n [256]int) {
	for i := range n {
		n[i] = i
	}
	return n
}()

var scratch = sync.Pool{New: func() any { return &asked{} }}

// Quote answers a request, which [Engine.ReadRequest] has read or whose lines and address hold to the same bounds.
func (e *Engine) Quote(q *Request) *Answer {
	a := scratch.Get().(*asked)
	defer a.release()
	a.e, a.q = e, q
	a.to = a.resolve(&q.To)
	a.zones = e.rank(e.zones.Match(&a.to, a.zones))
	e.measure(&a.cart, q.Lines)
	a.nearest = a.fromNearest()
	answer := &Answer{
		Currency:      e.file.Store.Currency,
		NeedsShipping: a.cart.shipped,
		Zones:         make([]Zone, len(a.zones)),
		Measures:      Measures{e.units.Money(a.cart.subtotal), a.cart.weight.String(), a.cart.quantity, nil, nil},
		Options:       []Option{},
		Refused:       []Refused{},
		Warnings:      e.warnings(&a.cart),
	}
	for i, m := range a.zones {
		level := m.Narrow.Level.String()
		if m.Rule.Area == nil && m.Rule.Within != nil {
			level = "within"
		}
		answer.Zones[i] = Zone{e.file.Zones[m.Owner].ID, level, m.Because()}
	}
	if divisor := e.file.Store.Volumetric; divisor != nil {
		billed := e.billedOf(&a.cart, divisor).String()
		answer.Measures.Billed = &billed
	}
	if a.nearest.length != nil {
		d := a.nearest.length.String()
		answer.Measures.Distance = &d
	}
	if q.Checkout {
		answer.Checkout = e.address(&q.To, &a.to)
	}
	if a.cart.shipped {
		a.offers(answer)
	}
	answer.Warnings = append(answer.Warnings, a.parcelWarnings()...)
	for _, text := range a.fallen {
		answer.Warnings = append(answer.Warnings, Warning{CarrierFallback, text + "."})
	}
	answer.Warnings = append(answer.Warnings, a.outsideWarnings()...)
	return answer
}

// offers evaluates the methods.
func (a *asked) offers(answer *Answer) {
	e, q := a.e, a.q
	a.prepare()
	a.askCarriers()
	for i := range e.methods {
		m := &e.methods[i]
		begun := len(a.steps)
		switch refused := a.method(m); refused.Code {
		case "":
		case pending:
			answer.Pending = append(answer.Pending, Pending{m.ID, m.label, len(m.services), len(a.options)})
		default:
			if cap(answer.Refused) == 0 { // a refusal is large: they are made room for once
				answer.Refused = make([]Refused, 0, len(e.methods)-i)
			}
			a.steps = a.steps[:begun]
			answer.Refused = append(answer.Refused, a.refused(m, refused))
		}
	}
	answer.Options = a.finish()
	if q.Checkout {
		for i := range answer.Options {
			answer.Options[i].Offer = a.offer(a.options[i].m, a.options[i].days, &answer.Options[i], &answer.Measures)
		}
	}
	if len(answer.Options) == 0 && len(answer.Pending) == 0 {
		answer.Message = a.message(answer.Refused)
	}
}

// release keeps the room of what was asked for the next.
func (a *asked) release() {
	*a = asked{
		zones:      a.zones[:0],
		surcharges: a.surcharges[:0],
		agreed:     a.agreed[:0],
		text:       a.text[:0],
		steps:      a.steps[:0],
		options:    a.options[:0],
		results:    a.results,
		cart:       a.cart.emptied(),
	}
	scratch.Put(a)
}

// finish gives the options their strings and steps.
func (a *asked) finish() []Option {
	text := string(a.text)
	steps := make([]Step, len(a.steps))
	for i := range a.steps {
		n := &a.steps[i]
		steps[i] = Step{n.kind, n.text.of(text), n.amount.of(text), n.table, n.rows}
	}
	options := make([]Option, len(a.options))
	for i := range a.options {
		n := &a.options[i]
		options[i] = Option{
			Method:  n.m.ID,
			Service: n.service,
			Label:   cmp.Or(n.label, n.m.label),
			Kind:    n.m.Kind,
			Zone:    n.zone,
			Days:    n.days,
			Dates:   a.dates(n.m, n.days),
			Charge:  n.charge.of(text),
			Tax:     n.tax.of(text),
			Total:   n.total.of(text),
			Steps:   steps[n.steps.from:n.steps.to:n.steps.to],
			Amounts: n.amounts,
			Free:    n.free,

			Estimated: n.estimated,
		}
		a.collect(&options[i], n.m)
		if a.q.Costs {
			a.costed(&options[i], n)
		}
		if a.q.Parcels {
			options[i].Parcels = a.listParcels(n.m)
		}
	}
	return options
}

// today is the day that is looked at: that of the request, or else of now.
func (a *asked) today() time.Time {
	if a.day.IsZero() {
		at := a.q.At
		if at.IsZero() {
			at = time.Now()
		}
		if a.e.calendar != nil {
			a.day = a.e.calendar.Today(at)
		} else {
			a.day = calendar.Today(at)
		}
	}
	return a.day
}

// freeRule is the rule of free delivery that counts on the day; nil for none.
func (a *asked) freeRule(t *store.Terms) *store.Free {
	if t.Free == nil || t.Free.Available != nil && !t.Free.Available.Has(a.today()) {
		return nil
	}
	return t.Free
}

// dates are when goods arrive that take so many days; nil where that cannot be said.
func (a *asked) dates(m *method, days *store.Days) *Dates {
	c := m.calendar
	if c == nil || days == nil || a.q.At.IsZero() {
		return nil
	}
	leaves := c.Leaves(a.q.At)
	from := c.After(leaves, days.Min, days.Business)
	to := c.After(leaves, days.Max, days.Business)
	return &Dates{from.Format(time.DateOnly), to.Format(time.DateOnly), calendar.Format(from, to)}
}

// money writes an amount into the text.
func (a *asked) money(d decimal.Decimal) span {
	if a.silent {
		return span{}
	}
	from := len(a.text)
	a.text = d.Append(a.text, a.e.units.Digits)
	return span{from, len(a.text)}
}

// Zones lists the zones that take an address, the one that counts before the others: by rank, then narrowest
// first, then in the file's order.
func (e *Engine) Zones(to *place.Resolved) []place.Match { return e.AppendZones(to, nil) }

// AppendZones is Zones, behind what is in a list already.
func (e *Engine) AppendZones(to *place.Resolved, into []place.Match) []place.Match {
	before := len(into)
	into = e.zones.Match(to, into)
	e.rank(into[before:])
	return into
}

func (e *Engine) rank(matches []place.Match) []place.Match {
	if e.ranked {
		slices.SortStableFunc(matches, func(x, y place.Match) int {
			rx, ry := e.file.Zones[x.Owner].Rank, e.file.Zones[y.Owner].Rank
			switch {
			case rx == nil && ry == nil:
				return 0
			case rx == nil:
				return 1
			case ry == nil:
				return -1
			}
			return cmp.Compare(*rx, *ry)
		})
	}
	return matches
}

// prepare looks up what is the same for all methods.
func (a *asked) prepare() {
	e := a.e
	a.alone()
	if len(e.file.Surcharges) > 0 {
		for _, m := range e.surcharges.Match(&a.to, nil) {
			a.surcharges = append(a.surcharges, m.Owner)
		}
		slices.Sort(a.surcharges)
	}
	if taxes := e.taxes.Match(&a.to, nil); len(taxes) > 0 {
		a.taxPercent = e.file.Store.Tax.Rates[taxes[0].Owner].Percent
	}
	a.agree()
}

// alone finds the narrowest zone that keeps its addresses for itself.
func (a *asked) alone() {
	a.only = len(a.zones)
	for i, m := range a.zones {
		if a.e.file.Zones[m.Owner].Only {
			a.only = i
			break
		}
	}
}

// agree finds the agreed charges that hold.
func (a *asked) agree() {
	for i := range a.e.agreed {
		if a.e.agreed[i].holds(a) {
			a.agreed = append(a.agreed, &a.e.agreed[i])
		}
	}
}

// fromNearest is the way from the nearest location that ships.
func (a *asked) fromNearest() (least way) {
	for _, from := range a.e.shipsFrom {
		if w := a.wayFrom(from); w.length != nil && (least.length == nil || w.length.Less(*least.length)) {
			least = w
		}
	}
	if least.straight != nil {
		a.said.guessed = least
	}
	return least
}

// noDistance says which end of the way to an address has no point: the place where goods leave from, "" for the
// method's usual one, or the address.
func (a *asked) noDistance(m *method, from string) Refusal {
	r := Refusal{Code: NoDistance, Cause: PlaceUnknown}
	_, known := a.e.originOf[from]
	switch {
	case from != "":
		if !known {
			r.Cause = ShopUnknown
			r.Place = a.e.file.LocationName(from)
		}
	case m.ownFrom && m.from < 0:
		r.Cause = ShopUnknown
		r.Place = a.e.file.LocationName(m.From)
	case !m.ownFrom && len(a.e.shipsFrom) == 0:
		r.Cause = ShopUnknown
	}
	return r
}

// refused is a refusal as the answer has it.
func (a *asked) refused(m *method, r Refusal) Refused {
	r.units, r.side = a.e.units, a.e.file.Store.LengthUnit
	out := Refused{Method: m.ID, Code: r.Code, Reason: r.Owner(), Why: r}
	if r.Fell != "" {
		out.Reason = r.Fell + ", and no price stands in: " + out.Reason
	}
	if m.WhenRefused == store.Tell {
		if out.Text = m.RefusedText; out.Text == "" {
			out.Text = sentence(r.Buyer(m.label))
		}
	}
	return out
}

// sentence begins with a capital.
func sentence(text string) string {
	r, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(r)) + text[size:]
}

func (a *asked) outside() Refusal {
	r := Refusal{Code: OutsideZones, Cause: NoZone}
	for i := range a.zones[:min(3, len(a.zones))] {
		z := &a.e.file.Zones[a.zones[i].Owner]
		r.Cause, r.Names = ZonesUnserved, append(r.Names, cmp.Or(z.Name, z.ID))
	}
	return r
}

// tax of a charge: within it where prices include tax, on top of it otherwise.
func (a *asked) tax(m *method, charge decimal.Decimal) (tax, total decimal.Decimal) {
	if !m.Taxable || a.taxPercent.IsZero() || charge.IsZero() {
		return decimal.Zero, charge
	}
	digits := a.e.units.Digits
	if a.e.file.Store.Tax.PricesIncludeTax {
		return charge.Mul(a.taxPercent).QuoRound(decimal.Hundred.Add(a.taxPercent), digits), charge
	}
	tax = charge.Percent(a.taxPercent).Round(digits)
	return tax, charge.Add(tax)
}

// message says in the customer's words that nothing is offered, and why.
func (a *asked) message(refused []Refused) string {
	where := Destination(&a.q.To, world.CountryName(a.q.To.Country))
	if len(a.e.methods) == 0 {
		return "We cannot deliver to " + where + ": no delivery method is available at the moment."
	}
	reason, own := "", ""
	for _, r := range refused {
		if r.Text != "" && own == "" {
			own = r.Text
		}
		if reason == "" && r.Code != OutsideZones && r.Code != ZoneOnly {
			reason = r.Why.Buyer(a.label(r.Method))
		}
	}
	switch {
	case own != "":
		return "We cannot deliver this order to " + where + ": " + own
	case reason != "":
		return "We cannot deliver this order to " + where + ": " + reason + "."
	}
	return "We do not deliver to " + where + "."
}

// label is what the buyer reads of a method.
func (a *asked) label(id string) string {
	for i := range a.e.methods {
		if a.e.methods[i].ID == id {
			return a.e.methods[i].label
		}
	}
	return id
}

// Destination writes an address as people name it in a sentence, with what its country is called.
func Destination(to *place.Address, country string) string {
	local := strings.TrimSpace(strings.TrimSpace(to.Postcode) + " " + strings.TrimSpace(to.City))
	if r := []rune(local); len(r) > 80 {
		local = string(r[:80]) + "…"
	}
	if local == "" {
		return country
	}
	return local + ", " + country
}
