package quote

import (
	"cmp"
	"slices"
	"sync"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/packing"
	"diadrom/internal/core/store"
)

// plan is how the goods of some methods become parcels: those that name the same boxes and the same limit.
type plan struct {
	key     string
	boxes   []boxOf // in the order in which they are listed
	packer  *packing.Packer
	limit   *decimal.Decimal // of a parcel
	methods []string         // what they are called
	known   packings
}

// boxOf is a kind of box with what is looked up for it in each quote.
type boxOf struct {
	*store.Box
	name   string
	weight decimal.Decimal
	volume decimal.Decimal // cm³
	sides  [3]decimal.Decimal
}

// plan notes how a method's goods become parcels; −1 where they are one parcel for each place that they leave from.
func (e *Engine) plan(m *store.Method) int {
	if m.Parcels == nil {
		return -1
	}
	boxes := e.file.BoxesOf(m)
	if len(boxes) == 0 && m.Parcels.MaxWeight == nil {
		return -1
	}
	var key []byte
	for _, b := range boxes {
		key = append(append(key, b.ID...), ' ')
	}
	if m.Parcels.MaxWeight != nil {
		key = m.Parcels.MaxWeight.Append(append(key, "≤ "...), 0)
	}
	at := slices.IndexFunc(e.plans, func(p *plan) bool { return p.key == string(key) })
	if at < 0 {
		p := &plan{key: string(key), limit: m.Parcels.MaxWeight}
		kinds := make([]packing.Box, len(boxes))
		for i, b := range boxes {
			of := boxOf{Box: b, name: cmp.Or(b.Name, b.ID), sides: [3]decimal.Decimal{b.Length, b.Width, b.Height}}
			if b.Weight != nil {
				of.weight = *b.Weight
			}
			of.volume = volumeOf(b.Length, b.Width, b.Height, e.file.Store.LengthUnit)
			kinds[i] = BoxToPack(b)
			p.boxes = append(p.boxes, of)
		}
		if len(kinds) > 0 {
			p.packer = packing.New(kinds, p.limit)
		}
		at, e.plans = len(e.plans), append(e.plans, p)
	}
	e.plans[at].methods = append(e.plans[at].methods, cmp.Or(m.Name, m.ID))
	return at
}

// BoxToPack is a kind of box as it is packed into.
func BoxToPack(b *store.Box) packing.Box {
	box := packing.Box{Length: b.Length, Width: b.Width, Height: b.Height, MaxWeight: b.MaxWeight}
	if b.Weight != nil {
		box.Weight = *b.Weight
	}
	return box
}

// GoodsToPack is so many of a product as they are packed.
func GoodsToPack(s *store.Settings, p *store.Product, count int64) packing.Goods {
	return packing.Goods{Length: p.Length, Width: p.Width, Height: p.Height, Upright: p.Upright, Weight: s.WeightOf(p),
		Count: count}
}

// packings are those that are remembered: a shop sells the same carts again and again.
type packings struct {
	mu    sync.RWMutex
	known map[string]*packing.Packing
	size  int // in blocks and contents
}

// maxPacked is up to how many blocks and contents packings are remembered; then it begins again.
const maxPacked = 1 << 18

func (p *packings) get(key []byte, made func() *packing.Packing) *packing.Packing {
	p.mu.RLock()
	known := p.known[string(key)]
	p.mu.RUnlock()
	if known != nil {
		return known
	}
	known = made()
	size := 1 + len(key)/64
	for i := range known.Parcels {
		size += 1 + len(known.Parcels[i].Blocks) + len(known.Parcels[i].Contents)
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.known == nil || p.size+size > maxPacked {
		p.known, p.size = map[string]*packing.Packing{}, 0
	}
	p.known[string(key)], p.size = known, p.size+size
	return known
}
