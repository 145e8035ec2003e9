package policy

import (
	"cmp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

// carrierText says the price of a method that asks a carrier, with that of its price lists, which stand in where it
// fails; "" where no service is on.
func carrierText(f *store.File, m *store.Method, lists string, buyers bool) string {
	c := f.Carrier(m.Carrier.ID)
	if c == nil || !slices.ContainsFunc(m.Carrier.Services, func(s store.Service) bool { return s.Enabled }) {
		return ""
	}
	if buyers {
		return "the price is worked out at checkout, for the parcels of the order"
	}
	text := "the price that " + cmp.Or(c.Name, c.ID) + " names for the parcels"
	if changed := Adjusted(f, m.Carrier); changed != "" {
		text += ", " + changed
	}
	switch {
	case m.Carrier.Fallback && lists != "":
		text += ". Where it fails: " + lists
	case m.Carrier.Fallback:
		text += ". Where it fails, no price stands in"
	default:
		text += ". Where it fails, it is not offered"
	}
	return text
}

// Adjusted says what a method makes of a carrier's price: "plus 5 % and €0.80", "less €0.50"; "" for nothing.
func Adjusted(f *store.File, a *store.Asks) string {
	var parts []string
	for _, d := range []struct {
		by   *decimal.Decimal
		text func(decimal.Decimal) string
	}{
		{a.Percent, func(d decimal.Decimal) string { return d.String() + " %" }},
		{a.Amount, func(d decimal.Decimal) string { return world.Price(f.Store.Units().Money(d), f.Store.Currency) }},
	} {
		switch {
		case d.by == nil || d.by.IsZero():
		case d.by.Sign() < 0:
			parts = append(parts, "less "+d.text(d.by.Neg()))
		default:
			parts = append(parts, "plus "+d.text(*d.by))
		}
	}
	return strings.Join(parts, " and ")
}
