package till

import (
	"cmp"
	"context"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/place"
	"diadrom/internal/core/plural"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/review/crate"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
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
	Key, Service                        string // the key tells it from other services of the method
	Price                               string // the charge as people read it
	// what it costs in the live edition, where that differs; "no" where it is not offered there
	Live           string
	First, FirstID string // the zone that takes the address before all others
	New            bool
	Estimated      bool // its carrier failed
	Zone, Because  string
	Steps          []breakdownStep
	ZoneID, Hint   string // the hint is what it lacks to be free
	Parcels        string // what it is packed into, "" for a single parcel without a box
	Boxed          bool
	Folded         bool // its breakdown is fetched when it is opened
	Tax            string
	Kind           string
	Cost           string // what it costs the shop and what is left of it; "" where nothing says that
	Loses          bool   // whether it costs more than is left of the charge without tax
}

// pendingMethod is a method whose carrier is still being asked.
type pendingMethod struct{ Label, Carrier string }

// line is a line of the cart.
type line struct {
	Index                 int
	Name                  string
	Quantity, Price, Unit string
	Sum                   string
	Own                   bool // whether its price and weight are the Till's own
	Weight                string
	Says                  string // what else the line itself says of its goods
	Slip                  string
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
	More                         int // options that are not shown
	Refused                      []quote.Refused
	RefusedNames                 string
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
	Trial                        bool // it is quoted from a change that is not kept
	Failed                       bool // it could not be shown: the rest of the page is
	Pending                      []pendingMethod
	Waits                        bool // for a carrier, of the draft or of what it is compared with
	Answered                     bool // its carriers were waited for, and only the options are drawn

	Answer    *quote.Answer
	Cart      rate.Goods // of the cart
	OneParcel bool       // whether all of them are charged in one parcel
}

// View quotes what lies in the Till. Where that fails, whatever was typed, the Till says so and the rest of the
// page is shown.
//
// It does not wait for carriers: the page asks for the options again, which then does.
func (s *Screens) View(ctx context.Context, state *draft.State, slips Slips) (View, error) {
	return s.view(ctx, state, slips, false)
}

func (s *Screens) view(ctx context.Context, state *draft.State, slips Slips, wait bool) (v View, err error) {
	if !s.Shell.Part("till", func() { v, err = s.tillQuoted(ctx, state, slips, wait) }) {
		v, err = View{Failed: true}, nil
	}
	return v, err
}

func (s *Screens) tillQuoted(ctx context.Context, state *draft.State, slips Slips, wait bool) (View, error) {
	f := state.File
	t, err := samples.Till(ctx, s.db, f)
	if err != nil {
		return View{}, err
	}
	v := View{
		Destination: t.Destination,
		Trial:       state.Trial,
		Buyer:       BuyerOf(f, t),
		Names:       map[string]string{},
		AddSlip:     slips.addSlip,
		AddSKU:      slips.sku,
		Slip:        slips.slip,
		KeepName:    slips.keepName,
		KeepSlip:    slips.keepSlip,
		HasGoods:    len(f.Products) > 0,
	}
	if err := s.atHand(ctx, &v, t); err != nil {
		return View{}, err
	}
	for i := range f.Methods {
		v.Names[f.Methods[i].ID] = f.Methods[i].BuyersLabel()
	}
	q, at, addressErr := samples.Request(state.Engine, t)
	q.Costs = true
	for i := range q.Lines {
		v.Lines = append(v.Lines, lineOf(f, &q.Lines[i], t.Cart[at[i]], at[i], &slips))
	}
	switch {
	case slips.DestinationSlip != "":
		v.Destination, v.DestinationSlip = slips.destination, slips.DestinationSlip
	case addressErr != nil:
		v.DestinationSlip = addressErr.Error()
	default:
		v.Doubt = state.Reader().Doubt(q.To)
	}
	if addressErr != nil && q.To.Country == "" {
		return v, nil
	}
	v.quote(state, s.draft.Live(), &q, wait)
	return v, nil
}

