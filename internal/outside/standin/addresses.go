package standin

import (
	"fmt"
	"hash/fnv"
	"math"
	"net/http"
	"strconv"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Addresses is an address service over the places of a list: a street lies somewhere near the middle of its postcode or
// town, always in the same place, and its houses stand in a row. It is safe for many goroutines.
type Addresses struct{ list *gazetteer.Gazetteer }

// NewAddresses makes a service of a list.
func NewAddresses(g *gazetteer.Gazetteer) *Addresses { return &Addresses{g} }

// Where streets lie, invented.
const (
	leastOff      = 150 // metres from the middle of the postcode to a street, at least
	offSpread     = 900 // and so much more at most
	betweenHouses = 12  // metres
	maxHouse      = 60  // the number up to which a street grows longer
	// in a degree of latitude: the metre was defined so that a quarter of a meridian has 10,000 km
	metresInLat = 1e7 / 90
)

// ServeHTTP answers the structured search.
func (s *Addresses) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	q := r.URL.Query()
	if r.URL.Path != "/search" || q.Get("format") != "jsonv2" {
		send(w, http.StatusNotFound, map[string]any{"error": "there is only /search with format=jsonv2"})
		return
	}
	p, ok := s.find(q.Get("country"), q.Get("postalcode"), q.Get("city"))
	if !ok {
		send(w, http.StatusOK, []any{})
		return
	}
	lat, lon, kind := p.Lat, p.Lon, "postcode"
	street := strings.Join(strings.Fields(q.Get("street")), " ")
	if street != "" {
		kind = "house"
		lat, lon = house(p, street)
	}
	var parts []string
	for _, part := range []string{street, strings.TrimSpace(p.Postcode + " " + p.Name), world.CountryName(p.Country)} {
		if part != "" {
			parts = append(parts, part)
		}
	}
	send(w, http.StatusOK, []any{map[string]any{
		"place_id": 1, "category": "place", "type": kind, "importance": 0.1,
		"lat":          strconv.FormatFloat(lat, 'f', 7, 64),
		"lon":          strconv.FormatFloat(lon, 'f', 7, 64),
		"display_name": strings.Join(parts, ", "),
	}})
}

// find is the listed place of a postcode, or of a town.
func (s *Addresses) find(country, code, city string) (gazetteer.Place, bool) {
	c, ok := world.CountryByCode(strings.ToUpper(strings.TrimSpace(country)))
	if !ok {
		return gazetteer.Place{}, false
	}
	return s.list.Locate(c.Alpha2, postcode.Read(c.Alpha2, code), city)
}

// house is where a house of a street stands.
func house(p gazetteer.Place, street string) (lat, lon float64) {
	name, number := street, 0
	fields := strings.Fields(street)
	for i, f := range fields {
		if n, err := strconv.Atoi(strings.TrimFunc(f, func(r rune) bool { return r < '0' || r > '9' })); err == nil {
			name, number = strings.Join(append(append([]string(nil), fields[:i]...), fields[i+1:]...), " "), n
			break
		}
	}
	h := fnv.New64a()
	fmt.Fprintf(h, "%s %s", world.Fold(name), p.Postcode)
	random := h.Sum64()
	off := leastOff + offSpread*float64(random%1000)/1000
	at := 2 * math.Pi * float64(random/1000%1000) / 1000
	along := 2 * math.Pi * float64(random/1_000_000%1000) / 1000
	row := float64(min(number, maxHouse) * betweenHouses)
	north := off*math.Cos(at) + row*math.Cos(along)
	east := off*math.Sin(at) + row*math.Sin(along)
	return p.Lat + north/metresInLat, p.Lon + east/metresInLat/math.Cos(p.Lat*math.Pi/180)
}
