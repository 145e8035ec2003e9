package quote

import (
	"cmp"
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// pricing is one method on its way from table to price.
type pricing struct {
	*asked
	m         *method
	s         *served
	zone      *store.Zone
	from      way             // from the usual place
	estimated bool            // the tables stand in for a carrier
	sum       decimal.Decimal // exact
	written   decimal.Decimal // of the amounts of the steps as they are written
}

// begin starts the text of a step: what is appended to p.text until step is called.
func (p *pricing) begin() int { return len(p.text) }

// step notes a line of the breakdown, its text written since begin, and adds its amount.
func (p *pricing) step(kind string, begun int, amount decimal.Decimal) *stepNote {
	p.sum = p.sum.Add(amount)
	if p.silent {
		return &stepNote{}
	}
	n := stepNote{kind: kind, text: span{begun, len(p.text)}}
	n.amount = p.money(amount)
	p.steps = append(p.steps, n)
	p.written = p.written.Add(amount.Written())
	return &p.steps[len(p.steps)-1]
}

func (p *pricing) write(text string) {
	if !p.silent {
		p.text = append(p.text, text...)
	}
}

func (p *pricing) writeMoney(d decimal.Decimal) {
	if !p.silent {
		p.text = d.Append(p.text, p.e.units.Digits)
	}
}

// price works through the steps of docs/model.md, "From table to price". Step 1 is that of the tables where it is nil.
func (p *pricing) price(step1 func() Refusal) (decimal.Decimal, Refusal) {
	if !p.cart.charged() {
		at := p.begin()
		p.write("all these goods ship free")
		p.step(StepFree, at, decimal.Zero)
		return decimal.Zero, Refusal{}
	}
	first := len(p.steps)
	agreed := p.agreedCharge()
	var refused Refusal
	if step1 == nil {
		refused = p.tables()
	} else {
		refused = step1()
	}
	switch {
	case refused.Code == "":
		p.surcharge()
		p.bounds()
		p.handling()
	case agreed == nil:
		return decimal.Zero, refused
	default:
		p.steps, p.sum, p.written = p.steps[:first], decimal.Zero, decimal.Zero
	}
	if agreed != nil {
		at := p.begin()
		p.write(cmp.Or(agreed.Name, agreed.ID))
		p.write(": agreed ")
		p.writeMoney(agreed.Amount)
		p.step(StepAgreed, at, agreed.Amount.Sub(p.sum))
	}
	if because, free := p.isFree(p.freeRule(&p.s.terms)); free {
		at := p.begin()
		p.write("free ")
		p.write(because)
		p.step(StepFree, at, p.sum.Neg())
	}
	rounded := p.sum.Round(p.e.units.Digits)
	if !p.silent && rounded.Cmp(p.written) != 0 { // also where amounts that do not end add up to one that does
		at := p.begin()
		p.write("rounded half up to ")
		p.writeMoney(rounded)
		p.step(StepRounding, at, rounded.Sub(p.written))
	}
	return rounded, Refusal{}
}

func (p *pricing) agreedCharge() *agreement {
	for _, g := range p.agreed {
		if g.covers(p.m) {
			return g
		}
	}
	return nil
}

// priced is what a table made of the parcels that hold its goods.
type priced struct {
	amount decimal.Decimal
	text   []byte
	rows   []int
	far    []way // that counted
	whole  whole // what a table per order prices
}

// tables evaluates step 1: each table per parcel, added or the dearest of each parcel.
func (p *pricing) tables() Refusal {
	for len(p.results) < len(p.s.tables) {
		p.results = append(p.results, priced{})
	}
	results := p.results[:len(p.s.tables)]
	for i := range results {
		results[i].amount, results[i].text, results[i].rows = decimal.Zero, results[i].text[:0], nil
		results[i].far = results[i].far[:0]
		if results[i].whole.used { // which few tables use, and takes longer to clear than the rest
			results[i].whole = whole{ways: results[i].whole.ways[:0]}
		}
	}
	worst := p.parcels(results)
	if p.m.Kind == store.CarrierKind && worst.Code == "" && !p.estimated {
		worst = Refusal{Code: Carrier, Cause: NoCarrier}
	}
	if worst.Code != "" {
		return worst
	}
	for i := range results {
		if r := &results[i]; len(r.rows) > 0 {
			at := p.begin()
			if p.silent {
				p.step(StepTable, at, r.amount)
				continue
			}
			p.text = append(p.text, r.text...)
			if more := len(r.rows) - maxNamed; more > 0 {
				p.text = append(strconv.AppendInt(append(p.text, "; and "...), int64(more), 10), " more parcels"...)
			}
			for i := range r.far {
				if r.far[i].byRoad {
					p.text = p.e.appendWords(append(p.text, "; "...), &r.far[i])
				}
			}
			n := p.step(StepTable, at, r.amount)
			n.table, n.rows = p.s.tables[i].table.ID, r.rows
		}
	}
	return Refusal{}
}

// graver keeps the refusal that comes first in the order of their codes: an unknown distance before a missing rate.
func graver(a, b Refusal) Refusal {
	if a.Code == "" || b.Code == NoDistance && a.Code == NoRate {
		return b
	}
	return a
}

// tableOf finds the table that prices a class; −1 where none does.
func (s *served) tableOf(class string) int {
	if i, ok := s.byClass[class]; ok && class != "" {
		return i
	}
	return s.rest
}

func (p *pricing) unclaimed(class string) Refusal {
	return Refusal{
		Code:  NoRate,
		Cause: ClassUnpriced,
		Class: p.e.file.ClassName(class),
		Zone:  cmp.Or(p.zone.Name, p.zone.ID),
	}
}

// alone prices a good that travels alone, as often as there are units.
func (p *pricing) alone(parcel *parcel, results []priced) Refusal {
	i := p.s.tableOf(parcel.class)
	if i < 0 {
		return p.unclaimed(parcel.class)
	}
	goods, c := parcel.goods, p.s.tables[i]
	from := p.wayFor(&c, parcel.from)
	goods.Distance = from.length
	weight := goods.Weight
	var buffer [128]byte
	var bill []byte
	if p.e.volumes {
		bill = p.bill(buffer[:0], c.table, &goods, parcel.volume, parcel.sides())
	}
	if c.table.Per == rate.PerOrder {
		results[i].whole.add(&goods, parcel.count, parcel.from, &from)
		return Refusal{}
	}
	amount, row, outcome := c.table.Price(c.column, &goods)
	if outcome != rate.Priced {
		return p.unpriced(c, row, &goods, outcome, parcel.from)
	}
	r := &results[i]
	if !p.open(r, c.table, row) {
		r.amount = r.amount.Add(amount.Mul(decimal.FromInt(parcel.count)))
		return Refusal{}
	}
	if parcel.count > 1 {
		r.text = strconv.AppendInt(r.text, parcel.count, 10)
		r.text = append(r.text, " parcels of their own of "...)
	} else {
		r.text = append(r.text, "a parcel of its own of "...)
	}
	r.text = p.e.units.AppendMeasure(r.text, rate.ByWeight, weight)
	r.text = p.appendOrigin(r.text, parcel.from, &from)
	r.text = append(r.text, ": "...)
	r.text = append(r.text, bill...)
	r.text = c.table.AppendReckoning(r.text, c.column, row, &goods, amount, p.e.units)
	if parcel.count > 1 {
		r.text = append(r.text, " each"...)
	}
	r.amount = r.amount.Add(amount.Mul(decimal.FromInt(parcel.count)))
	r.reached(c, row, &from)
	return Refusal{}
}

// reached notes a way that counted, once.
func (r *priced) reached(c column, row int, from *way) {
	if !from.byRoad || !c.table.Far(c.column, row) {
		return
	}
	for i := range r.far {
		if r.far[i].from == from.from {
			return
		}
	}
	r.far = append(r.far, *from)
}

// maxNamed is how many parcels, those that are alike counted once, a step names; of others it says how many they are.
const maxNamed = 100

// open starts a table's text with its name, or goes on behind what another parcel wrote; false where it has named
// enough.
func (p *pricing) open(r *priced, t *rate.Table, row int) bool {
	if p.silent {
		r.rows = rowNumbers[:1]
		return false
	}
	if len(r.rows) >= maxNamed {
		r.rows = append(r.rows, row)
		return false
	}
	if len(r.rows) == 0 {
		r.text = append(append(r.text, cmp.Or(t.Name, p.m.Name)...), ", "...)
	} else {
		r.text = append(r.text, "; "...)
	}
	if len(r.rows) == 0 && row < len(rowNumbers) {
		r.rows = rowNumbers[row : row+1 : row+1]
		return true
	}
	r.rows = append(r.rows, row)
	return true
}

// shared is goods that share a parcel, or several parcels alike.
type shared struct {
	goods []portion
	from  string
	count int64
	box   *boxOf // nil: none
	named bool   // what it is has to be said, because there are others
}

// together prices the goods that share a parcel, each table those that it claims.
func (p *pricing) together(s *shared, results []priced) Refusal {
	var buffer [4]portion
	var usedBuffer [4]bool
	worst := Refusal{}
	goods, used := buffer[:min(len(results), 4)], usedBuffer[:min(len(results), 4)]
	if len(results) > 4 {
		goods, used = make([]portion, len(results)), make([]bool, len(results))
	}
	for i := range s.goods {
		part := &s.goods[i]
		t := p.s.tableOf(part.class)
		if t < 0 {
			worst = graver(worst, p.unclaimed(part.class))
			continue
		}
		if used[t] {
			goods[t].add(part)
		} else {
			goods[t], used[t] = *part, true
		}
	}
	dearest := tabled{table: -1}
	for i := range goods {
		if !used[i] {
			continue
		}
		priced := tabled{table: i, goods: goods[i].goods}
		c, g := p.s.tables[i], &priced.goods
		priced.from = p.wayFor(&c, s.from)
		g.Distance = priced.from.length
		volume, sides := goods[i].volume, []decimal.Decimal(nil)
		if s.box != nil {
			g.Weight = g.Weight.Add(s.box.weight)
			volume, sides = s.box.volume, s.box.sides[:]
		} else if p.e.volumes {
			sides = goods[i].sides()
		}
		priced.weight = g.Weight
		priced.bill = p.bill(nil, c.table, g, volume, sides)
		if c.table.Per == rate.PerOrder {
			results[i].whole.add(g, s.count, s.from, &priced.from)
			continue
		}
		var outcome rate.Outcome
		priced.amount, priced.row, outcome = c.table.Price(c.column, g)
		switch {
		case outcome != rate.Priced:
			worst = graver(worst, p.unpriced(c, priced.row, g, outcome, s.from))
		case p.m.Classes != store.Dearest:
			p.note(s, &results[i], c, &priced)
		case dearest.table < 0 || dearest.amount.Less(priced.amount):
			dearest = priced
		}
	}
	if worst.Code == "" && dearest.table >= 0 {
		r := &results[dearest.table]
		if p.note(s, r, p.s.tables[dearest.table], &dearest) {
			r.text = appendOthers(r.text, used)
		}
	}
	return worst
}

// tabled is what a table made of the goods that it claims in a parcel.
type tabled struct {
	table, row int
	goods      rate.Goods
	amount     decimal.Decimal
	weight     decimal.Decimal // of the goods, before what is billed took its place
	bill       []byte          // how that came about
	from       way
}

// appendOthers says of how many tables one was the dearest; nothing of one.
func appendOthers(text []byte, used []bool) []byte {
	n := 0
	for _, u := range used {
		if u {
			n++
		}
	}
	if n < 2 {
		return text
	}
	text = append(text, ", the dearest of "...)
	text = strconv.AppendInt(text, int64(n), 10)
	return append(text, " tables"...)
}

// note writes a table's line; false where it has named enough parcels.
func (p *pricing) note(s *shared, r *priced, c column, t *tabled) bool {
	r.amount = r.amount.Add(t.amount.Mul(decimal.FromInt(s.count)))
	if !p.open(r, c.table, t.row) {
		return false
	}
	if s.box != nil || s.named {
		switch {
		case s.box != nil:
			if s.count > 1 {
				r.text = append(strconv.AppendInt(r.text, s.count, 10), " × "...)
			}
			r.text = append(r.text, s.box.name...)
		case s.count > 1:
			r.text = append(strconv.AppendInt(r.text, s.count, 10), " parcels"...)
		case len(p.cart.alone) > 0 && p.m.plan < 0:
			r.text = append(r.text, "the rest"...)
		default:
			r.text = append(r.text, "a parcel"...)
		}
		r.text = p.e.units.AppendMeasure(append(r.text, ", "...), rate.ByWeight, t.weight)
		r.text = append(p.appendOrigin(r.text, s.from, &t.from), ": "...)
	}
	r.text = append(r.text, t.bill...)
	r.text = c.table.AppendReckoning(r.text, c.column, t.row, &t.goods, t.amount, p.e.units)
	if s.count > 1 {
		r.text = append(r.text, " each"...)
	}
	r.reached(c, t.row, &t.from)
	return true
}

// appendOrigin says from where a parcel leaves, where goods leave from several places.
func (p *pricing) appendOrigin(b []byte, from string, w *way) []byte {
	if len(p.cart.froms) < 2 {
		return b
	}
	return append(append(b, " from "...), p.origin(from, w)...)
}

// unpriced says why a table has no price for a parcel: where it has one for smaller ones, from where on it has none.
func (p *pricing) unpriced(c column, row int, goods *rate.Goods, outcome rate.Outcome, from string) Refusal {
	if outcome == rate.NoDistance {
		return p.noDistance(p.m, from)
	}
	t := c.table
	r := Refusal{Code: NoRate, Cause: CellEmpty, By: t.By, Zone: cmp.Or(p.zone.Name, p.zone.ID)}
	limit, ends := t.Reach(c.column, row)
	if !ends {
		return r
	}
	r.Cause, r.Limit, r.Have = OverLimit, limit, goods.Weight
	switch t.By {
	case rate.BySubtotal:
		r.Have = goods.Subtotal
	case rate.ByQuantity:
		r.Have = decimal.FromInt(goods.Quantity)
	case rate.ByDistance:
		r.Have = *goods.Distance
	}
	return r
}

// surcharge is step 2; percentages are of what the tables gave.
func (p *pricing) surcharge() {
	tables := p.sum
	for _, i := range p.surcharges {
		s := &p.e.file.Surcharges[i]
		if !p.m.surcharges[i] || s.Amount == nil && s.Percent == nil {
			continue
		}
		at := p.begin()
		p.write(cmp.Or(s.Name, s.ID))
		p.write(": ")
		p.step(StepSurcharge, at, p.fee(s.Amount, s.Percent, tables))
	}
}

// fee is an amount, a percentage of something, or both; it writes the arithmetic.
func (p *pricing) fee(fixed, percent *decimal.Decimal, of decimal.Decimal) (amount decimal.Decimal) {
	if fixed != nil {
		amount = *fixed
		p.writeMoney(*fixed)
	}
	if percent != nil {
		if fixed != nil {
			p.write(" + ")
		}
		amount = amount.Add(of.Percent(*percent))
		if !p.silent {
			p.text = percent.Append(p.text, 0)
		}
		p.write(" % of ")
		p.writeMoney(of)
	}
	return amount
}

// bounds is step 3.
func (p *pricing) bounds() {
	if least := p.s.terms.Minimum; least != nil && p.sum.Less(*least) {
		at := p.begin()
		p.write("at least ")
		p.writeMoney(*least)
		p.step(StepMinimum, at, least.Sub(p.sum))
	}
	if most := p.s.terms.Maximum; most != nil && most.Less(p.sum) {
		at := p.begin()
		p.write("at most ")
		p.writeMoney(*most)
		p.step(StepMaximum, at, most.Sub(p.sum))
	}
}

// handling is step 4.
func (p *pricing) handling() {
	h := p.s.terms.Handling
	if h == nil {
		return
	}
	of := p.sum
	if h.Of == store.OfSubtotal {
		of = p.cart.subtotal
	}
	at := p.begin()
	p.write("handling: ")
	p.step(StepHandling, at, p.fee(h.Amount, h.Percent, of))
}
