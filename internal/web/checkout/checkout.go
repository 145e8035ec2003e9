package checkout

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/core/atlas"
	"diadrom/internal/core/place"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/api"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// checkoutView is the checkout as a buyer meets it, with the owner's choices above it.
type checkoutView struct {
	Shop      string
	Draft     bool  // whether it is of the draft, where the owner chooses how it asks
	Edition   int64 // that is live; 0 for none
	Settings  store.Checkout
	Countries []shell.Choice
	Buyer     till.BuyerView
	HasGoods  bool
	Start     checkoutStart
}

// checkoutStart is what the page begins with: the Till's cart, address and buyer. All else the page asks of the API.
type checkoutStart struct {
	Of       string            `json:"of"` // live, draft
	Currency string            `json:"currency"`
	Digits   int               `json:"digits"`
	Taxed    bool              `json:"taxed"` // whether prices include all tax that there is
	Lines    []checkoutLine    `json:"lines"`
	To       checkoutAddress   `json:"to"`
	Form     api.Form          `json:"form"` // of the address's country
	Coupons  string            `json:"coupons"`
	Customer string            `json:"customer"`
	Group    string            `json:"group"`
	Labels   map[string]string `json:"labels"` // of methods
	Boxes    map[string]string `json:"boxes"`  // what they are called
	Places   map[string]string `json:"places"` // of the shop: what they are called
	// Parcelled are the methods that say how goods become parcels.
	Parcelled map[string]bool `json:"parcelled"`
	Weight    string          `json:"weight"` // unit
	Options   string          `json:"options"`
	Address   string          `json:"address"`
	Land      string          `json:"land"` // version of the map
}

// checkoutLine is a line of the cart; one without a sku carries its own weight.
type checkoutLine struct {
	SKU      string `json:"sku"`
	Name     string `json:"name"`
	Price    string `json:"price"`
	Weight   string `json:"weight"`
	Quantity int64  `json:"quantity"`
}

type checkoutAddress struct {
	Country  string `json:"country"`
	Region   string `json:"region"`
	City     string `json:"city"`
	Postcode string `json:"postcode"`
	Street   string `json:"street"`
}

func (s *Screens) checkout(c *gin.Context) {
	state, live := s.draft.State(), s.draft.Live()
	of := live == nil || c.Query("of") == "draft"
	engine := state.Engine
	if !of {
		engine = live.Engine
	}
	v, err := s.checkoutView(c.Request.Context(), engine)
	if err != nil {
		s.Internal(c, err)
		return
	}
	v.Draft, v.Start.Of = of, "live"
	if of {
		v.Start.Of = "draft"
	}
	if live != nil {
		v.Edition = live.Number
	}
	s.HTML(c, http.StatusOK, s.Render("checkout", v))
}

func (s *Screens) checkoutView(ctx context.Context, e *quote.Engine) (v checkoutView, err error) {
	f := e.Store()
	t, err := samples.Till(ctx, s.db, f)
	if err != nil {
		return v, err
	}
	v = checkoutView{
		Shop:     shell.ShopName(f),
		Settings: edit.CheckoutOf(f),
		Buyer:    till.BuyerOf(f, t),
		HasGoods: len(f.Products) > 0,
	}
	u := f.Store.Units()
	start := checkoutStart{
		Currency: f.Store.Currency,
		Digits:   u.Digits,
		Taxed:    f.Store.Tax.PricesIncludeTax || len(f.Store.Tax.Rates) == 0,
		Lines:    []checkoutLine{},
		Coupons:  t.Coupons,
		Customer: t.Customer,
		Group:    t.Group,
		Labels:   map[string]string{},
		Weight:   f.Store.WeightUnit,
		Options:  string(v.Settings.Options),
		Address:  string(v.Settings.Address),
		Land:     atlas.Version,
	}
	q, at, err := samples.Request(e, t)
	to := q.To
	if err != nil && to.Country == "" {
		to = place.Address{Country: cmp.Or(f.Home(), "FI")}
	}
	for i, l := range q.Lines {
		line := checkoutLine{SKU: l.Product.SKU, Name: cmp.Or(l.Product.Name, l.Product.SKU),
			Price: u.Money(l.Product.Price), Quantity: l.Quantity}
		if line.SKU == "" {
			line.Weight = t.Cart[at[i]].Weight
		}
		start.Lines = append(start.Lines, line)
	}
	start.To = checkoutAddress{to.Country, regionOf(&to), to.City, to.Postcode, to.Street}
	start.Form, _ = api.FormOf(e, to.Country)
	for i := range f.Methods {
		start.Labels[f.Methods[i].ID] = f.Methods[i].BuyersLabel()
	}
	start.parcels(f)
	for _, country := range world.Countries() {
		v.Countries = append(v.Countries, shell.Choice{ID: country.Alpha2, Name: country.Name,
			Chosen: country.Alpha2 == to.Country})
	}
	slices.SortFunc(
		v.Countries,
		func(a, b shell.Choice) int { return strings.Compare(world.Fold(a.Name), world.Fold(b.Name)) },
	)
	v.Start = start
	return v, nil
}

// parcels is what the page needs to say what an order is packed into.
func (start *checkoutStart) parcels(f *store.File) {
	start.Boxes, start.Places, start.Parcelled = map[string]string{}, map[string]string{}, map[string]bool{}
	for i := range f.Boxes {
		start.Boxes[f.Boxes[i].ID] = f.BoxName(f.Boxes[i].ID)
	}
	for i := range f.Locations {
		start.Places[f.Locations[i].ID] = f.LocationName(f.Locations[i].ID)
	}
	for i := range f.Methods {
		start.Parcelled[f.Methods[i].ID] = f.Methods[i].Parcels != nil
	}
}

// regionOf is the whole code of an address's region.
func regionOf(a *place.Address) string {
	if r, ok := world.RegionByCode(a.Country, a.Region); ok {
		return r.Code
	}
	return a.Region
}

// checkoutGoods finds what a buyer puts into the cart, by its sku or its name.
func (s *Screens) checkoutGoods(c *gin.Context) {
	f, text := s.draft.State().File, strings.TrimSpace(c.Query("text"))
	if live := s.draft.Live(); live != nil && c.Query("of") != "draft" {
		f = live.File
	}
	for i := range f.Products {
		if p := &f.Products[i]; strings.EqualFold(p.SKU, text) || strings.EqualFold(p.Name, text) {
			c.JSON(
				http.StatusOK,
				checkoutLine{
					SKU:      p.SKU,
					Name:     cmp.Or(p.Name, p.SKU),
					Price:    f.Store.Units().Money(p.Price),
					Quantity: 1,
				},
			)
			return
		}
	}
	c.JSON(
		http.StatusNotFound,
		gin.H{"message": "there is no product " + strings.ToValidUTF8(text[:min(40, len(text))], "")},
	)
}

// editCheckout sets one of the owner's choices of how the checkout asks and shows.
func (s *Screens) editCheckout(c *gin.Context) {
	field, value := c.PostForm("field"), c.PostForm("value")
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		return edit.SetCheckout(f, edit.Checkout(field), value)
	})
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		s.HTML(c, http.StatusUnprocessableEntity, s.Render("checkout-choices", struct {
			Settings store.Checkout
			Slip     string
		}{edit.CheckoutOf(s.draft.State().File), text}))
		return
	}
	c.Header("HX-Trigger-After-Settle", "checkout-changed")
	s.HTML(c, http.StatusOK, s.Render("checkout-choices", struct {
		Settings store.Checkout
		Slip     string
	}{edit.CheckoutOf(state.File), ""}))
}
