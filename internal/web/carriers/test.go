package carriers

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"

	"github.com/gin-gonic/gin"
)

// tried is what came of a test: the services that the carrier lists, and what the Till's cart costs by each.
type tried struct {
	Said    string
	Bad     bool
	Asked   string // "2 parcels to 00100 Helsinki, from 21100 Naantali"
	Problem string // why there are no prices
	Prices  []triedPrice
	Several bool // parcels
}

type triedPrice struct{ Name, Code, Price, Sum, Days string }

// test asks a carrier for its services, and what the Till's cart costs.
func (s *Screens) test(c *gin.Context) {
	ctx, state := c.Request.Context(), s.draft.State()
	of := s.carrier(c, state)
	if of == nil {
		return
	}
	result := s.try(ctx, state, of)
	v := s.view(ctx, state)
	if r := v.of(of.ID); r != nil {
		r.Tried = result
	}
	s.Answer(c, "/methods", state, s.Render("carriers", v))
}

func (s *Screens) try(ctx context.Context, state *draft.State, of *store.Carrier) *tried {
	known := s.services.Fetch(ctx, of)
	if known.Problem != "" {
		return &tried{Said: of.Name + " " + known.Problem + ".", Bad: true}
	}
	r := &tried{Said: fmt.Sprintf("%s answered in %s: %s.", of.Name, took(known.Took),
		servicesCount(len(known.Services)))}
	if len(known.Services) == 0 {
		r.Bad = true
		return r
	}
	t, err := samples.Till(ctx, s.db, state.File)
	if err != nil {
		r.Problem = "The Till could not be read."
		return r
	}
	q, _, err := samples.Request(state.Engine, t)
	switch {
	case err != nil:
		r.Problem = "The Till’s cart was not asked about: " + err.Error() + "."
		return r
	case len(q.Lines) == 0:
		r.Problem = "The Till is empty: put goods in it, and test again to see what they cost."
		return r
	}
	r.prices(state.File, s.services.Try(state.Engine, of, known.Services, q), &q)
	if len(r.Prices) > 0 {
		r.unpriced(known.Services)
	}
	return r
}

// unpriced adds the services that do not take the cart.
func (r *tried) unpriced(list []carriers.Service) {
	for _, of := range list {
		if !slices.ContainsFunc(r.Prices, func(p triedPrice) bool { return p.Code == of.Code }) {
			r.Prices = append(r.Prices, triedPrice{Name: of.Name, Code: of.Code, Days: carriers.DaysText(of.Days)})
		}
	}
}

func servicesCount(n int) string {
	switch n {
	case 0:
		return "it lists no services"
	case 1:
		return "it lists 1 service"
	}
	return fmt.Sprintf("it lists %d services", n)
}

// prices shows what the Till's cart costs by each service, as the carrier says.
func (r *tried) prices(f *store.File, a *quote.Answer, q *quote.Request) {
	parcels := 0
	for i := range a.Options {
		o := &a.Options[i]
		p := triedPrice{Name: o.Label, Code: o.Service, Days: terms.FormatDays(o.Days)}
		for _, step := range o.Steps {
			if step.Kind == quote.StepCarrier {
				p.Price = world.Price(step.Amount, f.Store.Currency)
				if _, sum, ok := strings.Cut(step.Text, ": "); ok && len(o.Parcels) > 1 {
					p.Sum = sum
				}
			}
		}
		parcels = max(parcels, len(o.Parcels))
		r.Prices = append(r.Prices, p)
	}
	r.Asked = "The Till’s cart"
	switch {
	case parcels == 1:
		r.Asked += ", 1 parcel"
	case parcels > 1:
		r.Several = true
		r.Asked += fmt.Sprintf(", %d parcels", parcels)
	}
	r.Asked += ", to " + q.To.Line(f.Home())
	for _, refused := range a.Refused {
		r.Problem, r.Bad = sentence(refused.Reason)+".", refused.Code != quote.NoRate
	}
	if len(a.Options) == 0 && r.Problem == "" {
		r.Problem = "Nothing in the Till is charged for delivery."
	}
}
