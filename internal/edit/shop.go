package edit

import (
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
)

// LocationField is what of a place of the shop is typed.
type LocationField string

// Fields of a place of the shop.
const (
	LocationName     LocationField = "name"
	LocationStreet   LocationField = "street"
	LocationPostcode LocationField = "postcode"
	LocationCity     LocationField = "city"
	LocationCountry  LocationField = "country" // a name or a code
	LocationPoint    LocationField = "point"   // latitude and longitude, "" for where the lists of places have it
	LocationHours    LocationField = "hours"
	LocationReady    LocationField = "ready"      // days, "" for the method's
	LocationShips    LocationField = "ships_from" // "on" or ""
	LocationPickup   LocationField = "pickup"     // "on" or ""
)

// maxHours is the longest text of opening hours, in letters.
const maxHours = 200

// AddLocation adds a place of the shop by its name and its address in one line, as they are typed. The first one ships.
func AddLocation(f *store.File, name, address string, r typed.Reader) (id string, err error) {
	if name, err = Name(name); err != nil {
		return "", err
	}
	l := store.Location{Name: name, ShipsFrom: len(f.Locations) == 0}
	if address = strings.TrimSpace(address); address != "" {
		a, err := r.Address(address)
		if err != nil {
			return "", Problemf("%s", err.Error())
		}
		if a.Region != "" && a.Postcode == "" && a.City == "" {
			return "", Problemf("a region is no address: write the postcode or the town of %s", name)
		}
		l.Country, l.Postcode, l.City, l.Street = a.Country, a.Postcode, a.City, a.Street
	}
	l.ID = store.NewID(name, "place", func(id string) bool { return f.Location(id) != nil })
	f.Locations = append(f.Locations, l)
	return l.ID, nil
}

// SetLocation sets a field of a place of the shop as it is typed.
func SetLocation(f *store.File, id string, field LocationField, text string) (err error) {
	l := f.Location(id)
	if l == nil {
		return Problemf("this place was removed meanwhile; nothing was changed")
	}
	text = strings.Join(strings.Fields(text), " ")
	switch field {
	case LocationName:
		l.Name, err = Name(text)
	case LocationStreet:
		l.Street, err = Line(text)
	case LocationCity:
		l.City, err = Line(text)
	case LocationPostcode:
		if text != "" && l.Country != "" && !postcode.Possible(l.Country, text) {
			return Problemf("%s cannot be a postcode of %s: they are %s",
				text, world.CountryName(l.Country), postcode.Shape(l.Country))
		}
		l.Postcode, err = Line(text)
	case LocationCountry:
		l.Country, err = countryCalled(text)
	case LocationPoint:
		l.Lat, l.Lon, err = point(text)
	case LocationHours:
		if l.Hours, err = Line(text); err == nil && len([]rune(l.Hours)) > maxHours {
			return Problemf("opening hours have at most %d letters", maxHours)
		}
	case LocationReady:
		if l.Ready, err = terms.ParseDays(text); err != nil {
			return Problemf("%s", err.Error())
		}
	case LocationShips:
		l.ShipsFrom = text == "on"
	case LocationPickup:
		l.Pickup = text == "on"
	}
	return err
}

// countryCalled is the code of a country by its name or its code; "" is none.
func countryCalled(text string) (string, error) {
	if text == "" {
		return "", nil
	}
	if c, ok := world.CountryByCode(text); ok {
		return c.Alpha2, nil
	}
	if named := world.CountriesByName(text); len(named) == 1 {
		return named[0].Alpha2, nil
	}
	return "", Problemf("there is no country %.40q", text)
}

var pointForm = regexp.MustCompile(`^(-?[0-9.]+)[ ,;]+(-?[0-9.]+)$`)

// point reads a latitude and a longitude in degrees; "" is none.
func point(text string) (lat, lon *decimal.Decimal, err error) {
	if text == "" {
		return nil, nil, nil
	}
	m := pointForm.FindStringSubmatch(text)
	if m == nil {
		return nil, nil, Problemf("write latitude and longitude, such as 60.45 22.27")
	}
	y, errY := decimal.Parse(m[1])
	x, errX := decimal.Parse(m[2])
	ninety, half := decimal.FromInt(90), decimal.FromInt(180)
	if errY != nil || errX != nil || ninety.Less(y) || y.Less(ninety.Neg()) || half.Less(x) || x.Less(half.Neg()) {
		return nil, nil, Problemf("write latitude and longitude, such as 60.45 22.27")
	}
	return &y, &x, nil
}