// atHand shows the carts and destinations that are at hand for a Till.
func (s *Screens) atHand(ctx context.Context, v *View, t sqlite.Till) error {
	carts, usual, err := s.db.Samples(ctx)
	if err != nil {
		return err
	}
	recent, err := s.db.RecentDestinations(ctx)
	if err != nil {
		return err
	}
	for _, line := range append(recent, usual...) {
		if line != t.Destination && !slices.Contains(v.Near, line) && len(v.Near) < maxNear {
			v.Near = append(v.Near, line)
		}
	}
	for _, c := range carts {
		same := v.Kept == "" && slices.Equal(c.Lines, t.Cart)
		v.Carts = append(v.Carts, shell.Choice{ID: c.ID, Name: c.Name, Chosen: same})
		if same {
			v.Kept = c.ID
		}
	}
	return nil
}

// lineOf is a line of the cart, at a place in it, with what was typed there and refused.
func lineOf(f *store.File, l *quote.Line, kept sqlite.CartLine, at int, slips *Slips) line {
	u := f.Store.Units()
	v := line{
		Index:    at,
		Name:     cmp.Or(l.Product.Name, l.Product.SKU),
		Quantity: strconv.FormatInt(l.Quantity, 10),
		Sum:      world.Price(u.Money(l.Product.Price.Mul(decimal.FromInt(l.Quantity))), f.Store.Currency),
		Own:      kept.SKU == "",
		Price:    kept.Price,
		Weight:   kept.Weight,
		Unit:     u.Weight,
		Says:     lineSays(f, &kept),
	}
	if slips.lineSlip == "" || slips.line != at {
		return v
	}
	v.Slip = slips.lineSlip
	switch samples.LineField(slips.field) {
	case samples.Quantity:
		v.Quantity = slips.text
	case samples.Price:
		v.Price = slips.text
	case samples.Weight:
		v.Weight = slips.text
	}
	return v
}

// lineSays is what a line says of its goods beside their price and weight.
func lineSays(f *store.File, l *sqlite.CartLine) string {
	var says []string
	if l.Class != "" {
		says = append(says, f.ClassName(l.Class))
	}
	if l.Length+l.Width+l.Height != "" {
		says = append(says, cmp.Or(l.Length, "?")+" × "+cmp.Or(l.Width, "?")+" × "+cmp.Or(l.Height, "?")+" "+
			f.Store.LengthUnit)
	}
	for _, s := range []struct {
		is   bool
		text string
	}{{l.OwnParcel, "parcel of its own"}, {l.ShipsFree, "ships free"}, {l.Upright, "stays upright"},
		{l.NeedsShipping != nil && !*l.NeedsShipping, "needs no shipping"}} {
		if s.is {
			says = append(says, s.text)
		}
	}
	if l.From != "" {
		says = append(says, "from "+f.LocationName(l.From))
	}
	return strings.Join(says, ", ")
}

// maxNear is how many destinations are at hand.
const maxNear = 5

