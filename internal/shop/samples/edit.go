package samples

import (
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/sqlite"
	"diadrom/internal/tables/addresslist"
)

// MaxCarts is how many sample carts are kept.
const MaxCarts = 60

// SetDestination sets where the Till sends, as it is typed for a store whose places r reads.
func SetDestination(t *sqlite.Till, r typed.Reader, text string) error {
	a, err := r.Address(text)
	if err != nil {
		return edit.Problemf("%s", err.Error())
	}
	t.Destination = a.Line(r.Home)
	return nil
}

// SetEntry has the order go to an entry of the address book, for its customer and group.
func SetEntry(t *sqlite.Till, r typed.Reader, e *addresslist.Entry) {
	if a := e.Address; a.Street+a.Postcode+a.City+a.Region != "" || a.Country != r.Home {
		t.Destination = a.Line(r.Home)
	}
	t.Customer, t.Group = e.Customer, e.Group
}

// AddProduct puts one of a product into the Till, by its sku or its name.
func AddProduct(f *store.File, t *sqlite.Till, text string) error {
	i := slices.IndexFunc(f.Products, func(p store.Product) bool {
		return strings.EqualFold(p.SKU, text) || strings.EqualFold(p.Name, text)
	})
	if i < 0 {
		return edit.Problemf("there is no product %.40q", text)
	}
	sku := f.Products[i].SKU
	if at := slices.IndexFunc(t.Cart, func(l sqlite.CartLine) bool { return l.SKU == sku }); at >= 0 {
		t.Cart[at].Quantity = min(t.Cart[at].Quantity+1, quote.MaxQuantity)
		return nil
	}
	t.Cart = append(t.Cart, sqlite.CartLine{SKU: sku, Quantity: 1})
	return nil
}

// LineField is what of a line of the cart is typed.
type LineField string

// Fields of a line. The price and the weight are those of goods that are the Till's own.
const (
	Quantity LineField = "quantity"
	Price    LineField = "price"
	Weight   LineField = "weight"
)

func line(t *sqlite.Till, i int) (*sqlite.CartLine, error) {
	if i < 0 || i >= len(t.Cart) {
		return nil, edit.Problemf("this line is not in the cart any more")
	}
	return &t.Cart[i], nil
}

// SetLine sets a field of a line of the cart as it is typed. A quantity of 0 is refused: a line is removed by itself.
func SetLine(f *store.File, t *sqlite.Till, i int, field LineField, text string) error {
	l, err := line(t, i)
	if err != nil {
		return err
	}
	switch field {
	case Quantity:
		n, err := strconv.ParseInt(text, 10, 64)
		if err != nil || n < 1 || n > quote.MaxQuantity {
			return edit.Problemf("a quantity is a whole number from 1 to %d", quote.MaxQuantity)
		}
		l.Quantity = n
	case Price:
		d, err := edit.ParseBreak(text, f.Store.Currency)
		if err != nil {
			return edit.Problemf("write the price as a number, such as 2.50")
		}
		l.Price = d.Fixed(f.Store.Digits())
	case Weight:
		d, err := edit.ParseBreak(text, f.Store.WeightUnit)
		if err != nil {
			return edit.Problemf("write the weight as a number, such as 2.50")
		}
		l.Weight = d.String()
	}
	return nil
}

// RemoveLine removes a line of the cart.
func RemoveLine(t *sqlite.Till, i int) error {
	if _, err := line(t, i); err != nil {
		return err
	}
	t.Cart = slices.Delete(t.Cart, i, i+1)
	return nil
}

// BuyerField is what of the buyer is typed.
type BuyerField string

// Fields of the buyer.
const (
	BuyerCoupons  BuyerField = "coupons" // parted by commas
	BuyerCustomer BuyerField = "customer"
	BuyerGroup    BuyerField = "group"
)

// SetBuyer sets who buys, as it is typed.
func SetBuyer(t *sqlite.Till, field BuyerField, text string) error {
	text = strings.Join(strings.Fields(text), " ")
	if len([]rune(text)) > edit.MaxName {
		return edit.Problemf("that is longer than %d letters", edit.MaxName)
	}
	switch field {
	case BuyerCoupons:
		t.Coupons = strings.Join(Coupons(text), ", ")
	case BuyerCustomer:
		t.Customer = text
	case BuyerGroup:
		t.Group = text
	}
	return nil
}

