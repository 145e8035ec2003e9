// Package gazetteer looks places up by postcode and by name in open postcode lists.
//
// It reads the GeoNames postal layout (https://download.geonames.org/export/zip/readme.txt): UTF-8 text, a line
// a place, fields separated by tabs: country code, postal code, place name, admin name 1, admin code 1, admin
// name 2, admin code 2, admin name 3, admin code 3, latitude, longitude, accuracy. Trailing fields may be
// missing. Countries that have no postcodes have none in their lines.
//
// It reads the towns of such countries from the layout of GeoNames' geographical files too
// (https://download.geonames.org/export/dump/readme.txt), which has 19 fields: an id, the name, two of its other forms,
// latitude, longitude, class, code, country code, and ten more.
package gazetteer

import (
	"bufio"
	"bytes"
	"fmt"
	"io"
	"iter"
	"strconv"
	"strings"
	"sync"
	"unicode/utf8"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/world"
)

// Place is one line of a list.
type Place struct {
	Country      string // alpha-2
	Postcode     string // as listed; "" in a country that has none
	Name         string
	Region       string // ISO 3166-2, or "" where the list's region is none of ISO's
	RegionName   string // as listed
	Municipality string // admin name 2
	Lat, Lon     float64
	Located      bool // whether Lat and Lon are given
}

// LineError is a line that was skipped.
type LineError struct {
	Line   int // from 1
	Reason string
}

// Error says what is wrong.
func (e LineError) Error() string { return fmt.Sprintf("line %d: %s", e.Line, e.Reason) }

// Gazetteer is a set of places. It is not changed once read, and is safe for many goroutines.
type Gazetteer struct {
	places  []Place
	byCode  map[codeKey][]int32
	byName  map[nameKey][]int32
	sorting sync.Map // country to *sorted, laid out when it is first asked for

	countries struct { // counted when they are first asked for
		sync.Once
		list  []string
		codes map[string]int
	}
}

// New makes a gazetteer of places.
func New(places iter.Seq[Place]) *Gazetteer {
	g := &Gazetteer{byCode: map[codeKey][]int32{}, byName: map[nameKey][]int32{}}
	for p := range places {
		g.add(p)
	}
	return g
}

type codeKey struct {
	country string
	code    postcode.Key
}

type nameKey struct{ country, name string }

// MaxLine is the longest line that is read, in bytes.
const MaxLine = 4096

// Read reads a list. Malformed lines are skipped and returned; the error is one of reading.
func Read(r io.Reader) (*Gazetteer, []LineError, error) {
	g := New(func(func(Place) bool) {})
	var skipped []LineError
	lines := bufio.NewReaderSize(r, 64<<10)
	parser := NewLines()
	for n := 1; ; n++ {
		line, length, err := ReadLine(lines)
		if len(line) > 0 {
			place, reason := Place{}, TooLong
			if length <= MaxLine {
				place, reason = parser.Parse(line)
			}
			if reason != "" {
				skipped = append(skipped, LineError{n, reason})
			} else {
				g.add(place)
			}
		}
		if err == io.EOF {
			return g, skipped, nil
		}
		if err != nil {
			return nil, nil, err
		}
	}
}

// TooLong is why a line of more than [MaxLine] bytes is skipped.
const TooLong = "longer than any place's line"

// ReadLine reads a line with its end; n is how many bytes that were. Of one of more than [MaxLine] bytes only
// the beginning is returned.
func ReadLine(r *bufio.Reader) (line []byte, n int, err error) {
	for {
		part, err := r.ReadSlice('\n')
		n += len(part)
		if len(line) <= MaxLine {
			line = append(line, part...)
		}
		if err != bufio.ErrBufferFull {
			return bytes.TrimRight(line, "\r\n"), n, err
		}
	}
}

// Lines parses the lines of a list; it remembers what it has looked up.
type Lines struct {
	regions map[[3]string]string // ISO 3166-2 by country, admin name 1 and admin code 1
	fields  []string
}

// NewLines begins a list.
func NewLines() *Lines { return &Lines{regions: map[[3]string]string{}} }

