// Package place matches addresses against place rules: the world, groups of countries, countries, regions,
// cities, lists of postcodes, drawn areas and circles. It knows which rule is narrower, and finds the matching
// ones among very many.
package place

import (
	"bytes"
	"math"
	"slices"
	"strconv"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/geodesic"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"

	"github.com/paulmach/orb"
)

// Level is how narrowly a rule names its place; a narrower level is less.
type Level uint8

const (
	Shape    Level = iota + 1 // area and within
	Postcode                  // a list of postcodes
	City
	Region
	Country
	Group
	World
)

// String is the level as the answer names it; areas and circles share theirs and are named by the rule.
func (l Level) String() string {
	return [...]string{"", "area", "postcode", "city", "region", "country", "group", "world"}[l]
}

// Rule names one place. Its level is the narrowest thing that it names; the values have been checked by the reader.
type Rule struct {
	World     bool
	Group     string // UN M.49 or EU
	Country   string // alpha-2
	Region    string // ISO 3166-2, such as FI-19
	City      string
	Postcodes []postcode.Entry
	Area      *Area
	Within    *Within
}

// Within is a circle around a location of the store or a point.
type Within struct {
	Location string          // the id of a location, or "" for Lat and Lon
	Lat, Lon decimal.Decimal // degrees; of the location where it is named
	Located  bool            // whether Lat and Lon are known
	Distance decimal.Decimal // in the store's unit of distance
	Metres   float64         // in one of that unit
	Name     string          // what the circle is around, for people
}

// Level is the level of the rule; 0 where it names nothing.
func (r *Rule) Level() Level {
	switch {
	case r.Area != nil || r.Within != nil:
		return Shape
	case len(r.Postcodes) > 0:
		return Postcode
	case r.City != "":
		return City
	case r.Region != "":
		return Region
	case r.Country != "":
		return Country
	case r.Group != "":
		return Group
	case r.World:
		return World
	}
	return 0
}

// namesMore says whether the rule names broader places beside the one of its level. They must take the address
// as well: a city of that region, the part of a circle that lies in that country.
func (r *Rule) namesMore() bool {
	n := 0
	for _, named := range []bool{r.Area != nil, r.Within != nil, len(r.Postcodes) > 0, r.City != "", r.Region != "",
		r.Group != "",
		r.Country != "" && r.Level() == Shape} {
		if named {
			n++
		}
	}
	return n > 1 || r.Group != "" && r.Country != ""
}

// holds says whether everything that the rule names takes the address, but for what its level has been matched by.
func (r *Rule) holds(a *Resolved) bool {
	level := r.Level()
	if r.Country != "" && r.Country != a.Country || r.Group != "" && !inGroup(r.Group, a.Country) {
		return false
	}
	if r.Region != "" && level != Region && !slices.Contains(a.Regions, r.Region) {
		return false
	}
	if r.City != "" && level != City && !slices.Contains(a.Cities, world.Fold(r.City)) {
		return false
	}
	if level == Shape && len(r.Postcodes) > 0 &&
		!slices.ContainsFunc(r.Postcodes, func(e postcode.Entry) bool { return e.Takes(a.Postcode) }) {
		return false
	}
	if r.Area != nil && r.Within != nil {
		return a.Point != nil && r.Area.Contains(*a.Point) && r.Within.contains(*a.Point)
	}
	return true
}

func inGroup(code, country string) bool {
	g, _ := world.GroupByCode(code)
	_, in := slices.BinarySearch(g.Countries, country)
	return in
}

// Equal says whether two rules take the same and say the same of it.
func (r *Rule) Equal(o *Rule) bool {
	if r.World != o.World || r.Group != o.Group || r.Country != o.Country || r.Region != o.Region ||
		r.City != o.City ||
		!sameList(r.Postcodes, o.Postcodes) && !slices.Equal(r.Postcodes, o.Postcodes) ||
		(r.Area == nil) != (o.Area == nil) ||
		(r.Within == nil) != (o.Within == nil) {
		return false
	}
	if r.Area != nil && !bytes.Equal(r.Area.raw, o.Area.raw) {
		return false
	}
	if w, v := r.Within, o.Within; w != nil {
		return w.Location == v.Location && w.Located == v.Located && w.Lat.Cmp(v.Lat) == 0 &&
			w.Lon.Cmp(v.Lon) == 0 &&
			w.Distance.Cmp(v.Distance) == 0 &&
			w.Metres == v.Metres &&
			w.Name == v.Name
	}
	return true
}

// Equal says whether two owners take the same.
func (o Owner) Equal(p Owner) bool {
	return equalRules(o.Places, p.Places) && equalRules(o.Except, p.Except)
}

func equalRules(a, b []Rule) bool {
	if len(a) != len(b) {
		return false
	}
	if sameList(a, b) {
		return true
	}
	for i := range a {
		if !a[i].Equal(&b[i]) {
			return false
		}
	}
	return true
}