// TakeCart puts a sample cart into the Till.
func TakeCart(t *sqlite.Till, carts []sqlite.SampleCart, id string) error {
	i := slices.IndexFunc(carts, func(c sqlite.SampleCart) bool { return c.ID == id })
	if i < 0 {
		return edit.Problemf("choose a cart")
	}
	t.Cart = carts[i].Lines
	return nil
}

// KeepCart adds what lies in the Till to the sample carts, by a name as it is typed.
func KeepCart(t *sqlite.Till, carts []sqlite.SampleCart, text string) ([]sqlite.SampleCart, error) {
	name, err := edit.Name(text)
	if err != nil {
		return nil, err
	}
	if len(carts) >= MaxCarts {
		return nil, edit.Problemf("there are %d sample carts already: forget one first", len(carts))
	}
	taken := map[string]bool{}
	for _, c := range carts {
		taken[c.ID] = true
		if strings.EqualFold(c.Name, name) {
			return nil, edit.Problemf("there is a sample cart called %s already", c.Name)
		}
	}
	id := store.NewID(name, "cart", func(id string) bool { return taken[id] })
	return append(carts, sqlite.SampleCart{ID: id, Name: name, Lines: t.Cart}), nil
}

// ForgetCart removes a sample cart.
func ForgetCart(carts []sqlite.SampleCart, id string) ([]sqlite.SampleCart, error) {
	i := slices.IndexFunc(carts, func(c sqlite.SampleCart) bool { return c.ID == id })
	if i < 0 {
		return nil, edit.Problemf("this sample cart was forgotten already")
	}
	return slices.Delete(carts, i, i+1), nil
}

// MaxDestinations is how many usual destinations are kept.
const MaxDestinations = 40

// AddDestination adds a usual destination, as it is typed for a store whose places r reads.
func AddDestination(destinations []string, r typed.Reader, text string) ([]string, error) {
	a, err := r.Address(text)
	if err != nil {
		return nil, edit.Problemf("%s", err.Error())
	}
	line := a.Line(r.Home)
	switch {
	case slices.Contains(destinations, line):
		return nil, edit.Problemf("%s is a usual destination already", line)
	case len(destinations) >= MaxDestinations:
		return nil, edit.Problemf("there are %d usual destinations already: remove one first", len(destinations))
	}
	return append(destinations, line), nil
}

// RemoveDestination removes a usual destination.
func RemoveDestination(destinations []string, line string) ([]string, error) {
	i := slices.Index(destinations, line)
	if i < 0 {
		return nil, edit.Problemf("%.60q was removed already", line)
	}
	return slices.Delete(destinations, i, i+1), nil
}

// MoveDestination moves a usual destination one place up.
func MoveDestination(destinations []string, line string) ([]string, error) {
	i := slices.Index(destinations, line)
	if i < 0 {
		return nil, edit.Problemf("%.60q was removed already", line)
	}
	if i > 0 {
		destinations[i-1], destinations[i] = destinations[i], destinations[i-1]
	}
	return destinations, nil
}

// Proposals are destinations for zones that no usual destination is in: one for each, as it would be typed, up to so many. taken is
// the index of the zone that takes an address, −1 for none.
func Proposals(f *store.File, r typed.Reader, destinations []string, most int,
	taken func(place.Address) int) (list []string) {
	has := map[int]bool{}
	for _, line := range destinations {
		if a, err := r.Address(line); err == nil {
			has[taken(a)] = true
		}
	}
	for i := range f.Zones {
		if has[i] || !f.Zones[i].Enabled {
			continue
		}
		if len(list) == most {
			break
		}
		for j := range f.Zones[i].Places {
			a, ok := within(&f.Zones[i].Places[j])
			if ok && taken(a) == i {
				list = append(list, a.Line(r.Home))
				break
			}
		}
	}
	return list
}

// within is an address that a place rule takes; false for rules that name none.
func within(rule *place.Rule) (a place.Address, ok bool) {
	a = place.Address{Country: rule.Country, Region: rule.Region, City: rule.City}
	switch rule.Level() {
	case place.Postcode:
		for i := range rule.Postcodes {
			if a.Postcode = rule.Postcodes[i].First(rule.Country); a.Postcode != "" {
				return a, true
			}
		}
		return a, false
	case place.Country, place.Region, place.City:
		return a, true
	case place.Group:
		if g, found := world.GroupByCode(rule.Group); found && len(g.Countries) > 0 {
			return place.Address{Country: g.Countries[0]}, true
		}
	}
	return a, false
}
