// Package strip draws the code strip: a country's postcodes in a line, with the zones that take them.
package strip

import (
	"cmp"
	"embed"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/gazetteer"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/postcode"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/coverage"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
)

// width is the width of the code strip in its own units.
const width = 880.0

// maxBars is how many stretches are drawn each by itself; of more, those that share a piece of the strip are
// drawn as one.
const maxBars = 220

// Files are the templates of the strip.
//
//go:embed templates/*.html
var Files embed.FS

// View is the code strip: a country's postcodes as a line, each zone painting the stretch that it takes.
type View struct {
	Country  string
	From, To string
	InUse    int // codes of the gazetteer on the line
	Missed   int // of them without a zone
	Whole    string
	Others   []link
	Bars     []bar
	Labels   []zoneLabel
	Ticks    []tick
	Mark     string // where the Till's address lies

	code     string // of the country
	line     *coverage.Line
	from, to uint64 // what of the line is shown
	query    url.Values
}

type link struct{ Name, Path string }

type bar struct {
	X, Y, W, H    string
	Colour, Under string
	Title, Path   string
	Many          bool // stands for several stretches, and leads closer
}

type zoneLabel struct{ X, Text string }

type tick struct{ X, W, Text, Path string }

// Of draws the strip of the country that is asked for, or of the one with the most entries; nil where no
// zone names codes.
func Of(query url.Values, state *draft.State, till place.Address) *View {
	m := state.Coverage()
	countries := m.Drawable()
	code := strings.ToUpper(query.Get("strip"))
	if !slices.Contains(countries, code) {
		if len(countries) == 0 {
			return nil
		}
		code = countries[0]
	}
	v := &View{
		Country: world.CountryName(code),
		code:    code,
		line:    m.Line(code, strings.ToUpper(query.Get("within"))),
	}
	if len(v.line.Stretches) == 0 {
		v.line = m.Line(code, "")
	}
	if len(v.line.Stretches) == 0 {
		return nil
	}
	v.window(query)
	for _, other := range countries {
		if other != code {
			v.Others = append(v.Others, link{world.CountryName(other), "/zones?strip=" + other})
		}
	}
	v.count()
	v.draw(state.File, m)
	v.ticks()
	v.mark(till)
	return v
}

// window is the part of the line that is shown.
func (v *View) window(query url.Values) {
	l := v.line
	v.to = l.Last
	v.query = url.Values{"strip": {v.code}}
	if l.Length == 0 {
		v.From = l.Cells[0].Text
		for _, c := range l.Cells {
			if c.Entry != "" {
				v.To = c.Text
			}
		}
		if l.Within != "" {
			v.query.Set("within", l.Within)
			v.Whole = "/zones?strip=" + v.code
			if up := l.Within[:len(l.Within)-1]; up != "" && !postcode.British(v.code) {
				v.Whole += "&within=" + up
			}
		}
		return
	}
	if a, err := strconv.ParseUint(query.Get("from"), 10, 64); err == nil && a <= l.Last {
		if b, err := strconv.ParseUint(query.Get("to"), 10, 64); err == nil && b > a && b <= l.Last {
			v.from, v.to = a, b
		}
	}
	v.From, v.To = l.Text(v.from), l.Text(v.to)
	if v.from != 0 || v.to != l.Last {
		v.query.Set("from", v.From)
		v.query.Set("to", v.To)
		v.Whole = "/zones?strip=" + v.code
	}
}

// path is a link to the strip as it is shown, with something changed.
func (v *View) path(pairs ...string) string {
	q := url.Values{}
	for k, values := range v.query {
		q[k] = values
	}
	for i := 0; i < len(pairs); i += 2 {
		q.Set(pairs[i], pairs[i+1])
	}
	return "/zones?" + q.Encode()
}

// count counts the gazetteer's codes in what is shown.
func (v *View) count() {
	if !v.line.Listed {
		return
	}
	for i := range v.line.Stretches {
		if s := &v.line.Stretches[i]; s.From >= v.from && s.To <= v.to {
			v.InUse += s.Listed
			if len(s.Zones) == 0 {
				v.Missed += s.Listed
			}
		}
	}
}