// LocationUses names what uses a place of the shop: methods and products that leave from it, zones and surcharges with
// circles around it.
func LocationUses(f *store.File, id string) (uses []string) {
	for i := range f.Methods {
		if m := &f.Methods[i]; m.From == id || slices.Contains(m.Points, id) {
			uses = append(uses, m.BuyersLabel())
		}
	}
	if leave := Leaving(f, id); leave > 0 {
		uses = append(uses, plural.Count(leave, "product"))
	}
	around := func(rules []place.Rule) bool {
		return slices.ContainsFunc(rules, func(r place.Rule) bool { return r.Within != nil && r.Within.Location == id })
	}
	if around(f.Store.SellsTo) {
		uses = append(uses, "where the shop sells")
	}
	for i := range f.Zones {
		if z := &f.Zones[i]; around(z.Places) || around(z.Except) {
			uses = append(uses, f.ZoneName(z.ID))
		}
	}
	for i := range f.Surcharges {
		if s := &f.Surcharges[i]; around(s.Places) || around(s.Except) {
			uses = append(uses, s.Name)
		}
	}
	return uses
}

// Leaving is how many products leave from a place of the shop.
func Leaving(f *store.File, id string) (n int) {
	for i := range f.Products {
		if f.Products[i].From == id {
			n++
		}
	}
	return n
}

// Unleave has the products that leave from a place of the shop leave from the usual place, and says how many these are.
func Unleave(f *store.File, id string) (n int) {
	for i := range f.Products {
		if f.Products[i].From == id {
			f.Products[i].From = ""
			n++
		}
	}
	return n
}

// RemoveLocation removes a place of the shop, unless something uses it.
func RemoveLocation(f *store.File, id string) error {
	if uses := LocationUses(f, id); len(uses) > 0 {
		return Problemf("%s is used by %s: change that first", f.LocationName(id), strings.Join(uses, ", "))
	}
	f.Locations = slices.DeleteFunc(f.Locations, func(l store.Location) bool { return l.ID == id })
	return nil
}

var taxForm = regexp.MustCompile(`^(.*\S)\s+([0-9]+(?:[.,][0-9]+)?)\s*%?$`)

// AddTax adds rates of tax as they are typed: places as of a zone, and a percentage behind them: "Finland 25.5 %".
// A place that has a rate already is refused, so that no rate changes without a word.
func AddTax(f *store.File, r typed.Reader, text string) error {
	m := taxForm.FindStringSubmatch(strings.Join(strings.Fields(text), " "))
	if m == nil {
		return Problemf("write where and how much, such as Finland 25.5 %%")
	}
	percent, err := taxPercent(m[2])
	if err != nil {
		return err
	}
	read := r.Text(m[1])
	switch {
	case len(read.Slips) > 0:
		return Problemf("%s", Reasons(read.Slips))
	case len(read.Except) > 0:
		return Problemf("a tax has no exceptions: give the narrower place a rate of its own")
	case len(read.Places) == 0:
		return Problemf("write where and how much, such as Finland 25.5 %%")
	}
	for i := range read.Places {
		rule := read.Places[i]
		at := slices.IndexFunc(f.Store.Tax.Rates, func(t store.TaxRate) bool { return t.Rule.Equal(&rule) })
		if at >= 0 {
			t := &f.Store.Tax.Rates[at]
			return Problemf("%s has a rate already, %s %%: change that one", TaxWords(t), t.Percent)
		}
		f.Store.Tax.Rates = append(f.Store.Tax.Rates, store.TaxRate{Rule: rule, Percent: percent})
	}
	return nil
}

func taxPercent(text string) (decimal.Decimal, error) {
	d, err := decimal.Parse(strings.Replace(strings.TrimSpace(strings.TrimSuffix(text, "%")), ",", ".", 1))
	switch {
	case err == nil && d.Sign() < 0:
		return d, Problemf("a tax cannot be below 0 %%")
	case err != nil:
		return d, Problemf("write the percentage as a number, such as 25.5")
	case decimal.Hundred.Less(d):
		return d, Problemf("a tax of %s %% would be more than the price itself: write it as 25.5", d)
	}
	return d, nil
}

// TaxWords says what a rate of tax is for.
func TaxWords(t *store.TaxRate) string { return strings.Join(t.Words(), ", ") }

// taxRate finds a rate by what it is for.
func taxRate(f *store.File, words string) (int, error) {
	at := slices.IndexFunc(f.Store.Tax.Rates, func(t store.TaxRate) bool { return TaxWords(&t) == words })
	if at < 0 {
		return at, Problemf("this rate was removed meanwhile; nothing was changed")
	}
	return at, nil
}

// SetTax sets the percentage of a rate as it is typed.
func SetTax(f *store.File, words, text string) error {
	at, err := taxRate(f, words)
	if err != nil {
		return err
	}
	f.Store.Tax.Rates[at].Percent, err = taxPercent(text)
	return err
}

// RemoveTax removes a rate.
func RemoveTax(f *store.File, words string) error {
	at, err := taxRate(f, words)
	if err == nil {
		f.Store.Tax.Rates = slices.Delete(f.Store.Tax.Rates, at, at+1)
	}
	return err
}
