package quote

import (
	"cmp"
	"slices"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/packing"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// packed is a parcel, or several alike, with the goods that are in it.
type packed struct {
	shared
	unit     *store.Product // of one that travels alone
	all      rate.Goods     // of all that is in it, its box too
	volume   decimal.Decimal
	contents []lineCount
	blocks   []packing.Block
	kinds    map[int][]lineCount // of the blocks
}

// lineCount is some of a request's line.
type lineCount struct {
	line  int
	count int64
}

// parcelling is what became of a request's goods.
type parcelling struct {
	parcels []packed
	unsized []int // lines that take no room
	unboxed []int // lines that no box takes
}

// parcelled makes parcels of the charged goods, or of all that are shipped, by a plan; once a quote.
func (a *asked) parcelled(plan int, all bool) *parcelling {
	all = all && a.cart.someFree
	at := 2 * (plan + 1)
	if all {
		at++
	}
	if a.parcellings == nil {
		a.parcellings = make([]*parcelling, 2*(len(a.e.plans)+1))
	}
	if a.parcellings[at] == nil {
		a.parcellings[at] = a.parcel(plan, all)
	}
	return a.parcellings[at]
}

func (a *asked) parcel(plan int, all bool) *parcelling {
	out := &parcelling{}
	var byFrom map[string][]int
	froms := a.origins()
	if len(froms) > 1 {
		byFrom = map[string][]int{}
	}
	var shared []int
	for i := range a.q.Lines {
		p := &a.q.Lines[i].Product
		switch {
		case !p.NeedsShipping || p.ShipsFree && !all:
		case p.OwnParcel:
			out.parcels = append(out.parcels, a.single(i, a.q.Lines[i].Quantity))
		case byFrom != nil:
			byFrom[p.From] = append(byFrom[p.From], i)
		default:
			shared = append(shared, i)
		}
	}
	for _, from := range froms {
		lines := shared
		if byFrom != nil {
			lines = byFrom[from]
		}
		if len(lines) > 0 {
			a.pack(out, plan, from, lines, all)
		}
	}
	for i := range out.parcels {
		out.parcels[i].named = true
	}
	return out
}

// origins are the places from which shipped goods leave: the usual one first, then in the file's order.
func (a *asked) origins() []string {
	if len(a.cart.froms) < 2 {
		return a.cart.froms
	}
	froms := slices.Clone(a.cart.froms)
	at := func(id string) int {
		return slices.IndexFunc(a.e.file.Locations, func(l store.Location) bool { return l.ID == id })
	}
	slices.SortFunc(froms, func(x, y string) int { return at(x) - at(y) })
	return froms
}

// single is units that travel alone.
func (a *asked) single(line int, count int64) packed {
	p := &a.q.Lines[line].Product
	part := unitPortion(p, a.e.weight(p), a.e.volume(p))
	return packed{shared: shared{goods: []portion{part}, from: p.From, count: count}, unit: p, all: part.goods,
		volume: part.volume, contents: []lineCount{{line, 1}}}
}

// pack makes parcels of lines that leave from one place.
func (a *asked) pack(out *parcelling, plan int, from string, lines []int, all bool) {
	if plan < 0 {
		contents := make([]lineCount, len(lines))
		for i, line := range lines {
			contents[i] = lineCount{line, a.q.Lines[line].Quantity}
		}
		out.parcels = append(out.parcels, a.filled(from, nil, 1, contents))
		return
	}
	p := a.e.plans[plan]
	known := a.packing(p, lines)
	if p.packer != nil {
		for _, line := range lines {
			if !a.q.Lines[line].Product.Sized() {
				out.unsized = append(out.unsized, line)
			}
		}
	}
	if !all && !a.q.Parcels && len(a.cart.froms) == 1 && len(known.Alone) == 0 && len(known.Parcels) == 1 &&
		known.Parcels[0].Count == 1 && known.Parcels[0].Box >= 0 {
		out.parcels = append(out.parcels, a.whole(from, &p.boxes[known.Parcels[0].Box]))
		return
	}
	d := dealing{kinds: make([][]lineCount, len(known.Kinds))}
	room := make([]lineCount, 0, len(lines)) // for all kinds
	for kind, goods := range known.Kinds {
		before := len(room)
		room = a.dealt(room, goods, lines)
		d.kinds[kind] = room[before:len(room):len(room)]
	}
	for _, c := range known.Alone {
		for _, l := range d.kinds[c.Kind] {
			out.parcels = append(out.parcels, a.single(l.line, l.count))
			out.unboxed = append(out.unboxed, l.line)
		}
	}
	for i := range known.Parcels {
		d.parcels(a, out, p, from, &known.Parcels[i])
	}
	if len(known.Alone) > 0 {
		alone := make(map[int]bool, len(out.unboxed))
		for _, line := range out.unboxed {
			alone[line] = true
		}
		out.unsized = slices.DeleteFunc(out.unsized, func(line int) bool { return alone[line] })
	}
}

// packing is how lines are packed by a plan, remembered by their sizes, weights and numbers.
func (a *asked) packing(p *plan, lines []int) *packing.Packing {
	var buffer [1024]byte
	key := buffer[:0]
	for _, line := range lines {
		l := &a.q.Lines[line]
		weight := a.e.weight(&l.Product)
		for _, d := range [...]*decimal.Decimal{l.Product.Length, l.Product.Width, l.Product.Height, &weight} {
			if d == nil {
				key = append(key, '-')
				continue
			}
			key = d.AppendKey(key)
		}
		flags := byte(0)
		if l.Product.Upright {
			flags = 1
		}
		key = append(key, flags, byte(l.Quantity), byte(l.Quantity>>8), byte(l.Quantity>>16))
	}
	return p.known.get(key, func() *packing.Packing {
		goods := make([]packing.Goods, len(lines))
		for i, line := range lines {
			l := &a.q.Lines[line]
			goods[i] = GoodsToPack(&a.e.file.Store, &l.Product, l.Quantity)
		}
		if p.packer == nil {
			return packing.Split(goods, *p.limit)
		}
		return p.packer.Pack(goods)
	})
}

// whole is a box that holds all charged goods that share one, whichever of them lies where.
func (a *asked) whole(from string, box *boxOf) packed {
	p := packed{shared: shared{goods: a.cart.together, from: from, count: 1, box: box}, volume: box.volume}
	for i := range p.goods {
		p.all = sum(p.all, p.goods[i].goods)
	}
	p.all.Weight = p.all.Weight.Add(box.weight)
	return p
}

// dealt appends the lines of a kind, in an order that does not depend on theirs as far as they differ in anything.
func (a *asked) dealt(room []lineCount, goods, lines []int) []lineCount {
	list := room[len(room):]
	for _, g := range goods {
		list = append(list, lineCount{lines[g], a.q.Lines[lines[g]].Quantity})
	}
	if len(list) > 1 {
		slices.SortStableFunc(list, func(x, y lineCount) int {
			p, q := &a.q.Lines[x.line].Product, &a.q.Lines[y.line].Product
			return cmp.Or(cmp.Compare(p.SKU, q.SKU), cmp.Compare(p.Name, q.Name), cmp.Compare(p.Class, q.Class),
				p.Price.Cmp(q.Price), cmp.Compare(x.count, y.count))
		})
	}
	return room[:len(room)+len(list)]
}

// dealing gives the units of kinds to parcels, line after line.
type dealing struct {
	kinds [][]lineCount // what is left of each
}

// parcels gives units to parcels that are packed alike; they differ where lines end.
func (d *dealing) parcels(a *asked, out *parcelling, p *plan, from string, packed *packing.Parcel) {
	var box *boxOf
	if packed.Box >= 0 {
		box = &p.boxes[packed.Box]
	}
	for left := packed.Count; left > 0; {
		alike := left
		for _, c := range packed.Contents {
			alike = min(alike, max(1, d.kinds[c.Kind][0].count/c.Count))
		}
		contents := make([]lineCount, 0, len(packed.Contents)+1)
		var kinds map[int][]lineCount
		if a.q.Parcels {
			kinds = make(map[int][]lineCount, len(packed.Contents))
		}
		for _, c := range packed.Contents {
			before := len(contents)
			contents = d.take(contents, c, alike)
			if kinds != nil {
				kinds[c.Kind] = slices.Clone(contents[before:])
			}
		}
		left -= alike
		slices.SortFunc(contents, func(x, y lineCount) int { return x.line - y.line })
		parcel := a.filled(from, box, alike, contents)
		parcel.blocks, parcel.kinds = packed.Blocks, kinds
		out.parcels = append(out.parcels, parcel)
	}
}

// take appends units of a kind for each of some parcels; where these are several, the first line has enough for all.
func (d *dealing) take(list []lineCount, c packing.Content, parcels int64) []lineCount {
	for want := c.Count; want > 0; {
		first := &d.kinds[c.Kind][0]
		n := min(want, first.count)
		list = append(list, lineCount{first.line, n})
		want -= n
		if first.count -= n * parcels; first.count == 0 {
			d.kinds[c.Kind] = d.kinds[c.Kind][1:]
		}
	}
	return list
}

// filled is a parcel that goods share.
func (a *asked) filled(from string, box *boxOf, count int64, contents []lineCount) packed {
	p := packed{shared: shared{from: from, count: count, box: box}, contents: contents}
	for _, c := range contents {
		l := &a.q.Lines[c.line]
		n := decimal.FromInt(c.count)
		part := portion{l.Product.Class, from, rate.Goods{Weight: a.e.weight(&l.Product).Mul(n), Quantity: c.count,
			Subtotal: l.Product.Price.Mul(n)}, a.e.volume(&l.Product).Mul(n), &l.Product}
		if c.count > 1 {
			part.unit = nil
		}
		p.all, p.volume = sum(p.all, part.goods), p.volume.Add(part.volume)
		at := slices.IndexFunc(p.goods, func(have portion) bool { return have.class == part.class })
		if at < 0 {
			p.goods = append(p.goods, part)
		} else {
			p.goods[at].add(&part)
		}
	}
	if box != nil {
		p.all.Weight, p.volume = p.all.Weight.Add(box.weight), box.volume
	}
	return p
}

// volume is that of a unit in cm³, where volumes count.
func (e *Engine) volume(p *store.Product) decimal.Decimal {
	if !e.volumes {
		return decimal.Zero
	}
	if v, ok := e.volumeOf[sidesKey{p.Length, p.Width, p.Height}]; ok {
		return v
	}
	return Volume(p, e.file.Store.LengthUnit)
}

// sidesKey are the sides of a product of the store, whose volume is computed once.
type sidesKey [3]*decimal.Decimal

// measureProducts computes the volumes of the store's products.
func (e *Engine) measureProducts() {
	if !e.volumes {
		return
	}
	e.volumeOf = make(map[sidesKey]decimal.Decimal, len(e.file.Products))
	for i := range e.file.Products {
		if p := &e.file.Products[i]; p.Sized() {
			e.volumeOf[sidesKey{p.Length, p.Width, p.Height}] = Volume(p, e.file.Store.LengthUnit)
		}
	}
}
