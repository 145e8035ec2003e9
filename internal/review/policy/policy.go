// Package policy says a store's delivery methods in plain English, from their data and so always true: for the
// owner where a method stands, for a customer who asks, and as a shipping policy page for the shop's site.
package policy

import (
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/review/coverage"
)

// Method says what a method of a store costs and asks for: a sentence for each group of zones with the same
// prices and terms, one for each group of zones that are priced as a broader one, then what holds for all of
// them. zones is the map of the store's zones.
func Method(e *quote.Engine, zones *coverage.Map, m *store.Method) []string {
	return method(e, zones, m, false, false)
}

// Brief is [Method] with the middle of long price lists left out, for a page.
func Brief(e *quote.Engine, zones *coverage.Map, m *store.Method) []string {
	return method(e, zones, m, false, true)
}

// method is Method; for buyers it says nothing of what a shop makes of a carrier's price. Zones whose prices are the same
// are told together, also where brief leaves out what tells others apart.
func method(e *quote.Engine, zones *coverage.Map, m *store.Method, buyers, brief bool) []string {
	f := e.Store()
	w := f.Words()
	type group struct {
		names []string
		text  string // that is shown
	}
	var order []string
	groups := map[string]*group{}
	for _, zone := range m.ServedZones() {
		text := zoneText(f, m, zone, w, wording{buyers, false})
		if groups[text] == nil {
			groups[text] = &group{text: text}
			if brief {
				groups[text].text = zoneText(f, m, zone, w, wording{buyers, true})
			}
			order = append(order, text)
		}
		groups[text].names = append(groups[text].names, f.ZoneName(zone))
	}
	var out []string
	for _, text := range order {
		if text != "" {
			out = append(out, to(m)+and(groups[text].names)+": "+groups[text].text)
		}
	}
	as := map[string][]string{}
	for _, through := range zones.Through(e, m) {
		as[through.By] = append(as[through.By], f.ZoneName(through.Zone))
	}
	for _, zone := range m.ServedZones() {
		if len(as[zone]) > 0 {
			out = append(out, to(m)+and(as[zone])+": the same as "+strings.ToLower(to(m))+f.ZoneName(zone)+".")
		}
	}
	if common := commonText(f, m); common != "" {
		out = append(out, common)
	}
	return out
}

func to(m *store.Method) string {
	if m.Kind == store.Pickup {
		return "From "
	}
	return "To "
}

func and(list []string) string {
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}

// wording is for whom something is said, and whether in full.
type wording struct{ buyers, brief bool }

// zoneText says the prices of a zone, and its own terms; "" where nothing is offered there.
func zoneText(f *store.File, m *store.Method, zone string, w charge.Words, as wording) string {
	own, _ := m.OwnTerms(zone)
	if !own.Enabled {
		return ""
	}
	hold := m.TermsIn(zone)
	text := listsText(f, m, zone, w, as.brief)
	if m.Kind == store.CarrierKind {
		text = carrierText(f, m, text, as.buyers)
	}
	if text == "" {
		return ""
	}
	sentences := []string{text}
	sentences = append(sentences, feeTexts(hold.Minimum, hold.Maximum, hold.Handling, w)...)
	if s := freeText(hold.Free, w); s != "" {
		if hold.Handling != nil { // free is free of that fee too
			s += ", then without the handling fee"
		}
		sentences = append(sentences, s)
	}
	if own.Needs != nil {
		sentences = append(sentences, needTexts(f, own.Needs)...)
	}
	if d := terms.FormatDays(hold.Days); d != "" && m.Kind != store.CarrierKind {
		sentences = append(sentences, upper(d))
	}
	return strings.Join(sentences, ". ") + "."
}

// listsText says the prices of a method's price lists in a zone; "" where they have none.
func listsText(f *store.File, m *store.Method, zone string, w charge.Words, brief bool) string {
	var lists []string
	for i := range m.Tables {
		t := &m.Tables[i]
		column := slices.Index(t.Zones, zone)
		if column < 0 {
			continue
		}
		text := columnText(t, column, w, brief)
		if text == "" {
			continue
		}
		if len(m.Tables) > 1 {
			text = goodsOf(f, t) + " " + text
		}
		lists = append(lists, text)
	}
	if len(lists) == 0 {
		return ""
	}
	text := strings.Join(lists, "; ")
	if len(lists) > 1 && m.Classes == store.Dearest {
		text += "; the dearest of these counts"
	}
	return text
}

