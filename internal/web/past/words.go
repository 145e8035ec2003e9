package past

import (
	"cmp"
	"fmt"
	"strings"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/past"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
)

var keyHeads = map[past.By]string{
	past.Method:  "Method",
	past.Zone:    "Zone",
	past.Month:   "Month",
	past.Country: "Country",
	past.Weight:  "Weight",
	past.Class:   "Shipping class",
}

// headOf says in sentences what came of it.
func headOf(f *store.File, g *past.Group) (list []string) {
	charged := g.Orders - g.NotOffered - g.Unrated
	list = append(list, fmt.Sprintf("%s. Buyers paid %s for delivery; rated anew they are charged %s.",
		plural.Count(g.Orders, "order"), price(f, g.Paid), price(f, g.Charge)))
	if known := charged - g.CostUnknown; known > 0 {
		said := fmt.Sprintf("Sending %s of them cost %s", plural.Count(known, "order"), price(f, g.Cost))
		if g.Margin.Sign() < 0 {
			list = append(list, said+", and "+price(f, g.Margin.Neg())+" was lost on them after tax.")
		} else {
			list = append(list, said+", and "+price(f, g.Margin)+" is left of their charges after tax.")
		}
	}
	if g.CostUnknown > 0 {
		list = append(list, "Nothing says what "+plural.Count(g.CostUnknown, "order")+" cost to send.")
	}
	return list
}

// Compared says in a sentence what a store would have made of orders beside another.
func Compared(f *store.File, g *past.Group, of string) string {
	earned := g.Against.Margin.Sub(g.Margin)
	words := []string{}
	switch {
	case g.Dearer+g.Cheaper+g.Lost+g.Gained == 0 && earned.IsZero():
		return of + " changes nothing for these orders."
	case earned.Sign() > 0:
		words = append(words, of+" would have earned "+price(f, earned)+" more")
	case earned.Sign() < 0:
		words = append(words, of+" would have earned "+price(f, earned.Neg())+" less")
	default:
		words = append(words, of+" would have earned the same")
	}
	for _, one := range []struct {
		n    int
		what string
	}{{g.Dearer, "would have paid more"}, {g.Cheaper, "would have paid less"}, {g.Lost, "would not have been served"},
		{g.Gained, "would have been served who are not now"}} {
		if one.n > 0 {
			words = append(words, plural.Count(one.n, "buyer")+" "+one.what)
		}
	}
	if g.Against.CostUnknown != g.CostUnknown {
		words = append(words, "the cost of a different number of orders is known")
	}
	return strings.Join(words, "; ") + "."
}

// rowOfGroup writes a group for people.
func rowOfGroup(f *store.File, by []past.By, g *past.Group) groupRow {
	r := groupRow{Orders: g.Orders, Paid: price(f, g.Paid), Charge: price(f, g.Charge), Other: g.OtherMethod,
		NotServed: g.NotOffered - g.NoShipping, Unrated: g.Unrated, NoCost: g.CostUnknown, Dearer: g.Dearer,
		Cheaper: g.Cheaper, Same: g.Same, Lost: g.Lost, Gained: g.Gained}
	for i, b := range by {
		r.Key = append(r.Key, keyWords(f, b, g.Key[i]))
	}
	if known := g.Orders - g.NotOffered - g.Unrated - g.CostUnknown; known > 0 {
		r.Cost, r.Left, r.Loses = price(f, g.Cost), price(f, g.Margin), g.Margin.Sign() < 0
		r.Each = price(f, g.Margin.Quo(decimal.FromInt(int64(known))))
	}
	if a := g.Against; a != nil {
		r.ThenCharge = price(f, a.Charge)
		if g.Orders-a.NotOffered-a.Unrated-a.CostUnknown > 0 {
			r.ThenLeft, r.ThenLoses = price(f, a.Margin), a.Margin.Sign() < 0
		}
	}
	return r
}

// keyWords writes what a group has in common for people.
func keyWords(f *store.File, by past.By, key string) string {
	switch by {
	case past.Method:
		if key == "" {
			return "no method"
		}
		return f.MethodName(key)
	case past.Zone:
		if key == "" {
			return "no zone"
		}
		return f.ZoneName(key)
	case past.Month:
		if t, err := time.Parse("2006-01", key); err == nil {
			return t.Format("January 2006")
		}
		return "no date"
	case past.Country:
		return world.CountryName(key)
	case past.Weight:
		if key == "" {
			return "nothing to send"
		}
		return "up to " + key + " " + f.Store.WeightUnit
	}
	if key == "" {
		return "no class"
	}
	var names []string
	for _, id := range strings.Split(key, "+") {
		names = append(names, cmp.Or(f.ClassName(id), "no class"))
	}
	return strings.Join(names, " and ")
}