// quote quotes the cart from the draft, beside what it cost before the last edit and what it costs in the live edition.
func (v *View) quote(state *draft.State, live *draft.Live, q *quote.Request, wait bool) {
	f, u := state.File, state.File.Store.Units()
	engine := func(e *quote.Engine) *quote.Engine {
		if wait {
			return e
		}
		return e.NotWaiting()
	}
	q.Parcels = true
	a := engine(state.Engine).Quote(q)
	v.Answer, q.Parcels = a, false
	v.measure(f, q)
	v.Sum = world.Price(u.Money(v.Cart.Subtotal), f.Store.Currency)
	v.Goods = u.Measure(rate.ByQuantity, decimal.FromInt(a.Measures.Quantity)) + ", " + a.Measures.Weight + " " +
		u.Weight
	if a.Measures.Distance != nil {
		v.Goods += ", " + *a.Measures.Distance + " " + u.Distance
	}
	v.NoShipping, v.Message, v.Warnings, v.Refused = !a.NeedsShipping, a.Message, a.Warnings, a.Refused

	waits := map[string]bool{} // methods whose carriers have not answered all sides
	for _, p := range a.Pending {
		waits[p.Method] = true
		v.Pending = append(v.Pending, pendingMethod{p.Label, f.CarrierName(f.Method(p.Method).Carrier.ID)})
	}
	charged := func(e *quote.Engine) map[string]string {
		a := engine(e).Quote(q)
		for _, p := range a.Pending {
			waits[p.Method] = true
		}
		return charges(a)
	}
	before, onSale := map[string]string{}, map[string]string{}
	if state.Before != nil {
		before = charged(state.Before)
	}
	if live != nil {
		onSale = charged(live.Engine)
	}
	v.Waits = len(waits) > 0
	names := make([]string, len(v.Refused))
	for i := range v.Refused {
		names[i] = v.Names[v.Refused[i].Method]
	}
	v.RefusedNames = plural.Few(names)
	v.options(state, live, q, beside{before, onSale, waits})
	for i := range f.Methods {
		if waits[f.Methods[i].ID] {
			continue
		}
		if gone(before, f.Methods[i].ID) || gone(onSale, f.Methods[i].ID) {
			v.Gone = append(v.Gone, f.Methods[i].BuyersLabel())
		}
	}
}

// maxShown is how many options the Till shows at first; where there are more it fetches their breakdowns when they are
// opened.
const maxShown = 20

// fold leaves out the options behind the first ones.
func (v *View) fold() {
	if v.More = max(0, len(v.Options)-maxShown); v.More > 0 {
		v.Options = v.Options[:maxShown]
	}
}

// beside is what the options of the draft are shown beside: charges by their keys, before the last edit and in the live
// edition, and the methods whose carriers have not answered all of these.
type beside struct {
	before, onSale map[string]string
	waits          map[string]bool
}

// options shows the options. What is shown of those that it has is removed from what they stand beside.
func (v *View) options(state *draft.State, live *draft.Live, q *quote.Request, than beside) {
	f := state.File
	a := v.Answer
	many := len(a.Options) > maxShown
	for i := range a.Options {
		o := &a.Options[i]
		option := optionOf(f, a, o)
		option.Folded = many
		option.Parcels = crate.Brief(f, q, o)
		option.Boxed = len(f.BoxesOf(f.Method(o.Method))) > 0
		if state.Before != nil && !than.waits[o.Method] {
			was, offered := than.before[option.Key]
			option.New = !offered
			if was != o.Charge {
				option.Was = price(f, was)
			}
		}
		if live != nil && !than.waits[o.Method] {
			if is, ok := than.onSale[option.Key]; !ok {
				option.Live = "no"
			} else if is != o.Charge && is != than.before[option.Key] {
				option.Live = price(f, is)
			}
			delete(than.onSale, option.Key)
		}
		delete(than.before, option.Key)
		v.Options = append(v.Options, option)
	}
}

// price writes what delivery costs; "" stays so.
func price(f *store.File, amount string) string { return world.DeliveryPrice(amount, f.Store.Currency) }

// keyOf tells options apart: by the method, and by the carrier's service where it has several.
func keyOf(o *quote.Option) string { return strings.TrimSuffix(o.Method+"/"+o.Service, "/") }

// gone says whether a method is among those that were offered.
func gone(offered map[string]string, method string) bool {
	for key := range offered {
		if id, _, _ := strings.Cut(key, "/"); id == method {
			return true
		}
	}
	return false
}

// charges are what the options of an answer cost, by their keys.
func charges(a *quote.Answer) map[string]string {
	list := make(map[string]string, len(a.Options))
	for _, o := range a.Options {
		list[keyOf(&o)] = o.Charge
	}
	return list
}