// upper begins with a capital.
func upper(s string) string {
	if s == "" {
		return s
	}
	return strings.ToUpper(s[:1]) + s[1:]
}

// goodsOf names the goods that a table prices.
func goodsOf(f *store.File, t *rate.Table) string {
	if len(t.Classes) == 0 {
		return "all other goods"
	}
	names := make([]string, len(t.Classes))
	for i, id := range t.Classes {
		names[i] = f.ClassName(id)
	}
	return and(names) + " goods"
}

// Column says the prices of a column as a sentence without its end; "" where nothing is offered.
func Column(t *rate.Table, column int, w charge.Words) string { return columnText(t, column, w, false) }

// How much of a price list is said in brief: of one with more steps than that, so many at each end.
const (
	maxSteps = 12
	endSteps = 3
)

func columnText(t *rate.Table, column int, w charge.Words, brief bool) string {
	var parts []string
	offered, closed := false, ""
	for i := range t.Rows {
		c := t.Rows[i].Charges[column]
		if c == nil {
			if offered && closed == "" {
				closed = reach(t, i, w)
			}
			continue
		}
		if i > 0 && t.Rows[i].At == nil && t.By != rate.ByOrder {
			text := "above that " + charge.Format(c, w)
			if more := more(t, i, column, w); more != "" {
				text = more
			}
			parts, offered, closed = append(parts, text), true, ""
			continue
		}
		text := charge.Format(c, w)
		if where := span(t, i, w, len(parts) == 0); where != "" {
			text += " " + where
		}
		parts, offered, closed = append(parts, text), true, ""
	}
	if !offered {
		return ""
	}
	if n := len(parts); brief && n > maxSteps {
		middle := fmt.Sprintf("… %d more steps …", n-2*endSteps)
		parts = slices.Concat(parts[:endSteps], []string{middle}, parts[n-endSteps:])
	}
	if last := t.Rows[len(t.Rows)-1].At; closed == "" && t.Edges == rate.UpTo && last != nil {
		closed = "not above " + w.Measure(t.By, *last)
	}
	if closed != "" {
		parts = append(parts, closed)
	}
	text := strings.Join(parts, ", ")
	if t.Graduated {
		text += " (each part of it by its own row)"
	}
	if t.Per == rate.PerOrder {
		text += ", for the whole order"
	}
	return text
}

// more says an open last row that goes on where the row before ends: "then 0.80 more for each started kg"; ""
// for others.
func more(t *rate.Table, i, column int, w charge.Words) string {
	before, c := t.Rows[i-1].Charges[column], t.Rows[i].Charges[column]
	unit, name := c.PerWeight, w.Weight
	if t.By == rate.ByDistance {
		unit, name = c.PerDistance, w.Distance
	}
	if before == nil || before.Base == nil || c.Base == nil || c.Base.Cmp(*before.Base) != 0 || unit == nil ||
		unit.Above == nil ||
		t.Rows[i-1].At == nil ||
		unit.Above.Cmp(*t.Rows[i-1].At) != 0 {
		return ""
	}
	if charge.Format(before, w) != charge.Format(&rate.Charge{Base: before.Base}, w) {
		return ""
	}
	only := &rate.Charge{Base: c.Base, PerWeight: c.PerWeight}
	if t.By == rate.ByDistance {
		only = &rate.Charge{Base: c.Base, PerDistance: c.PerDistance}
	}
	if charge.Format(c, w) != charge.Format(only, w) {
		return ""
	}
	text := "then " + w.Money(unit.Amount) + " more for each "
	if unit.Started {
		text += "started "
	}
	if unit.Every != nil && unit.Every.Cmp(decimal.One) != 0 {
		text += unit.Every.String() + " "
	}
	return text + name
}

// span says what row i covers, in the row of a sentence.
func span(t *rate.Table, i int, w charge.Words, begins bool) string {
	at := t.Rows[i].At
	switch {
	case t.By == rate.ByOrder || len(t.Rows) == 1 && at == nil:
		return ""
	case t.Edges == rate.UpTo && at != nil && begins:
		return "up to and including " + w.Measure(t.By, *at)
	case t.Edges == rate.UpTo && at != nil:
		return "up to " + w.Measure(t.By, *at)
	case i == 0 && len(t.Rows) == 1:
		return ""
	case i == 0:
		return "under " + w.Measure(t.By, *t.Rows[1].At)
	}
	return "from " + w.Measure(t.By, *at)
}

