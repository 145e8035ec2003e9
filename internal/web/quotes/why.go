package quotes

import (
	"cmp"
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/review/chain"
	"diadrom/internal/shop/samples"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// whyAgreed is an agreed charge on the way to a price.
type whyAgreed struct {
	ID, Name, For, Price string
	Holds, Decides       bool
}

// whyZone is a zone on the way to a price.
type whyZone struct {
	chain.Zone
	Name, Colour, Price string
	Behind              bool // another zone decides before it
}

// whyStep is a step of the price with the sum up to it.
type whyStep struct{ Kind, Text, Amount, Sum, Path string }

type whyView struct {
	Services     []shell.Choice // of the method's carrier
	Runs         []shell.Choice
	Methods      []shell.Choice
	ID, Name     string
	To           string
	Slip         string
	Agreed       []whyAgreed
	Zones        []whyZone
	Steps        []whyStep
	Extras       []chain.Extra
	Price        string
	Tax, TaxSaid string
	Refused      string
	NoAgreed     bool // the shop has none for this method
	ByZone       bool // a zone decides, no agreed charge does
}

// why shows where the price of a method comes from, for what lies in the Till.
func (s *Screens) why(c *gin.Context) {
	state := s.draft.State()
	f := state.File
	v := whyView{Runs: slices.Clone(Runs)}
	t, err := samples.Till(c.Request.Context(), s.db, f)
	if err != nil {
		s.Internal(c, err)
		return
	}
	id := c.Query("method")
	if f.Method(id) == nil && len(f.Methods) > 0 {
		id = f.Methods[0].ID
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == id})
		if m.ID == id {
			v.ID, v.Name = id, m.BuyersLabel()
		}
	}
	if m := f.Method(id); m != nil && m.Kind == store.CarrierKind && m.Carrier != nil {
		for _, of := range m.Carrier.Services {
			if of.Enabled {
				v.Services = append(v.Services, shell.Choice{ID: of.Code, Name: cmp.Or(of.Label, of.Code)})
			}
		}
	}
	v.To = t.Destination
	q, _, err := samples.Request(state.Engine, t)
	if err != nil {
		v.Slip = err.Error()
	} else if why, ok := chain.Of(state.Engine, &q, id, c.Query("service")); ok {
		v.fill(f, &why)
		v.Name = cmp.Or(why.Label, v.Name)
		for i := range v.Services {
			v.Services[i].Chosen = v.Services[i].ID == why.Service
		}
	}
	s.ShowStatus(c, http.StatusOK, shell.Page{Here: "/quotes", Title: "Where a price comes from", Template: "why"}, v)
}

// stepNames are the kinds of steps as people call them.
var stepNames = map[string]string{
	quote.StepTable:     "price list",
	quote.StepCarrier:   "carrier’s price",
	quote.StepAdjusted:  "changed by you",
	quote.StepSurcharge: "surcharge",
	quote.StepMinimum:   "minimum price",
	quote.StepMaximum:   "maximum price",
	quote.StepHandling:  "handling fee",
	quote.StepAgreed:    "agreed charge",
	quote.StepFree:      "free delivery",
	quote.StepRounding:  "rounding",
}

// fill writes a chain as people read it.
func (v *whyView) fill(f *store.File, why *chain.Chain) {
	price := func(amount string) string {
		if amount == "" {
			return ""
		}
		return world.DeliveryPrice(amount, f.Store.Currency)
	}
	for i := range why.Agreed {
		a := &why.Agreed[i]
		v.Agreed = append(v.Agreed, whyAgreed{ID: a.ID, Name: cmp.Or(a.Name, a.ID), For: agreedFor(a.Agreed),
			Price: price(f.Store.Units().Money(a.Amount)), Holds: a.Holds, Decides: a.Decides})
	}
	v.NoAgreed = len(v.Agreed) == 0
	v.ByZone = !slices.ContainsFunc(v.Agreed, func(a whyAgreed) bool { return a.Decides })
	decided := false
	for _, z := range why.Zones {
		v.Zones = append(v.Zones, whyZone{Zone: z, Name: f.ZoneName(z.ID), Colour: shell.Colour(f.ZoneIndex(z.ID)),
			Price: price(z.Charge), Behind: decided})
		decided = decided || z.Decides
	}
	for _, s := range why.Steps {
		v.Steps = append(v.Steps, whyStep{Kind: stepNames[s.Kind], Text: s.Text, Amount: world.Price(s.Amount,
			f.Store.Currency),
			Sum: world.Price(s.Sum, f.Store.Currency)})
	}
	v.Extras, v.Price, v.Refused = why.Extras, price(why.Charge), why.Refused
	if why.Tax != "" && strings.Trim(why.Tax, "0.") != "" {
		v.Tax, v.TaxSaid = world.Price(why.Tax, f.Store.Currency), "on top: prices are before tax"
		if f.Store.Tax.PricesIncludeTax {
			v.TaxSaid = "included in the price"
		}
	}
}

// agreedFor says for whom a charge was agreed.
func agreedFor(a *store.Agreed) string {
	var parts []string
	if a.Customer != "" {
		parts = append(parts, "customer "+a.Customer)
	}
	if a.Group != "" {
		parts = append(parts, "group "+a.Group)
	}
	if p := a.Place; p != nil {
		where := strings.TrimSpace(p.Street + " " + p.Postcode)
		parts = append(parts, "orders to "+strings.TrimSpace(where+" "+world.CountryName(p.Country)))
	}
	return strings.Join(parts, ", ")
}
