package quote

import (
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
)

// Carriers bill the larger of a parcel's weight and its volumetric weight, volume ÷ divisor. IATA's divisor is
// 6,000 cm³ per kg (IATA, The Air Cargo Tariff, rule 3.9); many road and courier lists have 5,000 (common
// practice, no source).

// perKilogram is how many of a unit of weight make a kilogram, and centimetres how many a unit of length has: both
// exact, 1 kg in pounds as a fraction.
var (
	perKilogram = sizes([]string{"g", "kg", "oz", "lb"}, func(unit string) decimal.Decimal {
		return measure.Size(measure.Weight, "kg").Quo(measure.Size(measure.Weight, unit))
	})
	centimetres = sizes([]string{"mm", "cm", "m", "in"}, func(unit string) decimal.Decimal {
		return measure.Size(measure.Length, unit).Quo(measure.Size(measure.Length, "cm"))
	})
)

func sizes(units []string, of func(string) decimal.Decimal) map[string]decimal.Decimal {
	list := make(map[string]decimal.Decimal, len(units))
	for _, unit := range units {
		list[unit] = of(unit)
	}
	return list
}

// Volume is how much space a unit of a product takes, in cm³; 0 where a side is not known.
func Volume(p *store.Product, lengthUnit string) decimal.Decimal {
	if p.Length == nil || p.Width == nil || p.Height == nil {
		return decimal.Zero
	}
	return volumeOf(*p.Length, *p.Width, *p.Height, lengthUnit)
}

// volumeOf is length × width × height in cm³.
func volumeOf(length, width, height decimal.Decimal, lengthUnit string) decimal.Decimal {
	cm := centimetres[lengthUnit]
	return length.Mul(cm).Mul(width.Mul(cm)).Mul(height.Mul(cm))
}

// Volumetric is the volumetric weight of a volume in cm³, by a divisor in cm³ per kg, in a unit of weight.
func Volumetric(volume, divisor decimal.Decimal, weightUnit string) decimal.Decimal {
	return volume.Quo(divisor).Mul(perKilogram[weightUnit])
}

// divisor is what a method's parcels are billed by; nil where only weights are.
func (e *Engine) divisor(m *store.Method) *decimal.Decimal {
	if m.Volumetric != nil {
		return m.Volumetric
	}
	return e.file.Store.Volumetric
}

// billed is the weight that is billed for goods in one parcel.
func (e *Engine) billed(weight, volume decimal.Decimal, divisor *decimal.Decimal) decimal.Decimal {
	if divisor != nil && !volume.IsZero() {
		// The same comparison without the quotient, which seldom ends: most goods are billed by their weight.
		if unit := e.file.Store.WeightUnit; !weight.Mul(*divisor).Less(volume.Mul(perKilogram[unit])) {
			return weight
		}
		if v := Volumetric(volume, *divisor, e.file.Store.WeightUnit); weight.Less(v) {
			return v
		}
	}
	return weight
}

// billedOf is the weight that is billed for all shipped goods of a cart: those that travel alone each by
// itself, the others that leave from one place together.
func (e *Engine) billedOf(c *cart, divisor *decimal.Decimal) decimal.Decimal {
	var sum decimal.Decimal
	for i := range c.allShared {
		s := &c.allShared[i]
		sum = sum.Add(e.billed(s.goods.Weight, s.volume, divisor))
	}
	for i := range c.allAlone {
		b := &c.allAlone[i]
		sum = sum.Add(e.billed(b.goods.Weight, b.volume, divisor).Mul(decimal.FromInt(b.count)))
	}
	return sum
}

// sides are those of a single unit; none of several, or where one is not known.
func (p *portion) sides() []decimal.Decimal {
	if p.unit == nil || !p.unit.Sized() {
		return nil
	}
	return []decimal.Decimal{*p.unit.Length, *p.unit.Width, *p.unit.Height}
}

// bill has a table by billed weight look at that weight, and appends how it came about; sides are those of the unit or
// of the box that has the volume, none where several units have it together.
func (p *pricing) bill(
	text []byte,
	t *rate.Table,
	g *rate.Goods,
	volume decimal.Decimal,
	sides []decimal.Decimal,
) []byte {
	divisor := p.e.divisor(p.m.Method)
	if t.By != rate.ByBilled || divisor == nil || volume.IsZero() {
		return text
	}
	s, weight := &p.e.file.Store, g.Weight
	volumetric := Volumetric(volume, *divisor, s.WeightUnit)
	g.Weight = p.e.billed(weight, volume, divisor)
	if len(sides) == 3 {
		text = append(text, sides[0].String()+" × "+sides[1].String()+" × "+sides[2].String()+" "+s.LengthUnit...)
	} else {
		text = append(text, volume.String()+" cm³"...)
	}
	text = append(text, " ÷ "+divisor.String()...)
	equals := " = "
	shown := volumetric.Round(3)
	if shown.Cmp(volumetric) != 0 {
		equals = " ≈ "
	}
	text = append(text, equals+shown.String()+" "+s.WeightUnit...)
	switch c := volumetric.Cmp(weight); {
	case c > 0:
		text = append(text, ", more than "...)
	case c < 0:
		text = append(text, ", less than "...)
	default:
		text = append(text, ", as much as "...)
	}
	return append(text, weight.String()+" "+s.WeightUnit+": "...)
}
