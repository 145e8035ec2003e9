// Package spoken says answers to quotes in the buyer's language: the shop's own texts where it has them in that
// language, and the program's sentences in six.
//
// Sums and countries are written as Unicode CLDR has it, by way of bojanz/currency and golang.org/x/text; so are days
// and months, which neither of them has.
package spoken

import (
	"cmp"
	"strings"
	"unicode"
	"unicode/utf8"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"

	"golang.org/x/text/language"
	"golang.org/x/text/message"
)

// Languages are those of the program's sentences, the first where nobody asks for one of the others.
var Languages = []language.Tag{language.English, language.Finnish, language.Swedish, language.German, language.French,
	language.Spanish}

var matcher = language.NewMatcher(Languages)

// Accepted gives the language that a header Accept-Language (RFC 9110, 12.5.4) prefers; "" where it prefers none.
func Accepted(header string) string {
	if header == "" || len(header) > 500 {
		return ""
	}
	tags, weights, err := language.ParseAcceptLanguage(header)
	if err != nil {
		return ""
	}
	for i, tag := range tags {
		if weights[i] > 0 && tag != language.Und && tag.String() != "mul" { // mul stands for *
			if text, ok := store.Language(tag.String()); ok {
				return text
			}
		}
	}
	return ""
}

// speaker says sentences in a language.
type speaker struct {
	e *quote.Engine
	q *quote.Request
	// wanted is the language that was asked for, in which the shop may have texts; own is that of the program's
	// sentences.
	wanted, own language.Tag
	printer     *message.Printer
	english     bool
}

// Answer says an answer in the language that its request asks for. Without one it stays as it is.
func Answer(e *quote.Engine, q *quote.Request, a *quote.Answer) {
	if q.Language == "" {
		return
	}
	wanted, err := language.Parse(q.Language)
	if err != nil {
		return
	}
	_, index, _ := matcher.Match(wanted)
	s := &speaker{e: e, q: q, wanted: wanted, own: Languages[index], english: index == 0}
	s.printer = message.NewPrinter(s.own, message.Catalog(sentences))
	a.Language = s.own.String()
	f := e.Store()
	for i := range a.Options {
		s.option(&a.Options[i], &a.Measures)
	}
	for i := range a.Pending {
		if m := f.Method(a.Pending[i].Method); m != nil {
			a.Pending[i].Label = s.label(m)
		}
	}
	for i := range a.Refused {
		s.refused(&a.Refused[i])
	}
	if a.Message != "" {
		a.Message = s.message(a.Refused)
	}
	if a.Checkout != nil && !s.english {
		for i := range a.Checkout.Faults {
			s.fault(&a.Checkout.Faults[i])
		}
	}
}

// text is a text of the shop in the buyer's language, else in the shop's own words.
func (s *speaker) text(in store.Texts, base string) string {
	if text, ok := in.In(s.wanted); ok {
		return text
	}
	return base
}

func (s *speaker) label(m *store.Method) string { return s.text(m.Labels, m.BuyersLabel()) }

func (s *speaker) option(o *quote.Option, has *quote.Measures) {
	m := s.e.Store().Method(o.Method)
	if m == nil {
		return
	}
	if o.Service == "" {
		o.Label = s.label(m)
	} else if m.Carrier != nil {
		for _, service := range m.Carrier.Services {
			if service.Code == o.Service {
				o.Label = s.text(service.Labels, o.Label)
			}
		}
	}
	s.dates(o.Dates)
	for i := range o.Parcels {
		if p := &o.Parcels[i]; p.Box != nil {
			if b := s.e.Store().Box(*p.Box); b != nil {
				p.BoxName = s.text(b.Names, cmp.Or(b.Name, b.ID))
			}
		}
	}
	if o.Offer == nil {
		return
	}
	if !s.english {
		o.Offer.Hint = s.hint(o, has)
	}
	for i := range o.Offer.Points {
		p := &o.Offer.Points[i]
		if l := s.e.Store().Location(p.Location); l != nil {
			p.Name, p.Hours = s.text(l.Names, p.Name), s.text(l.HoursTexts, p.Hours)
		}
		if p.Dates != nil && p.Dates != o.Dates {
			s.dates(p.Dates)
		}
	}
}

