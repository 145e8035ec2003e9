package changes

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
)

// Ways of writing values.

func plain[S ~string](_ *store.File, s S) string { return string(s) }

func quoted(_ *store.File, s string) string {
	if s == "" {
		return ""
	}
	return "“" + s + "”"
}

// inLanguages says texts with their languages: "Finnish “Paketti”, Swedish “Paket”".
func inLanguages(_ *store.File, t store.Texts) string {
	var parts []string
	for _, tag := range slices.Sorted(maps.Keys(t)) {
		parts = append(parts, world.LanguageName(tag)+" “"+t[tag]+"”")
	}
	return few(parts)
}

func amount(f *store.File, d decimal.Decimal) string { return f.Store.Units().Money(d) }

func ifAny(say func(*store.File, decimal.Decimal) string) func(*store.File, *decimal.Decimal) string {
	return func(f *store.File, d *decimal.Decimal) string {
		if d == nil {
			return ""
		}
		return say(f, *d)
	}
}

func number(_ *store.File, d decimal.Decimal) string { return d.String() }

func weight(f *store.File, d decimal.Decimal) string { return d.String() + " " + f.Store.WeightUnit }

func length(f *store.File, d decimal.Decimal) string { return d.String() + " " + f.Store.LengthUnit }

func percent(_ *store.File, d decimal.Decimal) string { return d.String() + " %" }

func country(_ *store.File, code string) string {
	if code == "" {
		return ""
	}
	return world.CountryName(code)
}

func class(f *store.File, id string) string { return f.ClassName(id) }

func methodNames(f *store.File, ids []string) string {
	if len(ids) == 0 {
		return "all methods"
	}
	names := make([]string, len(ids))
	for i, id := range ids {
		names[i] = id
		if m := methods.find(f, id); m != nil {
			names[i] = methods.called(m)
		}
	}
	return strings.Join(names, ", ")
}

func choices[S ~string](words map[S]string) func(*store.File, S) string {
	return func(_ *store.File, s S) string {
		if w, ok := words[s]; ok {
			return w
		}
		return string(s)
	}
}

// places is a field of place rules; only what came and what went is said.
func places[T any](key, takes, leaves string, at func(*T) *[]place.Rule) field[T] {
	return field[T]{key,
		func(a, b *T) bool { return place.Owner{Places: *at(a)}.Equal(place.Owner{Places: *at(b)}) },
		func(_, _ *store.File, a, b *T) string {
			came, went := without(*at(b), *at(a)), without(*at(a), *at(b))
			var parts []string
			if len(came) > 0 {
				parts = append(parts, takes+" "+few(came))
			}
			if len(went) > 0 {
				parts = append(parts, leaves+" "+few(went))
			}
			if len(parts) == 0 {
				parts = append(parts, takes+" the same in another order or form")
			}
			return ": " + strings.Join(parts, "; ")
		},
		func(to, from *T) { *at(to) = *at(from) }}
}

// without lists the words of rules that are not among those of others.
func without(rules, others []place.Rule) (words []string) {
	have := map[string]bool{}
	for i := range others {
		for _, w := range others[i].Words() {
			have[w] = true
		}
	}
	for i := range rules {
		for _, w := range rules[i].Words() {
			if !have[w] {
				words = append(words, w)
			}
		}
	}
	return words
}

func few(words []string) string {
	if n := len(words); n > 6 {
		return strings.Join(words[:5], ", ") + fmt.Sprintf(" and %d more", n-5)
	}
	return strings.Join(words, ", ")
}

var locations = kind[store.Location]{list: "locations", noun: "Locations",
	of: func(f *store.File) *[]store.Location { return &f.Locations },
	id: func(l *store.Location) string { return l.ID }, name: func(l *store.Location) string { return l.Name },
	about: func(_ *store.File, l *store.Location) string { return l.Address() },
	fields: []field[store.Location]{
		value("name", "name", func(l *store.Location) *string { return &l.Name }, quoted),
		value("country", "country", func(l *store.Location) *string { return &l.Country }, country),
		value("postcode", "postcode", func(l *store.Location) *string { return &l.Postcode }, plain),
		value("city", "city", func(l *store.Location) *string { return &l.City }, plain),
		value("street", "street", func(l *store.Location) *string { return &l.Street }, plain),
		value("lat", "latitude", func(l *store.Location) **decimal.Decimal { return &l.Lat }, ifAny(number)),
		value("lon", "longitude", func(l *store.Location) **decimal.Decimal { return &l.Lon }, ifAny(number)),
		flag("ships_from", "ships", "ships no more", func(l *store.Location) *bool { return &l.ShipsFrom }),
		flag(
			"pickup",
			"goods are collected there",
			"goods are not collected there any more",
			func(l *store.Location) *bool { return &l.Pickup },
		),
		value("hours", "opening hours", func(l *store.Location) *string { return &l.Hours }, quoted),
		value("names", "name in other languages", func(l *store.Location) *store.Texts { return &l.Names }, inLanguages),
		value("hours_texts", "opening hours in other languages",
			func(l *store.Location) *store.Texts { return &l.HoursTexts }, inLanguages),
		value(
			"ready",
			"ready for collection",
			func(l *store.Location) **store.Days { return &l.Ready },
			func(_ *store.File, d *store.Days) string { return cmp.Or(terms.FormatDays(d), "as the method says") },
		),
	}}

