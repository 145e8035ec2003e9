package ratelist

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/grid"
)

// Status is what becomes of a line.
type Status uint8

// What can become of a line.
const (
	Taken Status = iota + 1
	Repeats
	Contradicts
	Refused
	LeftOut // as somebody said
)

// Line is a price of the list and what is made of it.
type Line struct {
	Line     int
	Status   Status
	Zone     string // the name of the zone
	Says     string // what is wrong with it; "" of one that is taken
	Text     string // as the list has it
	from, to *decimal.Decimal
	given    bounds
	zone     int
	charge   *rate.Charge
}

// Result is what is made of the line, or what is wrong with it.
func (l *Line) Result(w charge.Words) string {
	if l.Says == "" && l.Status == Taken {
		return charge.Format(l.charge, w)
	}
	return l.Says
}

// Plan is what a list becomes.
type Plan struct {
	Lines  []Line
	Zones  []store.Zone // of the columns: those of the store, and new ones
	New    []bool       // by zone
	Table  rate.Table
	Usable bool     // nothing is refused, nothing contradicts
	Gaps   []string // what no line covers
}

// builder makes a plan of the prices of a list.
type builder struct {
	p            *Plan
	o            *opening
	m            Mapping
	f            *store.File
	reader       typed.Reader
	key          key
	byPlaces     map[string]int         // zones of the plan by what they take
	shopZones    map[string]*store.Zone // by their places in words
	ids          map[string]bool        // of zones
	known        map[boundKey]knownBound
	seen         map[[7]string]found
	bounds, sums measure.Column
	columnSums   map[int]measure.Column // by the column of the sheet, where it shows how it writes numbers
	pers         measure.Column
	exchange     charge.Change
	foreign      string // the currency of the list where it is not the shop's
	prices       []price
	hundredths   bool             // prices are in hundredths of the currency
	empty        bool             // some cells say nothing
	most         *decimal.Decimal // the greatest bound whose unit nothing says
	marked       bool
	overs        bool     // lower bounds are outside of their bands: "over 2"
	both         []string // numbers of items that are in two bands
	nexts        []string // ends that are next to one another, and were read as the same
}

// found is the zone of a destination.
type found struct {
	zone int
	err  error
}

// columns finds how bounds and prices write their numbers.
func (b *builder) columns(sign byte) {
	if sign != 0 {
		one := measure.Column{Decimal: sign}
		b.bounds, b.sums, b.pers = one, one, one
		return
	}
	b.columnSums = map[int]measure.Column{}
	byColumn := map[int][]string{}
	lines := map[int][]int{}
	var bounds, sums, pers []string
	var boundAt, sumAt, perAt []int
	add := func(t *text, line int, cells *[]string, at *[]int) {
		if !t.number && t.said != "" {
			*cells, *at = append(*cells, t.said), append(*at, line)
		}
	}
	for i := range b.prices {
		p := &b.prices[i]
		add(&p.from, p.line, &bounds, &boundAt)
		add(&p.up, p.line, &bounds, &boundAt)
		if p.step != nil {
			add(&text{said: p.step.each}, p.line, &bounds, &boundAt)
		}
		add(&p.sum, p.line, &sums, &sumAt)
		if !p.sum.number && p.sum.said != "" {
			byColumn[p.column] = append(byColumn[p.column], p.sum.said)
			lines[p.column] = append(lines[p.column], p.line)
		}
		add(&p.per, p.line, &pers, &perAt)
	}
	b.bounds = measure.Numbers(bounds, func(i int) int { return boundAt[i] })
	b.sums = measure.Numbers(sums, func(i int) int { return sumAt[i] })
	b.pers = measure.Numbers(pers, func(i int) int { return perAt[i] })
	for column, cells := range byColumn {
		if c := measure.Numbers(cells, func(i int) int { return lines[column][i] }); c.Decimal != 0 {
			b.columnSums[column] = c
		}
	}
	for _, c := range b.columnSums { // columns that write differently say nothing of a third
		if c.Decimal != b.sums.Decimal {
			b.sums = measure.Column{}
			break
		}
	}
}

