package zonelist

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
)

// where is a place as a list says it, and as one would type it.
type where struct {
	said         string
	places, left string
	err          error
	zero         bool // it waits for what codes without their zero are
}

// begin begins the zones of a list of others.
func (o *opening) begin() {
	o.list = list{f: o.f, reader: o.reader, byID: map[string]*zone{}, ids: map[string]string{}}
	o.unknown, o.seen = map[string]int{}, map[string]int{}
}

// end takes the zones that were read.
func (o *opening) end() {
	for _, z := range o.list.zones {
		if len(z.Places)+len(z.Except) > 0 {
			o.r.Zones = append(o.r.Zones, z.Zone)
		}
	}
}

// put adds a place to a zone; false where it is not known.
func (o *opening) put(line int, name string, w where) bool {
	if typed, ok := o.c.Places[world.Fold(w.said)]; ok && typed != "" {
		w.places, w.left, w.err = typed, "", nil
	}
	if w.zero {
		return false
	}
	if w.err == nil {
		w.err = o.check(&w)
	}
	if w.err != nil {
		var unclear *unclear
		var likely []typed.Choice
		if errors.As(w.err, &unclear) {
			likely = unclear.likely
		}
		o.notKnown(line, w.said, w.err, likely)
		return false
	}
	if twice := name + "\x00" + w.places + "\x00" + w.left; o.seen[twice] > 0 {
		o.found(fmt.Sprintf("Line %d says the same as line %d.", line, o.seen[twice]))
		return true
	} else {
		o.seen[twice] = line
	}
	before := len(o.list.slips)
	o.add(line, name, takes, w.places)
	if w.left != "" {
		o.add(line, name, leavesOut, w.left)
	}
	if more := o.list.slips[before:]; len(more) > 0 {
		o.notKnown(line, w.said, errors.New(more[0].Reason), nil)
		return false
	}
	return true
}

func (o *opening) add(line int, name, rule, places string) {
	cells := map[string]string{"name": called(name), "rule": rule, "place": places}
	o.list.row(sheet.Row{Line: line}, func(column string) string { return cells[column] })
}

// unclear is a place that may be several.
type unclear struct {
	reason string
	likely []typed.Choice
}

func (u *unclear) Error() string { return u.reason }

// check says why places as they are typed are not clear.
func (o *opening) check(w *where) error {
	for _, text := range []string{w.places, w.left} {
		if text == "" {
			continue
		}
		read := o.reader.Text(text)
		if len(read.Slips) > 0 {
			return &unclear{read.Slips[0].Reason, read.Slips[0].Choices}
		}
		if len(read.Places) == 0 {
			return fmt.Errorf("%.40q names no place", text)
		}
		if i := slices.IndexFunc(read.Places, o.nowhere); i >= 0 {
			return &unclear{fmt.Sprintf("no list of places knows a town %.40s", read.Places[i].City), o.reader.Near(w.said)}
		}
	}
	return nil
}

// nowhere says whether a rule is for a town that no list of places knows.
func (o *opening) nowhere(r place.Rule) bool {
	return r.Level() == place.City && o.reader.Gazetteer != nil &&
		o.reader.Doubt(place.Address{Country: r.Country, Region: r.Region, City: r.City}) != ""
}

// notKnown leaves a line out, and asks about it by the text that is not understood.
func (o *opening) notKnown(line int, text string, err error, likely []typed.Choice) {
	key := world.Fold(text)
	i, known := o.unknown[key]
	if !known {
		i = len(o.r.Unknown)
		o.unknown[key] = i
		o.r.Unknown = append(o.r.Unknown, Unknown{Text: text, Reason: err.Error(), Likely: likely})
	}
	o.r.Unknown[i].Lines = append(o.r.Unknown[i].Lines, line)
}

// maxUnknown is how many texts that are not understood are asked about one by one.
const maxUnknown = 20

// asksUnknown asks about each text that is not understood.
func (o *opening) asksUnknown() {
	for i := range o.r.Unknown[:min(len(o.r.Unknown), maxUnknown)] {
		u := &o.r.Unknown[i]
		lines := plural.Noun(int64(len(u.Lines)), "Line") + " " + grid.Ranges(u.Lines)
		reason := plural.Sentence(u.Reason)
		if !strings.HasSuffix(reason, "?") {
			reason = strings.TrimRight(reason, ".") + "."
		}
		o.asks.Add(AskPlace, fmt.Sprintf("%s: where is “%s”? %s", lines, grid.Cut(u.Text), reason))
	}
	if more := len(o.r.Unknown) - maxUnknown; more > 0 {
		o.asks.Add(AskPlace, fmt.Sprintf("%s like that.", plural.Count(more, "more place")))
	}
}

// called is what a zone is called that a list numbers: "Zone 3".
func called(name string) string {
	if len(name) <= 2 && strings.Trim(name, "0123456789") == "" && name != "" {
		return "Zone " + name
	}
	return name
}