// dates writes when goods arrive.
func (s *speaker) dates(d *quote.Dates) {
	if d != nil && !s.english {
		d.Text = dates(s.own, d.From, d.To)
	}
}

func (s *speaker) refused(r *quote.Refused) {
	if r.Text == "" {
		return
	}
	m := s.e.Store().Method(r.Method)
	if m == nil {
		return
	}
	if text := s.text(m.RefusedTexts, m.RefusedText); text != "" {
		r.Text = text
		return
	}
	r.Text = sentence(s.reason(&r.Why, s.label(m)))
}

// money writes a sum.
func (s *speaker) money(d decimal.Decimal) string {
	f := s.e.Store()
	return world.PriceIn(s.own, f.Store.Units().Money(d), f.Store.Currency)
}

// number writes a number with the decimal sign of the language.
func (s *speaker) number(d decimal.Decimal) string {
	if s.english {
		return d.String()
	}
	return strings.Replace(d.String(), ".", ",", 1) // all others have a comma (CLDR)
}

// measure writes a measure.
func (s *speaker) measure(by rate.By, d decimal.Decimal) string {
	f := s.e.Store()
	switch by {
	case rate.BySubtotal:
		return s.money(d)
	case rate.ByWeight, quote.ParcelWeight:
		return s.number(d) + " " + f.Store.WeightUnit
	case rate.ByBilled:
		return s.number(d.Round(3)) + " " + f.Store.WeightUnit
	case rate.ByDistance:
		return s.number(d) + " " + f.Store.DistanceUnit
	case quote.LongestSide, quote.GirthMeasure:
		return s.number(d) + " " + f.Store.LengthUnit
	}
	if d.Cmp(decimal.One) == 0 {
		return s.printer.Sprintf("%s item", s.number(d))
	}
	return s.printer.Sprintf("%s items", s.number(d))
}

// reason says why a method is not offered: label is what buyers call it.
func (s *speaker) reason(r *quote.Refusal, label string) string {
	if s.english {
		return r.Buyer(label)
	}
	p := s.printer
	switch r.Cause {
	case quote.NoZone, quote.ZonesUnserved, quote.ZoneAlone, quote.SwitchedOff, quote.CellEmpty, quote.ClassUnpriced,
		quote.CarrierUnpriced:
		return p.Sprintf("%s is not available for this order at this address", label)
	case quote.OverLimit:
		return p.Sprintf(over[r.By]+" for %s (%s, limit %s)", label, s.measure(r.By, r.Have), s.measure(r.By, r.Limit))
	case quote.UnderLimit:
		return p.Sprintf(
			under[r.By]+" for %s (%s, minimum %s)",
			label,
			s.measure(r.By, r.Have),
			s.measure(r.By, r.Limit),
		)
	case quote.OutsidePeriod:
		return s.period(r, label)
	case quote.CouponNeeded:
		return p.Sprintf("%s needs a coupon", label)
	case quote.GroupNeeded:
		return p.Sprintf("%s is for other customers", label)
	case quote.ClassNotTaken:
		return p.Sprintf("%s does not take all of these goods", label)
	case quote.ShopUnknown, quote.PlaceUnknown:
		return p.Sprintf("we do not know how far this address is for %s", label)
	}
	return p.Sprintf("%s is not available at the moment", label)
}

// period says when a method is available.
func (s *speaker) period(r *quote.Refusal, label string) string {
	from, to := r.When.From, r.When.To
	switch {
	case from == "":
		return s.printer.Sprintf("%s is available only until %s", label, date(s.own, to))
	case to == "":
		return s.printer.Sprintf("%s is available only from %s", label, date(s.own, from))
	}
	return s.printer.Sprintf("%s is available only from %s to %s", label, date(s.own, from), date(s.own, to))
}