// bare notes a bound whose unit nothing says.
func (b *builder) bare(d decimal.Decimal) {
	if b.most == nil || b.most.Less(d) {
		b.most = &d
	}
}

// twoWays asks about a number that may be a thousand or one, with what the others of the list suggest.
func (b *builder) twoWays(err error) {
	var two *measure.TwoWays
	if !errors.As(err, &two) {
		return
	}
	suggests := ""
	for _, other := range []measure.Column{b.bounds, b.sums, b.pers} {
		if sign := map[byte]string{'.': "point", ',': "comma"}[other.Decimal]; sign != "" {
			suggests = fmt.Sprintf(" Other numbers of this list have a decimal %s, so it is probably %s.", sign,
				two.Given(other.Decimal))
		}
	}
	b.o.asks.AddOnce(AskDecimal, fmt.Sprintf("%s may be %s or %s: choose the decimal sign.%s", two.Cell, two.Thousand,
		two.One,
		suggests))
}

// unit notes a unit that the list names.
func (b *builder) unit(in string) { b.o.unit(in) }

func (b *builder) footnote(p *price, said string) {
	if !b.marked {
		b.marked = true
		b.o.asks.Add(AskFootnote,
			fmt.Sprintf("Line %d has a price with a footnote mark: %s. Check what the footnote says. The "+
				"price is read without it.", p.line, said))
	}
}

func (b *builder) line(i int) Line {
	p := &b.prices[i]
	l := Line{Line: p.line, Status: Taken, zone: -1}
	refuse := func(format string, args ...any) Line {
		l.Status, l.Says, b.p.Usable, l.Text = Refused, fmt.Sprintf(format, args...), false, p.row.Said()
		return l
	}
	if p.strange != "" {
		return refuse("band: %.40q is no band: write it as 0–1 kg, up to 5 or over 30", p.strange)
	}
	if leave := b.o.c.Leave; leave[world.Fold(p.sum.said)] && p.sum.said != "" || leave[world.Fold(p.place())] {
		l.Status, l.Says = LeftOut, "left out, as you said"
		return l
	}
	c, err := b.charge(p)
	if err == nil && b.hundredths {
		c, err = charge.Times(hundredth).Apply(c, b.f.Words())
	}
	if err == nil && c != nil && c.Percent != nil && decimal.FromInt(100).Less(*c.Percent) {
		err = fmt.Errorf("%s %% is more than the goods cost", c.Percent)
	}
	if err != nil {
		b.twoWays(err)
		b.strange(p, err)
		return refuse("price: %s", err.Error())
	}
	l.charge = c
	if err := b.boundsOf(p, &l); err != nil {
		b.twoWays(err)
		return refuse("%s", err.Error())
	}
	if p.step != nil {
		if err := b.step(p, &l); err != nil {
			return refuse("%s", err.Error())
		}
	}
	if l.to != nil && l.to.IsZero() {
		return refuse("a band that ends at 0 covers no goods")
	}
	if l.from != nil && l.to != nil && l.to.Less(*l.from) {
		return refuse("%s to %s runs backwards", l.from, l.to)
	}
	zone, ok := b.seen[p.to]
	if !ok {
		zone.zone, zone.err = b.destination(p)
		b.seen[p.to] = zone
	}
	if zone.err != nil {
		return refuse("%s", zone.err.Error())
	}
	l.zone, l.Zone = zone.zone, b.p.Zones[zone.zone].Name
	return l
}

// place is where the parcels of a price go, as the list says it.
func (p *price) place() string {
	if p.to[0] != "" {
		return p.to[0]
	}
	return strings.Join(slices.DeleteFunc(slices.Clone(p.to[1:]), func(s string) bool { return s == "" }), " ")
}

