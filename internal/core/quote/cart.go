package quote

import (
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// cart is the measures of a request's goods: of those that are shipped, which conditions look at, and of those
// that are charged, by parcel and class, which tables look at.
type cart struct {
	subtotal    decimal.Decimal // by the store's subtotal_counts
	weight      decimal.Decimal
	quantity    int64
	longestSide decimal.Decimal

	shipped   bool
	someFree  bool     // some shipped goods are not charged
	classes   []string // of shipped goods, each once, "" included
	froms     []string // where shipped goods leave from, each once, "" for the usual place
	together  []portion
	alone     []parcel
	allShared []portion // all shipped goods that do not travel alone, by where they leave from, where volumes count
	allAlone  []parcel  // those that do

	unweighed []string
}

// portion is the goods of one class in a parcel that goods share.
type portion struct {
	class  string
	from   string // id of the location that they leave from, "" for the usual place
	goods  rate.Goods
	volume decimal.Decimal // cm³; only where volumes count
	unit   *store.Product  // where it is one unit of one product
}

// parcel is one unit that travels alone, count times.
type parcel struct {
	portion
	count int64
}

func (c *cart) charged() bool { return len(c.together)+len(c.alone) > 0 }

// emptied is a cart without goods that keeps its memory.
func (c *cart) emptied() cart {
	return cart{classes: c.classes[:0], froms: c.froms[:0], together: c.together[:0], alone: c.alone[:0],
		allShared: c.allShared[:0], allAlone: c.allAlone[:0]}
}

// measure adds up a request's lines.
func (e *Engine) measure(c *cart, lines []Line) {
	all := e.file.Store.SubtotalCounts == store.All
	for i := range lines {
		p, n := &lines[i].Product, lines[i].Quantity
		count := decimal.FromInt(n)
		price := p.Price.Mul(count)
		if p.NeedsShipping || all {
			c.subtotal = c.subtotal.Add(price)
		}
		if !p.NeedsShipping {
			continue
		}
		c.shipped = true
		unit := e.weight(p)
		if p.Weight == nil {
			c.unweighed = append(c.unweighed, lines[i].name(i))
		}
		weight := unit.Mul(count)
		c.weight, c.quantity = c.weight.Add(weight), c.quantity+n
		for _, side := range [...]*decimal.Decimal{p.Length, p.Width, p.Height} {
			if side != nil && c.longestSide.Less(*side) {
				c.longestSide = *side
			}
		}
		var volume decimal.Decimal
		if e.volumes {
			volume = e.volume(p)
			if p.OwnParcel {
				c.allAlone = append(c.allAlone, parcel{portion{goods: rate.Goods{Weight: unit}, volume: volume}, n})
			} else {
				c.addShared(p.From, weight, volume.Mul(count))
			}
		}
		c.classes, c.froms = once(c.classes, p.Class), once(c.froms, p.From)
		switch {
		case p.ShipsFree:
			c.someFree = true
		case p.OwnParcel:
			c.alone = append(c.alone, parcel{unitPortion(p, unit, volume), n})
		default:
			c.addTogether(p, weight, n, price, volume.Mul(count))
		}
	}
}

func (e *Engine) weight(p *store.Product) decimal.Decimal { return e.file.Store.WeightOf(p) }

// once adds a text to a list that does not have it.
func once(list []string, text string) []string {
	for _, have := range list {
		if have == text {
			return list
		}
	}
	return append(list, text)
}

// unitPortion is one unit of a product.
func unitPortion(p *store.Product, weight, volume decimal.Decimal) portion {
	return portion{p.Class, p.From, rate.Goods{Weight: weight, Quantity: 1, Subtotal: p.Price}, volume, p}
}

// addShared adds to what leaves from a place in one parcel.
func (c *cart) addShared(from string, weight, volume decimal.Decimal) {
	for i := range c.allShared {
		if s := &c.allShared[i]; s.from == from {
			s.goods.Weight, s.volume = s.goods.Weight.Add(weight), s.volume.Add(volume)
			return
		}
	}
	c.allShared = append(c.allShared, portion{from: from, goods: rate.Goods{Weight: weight}, volume: volume})
}

func (c *cart) addTogether(p *store.Product, weight decimal.Decimal, quantity int64, price, volume decimal.Decimal) {
	more := portion{p.Class, p.From, rate.Goods{Weight: weight, Quantity: quantity, Subtotal: price}, volume, p}
	if quantity > 1 {
		more.unit = nil
	}
	for i := range c.together {
		if have := &c.together[i]; have.class == p.Class && have.from == p.From {
			have.add(&more)
			return
		}
	}
	c.together = append(c.together, more)
}

// add puts more goods into the parcel.
func (p *portion) add(more *portion) {
	p.goods, p.volume, p.unit = sum(p.goods, more.goods), p.volume.Add(more.volume), nil
}

func sum(a, b rate.Goods) rate.Goods {
	return rate.Goods{
		Weight:   a.Weight.Add(b.Weight),
		Quantity: a.Quantity + b.Quantity,
		Subtotal: a.Subtotal.Add(b.Subtotal),
		Distance: a.Distance,
	}
}

func (e *Engine) warnings(c *cart) []Warning {
	if len(c.unweighed) == 0 {
		return []Warning{}
	}
	counts := "0 " + e.units.Weight
	if assumed := e.file.Store.AssumedWeight; assumed != nil {
		counts = e.units.Measure(rate.ByWeight, *assumed)
	}
	verb := " has no weight and counts as "
	if len(c.unweighed) > 1 {
		verb = " have no weight and count as "
	}
	return []Warning{{NoWeight, plural.Few(c.unweighed) + verb + counts}}
}