var classes = kind[store.Class]{list: "classes", noun: "Classes",
	of: func(f *store.File) *[]store.Class { return &f.Classes },
	id: func(c *store.Class) string { return c.ID }, name: func(c *store.Class) string { return c.Name },
	about: func(*store.File, *store.Class) string { return "a shipping class" },
	fields: []field[store.Class]{
		value("name", "name", func(c *store.Class) *string { return &c.Name }, quoted),
		value("note", "note", func(c *store.Class) *string { return &c.Note }, quoted),
	}}

var boxes = kind[store.Box]{list: "boxes", noun: "Boxes",
	of: func(f *store.File) *[]store.Box { return &f.Boxes },
	id: func(b *store.Box) string { return b.ID }, name: func(b *store.Box) string { return b.Name },
	about: func(f *store.File, b *store.Box) string {
		return "a box of " + b.Length.String() + " × " + b.Width.String() + " × " + length(f, b.Height)
	},
	fields: []field[store.Box]{
		value("name", "name", func(b *store.Box) *string { return &b.Name }, quoted),
		value("length", "length", func(b *store.Box) *decimal.Decimal { return &b.Length }, length),
		value("width", "width", func(b *store.Box) *decimal.Decimal { return &b.Width }, length),
		value("height", "height", func(b *store.Box) *decimal.Decimal { return &b.Height }, length),
		value("weight", "own weight", func(b *store.Box) **decimal.Decimal { return &b.Weight }, ifAny(weight)),
		value("max_weight", "carries at most", func(b *store.Box) **decimal.Decimal { return &b.MaxWeight },
			ifAny(weight)),
		value("cost", "cost", func(b *store.Box) **decimal.Decimal { return &b.Cost }, ifAny(amount)),
		value("names", "name in other languages", func(b *store.Box) *store.Texts { return &b.Names }, inLanguages),
	}}

var products = kind[store.Product]{list: "products", noun: "Goods",
	of: func(f *store.File) *[]store.Product { return &f.Products },
	id: func(p *store.Product) string { return p.SKU }, name: func(p *store.Product) string { return p.Name },
	about: func(f *store.File, p *store.Product) string { return "for " + amount(f, p.Price) },
	fields: []field[store.Product]{
		value("name", "name", func(p *store.Product) *string { return &p.Name }, quoted),
		value("price", "price", func(p *store.Product) *decimal.Decimal { return &p.Price }, amount),
		value("weight", "weight", func(p *store.Product) **decimal.Decimal { return &p.Weight }, ifAny(weight)),
		value("length", "length", func(p *store.Product) **decimal.Decimal { return &p.Length }, ifAny(length)),
		value("width", "width", func(p *store.Product) **decimal.Decimal { return &p.Width }, ifAny(length)),
		value("height", "height", func(p *store.Product) **decimal.Decimal { return &p.Height }, ifAny(length)),
		value("class", "class", func(p *store.Product) *string { return &p.Class }, class),
		flag(
			"needs_shipping",
			"is shipped",
			"needs no shipping",
			func(p *store.Product) *bool { return &p.NeedsShipping },
		),
		flag(
			"ships_free",
			"ships free",
			"ships free no more",
			func(p *store.Product) *bool { return &p.ShipsFree },
		),
		flag(
			"own_parcel",
			"travels in a parcel of its own",
			"shares a parcel",
			func(p *store.Product) *bool { return &p.OwnParcel },
		),
		flag("upright", "stays upright", "may be turned on its side",
			func(p *store.Product) *bool { return &p.Upright }),
		value("from", "leaves from", func(p *store.Product) *string { return &p.From },
			func(f *store.File, id string) string {
				if id == "" {
					return ""
				}
				return f.LocationName(id)
			}),
	}}

var zones = kind[store.Zone]{list: "zones", noun: "Zones",
	of: func(f *store.File) *[]store.Zone { return &f.Zones },
	id: func(z *store.Zone) string { return z.ID }, name: func(z *store.Zone) string { return z.Name },
	about: func(_ *store.File, z *store.Zone) string {
		if len(z.Places) == 0 {
			return "a zone without places"
		}
		return "a zone of " + few(without(z.Places, nil))
	},
	fields: []field[store.Zone]{
		value("name", "name", func(z *store.Zone) *string { return &z.Name }, quoted),
		flag("enabled", "switched on", "switched off", func(z *store.Zone) *bool { return &z.Enabled }),
		value("rank", "rank", func(z *store.Zone) **int64 { return &z.Rank }, func(_ *store.File, n *int64) string {
			if n == nil {
				return ""
			}
			return fmt.Sprint(*n)
		}),
		flag(
			"only",
			"takes its addresses for itself alone",
			"lets broader zones have its addresses too",
			func(z *store.Zone) *bool { return &z.Only },
		),
		places("places", "takes", "takes no more", func(z *store.Zone) *[]place.Rule { return &z.Places }),
		places(
			"except",
			"leaves out",
			"leaves out no more",
			func(z *store.Zone) *[]place.Rule { return &z.Except },
		),
	}}

