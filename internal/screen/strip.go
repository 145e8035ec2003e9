package screen

import (
	"fmt"
	"net/url"
	"slices"
	"sort"
	"strconv"
	"strings"

	"diadrom/internal/coverage"
	"diadrom/internal/draft"
	"diadrom/internal/place"
	"diadrom/internal/postcode"
	"diadrom/internal/store"
	"diadrom/internal/world"

	"github.com/gin-gonic/gin"
)

// stripWidth is the width of the code strip in its own units.
const stripWidth = 880.0

// stripView is the code strip: a country's postcodes as a line, each zone painting the stretch that it takes.
type stripView struct {
	Country  string
	From, To string
	InUse    int // codes of the gazetteer on the line
	Missed   int // of them without a zone
	Whole    string
	Others   []stripLink
	Bars     []stripBar
	Labels   []stripLabel
	Ticks    []stripTick
	Mark     string // where the Till's address lies

	line  *coverage.Line
	used  map[int]int            // codes in use by zone
	outOf map[int]map[int]uint64 // zone → zone under it → codes, in use where there is a gazetteer
}

type stripLink struct{ Name, Path string }

type stripBar struct {
	X, Y, W, H    string
	Colour, Under string
	Title, Path   string
}

type stripLabel struct{ X, Text string }

type stripTick struct{ X, W, Text, Path string }

// stripOf draws the strip of the country that is asked for, or of the one with the most entries; nil where no zone names
// codes of a country whose codes are numbers.
func stripOf(c *gin.Context, state *draft.State, till place.Address) *stripView {
	f := state.File
	countries := stripCountries(f)
	country := strings.ToUpper(c.Query("strip"))
	if !slices.Contains(countries, country) {
		if len(countries) == 0 {
			return nil
		}
		country = countries[0]
	}
	line, ok := state.Engine.Coverage(country)
	if !ok {
		return nil
	}
	last := line.Stretches[len(line.Stretches)-1].To
	from, to := uint64(0), last
	if a, err := strconv.ParseUint(c.Query("from"), 10, 64); err == nil && a <= last {
		if b, err := strconv.ParseUint(c.Query("to"), 10, 64); err == nil && b > a && b <= last {
			from, to = a, b
		}
	}
	v := &stripView{Country: world.CountryName(country), From: line.Text(from), To: line.Text(to), line: line, used: map[int]int{}, outOf: map[int]map[int]uint64{}}
	if from != 0 || to != last {
		v.Whole = "/zones?strip=" + country
	}
	for _, other := range countries {
		if other != country {
			v.Others = append(v.Others, stripLink{world.CountryName(other), "/zones?strip=" + other})
		}
	}
	names := v.count(state, from, to)
	v.draw(f, names, from, to)
	v.ticks(country, from, to)
	v.mark(till, from, to)
	return v
}

// stripCountries lists the countries of which zones name codes, the one with the most entries first.
func stripCountries(f *store.File) []string {
	entries := map[string]int{}
	for i := range f.Zones {
		for j := range f.Zones[i].Places {
			if r := &f.Zones[i].Places[j]; r.Level() == place.Postcode {
				if _, ok := postcode.AllDigits(r.Country); ok {
					entries[r.Country] += len(r.Postcodes)
				}
			}
		}
	}
	list := make([]string, 0, len(entries))
	for c := range entries {
		list = append(list, c)
	}
	sort.Slice(list, func(i, j int) bool {
		if entries[list[i]] != entries[list[j]] {
			return entries[list[i]] > entries[list[j]]
		}
		return list[i] < list[j]
	})
	return list
}

// count counts the gazetteer's codes by the zone that takes them, and gives the names of the places of each stretch.
func (v *stripView) count(state *draft.State, from, to uint64) map[int][]string {
	names, listed := map[int][]string{}, false
	g := state.Engine.Gazetteer()
	if g != nil {
		codes := g.Codes(v.line.Country)
		slices.SortFunc(codes, func(a, b postcode.Code) int { return strings.Compare(a.Text, b.Text) })
		for _, code := range codes {
			n, err := strconv.ParseUint(code.Text, 10, 64)
			if err != nil {
				continue
			}
			i := sort.Search(len(v.line.Stretches), func(i int) bool { return v.line.Stretches[i].To >= n })
			if i == len(v.line.Stretches) {
				continue
			}
			listed = true
			s := &v.line.Stretches[i]
			if len(s.Zones) > 0 {
				v.take(s, 1)
			}
			if n >= from && n <= to {
				v.InUse++
				if len(s.Zones) == 0 {
					v.Missed++
				}
			}
			for _, p := range g.Postcode(v.line.Country, code) {
				if len(names[i]) < 4 && !slices.Contains(names[i], p.Name) {
					names[i] = append(names[i], p.Name)
				}
			}
		}
	}
	if !listed {
		for i := range v.line.Stretches {
			if s := &v.line.Stretches[i]; len(s.Zones) > 0 {
				v.take(s, s.Codes())
			}
		}
	}
	return names
}

func (v *stripView) take(s *coverage.Stretch, codes uint64) {
	v.used[s.Zones[0]] += int(codes)
	if len(s.Zones) > 1 {
		if v.outOf[s.Zones[0]] == nil {
			v.outOf[s.Zones[0]] = map[int]uint64{}
		}
		v.outOf[s.Zones[0]][s.Zones[1]] += codes
	}
}