// strange notes a text that stands for a price and is none; one of digits alone is refused where it stands.
func (b *builder) strange(p *price, err error) {
	said := strings.TrimSpace(p.sum.said)
	if said == "" || strings.ContainsAny(said, "0123456789") && !strings.ContainsFunc(said, unicode.IsLetter) &&
		!strings.Contains(said, "%") {
		return
	}
	r := b.o.r
	i := slices.IndexFunc(r.Strange, func(s Strange) bool { return world.Fold(s.Text) == world.Fold(said) })
	if i < 0 {
		i = len(r.Strange)
		r.Strange = append(r.Strange, Strange{Text: said, Reason: err.Error()})
	}
	r.Strange[i].Lines = append(r.Strange[i].Lines, p.line)
}

// maxStrange is how many texts that are no prices are asked about one by one.
const maxStrange = 20

// asksStrange asks about each text that stands for a price and is none.
func (b *builder) asksStrange() {
	list := b.o.r.Strange
	for i := range list[:min(len(list), maxStrange)] {
		b.o.asks.Add(AskPrice, fmt.Sprintf("%s %s: “%s” is not a price. What does it mean?", plural.Noun(int64(len(list[i].Lines)), "Line"),
			grid.Ranges(list[i].Lines), grid.Cut(list[i].Text)))
	}
	if more := len(list) - maxStrange; more > 0 {
		b.o.asks.Add(AskPrice, plural.Count(more, "more text")+" like that.")
	}
}

// boundsOf reads the bounds of a line.
func (b *builder) boundsOf(p *price, l *Line) error {
	for _, bound := range []struct {
		field       Field
		from        *text
		into, given **decimal.Decimal
	}{{From, &p.from, &l.from, &l.given.from}, {To, &p.up, &l.to, &l.given.to}} {
		if b.m.By == rate.ByOrder || open(bound.from.said) {
			continue
		}
		d, given, err := b.bound(bound.from, bound.field)
		if err != nil {
			return fmt.Errorf("%s: %w", bound.field.Says(), err)
		}
		*bound.into, *bound.given = &d, &given
	}
	if p.from.unit != p.up.unit {
		l.given = bounds{} // they cannot be compared
	}
	return nil
}

// charge reads the price of a line: its sum, and so much for each unit of weight.
func (b *builder) charge(p *price) (*rate.Charge, error) {
	c, err := b.sum(p, &p.sum)
	if err == nil && p.in.said.per != nil && p.step == nil && fixed(c) != nil {
		return b.perSaid(c, p.in.said.per)
	}
	if err != nil || p.per.said == "" {
		return c, err
	}
	if c != nil && c.PerWeight != nil {
		return nil, errors.New("it has two prices by weight")
	}
	d, around, err := numberIn(&p.per, b.pers)
	if err != nil {
		return nil, err
	}
	if around != "" && !world.NamesCurrency(around, b.f.Store.Currency) {
		return nil, fmt.Errorf("%.30q is not understood here", p.per.said)
	}
	unit, ok := headUnit(p.per.unit)
	if !ok || unit == "" {
		unit = b.f.Store.WeightUnit
	}
	per := &rate.PerUnit{Amount: d}
	if one := measure.Convert(measure.Weight, decimal.One, unit, b.f.Store.WeightUnit); one.Cmp(decimal.One) != 0 {
		per.Every = &one
	}
	if c == nil {
		if b.m.has(Price, Prices) {
			return nil, nil
		}
		c = &rate.Charge{}
	}
	c.PerWeight = per
	if p.currency != "" {
		base := c.Base
		c.Base = nil
		if c, err = b.converted(c); err != nil {
			return nil, err
		}
		c.Base = base
	}
	return c, nil
}

// perSaid makes a price that the list says is for each unit of weight one.
func (b *builder) perSaid(c *rate.Charge, p *perSaid) (*rate.Charge, error) {
	size, err := decimal.Parse(p.size)
	if err != nil || size.Sign() <= 0 {
		return nil, fmt.Errorf("%.40q is no weight that prices are for", p.text)
	}
	per := &rate.PerUnit{Amount: *c.Base}
	if every := measure.Convert(measure.Weight, size, p.unit, b.f.Store.WeightUnit); every.Cmp(decimal.One) != 0 {
		per.Every = &every
	}
	return &rate.Charge{PerWeight: per}, nil
}

