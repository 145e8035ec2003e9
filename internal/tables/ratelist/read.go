package ratelist

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/place"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/sheet"
)

// Field is what a column of a foreign list holds.
type Field string

// The fields. A destination is a zone of the store, or a country with what narrows it.
const (
	Zone     Field = "zone"
	Country  Field = "country"
	Region   Field = "region"
	City     Field = "city"
	Postcode Field = "postcode"
	From     Field = "from"
	To       Field = "to"
	Price    Field = "price"
)

// Fields lists them.
var Fields = []Field{Zone, Country, Region, City, Postcode, From, To, Price}

// Mapping says how a foreign list is read.
type Mapping struct {
	Columns []Field // by column; "" is not used
	By      rate.By
	Edges   rate.Edges // on which side of its bounds a line lies where both ends meet
	Decimal byte       // 0: as the columns show
	List    string     // of a table that [Cells] wrote: which list, as [Lists] names it
}

var parts = regexp.MustCompile(`[^a-z0-9]+`)

var heads = map[string]Field{
	"zone":                Zone,
	"destination":         Zone,
	"area":                Zone,
	"country":             Country,
	"country code":        Country,
	"to country":          Country,
	"destination country": Country,
	"land":                Country,
	"region":              Region,
	"state":               Region,
	"province":            Region,
	"county":              Region,
	"city":                City,
	"town":                City,
	"postcode":            Postcode,
	"postal code":         Postcode,
	"post code":           Postcode,
	"zip":                 Postcode,
	"zip code":            Postcode,
	"postcodes":           Postcode,
	"zip postal code":     Postcode,
	"price":               Price,
	"rate":                Price,
	"cost":                Price,
	"charge":              Price,
	"shipping price":      Price,
	"shipping cost":       Price,
	"fee":                 Price,
	"amount":              Price,
}

var lower = []string{"from", "min", "minimum", "above", "over", "and above", "starting at", "at least", "lower"}
var upper = []string{"to", "max", "maximum", "up to", "until", "below", "under", "less than", "at most", "upper"}

var measures = []struct {
	word string
	by   rate.By
}{
	{"weight", rate.ByWeight},
	{"kg", rate.ByWeight},
	{"lb", rate.ByWeight},
	{"subtotal", rate.BySubtotal},
	{"order value", rate.BySubtotal},
	{"total", rate.BySubtotal},
	{"value", rate.BySubtotal},
	{"quantity", rate.ByQuantity},
	{"items", rate.ByQuantity},
	{"pieces", rate.ByQuantity},
	{"distance", rate.ByDistance},
	{"km", rate.ByDistance},
}

// Guess finds what the columns hold by their heads. A column that names a measure and not on which side of its
// numbers a line lies is no bound: somebody has to say which it is.
func Guess(t *sheet.Table) Mapping {
	m := Mapping{Columns: make([]Field, len(t.Rows[0].Cells)), By: rate.ByWeight, Edges: rate.UpTo}
	if lists := Lists(t); len(lists) == 1 {
		m.List = lists[0]
	}
	for i, cell := range t.Rows[0].Cells {
		field, by := meaning(cell)
		m.By = cmp.Or(by, m.By)
		if !slices.Contains(m.Columns, field) {
			m.Columns[i] = field
		}
	}
	if !slices.Contains(m.Columns, To) {
		m.Edges = rate.From
	}
	// What a head says of the bound itself counts: "over 5" leaves 5 out, "under 5" too.
	for i, f := range m.Columns {
		padded := " " + foldedHead(t.Rows[0].Cells[i]) + " "
		says := func(words ...string) bool {
			return slices.ContainsFunc(words, func(w string) bool {
				return strings.Contains(padded, " "+w+" ") && !strings.Contains(padded, " and "+w+" ")
			})
		}
		switch {
		case f == From && says("over", "above", "more than") && !slices.Contains(m.Columns, To):
			m.Edges = rate.UpTo
		case f == To && says("under", "below", "less than"):
			m.Edges = rate.From
		}
	}
	return m
}