func (v *stripView) x(n, from, to uint64) float64 {
	return float64(n-from) / float64(to-from+1) * stripWidth
}

func px(x float64) string { return strconv.FormatFloat(x, 'f', 1, 64) }

// draw paints the stretches between from and to, and names them where there is room.
func (v *stripView) draw(f *store.File, names map[int][]string, from, to uint64) {
	labelled := -1.0
	lastZone := -1
	for i := range v.line.Stretches {
		s := &v.line.Stretches[i]
		if s.To < from || s.From > to {
			continue
		}
		a, b := max(s.From, from), min(s.To, to)
		x := v.x(a, from, to)
		w := max(v.x(b, from, to)+stripWidth/float64(to-from+1)-x, 1.2)
		text := v.line.Text(s.From)
		if s.To > s.From {
			text += " to " + v.line.Text(s.To)
		}
		bar := stripBar{X: px(x), W: px(w), Y: "52", H: "8", Title: text + ": no zone", Path: "/zones?" + url.Values{"strip": {v.line.Country}, "new": {v.line.Country + " " + text}}.Encode()}
		if len(s.Zones) > 0 {
			z := &f.Zones[s.Zones[0]]
			bar.Colour = colour(s.Zones[0])
			bar.Title = text + ": " + nameOr(z.Name, z.ID)
			height := 16
			if s.Levels[0] <= place.Postcode {
				height = 36
			} else if s.Levels[0] <= place.Region {
				height = 26
			}
			bar.Y, bar.H = strconv.Itoa(60-height), strconv.Itoa(height)
			if len(s.Zones) > 1 {
				under := &f.Zones[s.Zones[1]]
				bar.Under = colour(s.Zones[1])
				bar.Title += ", over " + nameOr(under.Name, under.ID)
			}
			if height > 16 && s.Zones[0] != lastZone {
				label := nameOr(z.Name, z.ID)
				width := 6.4 * float64(len([]rune(label)))
				at := min(x, stripWidth-width)
				if at < labelled && labelled+width <= x+w { // further right, but still over its own bar
					at = labelled
				}
				if at >= labelled {
					v.Labels = append(v.Labels, stripLabel{px(at), label})
					labelled, lastZone = at+width+8, s.Zones[0]
				}
			}
		}
		if places := names[i]; len(places) > 0 {
			bar.Title += " (" + strings.Join(places[:min(3, len(places))], ", ")
			if len(places) > 3 {
				bar.Title += ", …"
			}
			bar.Title += ")"
		}
		v.Bars = append(v.Bars, bar)
	}
}

// ticks divides the line in ten, each part a way to look closer.
func (v *stripView) ticks(country string, from, to uint64) {
	step := (to - from + 1) / 10
	if step == 0 {
		return
	}
	for i := range uint64(10) {
		a, b := from+i*step, from+(i+1)*step-1
		tick := stripTick{X: px(v.x(a, from, to)), W: px(stripWidth / 10), Text: v.line.Text(a)}
		tick.Path = fmt.Sprintf("/zones?strip=%s&from=%d&to=%d", country, a, b)
		if step == 1 {
			tick.Path = "/zones?" + url.Values{"strip": {country}, "new": {country + " " + v.line.Text(a)}}.Encode()
		}
		v.Ticks = append(v.Ticks, tick)
	}
}

// mark points at the Till's address.
func (v *stripView) mark(till place.Address, from, to uint64) {
	if till.Country != v.line.Country || till.Postcode == "" {
		return
	}
	if n, err := strconv.ParseUint(postcode.Read(till.Country, till.Postcode).Text, 10, 64); err == nil && n >= from && n <= to {
		v.Mark = px(v.x(n, from, to))
	}
}

// sentences says for each zone what it takes of the line, and from which zones.
func (v *stripView) sentences(f *store.File) map[int]string {
	out := map[int]string{}
	if v == nil {
		return out
	}
	for i := range f.Zones {
		level := narrowestLevel(&f.Zones[i])
		codes := v.used[i]
		switch {
		case !f.Zones[i].Enabled || level == 0 || level > place.Country:
		case level == place.Country && codes > 0:
			out[i] = "everything else in " + v.Country
		case level == place.Country:
		case codes == 0 && v.names(&f.Zones[i]):
			out[i] = "takes no code here"
		case codes > 0:
			under := -1
			for z := range v.outOf[i] {
				if under < 0 || v.outOf[i][z] > v.outOf[i][under] || v.outOf[i][z] == v.outOf[i][under] && z < under {
					under = z
				}
			}
			out[i] = plural(codes, "code")
			if under >= 0 {
				out[i] += " out of " + nameOr(f.Zones[under].Name, f.Zones[under].ID)
			}
		}
	}
	return out
}

// names says whether a zone names codes of the strip's country.
func (v *stripView) names(z *store.Zone) bool {
	return slices.ContainsFunc(z.Places, func(r place.Rule) bool { return r.Country == v.line.Country })
}

func plural(n int, what string) string {
	if n != 1 {
		what += "s"
	}
	return strconv.Itoa(n) + " " + what
}
