package productlist

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
)

// A list in another unit than it seems has all its values a thousand times too large or too small, and no single value
// shows it. So what is read is held against what is known: a product's own value before, those of the shop's other
// products, or, where there are none, what goods usually weigh. What is far off is asked about.

// jump is what of a field is held against what is known.
type jump struct {
	field Field
	value func(*store.Product) *decimal.Decimal
	times int64 // from how many times as much on, or as little, a value is far off
	most  bool  // only where most of the known values are
}

var jumps = []jump{
	{Weight, func(p *store.Product) *decimal.Decimal { return p.Weight }, 200, false},
	{Length, func(p *store.Product) *decimal.Decimal { return p.Length }, 8, true},
	{Width, func(p *store.Product) *decimal.Decimal { return p.Width }, 8, true},
	{Height, func(p *store.Product) *decimal.Decimal { return p.Height }, 8, true},
	{Price, func(p *store.Product) *decimal.Decimal { return &p.Price }, 50, true},
}

// far says whether one value is so many times the other.
func far(a, b, times decimal.Decimal) bool {
	return a.Sign() > 0 && b.Sign() > 0 && (a.Mul(times).Cmp(b) <= 0 || b.Mul(times).Cmp(a) <= 0)
}

// maxExamples is how many products a question names.
const maxExamples = 3

// jumps asks about values that are far from those that are known.
func (o *opening) jumps() {
	for _, row := range o.r.Rows {
		if row.ambiguous != "" {
			suggests := ""
			if sign := o.r.DecimalSign(); sign != "" {
				suggests = fmt.Sprintf(" Other columns have a decimal %s.", map[string]string{".": "point",
					",": "comma"}[sign])
			}
			o.asks.AddOnce(AskDecimal, fmt.Sprintf("Line %d: %s.%s", row.Line, row.ambiguous, suggests))
			break
		}
	}
	o.zeros()
	sides := false // one question for all of them
	for i := range jumps {
		side := jumps[i].field == Length || jumps[i].field == Width || jumps[i].field == Height
		if side && sides {
			continue
		}
		before := len(o.asks.List)
		if j := &jumps[i]; slices.Contains(o.r.Mapping.Columns, j.field) || slices.Contains(o.r.Mapping.Columns,
			Size) &&
			side {
			o.jump(j)
		}
		sides = sides || side && len(o.asks.List) > before
	}
}

// zeros asks about goods that are shipped and weigh 0: lists write so what they do not know.
func (o *opening) zeros() {
	n, first := 0, ""
	for i := range o.r.Rows {
		r := &o.r.Rows[i]
		if w := r.Product.Weight; (r.Status == New || r.Status == Changed) && r.Product.NeedsShipping && w != nil &&
			w.IsZero() {
			if n++; n == 1 {
				first = r.Product.SKU
			}
		}
	}
	if n > 0 {
		o.asks.Add(AskZero,
			fmt.Sprintf("%s that %s shipped would weigh 0, %s first. Is the weight unknown? Then leave the "+
				"cell empty.", plural.Count(n, "product"), map[bool]string{true: "is", false: "are"}[n == 1], first))
	}
}

func (o *opening) jump(j *jump) {
	times := decimal.FromInt(j.times)
	known, off := 0, 0
	var examples []string
	var fresh []decimal.Decimal
	for i := range o.r.Rows {
		r := &o.r.Rows[i]
		is := j.value(&r.Product)
		if r.Status == Refused || is == nil || is.IsZero() {
			continue
		}
		if r.at < 0 {
			fresh = append(fresh, *is)
			continue
		}
		was := j.value(&o.f.Products[r.at])
		if was == nil || was.IsZero() {
			continue
		}
		if known++; far(*was, *is, times) {
			if off++; len(examples) < maxExamples {
				examples = append(examples, fmt.Sprintf("%s %s → %s", r.Product.SKU, was, is))
			}
		}
	}
	code, unit := AskUnit, unitOf(j.field, &o.f.Store)
	if j.field == Price {
		code, unit = AskPrices, o.f.Store.Currency
	}
	if off > 0 && (!j.most || off*2 >= known) {
		o.asks.Add(code, fmt.Sprintf("The %s of %s would be far from what it was: %s %s. Check the unit of the column.",
			j.field, plural.Count(off, "product"), strings.Join(examples, ", "), unit))
		return
	}
	if j.field == Price || len(fresh) == 0 {
		return
	}
	o.unlike(j, fresh, unit)
}

// usual is what the middle product of a list weighs at most, or measures on a side, where nothing says the unit and
// there is no other product to compare it with, in the larger units. Common practice, no source.
var usual = map[string]string{"kg": "40", "lb": "90", "cm": "250", "in": "100", "m": "3"}

// unlike asks about new products whose values are far from those of the shop's other products.
func (o *opening) unlike(j *jump, fresh []decimal.Decimal, unit string) {
	var others []decimal.Decimal
	for i := range o.f.Products {
		if v := j.value(&o.f.Products[i]); v != nil && !v.IsZero() {
			others = append(others, *v)
		}
	}
	middle := median(fresh)
	if len(others) >= maxExamples {
		hundred := decimal.FromInt(100)
		if j.field != Weight {
			hundred = decimal.FromInt(j.times)
		}
		if other := median(others); far(middle, other, hundred) && !o.told(j.field) {
			o.asks.Add(AskUnit,
				fmt.Sprintf("Half of the new products have a %s of at least %s %s. For your other products "+
					"it is %s %s. Check the unit of the column.", j.field, middle, unit, other, unit))
		}
		return
	}
	if most := usual[unit]; most != "" && !o.told(j.field) && decimal.MustParse(most).Cmp(middle) <= 0 {
		o.asks.Add(AskUnit,
			fmt.Sprintf("Nothing says in which unit the %s is. Half of the products have at least %s, which "+
				"would be %s %s. Choose the unit.", j.field, middle, middle, unit))
	}
}

// told says whether the list says in which unit a field is.
func (o *opening) told(f Field) bool {
	for i, field := range o.r.Mapping.Columns {
		if field == f && o.r.Mapping.Told[i] {
			return true
		}
		if field == Size && f != Weight && (o.r.Mapping.Told[i] || o.r.Mapping.sizeUnit) {
			return true
		}
	}
	return false
}

// maxCompared is how many values a middle one is looked for in: of more, some at even distances.
const maxCompared = 1000

// median is the middle one of some values, of which there is one at least.
func median(values []decimal.Decimal) decimal.Decimal {
	if n := len(values); n > maxCompared {
		some := make([]decimal.Decimal, maxCompared)
		for i := range some {
			some[i] = values[i*n/maxCompared]
		}
		values = some
	}
	values = slices.Clone(values)
	slices.SortFunc(values, decimal.Decimal.Cmp)
	return values[len(values)/2]
}