func foldedHead(head string) string {
	return strings.TrimSpace(parts.ReplaceAllString(world.Fold(head), " "))
}

// meaning is what a column holds by its head, and what its bounds measure where the head says so.
func meaning(head string) (field Field, by rate.By) {
	if code := world.CurrencyIn(head); code != "" { // "price (EUR)"
		head = regexp.MustCompile(`(?i)\b`+code+`\b`).ReplaceAllString(head, "")
	}
	name := foldedHead(head)
	if f, ok := heads[name]; ok {
		return f, ""
	}
	has := func(word string) bool { return strings.Contains(" "+name+" ", " "+word+" ") }
	if slices.ContainsFunc(upper, has) {
		field = To
	}
	if slices.ContainsFunc(lower, has) {
		field = From
	}
	for _, measure := range measures {
		if has(measure.word) {
			return field, measure.by
		}
	}
	return field, ""
}

// Missing says what a mapping lacks, "" where it can be used.
func (m Mapping) Missing(t *sheet.Table) string {
	if lists := Lists(t); lists != nil {
		if !slices.Contains(lists, m.List) {
			return "this table holds several price lists: choose which one becomes a method"
		}
		return ""
	}
	seen := map[Field]bool{}
	for _, f := range m.Columns {
		if f != "" && seen[f] {
			return "two columns are the " + string(f) + ": choose one"
		}
		seen[f] = true
	}
	switch {
	case !seen[Price]:
		return "no column is the price: choose which one is"
	case m.By != rate.ByOrder && !seen[From] && !seen[To]:
		return "no column is a bound, from or to: choose which one is, or that every order has one price"
	case !seen[Zone] && !seen[Country] && !seen[Region] && !seen[City] && !seen[Postcode]:
		return "no column says where parcels go: choose which one does, or add one with * for everywhere"
	}
	return ""
}

// Status is what becomes of a line.
type Status uint8

// What can become of a line.
const (
	Taken Status = iota + 1
	Repeats
	Contradicts
	Refused
)

// Line is a line of the list and what is made of it.
type Line struct {
	Line     int
	Status   Status
	Zone     string // the name of the zone
	Says     string // what is made of it, or what is wrong with it
	from, to *decimal.Decimal
	zone     int
	charge   *rate.Charge
}

// Plan is what a foreign list becomes.
type Plan struct {
	Lines  []Line
	Zones  []store.Zone // of the columns: those of the store, and new ones
	New    []bool       // by zone
	Table  rate.Table
	Usable bool     // nothing is refused, nothing contradicts
	Gaps   []string // what no line covers
}

// Make makes zones and a price list of the lines.
func Make(t *sheet.Table, m Mapping, f *store.File, reader typed.Reader) *Plan {
	if Lists(t) != nil {
		return own(t, m.List, f)
	}
	p := &Plan{Table: rate.Table{ID: "list", Name: "Price list", By: m.By, Edges: m.Edges}, Usable: true}
	if m.By == rate.ByOrder {
		p.Table.Edges = ""
	}
	body := t.Rows[1:]
	b := &builder{
		p:        p,
		m:        m,
		f:        f,
		reader:   reader,
		byPlaces: map[string]int{},
		numbers:  make([]measure.Column, len(m.Columns)),
		heads:    t.Rows[0].Cells,
	}
	for i := range m.Columns {
		if m.Decimal != 0 {
			b.numbers[i] = measure.Column{Decimal: m.Decimal}
			continue
		}
		cells := make([]string, len(body))
		for j := range body {
			cells[j] = cell(body[j].Cells, i)
		}
		b.numbers[i] = measure.Numbers(cells, func(j int) int { return body[j].Line })
	}
	for _, row := range body {
		p.Lines = append(p.Lines, b.line(row))
	}
	b.table()
	return p
}