func (v *View) x(n uint64) float64 {
	return float64(n-v.from) / float64(v.to-v.from+1) * width
}

// Px writes a coordinate of a drawing, in pixels, to a tenth.
func Px(x float64) string { return strconv.FormatFloat(x, 'f', 1, 64) }

// draw paints the stretches that are shown, and names them where there is room.
func (v *View) draw(f *store.File, m *coverage.Map) {
	shown := v.line.Stretches
	for len(shown) > 0 && shown[0].To < v.from {
		shown = shown[1:]
	}
	for len(shown) > 0 && shown[len(shown)-1].From > v.to {
		shown = shown[:len(shown)-1]
	}
	if len(shown) > maxBars {
		v.drawMany(f, shown)
		return
	}
	labelled := -1.0
	lastZone := -1
	for i := range shown {
		s := &shown[i]
		from, to := max(s.From, v.from), min(s.To, v.to)
		bar := v.bar(f, s, from, to)
		entry := v.line.Entry(s, s.From, s.To)
		text := entry
		if text == "" {
			text = "all others"
		} else {
			bar.Path = v.path("new", v.code+" "+entry)
		}
		bar.Title = text + ": " + bar.Title
		if s.Listed > 0 {
			bar.Title += " (" + v.places(m, entry, s) + ")"
		}
		if len(s.Zones) > 0 && s.Zones[0].Narrow.Level <= place.Region && s.Zones[0].Owner != lastZone {
			label := cmp.Or(f.Zones[s.Zones[0].Owner].Name, f.Zones[s.Zones[0].Owner].ID)
			long := 6.4 * float64(len([]rune(label)))
			at := min(v.x(from), width-long)                           // no label stands out at the right
			if end := v.x(to); at < labelled && labelled+long <= end { // further right, but still over its own bar
				at = labelled
			}
			if at >= labelled {
				v.Labels = append(v.Labels, zoneLabel{Px(at), label})
				labelled, lastZone = at+long+8, s.Zones[0].Owner
			}
		}
		v.Bars = append(v.Bars, bar)
	}
}

// bar is a stretch as it is painted, from one position to another; its title names the zones.
func (v *View) bar(f *store.File, s *coverage.Stretch, from, to uint64) bar {
	x := v.x(from)
	w := max(v.x(to)+width/float64(v.to-v.from+1)-x, 1.2)
	bar := bar{X: Px(x), W: Px(w), Y: "52", H: "8", Title: "no zone"}
	if len(s.Zones) == 0 {
		return bar
	}
	z := &f.Zones[s.Zones[0].Owner]
	bar.Colour, bar.Title = shell.Colour(s.Zones[0].Owner), cmp.Or(z.Name, z.ID)
	height := 16
	if s.Zones[0].Narrow.Level <= place.Postcode {
		height = 36
	} else if s.Zones[0].Narrow.Level <= place.Region {
		height = 26
	}
	bar.Y, bar.H = strconv.Itoa(60-height), strconv.Itoa(height)
	if len(s.Zones) > 1 {
		under := &f.Zones[s.Zones[1].Owner]
		bar.Under = shell.Colour(s.Zones[1].Owner)
		bar.Title += ", over " + cmp.Or(under.Name, under.ID)
	}
	return bar
}

// drawMany paints more stretches than there is room for: of those that share a piece the narrowest is seen, and
// a way closer.
func (v *View) drawMany(f *store.File, shown []coverage.Stretch) {
	step := (v.to - v.from + maxBars) / maxBars
	counted := make([]int, len(f.Zones)) // the bar, from 1, at which a zone was last counted
	for at := v.from; at <= v.to && len(shown) > 0; at += step {
		end := min(at+step-1, v.to)
		first, seen, zones, turn := &shown[0], &shown[0], 0, len(v.Bars)+1
		for {
			s := &shown[0]
			if len(s.Zones) > 0 && counted[s.Zones[0].Owner] != turn {
				counted[s.Zones[0].Owner] = turn
				zones++
			}
			if len(s.Zones) > 0 && (len(seen.Zones) == 0 || s.Zones[0].Narrow.Level < seen.Zones[0].Narrow.Level) {
				seen = s
			}
			if s.To > end {
				break
			}
			if shown = shown[1:]; len(shown) == 0 || shown[0].From > end {
				break
			}
		}
		bar := v.bar(f, seen, at, end)
		bar.Many = seen != first || zones > 1
		bar.Title = v.span(at, end) + ": " + bar.Title
		if zones > 1 {
			bar.Title += " and " + plural.Count(zones-1, "other zone")
		}
		if v.line.Length > 0 && end > at {
			bar.Path = v.path("from", v.line.Text(at), "to", v.line.Text(end))
		} else if c := v.cell(at); v.line.Length == 0 && c.Deeper {
			bar.Path = v.path("within", c.Text)
		}
		v.Bars = append(v.Bars, bar)
	}
}