// sameList says whether two lists are one.
func sameList[T any](a, b []T) bool { return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0]) }

// Narrowness orders rules that took the same address. The zero value is narrower than any rule's.
type Narrowness struct {
	Level Level
	// size within the level: square kilometres, codes (0 for a single code), or countries
	size float64
}

// Compare is negative where n is narrower than m, 0 in a tie.
func (n Narrowness) Compare(m Narrowness) int {
	switch {
	case n.Level != m.Level:
		return int(n.Level) - int(m.Level)
	case n.size < m.size:
		return -1
	case n.size > m.size:
		return 1
	}
	return 0
}

// narrowness of a rule; entry is the index of the postcode entry that matched.
func (r *Rule) narrowness(entry int) Narrowness {
	n := Narrowness{Level: r.Level()}
	switch n.Level {
	case Shape:
		if r.Area != nil {
			n.size = r.Area.SquareKilometres()
		} else {
			radius := r.Within.Distance.Float64() * r.Within.Metres / 1000
			n.size = math.Pi * radius * radius
		}
	case Postcode:
		if e := r.Postcodes[entry]; !e.Single() {
			n.size = float64(e.Codes())
		}
	case Group:
		g, _ := world.GroupByCode(r.Group)
		n.size = float64(len(g.Countries))
	}
	return n
}

// Because names the rule that took an address, with the entry that did: "postcode FI 22*", "within 15 km of
// Workshop".
func (r *Rule) Because(entry int) string {
	switch r.Level() {
	case Shape:
		if r.Area != nil {
			return "area of " + strconv.FormatFloat(r.Area.SquareKilometres(), 'f', 1, 64) + " km²"
		}
		return "within " + r.Within.Distance.String() + " " + r.Within.Unit() + " of " + r.Within.Name
	case Postcode:
		return "postcode " + r.Country + " " + r.Postcodes[entry].String()
	case City:
		return "city " + r.City
	case Region:
		return "region " + r.Region
	case Country:
		return "country " + r.Country
	case Group:
		return "group " + r.Group
	}
	return "world"
}

// Inside is a point that an area or a circle takes; false for other rules, and where nobody knows where the
// circle is.
func (r *Rule) Inside() (orb.Point, bool) {
	switch {
	case r.Area != nil:
		return r.Area.inside(), true
	case r.Within != nil && r.Within.Located:
		return orb.Point{r.Within.Lon.Float64(), r.Within.Lat.Float64()}, true
	}
	return orb.Point{}, false
}

// contains says whether the circle takes a point.
func (w *Within) contains(p orb.Point) bool {
	return Distance(p, orb.Point{w.Lon.Float64(), w.Lat.Float64()}, w.Metres).Cmp(w.Distance) <= 0
}

// Unit is the unit of the circle's distance: km or mi.
func (w *Within) Unit() string {
	if w.Metres == MetresPerMile {
		return "mi"
	}
	return "km"
}

// Metres in the units of distance: the kilometre, and the international mile of 1959.
const (
	MetresPerKilometre = 1000
	MetresPerMile      = 1609.344
)

// SetPoint says where the circle's location lies, as longitude and latitude; degrees are kept to six decimals,
// a tenth of a metre.
func (w *Within) SetPoint(p orb.Point) {
	w.Lon, w.Lat, w.Located = decimal.FromFloat(p.Lon(), 6), decimal.FromFloat(p.Lat(), 6), true
}

// Join adds a rule to a list, codes of a country to those that are there.
func Join(rules []Rule, r Rule) []Rule {
	for i := range rules {
		if r.Level() == Postcode && rules[i].Level() == Postcode && rules[i].Country == r.Country &&
			!rules[i].namesMore() {
			rules[i].Postcodes = append(rules[i].Postcodes, r.Postcodes...)
			return rules
		}
	}
	return append(rules, r)
}

// MetresIn is how many metres a unit of distance has: km or mi (1,609.344 m: the international agreement of 1959).
func MetresIn(unit string) decimal.Decimal {
	if unit == "mi" {
		return decimal.MustParse("1609.344")
	}
	return decimal.FromInt(MetresPerKilometre)
}

// Ring is the edge of the circle as a closed ring of n points, each as far from the middle on the ellipsoid as the
// circle is wide. Longitudes may lie beyond ±180 where the circle does. It is empty where the middle is not known.
func (w *Within) Ring(n int) orb.Ring {
	if !w.Located {
		return nil
	}
	ring := make(orb.Ring, 0, n+1)
	for i := range n {
		lat, lon := geodesic.Destination(w.Lat.Float64(), w.Lon.Float64(), -360*float64(i)/float64(n),
			w.Distance.Float64()*w.Metres)
		ring = append(ring, orb.Point{lon, lat})
	}
	return append(ring, ring[0])
}

// Narrowness is how narrow the rule is; of one with postcodes, its first entry.
func (r *Rule) Narrowness() Narrowness { return r.narrowness(0) }