func cell(cells []string, i int) string {
	if i >= 0 && i < len(cells) {
		return cells[i]
	}
	return ""
}

type builder struct {
	p        *Plan
	m        Mapping
	f        *store.File
	reader   typed.Reader
	byPlaces map[string]int // zones of the plan by what they take
	numbers  []measure.Column
	heads    []string
}

func (b *builder) cell(row sheet.Row, f Field) string {
	return cell(row.Cells, slices.Index(b.m.Columns, f))
}

// wild says whether a destination's cell stands for any.
func wild(text string) bool {
	switch world.Fold(text) {
	case "", "*", "all", "any", "everywhere", "world", "rest of the world", "rest of world":
		return true
	}
	return false
}

func (b *builder) line(row sheet.Row) Line {
	l := Line{Line: row.Line, Status: Taken, zone: -1}
	refuse := func(format string, args ...any) Line {
		l.Status, l.Says, b.p.Usable = Refused, fmt.Sprintf(format, args...), false
		return l
	}
	c, err := b.price(row)
	if err != nil {
		return refuse("price: %s", err.Error())
	}
	l.charge = c
	for _, bound := range []struct {
		field Field
		into  **decimal.Decimal
	}{{From, &l.from}, {To, &l.to}} {
		if b.m.By == rate.ByOrder || open(b.cell(row, bound.field)) {
			continue
		}
		d, err := b.bound(row, bound.field)
		if err != nil {
			return refuse("%s: %s", bound.field, err.Error())
		}
		*bound.into = &d
	}
	if l.from != nil && l.to != nil && l.to.Less(*l.from) {
		return refuse("%s to %s runs backwards", l.from, l.to)
	}
	zone, err := b.destination(row)
	if err != nil {
		return refuse("%s", err.Error())
	}
	l.zone, l.Zone = zone, b.p.Zones[zone].Name
	return l
}

// destination finds or makes the zone of a line. A line that leaves its destination empty is refused: it may as
// well belong to the line above as to everywhere.
func (b *builder) destination(row sheet.Row) (int, error) {
	named := ""
	for _, field := range []Field{Zone, Country, Region, City, Postcode} {
		named += b.cell(row, field)
	}
	switch {
	case named == "":
		return 0, errors.New("it has no destination: write one, or * for everywhere")
	case slices.Contains(b.m.Columns, Country) && b.cell(row, Country) == "" && b.cell(row, Zone) == "":
		return 0, errors.New("it has no country: write it, or * for any")
	}
	if name := b.cell(row, Zone); !wild(name) {
		for i := range b.f.Zones {
			if z := &b.f.Zones[i]; world.Fold(z.Name) == world.Fold(name) || z.ID == name {
				return b.zone(*z, "zone "+z.ID, false), nil
			}
		}
		return b.typed(name)
	}
	country, region := b.cell(row, Country), b.cell(row, Region)
	city, codes := b.cell(row, City), b.cell(row, Postcode)
	if wild(country) {
		if !wild(region) || !wild(city) || !wild(codes) {
			country = b.reader.Home
		}
		if country == "" || wild(country) {
			return b.typed("everywhere")
		}
	}
	code, err := countryOf(country)
	if err != nil {
		if _, isGroup := world.GroupByName(country); isGroup || strings.EqualFold(country, "EU") {
			return b.typed(country)
		}
		return 0, err
	}
	return b.within(code, region, city, codes)
}

// countryOf is the code of a country by its code or its name.
func countryOf(text string) (string, error) {
	if c, ok := world.CountryByCode(text); ok {
		return c.Alpha2, nil
	}
	if named := world.CountriesByName(text); len(named) == 1 {
		return named[0].Alpha2, nil
	}
	return "", fmt.Errorf("%.40q is no country", text)
}

