package till

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Slips are what was typed into the Till and refused, with the reasons.
type Slips struct {
	destination, DestinationSlip string
	line                         int
	field, text, lineSlip        string
	sku, addSlip                 string
	slip                         string // about none of the fields that are there
	keepName, keepSlip           string
}

type option struct {
	ID, Label, Charge, Was, Days, Dates string
	Price                               string // the charge as people read it
	Live                                string // what it costs in the live edition, where that differs; "no" where it is not offered there
	First, FirstID                      string // the zone that takes the address before all others
	New                                 bool
	Zone, Because                       string
	Steps                               []breakdownStep
	ZoneID, Hint                        string // the hint is what it lacks to be free
	Tax                                 string
	Kind                                string
}

// View is the Till, quoted.
type View struct {
	Destination, DestinationSlip string
	Doubt                        string   // what no list knows of the destination
	Near                         []string // the last destinations, then the shop's usual ones
	Carts                        []shell.Choice
	Lines                        []line
	Sum, Goods                   string
	Buyer                        BuyerView
	Options                      []option
	Refused                      []quote.Refused
	Gone                         []string // offered before the last edit
	Names                        map[string]string
	Message                      string
	Warnings                     []quote.Warning
	NoShipping                   bool
	HasGoods                     bool
	Kept                         string // the sample cart that lies in it
	KeepName, KeepSlip           string
	AddSlip, AddSKU              string
	Slip                         string
	OOB                          bool
	Failed                       bool // it could not be shown: the rest of the page is

	Answer    *quote.Answer
	Cart      rate.Goods                          // of the cart
	OneParcel bool                                // whether all of them are charged in one parcel
	Billed    func(*store.Method) decimal.Decimal // what a method bills them as
}

// View quotes what lies in the Till. Where that fails, whatever was typed, the Till says so and the rest of the
// page is shown.
func (s *Screens) View(ctx context.Context, state *draft.State, slips Slips) (v View, err error) {
	if !s.Shell.Part("till", func() { v, err = s.tillQuoted(ctx, state, slips) }) {
		v, err = View{Failed: true}, nil
	}
	return v, err
}

func (s *Screens) tillQuoted(ctx context.Context, state *draft.State, slips Slips) (View, error) {
	f := state.File
	t, err := samples.Till(ctx, s.db, f)
	if err != nil {
		return View{}, err
	}
	carts, usual, err := s.db.Samples(ctx)
	if err != nil {
		return View{}, err
	}
	recent, err := s.db.RecentDestinations(ctx)
	if err != nil {
		return View{}, err
	}
	u := f.Store.Units()
	v := View{
		Destination: t.Destination,
		Buyer:       BuyerOf(f, t),
		Names:       map[string]string{},
		AddSlip:     slips.addSlip,
		AddSKU:      slips.sku,
		Slip:        slips.slip,
		KeepName:    slips.keepName,
		KeepSlip:    slips.keepSlip,
	}
	for _, line := range append(recent, usual...) {
		if line != t.Destination && !slices.Contains(v.Near, line) && len(v.Near) < maxNear {
			v.Near = append(v.Near, line)
		}
	}
	for _, c := range carts {
		same := sameCart(c.Lines, t.Cart)
		v.Carts = append(v.Carts, shell.Choice{ID: c.ID, Name: c.Name, Chosen: same && v.Kept == ""})
		if same && v.Kept == "" {
			v.Kept = c.ID
		}
	}
	v.HasGoods = len(f.Products) > 0
	for i := range f.Methods {
		v.Names[f.Methods[i].ID] = f.Methods[i].BuyersLabel()
	}
	q, at, addressErr := samples.Request(state.Engine, t)
	for i, l := range q.Lines {
		line := line{
			Index:    at[i],
			Name:     cmp.Or(l.Product.Name, l.Product.SKU),
			Quantity: strconv.FormatInt(l.Quantity, 10),
			Sum:      world.Price(u.Money(l.Product.Price.Mul(decimal.FromInt(l.Quantity))), f.Store.Currency),
			Own:      t.Cart[at[i]].SKU == "",
			Price:    t.Cart[at[i]].Price,
			Weight:   t.Cart[at[i]].Weight,
			Unit:     u.Weight,
		}
		if slips.lineSlip != "" && slips.line == at[i] {
			line.Slip = slips.lineSlip
			switch slips.field {
			case "quantity":
				line.Quantity = slips.text
			case "price":
				line.Price = slips.text
			case "weight":
				line.Weight = slips.text
			}
		}
		v.Lines = append(v.Lines, line)
	}
	if slips.DestinationSlip != "" {
		v.Destination, v.DestinationSlip = slips.destination, slips.DestinationSlip
	} else if addressErr != nil {
		v.DestinationSlip = addressErr.Error()
	} else {
		v.Doubt = state.Reader().Doubt(q.To)
	}
	if addressErr != nil && q.To.Country == "" {
		return v, nil
	}
	v.quote(state, s.draft.Live(), &q)
	return v, nil
}

