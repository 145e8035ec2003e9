package edit

import (
	"slices"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
)

// Beginning is what a new shop is asked, as it is typed.
type Beginning struct {
	Shop
	Country string  // by its name or its code
	From    string  // the address that orders are shipped from
	Sells   string  // the places that are sold to, parted by commas
	By      rate.By // what most prices go by
}

// BeginningField is a question of a [Beginning].
type BeginningField string

// The questions that may be answered wrongly.
const (
	BeginName    BeginningField = "name"
	BeginCountry BeginningField = "country"
	BeginFrom    BeginningField = "from"
	BeginSells   BeginningField = "sells"
	BeginBy      BeginningField = "by"
)

// Begun says whether a shop has anything that [Begin] makes.
func Begun(f *store.File) bool { return len(f.Zones)+len(f.Methods)+len(f.Locations) > 0 }

// Begin makes a new shop's place, a zone for each place that it sells to, and a delivery method with an empty price
// list. On an error it says which answer is wrong, "" for none of them, and the file is half made.
func Begin(f *store.File, g *gazetteer.Gazetteer, is Beginning) (wrong BeginningField, err error) {
	if Begun(f) {
		return "", Problemf("this shop has begun already: nothing was changed")
	}
	if err := SetShop(f, is.Shop); err != nil {
		return BeginName, err
	}
	country, err := countryCalled(strings.TrimSpace(is.Country))
	if err != nil {
		return BeginCountry, err
	}
	if country == "" {
		return BeginCountry, Problemf("say which country you ship from")
	}
	reader := typed.For(f, g)
	reader.Home = country
	if strings.TrimSpace(is.From) == "" {
		is.From = world.CountryName(country)
	}
	if _, err := AddLocation(f, "Shop", is.From, reader); err != nil {
		return BeginFrom, err
	}
	if from := f.Locations[0].Country; from != country {
		return BeginFrom, Problemf("this address is in %s, and the shop in %s: which is it?", world.CountryName(from),
			world.CountryName(country))
	}
	if strings.TrimSpace(is.Sells) == "" {
		is.Sells = world.CountryName(country)
	}
	sold := reader.Text(is.Sells)
	if err := beginZones(f, sold); err != nil {
		return BeginSells, err
	}
	f.Store.SellsTo = sold.Places
	if err := AddMethod(f, "Delivery", is.By, store.Delivery); err != nil {
		return BeginBy, err
	}
	return "", nil
}

// beginZones makes a zone of each place. Nothing that was typed is left out.
func beginZones(f *store.File, text typed.Text) error {
	if len(text.Slips) > 0 {
		return Problemf("%s", Reasons(text.Slips))
	}
	if len(text.Except) > 0 {
		return Problemf("say here where you sell; what a zone leaves out is typed into the zone")
	}
	for i := range text.Parts {
		one := typed.Text{Places: text.Parts[i].Places, Parts: text.Parts[i : i+1], Taken: 1}
		if _, err := AddZone(f, &one); err != nil {
			return err
		}
	}
	slices.SortStableFunc(f.Zones, func(a, b store.Zone) int { return wide(&a) - wide(&b) })
	return nil
}

// wide puts the zone of the whole world behind all others, which is where people look for it.
func wide(z *store.Zone) int {
	if z.Places[0].Level() == place.World {
		return 1
	}
	return 0
}