// reach says from where on a column is not offered, where row i is the first that is not.
func reach(t *rate.Table, i int, w charge.Words) string {
	if t.Edges == rate.UpTo {
		if i == 0 || t.Rows[i-1].At == nil {
			return ""
		}
		return "not above " + w.Measure(t.By, *t.Rows[i-1].At)
	}
	return "not from " + w.Measure(t.By, *t.Rows[i].At)
}

func freeText(free *store.Free, w charge.Words) string {
	if free == nil {
		return ""
	}
	return "Free " + terms.FormatFree(free, w)
}

func feeTexts(minimum, maximum *decimal.Decimal, handling *store.Handling, w charge.Words) (list []string) {
	if minimum != nil {
		list = append(list, "At least "+w.Money(*minimum))
	}
	if maximum != nil {
		list = append(list, "At most "+w.Money(*maximum))
	}
	if handling != nil {
		list = append(list, "A handling fee of "+terms.FormatHandling(handling, w)+" comes on top")
	}
	return list
}

// commonText says what a method asks for everywhere.
func commonText(f *store.File, m *store.Method) string {
	var list []string
	if m.Available != nil {
		list = append(list, "Available "+m.Available.String())
	}
	if o := m.Dispatch; o != nil {
		list = append(list, leavesText(o))
	}
	if m.Needs != nil {
		list = append(list, needTexts(f, m.Needs)...)
	}
	if m.Parcels != nil {
		list = append(list, parcelText(f, m))
	}
	if len(list) == 0 {
		return ""
	}
	return strings.Join(list, ". ") + "."
}

// leavesText says when the orders of a method leave, where that is not as for the shop.
func leavesText(o *calendar.Own) string {
	text := "Orders leave"
	if len(o.Weekdays) > 0 {
		names := make([]string, len(o.Weekdays))
		for i, day := range o.Weekdays {
			names[i] = calendar.DayName(day) + "s"
		}
		text += " on " + and(names)
	}
	if o.LeadDays != nil && *o.LeadDays > 0 {
		text += " after " + plural.Count(int(*o.LeadDays), "working day")
	}
	if o.CutOff != "" {
		text += ", those placed before " + o.CutOff + " on the same day"
	}
	return text
}

// parcelText says how orders become parcels.
func parcelText(f *store.File, m *store.Method) string {
	most := ""
	if w := m.Parcels.MaxWeight; w != nil {
		most = f.Store.Units().Measure(rate.ByWeight, *w)
	}
	boxes := f.BoxesOf(m)
	if len(boxes) == 0 {
		return "Orders above " + most + " are sent as several parcels, each at its own price"
	}
	names := make([]string, len(boxes))
	for i, b := range boxes {
		names[i] = f.BoxName(b.ID)
	}
	text := "Orders are packed into boxes (" + and(names) + "), each at its own price"
	if most != "" {
		text += " and of at most " + most
	}
	return text
}

// needTexts says what conditions ask for.
func needTexts(f *store.File, n *store.Needs) (list []string) {
	u := f.Store.Units()
	measured := func(by rate.By) func(decimal.Decimal) string {
		return func(d decimal.Decimal) string { return u.Measure(by, d) }
	}
	var parts []string
	add := func(b *store.Bounds, write func(decimal.Decimal) string, what string) {
		if text := terms.FormatBounds(b, write); text != "" {
			if b.To == nil {
				text = write(*b.From) + " and over"
			}
			parts = append(parts, what+text)
		}
	}
	add(n.Weight, measured(rate.ByWeight), "of ")
	add(n.BilledWeight, measured(rate.ByBilled), "billed as ")
	add(n.Subtotal, u.Money, "of goods for ")
	add(n.Quantity, measured(rate.ByQuantity), "of ")
	add(
		n.LongestSide,
		func(d decimal.Decimal) string { return d.String() + " " + f.Store.LengthUnit },
		"with a longest side of ",
	)
	add(n.ParcelWeight, measured(rate.ByWeight), "in parcels of ")
	add(
		n.Girth,
		func(d decimal.Decimal) string { return d.String() + " " + f.Store.LengthUnit },
		"in parcels with a length plus girth of ",
	)
	add(n.Distance, measured(rate.ByDistance), "going ")
	if len(n.OnlyClasses) > 0 {
		parts = append(parts, "of "+and(f.ClassNames(n.OnlyClasses))+" goods only")
	}
	if len(n.WithoutClasses) > 0 {
		parts = append(parts, "without "+and(f.ClassNames(n.WithoutClasses))+" goods")
	}
	if len(n.Coupons) > 0 {
		parts = append(parts, "with a coupon")
	}
	if len(n.Groups) > 0 {
		parts = append(parts, "of customers of the group "+and(n.Groups))
	}
	if len(parts) == 0 {
		return nil
	}
	return []string{"For orders " + and(parts)}
}

