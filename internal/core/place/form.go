package place

import (
	"slices"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Form is what is asked of an address in a country.
type Form struct {
	Postcode bool           // whether the country has postcodes
	City     bool           // whether a town is asked for: there are no postcodes, or prices look at it and they do not say it
	Shape    string         // how they are written, as [postcode.Shape]
	Regions  []world.Region // to choose from; none where addresses name no region
}

// writeRegions are the countries whose postal addresses name a state, a province or a prefecture: from memory
// of the Universal Postal Union's addressing sheets; all of them write one in the address formats of
// localized-address-format 1.3.3 (npm), too. Others are only asked for a region where a price looks at it.
var writeRegions = []string{"AU", "BR", "CA", "CN", "IN", "IT", "JP", "MX", "MY", "US"}

// FormOf is what is asked of an address in a country (alpha-2); byRegion and byCity say that prices look at its regions
// and towns, and that its postcodes do not say them.
func FormOf(country string, byRegion, byCity bool) Form {
	f := Form{Postcode: postcode.HasFormat(country)}
	f.City = byCity || !f.Postcode
	if f.Postcode {
		f.Shape = postcode.Shape(country)
	}
	if !byRegion && !slices.Contains(writeRegions, country) {
		return f
	}
	all := world.Regions(country)
	for _, r := range all { // those that have no parts of their own: they say the larger ones too
		if !slices.ContainsFunc(all, func(part world.Region) bool { return part.Parent == r.Code }) {
			f.Regions = append(f.Regions, r)
		}
	}
	return f
}