// maxNear is how many destinations are at hand.
const maxNear = 5

func sameCart(a, b []sqlite.CartLine) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if a[i] != b[i] {
			return false
		}
	}
	return true
}

func (v *View) quote(state *draft.State, live *draft.Live, q *quote.Request) {
	f, u := state.File, state.File.Store.Units()
	a := state.Engine.Quote(q)
	v.Answer = a
	v.Billed = func(m *store.Method) decimal.Decimal { return state.Engine.Billed(m, q.Lines) }
	before := map[string]string{}
	if state.Before != nil {
		for _, o := range state.Before.Quote(q).Options {
			before[o.Method] = o.Charge
		}
	}
	onSale := map[string]string{} // in the live edition
	if live != nil {
		for _, o := range live.Engine.Quote(q).Options {
			onSale[o.Method] = o.Charge
		}
	}
	v.OneParcel = true
	for i := range q.Lines {
		p, n := &q.Lines[i].Product, q.Lines[i].Quantity
		v.Cart.Subtotal = v.Cart.Subtotal.Add(p.Price.Mul(decimal.FromInt(n)))
		v.Cart.Quantity += n
		v.OneParcel = v.OneParcel && p.NeedsShipping && !p.ShipsFree && !p.OwnParcel
	}
	// A weight may be longer than what is read as a number; then the cart is on no curve.
	weight, err := decimal.Parse(a.Measures.Weight)
	v.Cart.Weight, v.OneParcel = weight, v.OneParcel && err == nil
	if d := a.Measures.Distance; d != nil {
		if distance, err := decimal.Parse(*d); err == nil {
			v.Cart.Distance = &distance
		}
	}
	v.Sum = world.Price(u.Money(v.Cart.Subtotal), f.Store.Currency)
	v.Goods = u.Measure(
		rate.ByQuantity,
		decimal.FromInt(a.Measures.Quantity),
	) + ", " + a.Measures.Weight + " " + u.Weight
	if a.Measures.Distance != nil {
		v.Goods += ", " + *a.Measures.Distance + " " + u.Distance
	}
	v.NoShipping, v.Message, v.Warnings, v.Refused = !a.NeedsShipping, a.Message, a.Warnings, a.Refused
	because := map[string]quote.Zone{}
	for _, z := range a.Zones {
		because[z.Zone] = z
	}
	for _, o := range a.Options {
		z := f.Zone(o.Zone)
		option := option{
			ID:      o.Method,
			Label:   o.Label,
			Charge:  o.Charge,
			Zone:    cmp.Or(z.Name, z.ID),
			Because: because[o.Zone].Because,
			ZoneID:  o.Zone,
			Kind:    string(o.Kind),
		}
		m := f.Method(o.Method)
		option.Price = world.DeliveryPrice(o.Charge, f.Store.Currency)
		option.Hint = quote.FreeHint(
			m,
			&o,
			&a.Measures,
			u,
			func(d decimal.Decimal) string { return world.Price(u.Money(d), f.Store.Currency) },
		)
		for _, step := range o.Steps {
			step.Amount = world.Price(step.Amount, f.Store.Currency)
			option.Steps = append(option.Steps, breakdownStep{step, whereSet(m, step.Kind)})
		}
		first := f.Zone(a.Zones[0].Zone)
		option.First, option.FirstID = cmp.Or(first.Name, first.ID), first.ID
		if o.Days != nil {
			if days := terms.FormatDays(o.Days); days != "" {
				option.Days = strings.ToUpper(days[:1]) + days[1:]
			}
		}
		if o.Dates != nil {
			option.Dates = o.Dates.Text
		}
		if o.Tax != decimal.Zero.Fixed(u.Digits) {
			option.Tax = world.Price(o.Tax, f.Store.Currency)
		}
		if state.Before != nil {
			was, offered := before[o.Method]
			option.New = !offered
			if was != o.Charge {
				option.Was = world.DeliveryPrice(was, f.Store.Currency)
			}
		}
		if live != nil {
			if is, ok := onSale[o.Method]; !ok {
				option.Live = "no"
			} else if is != o.Charge && is != before[o.Method] {
				option.Live = world.DeliveryPrice(is, f.Store.Currency)
			}
			delete(onSale, o.Method)
		}
		delete(before, o.Method)
		v.Options = append(v.Options, option)
	}
	for i := range f.Methods {
		_, gone := before[f.Methods[i].ID]
		if _, live := onSale[f.Methods[i].ID]; gone || live {
			v.Gone = append(v.Gone, f.Methods[i].BuyersLabel())
		}
	}
}

