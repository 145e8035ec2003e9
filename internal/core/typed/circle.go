package typed

import (
	"cmp"
	"fmt"
	"math"
	"regexp"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// circle is "within 15 km of the workshop".
var circle = regexp.MustCompile(
	`(?i)^within\s+([0-9.]+)\s*(km|kilomet(?:er|re)s?|mi|miles?)?\s+of\s+(?:the\s+)?(.+)$`,
)

var point = regexp.MustCompile(`^(-?[0-9.]+)\s+(-?[0-9.]+)$`)

func (r Reader) within(distance, unit, around string) (place.Rule, *TextError) {
	w := &place.Within{Metres: cmp.Or(r.Metres, place.MetresPerKilometre)}
	var err error
	if w.Distance, err = decimal.Parse(distance); err != nil {
		return refuse("write the distance as a number, such as within 15 km of the workshop")
	}
	if inMiles := strings.HasPrefix(unit, "mi"); unit != "" && inMiles != (w.Metres == place.MetresPerMile) {
		other := decimal.FromFloat(w.Distance.Float64()*place.MetresPerMile/place.MetresPerKilometre, 1)
		if !inMiles {
			other = decimal.FromFloat(w.Distance.Float64()*place.MetresPerKilometre/place.MetresPerMile, 1)
		}
		return refuse("distances of this shop are in %s: about %s %s", w.Unit(), other.String(), w.Unit())
	}
	if m := point.FindStringSubmatch(around); m != nil {
		lat, err1 := decimal.Parse(m[1])
		lon, err2 := decimal.Parse(m[2])
		if err1 != nil || err2 != nil || math.Abs(lat.Float64()) > 90 || math.Abs(lon.Float64()) > 180 {
			return refuse("%s is no latitude and longitude, such as 60.45 22.27", around)
		}
		w.Lat, w.Lon, w.Located, w.Name = lat, lon, true, lat.String()+", "+lon.String()
		return place.Rule{Within: w}, nil
	}
	for _, l := range r.Locations {
		if strings.EqualFold(l.ID, around) || world.Fold(l.Name) == world.Fold(around) {
			w.Location, w.Name = l.ID, cmp.Or(l.Name, l.ID)
			if l.Point != nil {
				w.SetPoint(*l.Point)
			}
			return place.Rule{Within: w}, nil
		}
	}
	if a, err := r.Address(around); err == nil && r.Gazetteer != nil && (a.Postcode != "" || a.City != "") {
		if p, ok := r.Gazetteer.Locate(a.Country, postcode.Read(a.Country, a.Postcode), a.City); ok {
			w.SetPoint(orb.Point{p.Lon, p.Lat})
			w.Name = w.Lat.String() + ", " + w.Lon.String()
			return place.Rule{Within: w}, nil
		}
	}
	e := &TextError{
		Reason: fmt.Sprintf(
			"nobody knows where %.60s is: name a location of the shop, a town that is listed, or a point "+
				"such as 60.45 22.27",
			around,
		),
	}
	for _, l := range r.Locations[:min(len(r.Locations), maxChoices)] {
		e.Choices = append(
			e.Choices,
			Choice{
				"within " + distance + " " + w.Unit() + " of " + cmp.Or(l.Name, l.ID),
				"around " + cmp.Or(l.Name, l.ID),
			},
		)
	}
	return place.Rule{}, e
}