// Parse reads one line; reason says why it cannot be used.
func (l *Lines) Parse(line []byte) (p Place, reason string) {
	if !utf8.Valid(line) {
		return p, "not UTF-8"
	}
	f := l.split(strings.TrimPrefix(string(line), "\ufeff"))
	if len(f) >= 15 && digits(f[0]) {
		return town(f)
	}
	if len(f) < 3 {
		return p, "fewer than three fields separated by tabs"
	}
	for len(f) < 12 {
		f = append(f, "")
	}
	country, ok := world.CountryByCode(strings.TrimSpace(f[0]))
	switch {
	case !ok:
		return p, fmt.Sprintf("%q is no country code", f[0])
	case postcode.Read(country.Alpha2, f[1]).Text == "" && postcode.HasFormat(country.Alpha2):
		return p, "no postcode"
	case strings.TrimSpace(f[2]) == "":
		return p, "no place name"
	}
	p = Place{
		Country:      country.Alpha2,
		Postcode:     strings.TrimSpace(f[1]),
		Name:         strings.TrimSpace(f[2]),
		RegionName:   f[3],
		Municipality: f[5],
	}
	if f[9] != "" || f[10] != "" {
		if reason := p.locate(f[9], f[10]); reason != "" {
			return p, reason
		}
	}
	key := [3]string{country.Alpha2, f[3], f[4]}
	if p.Region, ok = l.regions[key]; !ok {
		p.Region = isoRegion(country.Alpha2, f[3], f[4])
		l.regions[key] = p.Region
	}
	return p, ""
}

// digits says whether a text is a number.
func digits(text string) bool { return text != "" && strings.Trim(text, "0123456789") == "" }

// town reads a line of the geographical layout. Its codes of regions are not those of ISO 3166-2 and are left out.
func town(f []string) (p Place, reason string) {
	country, ok := world.CountryByCode(f[8])
	switch {
	case !ok:
		return p, fmt.Sprintf("%q is no country code", f[8])
	case f[6] != "P":
		return p, "not a town"
	case postcode.HasFormat(country.Alpha2):
		return p, country.Name + " has postcodes: import a list of them"
	case strings.TrimSpace(f[1]) == "":
		return p, "no place name"
	}
	p = Place{Country: country.Alpha2, Name: strings.TrimSpace(f[1])}
	return p, p.locate(f[4], f[5])
}

// locate sets the point of a place; reason says why it cannot be one.
func (p *Place) locate(latText, lonText string) (reason string) {
	lat, err1 := strconv.ParseFloat(latText, 64)
	lon, err2 := strconv.ParseFloat(lonText, 64)
	if err1 != nil || err2 != nil || !(lat >= -90 && lat <= 90 && lon >= -180 && lon <= 180) {
		return fmt.Sprintf("%q, %q is no latitude and longitude", latText, lonText)
	}
	p.Lat, p.Lon, p.Located = lat, lon, true
	return ""
}

// split cuts a line into its fields, into memory that is used again for the next line.
func (l *Lines) split(line string) []string {
	l.fields = l.fields[:0]
	for field := range strings.SplitSeq(line, "\t") {
		l.fields = append(l.fields, field)
	}
	return l.fields
}

// isoRegion finds the ISO region of a line: by its name, as lists have codes of their own, or else by its code.
func isoRegion(country, name, code string) string {
	if named := world.RegionsByName(country, name); len(named) > 0 && name != "" {
		return named[0].Code
	}
	if r, ok := world.RegionByCode(country, code); ok && code != "" {
		return r.Code
	}
	return ""
}

func (g *Gazetteer) add(p Place) {
	i := int32(len(g.places))
	g.places = append(g.places, p)
	if p.Postcode != "" {
		code := codeKey{p.Country, postcode.Read(p.Country, p.Postcode).Key}
		g.byCode[code] = append(g.byCode[code], i)
	}
	name := nameKey{p.Country, world.Fold(p.Name)}
	g.byName[name] = append(g.byName[name], i)
}

// Len is the number of places.
func (g *Gazetteer) Len() int { return len(g.places) }

// Postcode lists the places of a postcode, in the order of the list.
func (g *Gazetteer) Postcode(country string, code postcode.Code) []Place {
	if code.Key == 0 {
		return nil
	}
	return g.pick(g.byCode[codeKey{country, code.Key}])
}

// Named lists the places of a name in a country; case and accents do not matter.
func (g *Gazetteer) Named(country, name string) []Place {
	return g.pick(g.byName[nameKey{country, world.Fold(name)}])
}

func (g *Gazetteer) pick(at []int32) []Place {
	if len(at) == 0 {
		return nil
	}
	out := make([]Place, len(at))
	for i, j := range at {
		out[i] = g.places[j]
	}
	return out
}

// Locate gives the place whose point stands for an address: the one of its postcode (of that name where several
// share the code), or else the first of its city. Only places with a point count.
func (g *Gazetteer) Locate(country string, code postcode.Code, city string) (Place, bool) {
	var first *Place
	folded := world.Fold(city)
	for _, p := range g.Postcode(country, code) {
		if !p.Located {
			continue
		}
		if folded != "" && world.Fold(p.Name) == folded {
			return p, true
		}
		if first == nil {
			first = &p
		}
	}
	if first != nil {
		return *first, true
	}
	if folded == "" {
		return Place{}, false
	}
	for _, p := range g.Named(country, city) {
		if p.Located {
			return p, true
		}
	}
	return Place{}, false
}
