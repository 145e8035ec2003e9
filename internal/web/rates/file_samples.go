package rates

import (
	"fmt"
	"net/url"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/tables/ratelist"
	"diadrom/internal/web/shell"
)

// sampleView is a price read back from the table that a file makes.
type sampleView struct {
	What, Why, Price, Was, Line string
}

// tryView is what somebody types to read another price back.
type tryView struct {
	At, Zone, Unit, Slip string
	Zones                []shell.Choice
	Of                   bool // the table measures something
}

// maxTried is how many zones may be chosen from to read a price back.
const maxTried = 300

// samples reads prices back from the table that a file makes, and the one that somebody asks for.
func (v *fileView) samples(f *store.File, r *ratelist.Reading, query url.Values) {
	for _, s := range r.Samples() {
		v.Samples = append(v.Samples, sampleOf(f, r, &s))
	}
	if len(v.Samples) == 0 {
		return
	}
	by := r.Plan.Table.By
	v.Try = tryView{At: query.Get("try"), Zone: query.Get("try-zone"), Of: by != rate.ByOrder}
	switch by {
	case rate.ByWeight, rate.ByBilled:
		v.Try.Unit = f.Store.WeightUnit
	case rate.BySubtotal:
		v.Try.Unit = f.Store.Currency
	case rate.ByDistance:
		v.Try.Unit = f.Store.DistanceUnit
	case rate.ByQuantity:
		v.Try.Unit = "items"
	}
	if v.Try.Zone == "" {
		v.Try.Zone = r.Plan.Zones[0].ID
	}
	for i := range r.Plan.Zones[:min(len(r.Plan.Zones), maxTried)] {
		z := &r.Plan.Zones[i]
		v.Try.Zones = append(v.Try.Zones, shell.Choice{ID: z.ID, Name: z.Name, Chosen: z.ID == v.Try.Zone})
	}
	if v.Try.At == "" {
		return
	}
	x, err := tried(v.Try.At, by, f)
	if err != nil {
		v.Try.Slip = err.Error()
		return
	}
	s := r.Quote(v.Try.Zone, x)
	s.Why = "as you typed it"
	v.Samples = append(v.Samples, sampleOf(f, r, &s))
}

// tried reads what somebody typed as what a table measures.
func tried(text string, by rate.By, f *store.File) (decimal.Decimal, error) {
	switch by {
	case rate.ByWeight, rate.ByBilled:
		return measure.Parse(measure.Weight, text, f.Store.WeightUnit)
	case rate.BySubtotal:
		return measure.Number(text, f.Store.Currency)
	case rate.ByDistance:
		return measure.Number(text, f.Store.DistanceUnit)
	}
	d, err := measure.Number(text, "items")
	if err == nil && d.Cmp(d.Round(0)) != 0 {
		err = fmt.Errorf("%.20s is not a whole number", text)
	}
	return d, err
}

func sampleOf(f *store.File, r *ratelist.Reading, s *ratelist.Sample) sampleView {
	digits := f.Store.Units().Digits
	money := func(d decimal.Decimal) string { // rounded as a quote's charge is
		return world.DeliveryPrice(d.Round(digits).Fixed(digits), f.Store.Currency)
	}
	view := sampleView{What: s.Words(r, f), Why: s.Why, Price: "not offered"}
	if s.Offered {
		view.Price = money(s.Price)
	}
	if s.Was != nil && (!s.Offered || s.Was.Cmp(s.Price) != 0) {
		view.Was = money(*s.Was)
	}
	if s.Line > 0 {
		view.Line = fmt.Sprintf("line %d", s.Line)
	}
	return view
}