// within is the zone of what is narrowest of a country: codes, a town, a region.
func (b *builder) within(country, region, city, codes string) (int, error) {
	if !wild(codes) {
		var list []string
		for _, part := range strings.FieldsFunc(codes, func(r rune) bool { return r == ',' || r == ';' || r == '|' }) {
			part = strings.ReplaceAll(strings.TrimSpace(part), "%", "*")
			if from, to, ok := strings.Cut(part, "-"); ok && len(from) == len(to) && len(from) > 2 {
				part = from + " to " + to
			}
			list = append(list, country+" "+part)
		}
		return b.typed(strings.Join(list, ", "))
	}
	in := country
	if !wild(region) {
		in = regionCode(country, region)
	}
	switch {
	case wild(city):
		return b.typed(in)
	case in == country:
		return b.typed(country + " town " + city)
	}
	return b.typed(in + " " + city)
}

// regionCode is the ISO 3166-2 code of a region by its name or code.
func regionCode(country, region string) string {
	if r, ok := world.RegionByCode(country, region); ok {
		return r.Code
	}
	if named := world.RegionsByName(country, region); len(named) == 1 {
		return named[0].Code
	}
	return country + "-" + region
}

// typed finds or makes the zone of places as they are typed.
func (b *builder) typed(text string) (int, error) {
	read := b.reader.Text(text)
	if len(read.Slips) > 0 {
		return 0, fmt.Errorf("%s", read.Slips[0].Reason)
	}
	if len(read.Places) == 0 {
		return 0, fmt.Errorf("%.40q names no place", text)
	}
	var key []string
	for i := range read.Places {
		key = append(key, read.Places[i].Words()...)
	}
	slices.Sort(key)
	joined := strings.Join(key, "|")
	for i := range b.f.Zones {
		z := &b.f.Zones[i]
		if len(z.Except) > 0 || !z.Enabled {
			continue
		}
		var theirs []string
		for j := range z.Places {
			theirs = append(theirs, z.Places[j].Words()...)
		}
		slices.Sort(theirs)
		if strings.Join(theirs, "|") == joined {
			return b.zone(*z, joined, false), nil
		}
	}
	name := key[0]
	if r := &read.Places[0]; r.Level() == place.Region {
		region, _ := world.RegionByCode(r.Country, r.Region)
		name = region.Name
	}
	if len(key) > 1 {
		name += fmt.Sprintf(" and %d more", len(key)-1)
	}
	return b.zone(store.Zone{Name: name, Enabled: true, Places: read.Places}, joined, true), nil
}

func (b *builder) zone(z store.Zone, key string, isNew bool) int {
	if i, ok := b.byPlaces[key]; ok {
		return i
	}
	if isNew {
		z.ID = store.NewID(z.Name, "zone", func(id string) bool {
			has := func(o store.Zone) bool { return o.ID == id }
			return slices.ContainsFunc(b.f.Zones, has) || slices.ContainsFunc(b.p.Zones, has)
		})
	}
	b.byPlaces[key] = len(b.p.Zones)
	b.p.Zones, b.p.New = append(b.p.Zones, z), append(b.p.New, isNew)
	return len(b.p.Zones) - 1
}

// Apply makes the plan's zones and a method of it with its list.
func (p *Plan) Apply(f *store.File, name string) store.Method {
	for i, z := range p.Zones {
		if p.New[i] {
			f.Zones = append(f.Zones, z)
		}
	}
	id := store.NewID(name, "method", func(id string) bool {
		return slices.ContainsFunc(f.Methods, func(m store.Method) bool { return m.ID == id })
	})
	m := store.Method{
		ID:          id,
		Name:        name,
		Label:       name,
		Kind:        store.Delivery,
		Enabled:     true,
		Taxable:     true,
		Classes:     store.Together,
		WhenRefused: store.Hide,
		Tables:      []rate.Table{p.Table},
	}
	f.Methods = append(f.Methods, m)
	return m
}
