package changes

import (
	"cmp"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
)

// defaultKey begins the keys of changes of the store's defaults.
const defaultKey = "store/default_"

// DefaultNames are the terms of the store's defaults as they are called in a sentence.
var DefaultNames = map[store.Inherited]string{
	store.InheritDays:     "delivery time",
	store.InheritFree:     "free delivery",
	store.InheritHandling: "handling fee",
	store.InheritMinimum:  "minimum price",
	store.InheritMaximum:  "maximum price",
	store.InheritNeeds:    "conditions",
	store.InheritTaxable:  "tax",
}

// defaults is a field for each term of the store's defaults.
func defaults() (list []field[store.Settings]) {
	for _, term := range store.InheritedTerms {
		list = append(list, field[store.Settings]{"default_" + string(term),
			func(a, b *store.Settings) bool {
				return a.Defaults.Has(term) == b.Defaults.Has(term) &&
					a.Defaults.Method().SameTerm(b.Defaults.Method(), term)
			},
			func(before, after *store.File, a, b *store.Settings) string {
				return "default " + DefaultNames[term] + ": " + arrow(defaultText(before, a, term),
					defaultText(after, b, term))
			},
			func(to, from *store.Settings) { to.Defaults.Copy(&from.Defaults, term) }})
	}
	return list
}

// defaultText says what a default is.
func defaultText(f *store.File, s *store.Settings, term store.Inherited) string {
	m := s.Defaults.Method()
	switch {
	case !s.Defaults.Has(term):
		return ""
	case term == store.InheritTaxable && m.Taxable:
		return "taxed"
	case term == store.InheritTaxable:
		return "not taxed"
	case term == store.InheritNeeds:
		return needsText(f, m, "")
	}
	return termText(f, m, "", terms.Field(term))
}

// settingFields are those of the store itself.
var settingFields = append(defaults(), []field[store.Settings]{
	value("name", "name", func(s *store.Settings) *string { return &s.Name }, quoted),
	value("currency", "currency", func(s *store.Settings) *string { return &s.Currency }, plain),
	value("weight_unit", "unit of weight", func(s *store.Settings) *string { return &s.WeightUnit }, plain),
	value("length_unit", "unit of length", func(s *store.Settings) *string { return &s.LengthUnit }, plain),
	value("distance_unit", "unit of distance", func(s *store.Settings) *string { return &s.DistanceUnit }, plain),
	value(
		"distance_by",
		"distances",
		func(s *store.Settings) *store.DistanceBy { return &s.DistanceBy },
		choices(map[store.DistanceBy]string{"": "in a straight line", store.ByRoad: "by road"}),
	),
	value(
		"road_factor",
		"road factor",
		func(s *store.Settings) **decimal.Decimal { return &s.RoadFactor },
		ifAny(number),
	),
	value(
		"assumed_weight",
		"assumed weight",
		func(s *store.Settings) **decimal.Decimal { return &s.AssumedWeight },
		ifAny(weight),
	),
	value(
		"volumetric_divisor",
		"volumetric divisor",
		func(s *store.Settings) **decimal.Decimal { return &s.Volumetric },
		ifAny(number),
	),
	value(
		"subtotal_counts",
		"sums of conditions count",
		func(s *store.Settings) *store.SubtotalCounts { return &s.SubtotalCounts },
		choices(map[store.SubtotalCounts]string{store.Shipped: "shipped goods", store.All: "all goods"}),
	),
	value(
		"dispatch",
		"when orders leave",
		func(s *store.Settings) **calendar.Plan { return &s.Dispatch },
		dispatch,
	),
	value(
		"checkout",
		"how the checkout asks",
		func(s *store.Settings) **store.Checkout { return &s.Checkout },
		checkout,
	),
	flag(
		"prices_include_tax",
		"prices include tax",
		"prices are before tax",
		func(s *store.Settings) *bool { return &s.Tax.PricesIncludeTax },
	),
	value(
		"tax_rates",
		"tax",
		func(s *store.Settings) *[]store.TaxRate { return &s.Tax.Rates },
		func(_ *store.File, rates []store.TaxRate) string {
			var words []string
			for i := range rates {
				words = append(words, strings.Join(rates[i].Words(), ", ")+" "+rates[i].Percent.String()+" %")
			}
			return few(words)
		},
	),
	value(
		"sells_to",
		"sells to",
		func(s *store.Settings) *store.PlaceRules { return &s.SellsTo },
		func(_ *store.File, rules store.PlaceRules) string {
			var words []string
			for i := range rules {
				words = append(words, rules[i].Words()...)
			}
			return cmp.Or(few(words), "not said")
		},
	),
}...)

func dispatch(_ *store.File, p *calendar.Plan) string {
	if p == nil {
		return "not said"
	}
	text := "until " + p.CutOff + ", " + p.TimeZone
	if len(p.Weekdays) > 0 {
		text += ", on " + strings.Join(p.Weekdays, " ")
	}
	if p.Holidays != "" {
		text += ", not on the holidays of " + world.CountryName(p.Holidays)
	}
	if p.LeadDays > 0 {
		text += ", after " + plural.Count(int(p.LeadDays), "working day")
	}
	if len(p.Closed) > 0 {
		text += ", closed " + calendar.FormatDates(p.Closed)
	}
	return text
}

func checkout(_ *store.File, c *store.Checkout) string {
	if c == nil {
		c = &store.Checkout{Options: store.OptionsList, Address: store.AskDelivery}
	}
	prices := "prices from the country on"
	if c.PricesWait {
		prices = "prices once the address is whole"
	}
	return prices + ", ways in a " + string(c.Options) + ", first the " + map[store.CheckoutAddress]string{
		store.AskDelivery:    "delivery address",
		store.AskBilling:     "billing address",
		store.AskOnlyBilling: "billing address, which it goes to",
	}[c.Address]
}

func (d *differ) settings() {
	was, is := &d.before.File.Store, &d.after.File.Store
	if d.before.Parts != nil && d.after.Parts != nil &&
		string(d.before.Parts.Settings) == string(d.after.Parts.Settings) {
		return
	}
	for i := range settingFields {
		l := &settingFields[i]
		if !l.same(was, is) {
			d.add(
				"",
				"",
				"The shop",
				"store/"+l.key,
				func() string { return l.tell(d.before.File, d.after.File, was, is) },
				func(f *store.File) error { l.put(&f.Store, was); return nil },
			)
		}
	}
}