// message says why nothing is offered.
func (s *speaker) message(refused []quote.Refused) string {
	f, p := s.e.Store(), s.printer
	where := s.destination()
	enabled := false
	for i := range f.Methods {
		enabled = enabled || f.Methods[i].Enabled
	}
	if !enabled {
		return p.Sprintf("We cannot deliver to %s: no delivery method is available at the moment.", where)
	}
	reason, own := "", ""
	for i := range refused {
		r := &refused[i]
		if r.Text != "" && own == "" {
			own = r.Text
		}
		if m := f.Method(r.Method); m != nil && reason == "" && r.Code != quote.OutsideZones &&
			r.Code != quote.ZoneOnly {
			reason = s.reason(&r.Why, s.label(m))
		}
	}
	switch {
	case own != "":
		return p.Sprintf("We cannot deliver this order to %s: %s", where, own)
	case reason != "":
		return p.Sprintf("We cannot deliver this order to %s: %s.", where, reason)
	}
	return p.Sprintf("We do not deliver to %s.", where)
}

// destination writes the address as people name it in a sentence.
func (s *speaker) destination() string {
	to := s.q.To
	country := world.CountryName(to.Country)
	if !s.english {
		country = world.CountryIn(s.own, to.Country)
	}
	return quote.Destination(&place.Address{Postcode: to.Postcode, City: to.City}, country)
}

// hint says what the cart lacks for an option to be free.
func (s *speaker) hint(o *quote.Option, has *quote.Measures) string {
	if o.Offer.Hint == "" {
		return ""
	}
	spend, add := "", ""
	if free := o.Free.Subtotal; free != nil {
		if sum, err := decimal.Parse(has.Subtotal); err == nil && sum.Less(*free) {
			spend = s.money(free.Sub(sum))
		}
	}
	if free := o.Free.Quantity; free != nil && has.Quantity < *free {
		add = s.measure(rate.ByQuantity, decimal.FromInt(*free-has.Quantity))
	}
	switch p := s.printer; {
	case add == "":
		return p.Sprintf("Spend %s more for free delivery", spend)
	case spend == "":
		return p.Sprintf("Add %s for free delivery", add)
	case o.Free.Require == store.RequireAll:
		return p.Sprintf("Spend %s more and add %s for free delivery", spend, add)
	default:
		return p.Sprintf("Spend %s more or add %s for free delivery", spend, add)
	}
}

// fault says what is wrong with a field of the address.
func (s *speaker) fault(f *quote.AddressSlip) {
	country := world.CountryIn(s.own, s.q.To.Country)
	switch f.Field {
	case "postcode":
		f.Message = s.printer.Sprintf("This cannot be a postcode of %s", country)
	case "region":
		f.Message = s.printer.Sprintf("%s has no such region", country)
	}
}

// sentence begins a text with a capital.
func sentence(text string) string {
	r, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(r)) + text[size:]
}

// over and under say how an order passes a limit.
var (
	over = map[rate.By]string{rate.ByWeight: "too heavy", rate.ByBilled: "too heavy by its volume",
		rate.BySubtotal: "order value too high", rate.ByQuantity: "too many items", rate.ByDistance: "too far",
		quote.ParcelWeight: "a parcel too heavy", quote.GirthMeasure: "a parcel too large", quote.LongestSide: "too long"}
	under = map[rate.By]string{rate.ByWeight: "too light", rate.ByBilled: "too light",
		rate.BySubtotal: "order value too low", rate.ByQuantity: "too few items", rate.ByDistance: "too near",
		quote.ParcelWeight: "a parcel too light", quote.GirthMeasure: "a parcel too small", quote.LongestSide: "too short"}
)

// Lacking counts the texts of a store that a language lacks: those that buyers of that language read in the shop's own
// words.
func Lacking(f *store.File, tag string) (n int) {
	t, err := language.Parse(tag)
	if err != nil {
		return 0
	}
	for _, text := range f.Texts() {
		if _, ok := text.In.In(t); !ok {
			n++
		}
	}
	return n
}

// Name is what a language is called in itself and in English: "suomi (Finnish)".
func Name(tag string) string {
	english := world.LanguageName(tag)
	own := world.LanguageInItself(tag)
	return cmp.Or(own, tag) + " (" + english + ")"
}