// span names the codes between two positions.
func (v *View) span(from, to uint64) string {
	if v.line.Length == 0 {
		return v.cell(from).Text
	}
	return v.line.Text(from) + " to " + v.line.Text(to)
}

func (v *View) cell(position uint64) coverage.Cell {
	for _, c := range v.line.Cells {
		if position <= c.To {
			return c
		}
	}
	return coverage.Cell{}
}

// places names the first few places of a stretch.
func (v *View) places(m *coverage.Map, entry string, s *coverage.Stretch) string {
	var names []string
	var codes []gazetteer.Code
	if v.line.Length > 0 {
		codes = m.Gazetteer.CodesBetween(v.code, v.line.Text(s.From), v.line.Text(s.To))
	} else {
		codes = m.Gazetteer.CodesFrom(v.code, postcode.Read(v.code, strings.TrimSuffix(entry, "*")).Text)
	}
	for _, c := range codes {
		for _, i := range c.Places {
			if name := m.Gazetteer.At(i).Name; !slices.Contains(names, name) {
				if len(names) == 3 {
					return strings.Join(names, ", ") + ", …"
				}
				names = append(names, name)
			}
		}
	}
	return strings.Join(names, ", ")
}

// maxTicks is how many cells are named; of more, every second or third is.
const maxTicks = 26

// ticks divides a line of numbers in ten, each part a way to look closer, and names the cells of others.
func (v *View) ticks() {
	if v.line.Length == 0 {
		every := (len(v.line.Cells) + maxTicks - 1) / maxTicks
		for i, c := range v.line.Cells {
			tick := tick{X: Px(v.x(c.From)), W: Px(v.x(c.To) - v.x(c.From)), Text: c.Text}
			switch {
			case c.Deeper:
				tick.Path = v.path("within", c.Text)
			case c.Entry != "":
				tick.Path = v.path("new", v.code+" "+c.Entry)
			}
			if i%every == 0 {
				tick.W = Px((v.x(c.To) - v.x(c.From)) * float64(every))
				v.Ticks = append(v.Ticks, tick)
			}
		}
		return
	}
	step := (v.to - v.from + 1) / 10
	if step == 0 {
		return
	}
	for i := range uint64(10) {
		a, b := v.from+i*step, v.from+(i+1)*step-1
		tick := tick{
			X:    Px(v.x(a)),
			W:    Px(width / 10),
			Text: v.line.Text(a),
			Path: v.path("from", v.line.Text(a), "to", v.line.Text(b)),
		}
		if step == 1 {
			tick.Path = v.path("new", v.code+" "+v.line.Text(a))
		}
		v.Ticks = append(v.Ticks, tick)
	}
}

// mark points at the Till's address.
func (v *View) mark(till place.Address) {
	if till.Country != v.code || till.Postcode == "" {
		return
	}
	code := postcode.Read(till.Country, till.Postcode).Text
	if v.line.Length == 0 {
		for _, c := range v.line.Cells {
			area, district := postcode.Outward(postcode.Read(till.Country, till.Postcode))
			if c.Entry != "" &&
				(postcode.British(v.code) && (c.Text == area || c.Text == district) || !postcode.British(v.code) &&
					strings.HasPrefix(code, c.Text)) {
				v.Mark = Px((v.x(c.From) + v.x(c.To)) / 2)
			}
		}
		return
	}
	if n, err := strconv.ParseUint(code, 10, 64); err == nil && n >= v.from && n <= v.to {
		v.Mark = Px(v.x(n))
	}
}