// step makes the charge of a band of steps: that of the band before it, and so much for each started step above its
// bound; or so much for each step of the whole weight.
func (b *builder) step(p *price, l *Line) error {
	each, err := b.stepSize(p)
	if err != nil || l.charge == nil {
		return err
	}
	if fixed(l.charge) == nil {
		return errors.New("price: the price of a step is a sum")
	}
	unit := &rate.PerUnit{Amount: *l.charge.Base, Started: !p.step.whole}
	if each.Cmp(decimal.One) != 0 {
		unit.Every = &each
	}
	var prior *Line
	if p.step.prior >= 0 {
		prior = &b.p.Lines[p.step.prior]
	}
	switch {
	case prior == nil && p.step.whole && (b.m.By == rate.ByWeight || b.m.By == rate.ByBilled):
		l.charge = &rate.Charge{PerWeight: unit}
		return nil
	case prior == nil || prior.Status != Taken || prior.to == nil || prior.charge == nil ||
		prior.charge.PerWeight != nil:
		return errors.New("it is a price for each further step, and no band with a price and an end stands before it")
	}
	if prior.from != nil || p.in.from {
		l.from = prior.to
	}
	if b.m.By != rate.ByWeight && b.m.By != rate.ByBilled {
		return b.otherStep(l, prior, unit, each)
	}
	if p.step.whole {
		b.o.asks.Add(AskSteps, fmt.Sprintf("Line %d has a price per %s %s. Is it a price for the whole weight, or for "+
			"what is above %s on top of the price before it? It is read as a price for the whole weight.", p.line,
			p.step.each, p.step.unit, prior.to))
		l.charge = &rate.Charge{PerWeight: unit}
		return nil
	}
	unit.Above = prior.to
	sum := *prior.charge
	sum.PerWeight = unit
	l.charge = &sum
	return nil
}

// otherStep makes the charge of a band of steps of a list that does not go by weight: of kilometres above a distance,
// or of items behind the first. Others have no charge that says it.
func (b *builder) otherStep(l, prior *Line, unit *rate.PerUnit, each decimal.Decimal) error {
	sum := *prior.charge
	switch {
	case b.m.By == rate.ByDistance:
		unit.Above = prior.to
		sum.PerDistance = unit
	case b.m.By == rate.ByQuantity && each.Cmp(decimal.One) == 0 && prior.to.Cmp(decimal.One) == 0 &&
		fixed(&sum) != nil:
		sum = rate.Charge{FirstItem: sum.Base, NextItem: &unit.Amount}
	default:
		return fmt.Errorf("a price for each further step does not work in a list %s", b.m.By.Words())
	}
	l.charge = &sum
	return nil
}

// stepSize is how far a step reaches, in the store's unit.
func (b *builder) stepSize(p *price) (each decimal.Decimal, err error) {
	if each, _, err = numberIn(&text{said: p.step.each}, b.bounds); err == nil {
		each, err = b.inUnit(each, p.step.unit, p.step.each)
	}
	switch {
	case err != nil:
		return each, fmt.Errorf("band: %w", err)
	case each.Sign() <= 0:
		return each, errors.New("band: a step of 0 is none")
	}
	return each, nil
}

var hundredth = decimal.MustParse("0.01")

// Apply makes the plan's zones and a method of it with its list.
func (p *Plan) Apply(f *store.File, name string) store.Method {
	p.addZones(f)
	id := store.NewID(name, "method", func(id string) bool {
		return slices.ContainsFunc(f.Methods, func(m store.Method) bool { return m.ID == id })
	})
	m := store.Method{
		ID:          id,
		Name:        name,
		Label:       name,
		Kind:        store.Delivery,
		Enabled:     true,
		Taxable:     true,
		Classes:     store.Together,
		WhenRefused: store.Hide,
		Tables:      []rate.Table{p.Table},
	}
	f.Methods = append(f.Methods, m)
	return m
}

// addZones adds the plan's new zones to a store.
func (p *Plan) addZones(f *store.File) {
	for i, z := range p.Zones {
		if p.New[i] {
			f.Zones = append(f.Zones, z)
		}
	}
}
