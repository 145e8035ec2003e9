package api

import (
	"net/http"
	"slices"
	"strings"
	"sync"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"
	"diadrom/internal/review/coverage"

	"github.com/gin-gonic/gin"
)

// Form is what to ask of an address in a country.
type Form struct {
	Country  string   `json:"country"`
	Name     string   `json:"name"`
	Postcode bool     `json:"postcode"`
	Shape    string   `json:"shape"`
	Regions  []Region `json:"regions"`
	// City and Street say whether a town and a street are asked for: because there is no postcode, or a price looks at them.
	City   bool `json:"city"`
	Street bool `json:"street"`
}

// Region is a region to choose.
type Region struct {
	Code string `json:"code"` // ISO 3166-2
	Name string `json:"name"`
}

// FormOf is what a store asks of an address in a country; false where there is no such country.
func FormOf(e *quote.Engine, country string) (Form, bool) {
	known, ok := world.CountryByCode(country)
	if !ok {
		return Form{}, false
	}
	asked := e.Form(known.Alpha2)
	f := Form{
		Country:  known.Alpha2,
		Name:     known.Name,
		Postcode: asked.Postcode,
		Shape:    asked.Shape,
		Regions:  []Region{},
		City:     asked.City,
	}
	for _, r := range asked.Regions {
		f.Regions = append(f.Regions, Region{r.Code, r.Name})
	}
	slices.SortStableFunc(
		f.Regions,
		func(a, b Region) int { return strings.Compare(world.Fold(a.Name), world.Fold(b.Name)) },
	)
	return f, true
}

func (a *API) form(c *gin.Context) {
	q, ok := a.engine(c)
	if !ok || !a.allowed(c, &q.who) {
		return
	}
	f, ok := FormOf(q.engine, c.Param("country"))
	if !ok {
		problem(c, NoCountry, "there is no such country in ISO 3166-1", nil)
		return
	}
	_, byPoint := a.reached.of(q.reached)
	f.Street = q.engine.AsksStreets() && slices.Contains(byPoint, f.Country)
	send(c, http.StatusOK, f)
}

// reached are the countries to which a store may deliver, remembered for the engine that was asked last: to know what a
// drawn area lies on takes some milliseconds.
type reached struct {
	mu            sync.Mutex
	engine        *quote.Engine
	list, byPoint []string
}

// of gives the countries to which a store may deliver, and those in which its prices look at a point.
func (r *reached) of(e *quote.Engine) (list, byPoint []string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.engine != e {
		r.engine, r.list, r.byPoint = e, coverage.Countries(e), coverage.ByPoint(e)
	}
	return r.list, r.byPoint
}

// forms answers with the countries to which a store may deliver, each with what to ask of an address there.
func (a *API) forms(c *gin.Context) {
	q, ok := a.engine(c)
	if !ok || !a.allowed(c, &q.who) {
		return
	}
	list := []Form{}
	reached, byPoint := a.reached.of(q.reached)
	for _, code := range reached {
		if f, ok := FormOf(q.engine, code); ok {
			f.Street = q.engine.AsksStreets() && slices.Contains(byPoint, code)
			list = append(list, f)
		}
	}
	slices.SortStableFunc(list, func(a, b Form) int { return strings.Compare(world.Fold(a.Name), world.Fold(b.Name)) })
	sendTagged(c, list)
}