// Page is a shop's shipping policy.
type Page struct {
	Title   string
	About   string // currency and tax
	Methods []Section
	Collect []string // where goods are collected
}

// Section is a method as buyers read it.
type Section struct {
	Title string
	Says  []string
}

// Of makes the policy of a store: the methods that are switched on, in the order in which buyers see them.
func Of(e *quote.Engine, zones *coverage.Map) Page {
	f := e.Store()
	p := Heads(f)
	for i := range f.Methods {
		m := &f.Methods[i]
		if !m.Enabled {
			continue
		}
		if says := Buyers(e, zones, m); len(says) > 0 {
			p.Methods = append(p.Methods, Section{m.BuyersLabel(), says})
		}
	}
	return p
}

// Buyers is what the policy says of one method.
func Buyers(e *quote.Engine, zones *coverage.Map, m *store.Method) []string {
	return method(e, zones, m, true, false)
}

// Heads is the policy of a store without what it says of methods.
func Heads(f *store.File) Page {
	p := Page{Title: "Shipping"}
	if f.Store.Name != "" {
		p.Title = "Shipping at " + f.Store.Name
	}
	p.About = "Prices are in " + currencyName(f.Store.Currency)
	taxed := slices.ContainsFunc(f.Store.Tax.Rates, func(r store.TaxRate) bool { return !r.Percent.IsZero() })
	switch {
	case !taxed:
		p.About += "."
	case f.Store.Tax.PricesIncludeTax:
		p.About += " and include tax."
	default:
		p.About += "; tax comes on top."
	}
	if d := f.Store.Dispatch; d != nil {
		p.About += " Orders placed before " + d.CutOff + " leave on the same day, if it is a working day of ours."
	}
	for i := range f.Locations {
		if l := &f.Locations[i]; l.Pickup {
			var where []string
			for _, part := range []string{l.Street, strings.TrimSpace(l.Postcode + " " + l.City)} {
				if part != "" {
					where = append(where, part)
				}
			}
			name := l.Name
			if name == "" {
				name = l.ID
			}
			p.Collect = append(p.Collect, strings.Join(append([]string{name}, where...), ", "))
		}
	}
	return p
}

func currencyName(code string) string {
	if name := world.CurrencyName(code); name != "" {
		return name + " (" + code + ")"
	}
	return code
}

// escape keeps names from being taken for Markdown.
var escape = strings.NewReplacer(
	`\`,
	`\\`,
	"*",
	`\*`,
	"_",
	`\_`,
	"`",
	"\\`",
	"[",
	`\[`,
	"]",
	`\]`,
	"<",
	`\<`,
	">",
	`\>`,
	"#",
	`\#`,
)

// Markdown writes the page.
func (p Page) Markdown() string {
	var b strings.Builder
	b.WriteString("# " + escape.Replace(p.Title) + "\n\n" + escape.Replace(p.About) + "\n")
	for _, s := range p.Methods {
		b.WriteString("\n## " + escape.Replace(s.Title) + "\n\n")
		for _, line := range s.Says {
			b.WriteString("- " + escape.Replace(line) + "\n")
		}
	}
	if len(p.Collect) > 0 {
		b.WriteString("\n## Where to collect\n\n")
		for _, line := range p.Collect {
			b.WriteString("- " + escape.Replace(line) + "\n")
		}
	}
	return b.String()
}