// measure adds the cart up.
func (v *View) measure(f *store.File, q *quote.Request) {
	v.OneParcel = true
	for i := range q.Lines {
		p, n := &q.Lines[i].Product, q.Lines[i].Quantity
		v.Cart.Subtotal = v.Cart.Subtotal.Add(p.Price.Mul(decimal.FromInt(n)))
		v.Cart.Quantity += n
		v.OneParcel = v.OneParcel && p.NeedsShipping && !p.ShipsFree && !p.OwnParcel
	}
	// A weight may be longer than what is read as a number; then the cart is on no curve.
	weight, err := decimal.Parse(v.Answer.Measures.Weight)
	v.Cart.Weight, v.OneParcel = weight, v.OneParcel && err == nil
	if d := v.Answer.Measures.Distance; d != nil {
		if distance, err := decimal.Parse(*d); err == nil {
			v.Cart.Distance = &distance
		}
	}
}

// optionOf shows an option, with its breakdown.
func optionOf(f *store.File, a *quote.Answer, o *quote.Option) option {
	u, m := f.Store.Units(), f.Method(o.Method)
	first := a.Zones[0].Zone
	v := option{
		ID:      o.Method,
		Key:     keyOf(o),
		Service: o.Service,

		Estimated: o.Estimated,
		Label:     o.Label,
		Charge:    o.Charge,
		Price:     price(f, o.Charge),
		Kind:      string(o.Kind),
		ZoneID:    o.Zone,
		Zone:      f.ZoneName(o.Zone),
		First:     f.ZoneName(first),
		FirstID:   first,
	}
	if i := slices.IndexFunc(a.Zones, func(z quote.Zone) bool { return z.Zone == o.Zone }); i >= 0 {
		v.Because = a.Zones[i].Because
	}
	v.Hint = quote.FreeHint(o, &a.Measures, u, func(d decimal.Decimal) string {
		return world.Price(u.Money(d), f.Store.Currency)
	})
	for _, step := range o.Steps {
		step.Amount = world.Price(step.Amount, f.Store.Currency)
		v.Steps = append(v.Steps, breakdownStep{step, whereSet(m, step.Kind)})
	}
	if days := terms.FormatDays(o.Days); days != "" {
		v.Days = strings.ToUpper(days[:1]) + days[1:]
	}
	if o.Dates != nil {
		v.Dates = o.Dates.Text
	}
	if o.Tax != decimal.Zero.Fixed(u.Digits) {
		v.Tax = world.Price(o.Tax, f.Store.Currency)
	}
	v.Cost, v.Loses = costOf(f, o)
	return v
}

// costOf says what an option costs the shop and what is left of it, and whether that is less than nothing. Where the
// shop says nothing of what the method costs, it is "".
func costOf(f *store.File, o *quote.Option) (says string, loses bool) {
	u := f.Store.Units()
	entry := f.CostOf(o.Method)
	switch {
	case o.Costs == nil && entry == nil:
		return "", false
	case o.Costs == nil:
		return "Cost not known: " + cmp.Or(entry.Name, entry.ID) + " has no price for this order", false
	}
	sum := func(d decimal.Decimal) string { return world.Price(u.Money(d), f.Store.Currency) }
	says = "Costs you " + sum(o.Costs.Cost)
	left := o.Costs.Margin
	if left.Sign() < 0 {
		return says + ", a loss of " + sum(left.Neg()), true
	}
	says += ", leaves " + sum(left)
	if f.Store.Tax.PricesIncludeTax && o.Tax != decimal.Zero.Fixed(u.Digits) {
		says += " after tax"
	}
	return says, false
}

// breakdownStep is a line of the breakdown with the page on which it is set; "" where there is none.
type breakdownStep struct {
	quote.Step
	Path string
}

func whereSet(m *store.Method, step string) string {
	switch step {
	case quote.StepTable:
		return "/rates/" + m.ID
	case quote.StepCarrier, quote.StepAdjusted:
		return "/methods/" + m.ID + "#asks"
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