var carriers = kind[store.Carrier]{list: "carriers", noun: "Carriers",
	of: func(f *store.File) *[]store.Carrier { return &f.Carriers },
	id: func(c *store.Carrier) string { return c.ID }, name: func(c *store.Carrier) string { return c.Name },
	about: func(_ *store.File, c *store.Carrier) string { return "a carrier that is asked at " + c.URL },
	fields: []field[store.Carrier]{
		value("name", "name", func(c *store.Carrier) *string { return &c.Name }, quoted),
		value("url", "asked at", func(c *store.Carrier) *string { return &c.URL }, plain),
	}}

var surcharges = kind[store.Surcharge]{list: "surcharges", noun: "Surcharges",
	of: func(f *store.File) *[]store.Surcharge { return &f.Surcharges },
	id: func(s *store.Surcharge) string { return s.ID }, name: func(s *store.Surcharge) string { return s.Name },
	about: func(f *store.File, s *store.Surcharge) string {
		return strings.TrimSpace(
			"a surcharge of " + ifAny(amount)(f, s.Amount) + " " + ifAny(percent)(f, s.Percent),
		)
	},
	fields: []field[store.Surcharge]{
		value("name", "name", func(s *store.Surcharge) *string { return &s.Name }, quoted),
		places(
			"places",
			"holds in",
			"holds no more in",
			func(s *store.Surcharge) *[]place.Rule { return &s.Places },
		),
		places(
			"except",
			"leaves out",
			"leaves out no more",
			func(s *store.Surcharge) *[]place.Rule { return &s.Except },
		),
		value("methods", "methods", func(s *store.Surcharge) *[]string { return &s.Methods }, methodNames),
		value("amount", "amount", func(s *store.Surcharge) **decimal.Decimal { return &s.Amount }, ifAny(amount)),
		value(
			"percent",
			"percentage",
			func(s *store.Surcharge) **decimal.Decimal { return &s.Percent },
			ifAny(percent),
		),
	}}

var agreed = kind[store.Agreed]{list: "agreed", noun: "Agreed charges",
	of: func(f *store.File) *[]store.Agreed { return &f.Agreed },
	id: func(a *store.Agreed) string { return a.ID }, name: func(a *store.Agreed) string { return a.Name },
	about: func(f *store.File, a *store.Agreed) string { return "an agreed charge of " + amount(f, a.Amount) },
	fields: []field[store.Agreed]{
		value("name", "name", func(a *store.Agreed) *string { return &a.Name }, quoted),
		value("customer", "customer", func(a *store.Agreed) *string { return &a.Customer }, plain),
		value("group", "group", func(a *store.Agreed) *string { return &a.Group }, plain),
		value(
			"place",
			"place",
			func(a *store.Agreed) **store.AgreedPlace { return &a.Place },
			func(_ *store.File, p *store.AgreedPlace) string {
				if p == nil {
					return ""
				}
				return strings.Join(strings.Fields(p.Street+" "+p.Postcode+" "+world.CountryName(p.Country)), " ")
			},
		),
		value("methods", "methods", func(a *store.Agreed) *[]string { return &a.Methods }, methodNames),
		value("amount", "amount", func(a *store.Agreed) *decimal.Decimal { return &a.Amount }, amount),
	}}

var costs = kind[store.Cost]{list: "costs", noun: "Costs",
	of: func(f *store.File) *[]store.Cost { return &f.Costs },
	id: func(c *store.Cost) string { return c.ID }, name: func(c *store.Cost) string { return c.Name },
	about: func(f *store.File, c *store.Cost) string {
		return "what it costs to send by " + namedMethods(f, c.Methods)
	},
	fields: []field[store.Cost]{
		value("name", "name", func(c *store.Cost) *string { return &c.Name }, quoted),
		value("methods", "methods", func(c *store.Cost) *[]string { return &c.Methods }, namedMethods),
		value("classes", "price lists", func(c *store.Cost) *store.Combine { return &c.Classes },
			choices(combined)),
		value("per_parcel", "for each parcel", func(c *store.Cost) **decimal.Decimal { return &c.PerParcel },
			ifAny(amount)),
	},
	within: func(e *entry[store.Cost], was, is *store.Cost) {
		tables(tablesIn(e, func(c *store.Cost) *[]rate.Table { return &c.Tables }), was.Tables, is.Tables)
	}}

// namedMethods names methods; none where there are none.
func namedMethods(f *store.File, ids []string) string {
	if len(ids) == 0 {
		return "no method"
	}
	return methodNames(f, ids)
}