// breakdownStep is a line of the reckoning with the page on which it is set; "" where there is none.
type breakdownStep struct {
	quote.Step
	Path string
}

func whereSet(m *store.Method, step string) string {
	switch step {
	case quote.StepTable:
		return "/rates/" + m.ID
	case quote.StepHandling, quote.StepMinimum, quote.StepMaximum, quote.StepFree:
		return "/methods/" + m.ID + "#terms"
	}
	return ""
}

// Zone is the index of the zone that takes the Till's address before all others, −1 where none does, with
// the address as typed and as it is understood.
func (s *Screens) Zone(ctx context.Context, state *draft.State) (int, string, place.Address) {
	t, err := samples.Till(ctx, s.db, state.File)
	if err != nil {
		return -1, "", place.Address{}
	}
	to, err := state.Reader().Address(t.Destination)
	if err != nil {
		return -1, "", place.Address{}
	}
	resolved := state.Engine.Resolve(to)
	zones := state.Engine.Zones(&resolved)
	if len(zones) == 0 {
		return -1, t.Destination, to
	}
	return zones[0].Owner, t.Destination, to
}

// tillLine sets the quantity of a line, or the price and weight of goods that are the Till's own; a quantity of 0 is
// refused, as a line is removed by its own button.
func (s *Screens) tillLine(c *gin.Context) {
	i, err := strconv.Atoi(c.PostForm("line"))
	field, typed := c.PostForm("field"), strings.TrimSpace(c.PostForm("value"))
	s.Change(c, func(f *store.File, t *sqlite.Till) error {
		if err != nil || i < 0 || i >= len(t.Cart) {
			field = ""
			return shell.Refusef("this line is not in the cart any more")
		}
		line := &t.Cart[i]
		switch field {
		case "remove":
			t.Cart = append(t.Cart[:i], t.Cart[i+1:]...)
		case "quantity":
			n, err := strconv.ParseInt(typed, 10, 64)
			if err != nil || n < 1 || n > quote.MaxQuantity {
				return shell.Refusef("a quantity is a whole number from 1 to %d", quote.MaxQuantity)
			}
			line.Quantity = n
		case "price", "weight":
			unit := f.Store.Currency
			if field == "weight" {
				unit = f.Store.WeightUnit
			}
			d, err := edit.ParseBreak(typed, unit)
			if err != nil {
				return shell.Refusef("write the %s as a number, such as 2.50", field)
			}
			if field == "price" {
				line.Price = d.Fixed(f.Store.Digits())
			} else {
				line.Weight = d.String()
			}
		}
		return nil
	}, func(slips *Slips, text string) {
		if field == "" {
			slips.slip = text
			return
		}
		slips.line, slips.field, slips.text, slips.lineSlip = i, field, typed, text
	})
}