// countryInFront is a code with its country in front as it is written in letters: "D-20095", "FI-00100".
var countryInFront = regexp.MustCompile(`^([A-Z]{1,3})[- ]([0-9].*)$`)

// signs are the distinguishing signs of vehicles of countries whose postcodes are written with them (from memory: the
// convention on road traffic of 1968, annex 3).
var signs = map[string]string{"DE": "D", "AT": "A", "FR": "F", "IT": "I", "ES": "E", "BE": "B", "SE": "S", "FI": "FIN",
	"NO": "N", "PT": "P", "LU": "L", "HU": "H"}

// withoutSign is a code without its country in front.
func withoutSign(code, country string) string {
	m := countryInFront.FindStringSubmatch(strings.TrimSpace(code))
	if m == nil || m[1] != country && m[1] != signs[country] {
		return code
	}
	return m[2]
}

// where is where a row is, as one would type it.
func (o *opening) where(cell func(Field) string, row *grid.Row) (w where) {
	var said []string
	for _, f := range Fields[1:] {
		if text := cell(f); text != "" {
			said = append(said, text)
		}
	}
	w.said = strings.Join(said, " ")
	if len(said) == 0 {
		w.said = row.Said()
		w.err = errors.New("it has no place: write one, or * for everywhere")
		return w
	}
	country, region, city, codes := cell(Country), cell(Region), cell(City), cell(Postcode)
	if from, to := cell(CodeFrom), cell(CodeTo); codes == "" && from+to != "" {
		switch codes = from; {
		case from == "":
			w.err = fmt.Errorf("a range has its first code too, not only %.20s", to)
			return w
		case to != "" && to != from:
			codes += "-" + to
		}
	}
	if text := cell(Place); text != "" {
		if destination.Wild(country+region+city+codes) || len(said) == 1 {
			w.places, w.left, w.err = o.named(text)
			return w
		}
		w.err = errors.New("one column has the place and another what of it: use one of them")
		return w
	}
	narrow := !destination.Wild(region) || !destination.Wild(city) || !destination.Wild(codes)
	if destination.Wild(country) {
		if !narrow {
			w.places = "everywhere"
			return w
		}
		if country = o.reader.Home; country == "" {
			w.err = errors.New("it has no country: write it, or set the country of the shop")
			return w
		}
	}
	code, err := destination.Country(country)
	if err != nil {
		if w.places, w.left, w.err = o.named(country); w.err == nil && narrow {
			w.err = fmt.Errorf("%.40q are several countries: codes are of one", country)
		}
		return w
	}
	if reason := destination.NoRegion(code, region); reason != "" && !destination.Wild(codes) {
		w.err = errors.New(reason)
		return w
	}
	if codes, w.zero = o.zeros(row, code, codes); w.zero {
		return w
	}
	w.places = destination.Within(code, region, city, codes)
	return w
}

// zeros gives codes of a country the zeros that they have lost; waits says that it is asked whether they have. The number
// of a workbook has lost them.
func (o *opening) zeros(row *grid.Row, country, codes string) (out string, waits bool) {
	parts := strings.FieldsFunc(codes, func(r rune) bool { return strings.ContainsRune(",;|", r) })
	for i, one := range parts {
		parts[i] = withoutSign(strings.TrimSpace(one), country)
	}
	codes = strings.Join(parts, ", ")
	short, whole := destination.LostZeros(country, codes)
	if short == "" {
		return codes, false
	}
	number := slices.ContainsFunc([]Field{Postcode, CodeFrom, CodeTo}, func(f Field) bool {
		i := slices.Index(o.r.Columns, f)
		return i >= 0 && i < len(row.Cells) && row.Cells[i].Number
	})
	switch {
	case number, o.c.Zeros == destination.ZerosLost:
		o.found(fmt.Sprintf("Postcodes of %s that had lost their leading zero have it again: 0%s.", country, short))
		return whole, false
	case o.c.Zeros == destination.ZerosNone:
		return codes, false
	}
	o.asks.AddOnce(AskZero, fmt.Sprintf("Line %d has the code %s, but codes of %s have %d digits. Is it 0%s, or all codes that "+
		"begin with %s?", row.Line, short, country, len(short)+1, short, short))
	return codes, true
}

// named is a place that a list calls by a name, as one would type it, and what of it is left out.
func (o *opening) named(text string) (places, left string, err error) {
	switch {
	case destination.Wild(text):
		return "everywhere", "", nil
	case destination.Vague(text):
		return "", "", fmt.Errorf("“%s” is drawn differently by each carrier: name its countries", text)
	case destination.Domestic(text) && o.reader.Home != "":
		return o.reader.Home, "", nil
	}
	if list, without, known := destination.Except(text); known {
		return strings.Join(list, ", "), strings.Join(without, ", "), nil
	}
	return destination.Codes(text, o.reader.Home), "", nil
}
