package setup

import (
	"context"
	"html/template"
	"net/http"
	"strings"
	"time"

	"diadrom/internal/core/place"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/shop/shipped"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// view is the Shop station.
type view struct {
	Begin *beginView // what a new shop is asked; nil for one that has begun

	Shop   unitsView
	Places []placeRow
	// A list of places that is being taken in; the page asks again until it is.
	Loading string
	// What was typed for a new place, and refused.
	NewName, NewAddress, NewSlip string

	Sells             []string
	NewSold, SoldSlip string

	TaxIncluded     bool
	Taxes           []taxRow
	NewTax, TaxSlip string

	Distances distancesView
	Dispatch  dispatchView

	Destinations                    []string
	Proposed                        []string // one for each zone that none is in
	MoreProposed                    bool     // there are more such zones
	NewDestination, DestinationSlip string
}

type unitsView struct {
	Name, Currency, Weight, Length, Distance string
	Slip                                     string
	Weights, Lengths, Distances              []string
}

// placeRow is a place of the shop.
type placeRow struct {
	ID, Name, Street, Postcode, City, Country string
	Point, Known                              string // as typed; else where the lists of places have it
	Hours, Ready                              string
	Ships, Pickup                             bool
	Uses                                      string
	Lost                                      string // what its lack of a point means
	Field, Slip                               string // what is wrong, and with which field
	// how many products leave from there, where it cannot be removed for that
	Leave int
}

type taxRow struct{ Places, Percent, Slip string }

func (s *Screens) view(ctx context.Context, state *draft.State) view {
	f := state.File
	v := view{
		Shop: unitsView{
			Name:      f.Store.Name,
			Currency:  f.Store.Currency,
			Weight:    f.Store.WeightUnit,
			Length:    f.Store.LengthUnit,
			Distance:  f.Store.DistanceUnit,
			Weights:   []string{"g", "kg", "oz", "lb"},
			Lengths:   []string{"mm", "cm", "m", "in"},
			Distances: []string{"km", "mi"},
		},
		TaxIncluded: f.Store.Tax.PricesIncludeTax,
		Dispatch:    dispatchViewOf(f, time.Now()),
		Distances:   s.distances(ctx, state),
	}
	if !edit.Begun(f) {
		v.Begin = beginViewOf(f)
	}
	for i := range f.Locations {
		v.Places = append(v.Places, placeRowOf(state, &f.Locations[i]))
	}
	for i := range f.Store.SellsTo {
		v.Sells = append(v.Sells, f.Store.SellsTo[i].Words()...)
	}
	for i := range f.Store.Tax.Rates {
		t := &f.Store.Tax.Rates[i]
		v.Taxes = append(v.Taxes, taxRow{Places: edit.TaxWords(t), Percent: t.Percent.String()})
	}
	_, destinations, err := s.db.Samples(ctx)
	if err != nil {
		s.Log.Error("usual destinations", "error", err)
		v.DestinationSlip = "the usual destinations cannot be read; the log of the server says why"
		return v
	}
	v.Destinations, v.Loading = destinations, s.loading(ctx)
	for i := range v.Places {
		if v.Loading != "" { // it is too early to say that no list has them
			v.Places[i].Lost = ""
		}
	}
	v.Proposed = samples.Proposals(f, state.Reader(), destinations, maxProposed+1, func(a place.Address) int {
		to := state.Engine.Resolve(a)
		if zones := state.Engine.Zones(&to); len(zones) > 0 {
			return zones[0].Owner
		}
		return -1
	})
	if v.MoreProposed = len(v.Proposed) > maxProposed; v.MoreProposed {
		v.Proposed = v.Proposed[:maxProposed]
	}
	return v
}

// maxProposed is how many destinations are proposed at a time.
const maxProposed = 12

func placeRowOf(state *draft.State, l *store.Location) placeRow {
	f := state.File
	row := placeRow{
		ID:       l.ID,
		Name:     f.LocationName(l.ID),
		Street:   l.Street,
		Postcode: l.Postcode,
		City:     l.City,
		Hours:    l.Hours,
		Ready:    terms.FormatDays(l.Ready),
		Ships:    l.ShipsFrom,
		Pickup:   l.Pickup,
		Uses:     strings.Join(edit.LocationUses(f, l.ID), ", "),
	}
	if l.Country != "" {
		row.Country = world.CountryName(l.Country)
	}
	if l.Lat != nil && l.Lon != nil {
		row.Point = l.Lat.String() + " " + l.Lon.String()
		return row
	}
	if p, ok := l.Point(state.Engine.Gazetteer()); ok {
		at := place.At(l.Country, p)
		row.Known = at.Lat.Round(4).String() + " " + at.Lon.Round(4).String() + ", from the lists of places"
	} else if l.ShipsFrom || row.Uses != "" {
		row.Lost = "We don't know where this is, so distances from here cannot be measured. Add a postcode from a " +
			"list of places, or latitude and longitude."
	}
	return row
}

func (s *Screens) shop(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/shop", Title: "Shop", Template: "shop"}, s.view(c.Request.Context(), s.draft.State()))
}

// loadPlaces begins to load the list of places that comes with the program for the shop's country, where there is one.
func (s *Screens) loadPlaces(ctx context.Context, state *draft.State) {
	home := state.File.Home()
	if loaded, err := shipped.Load(ctx, s.lists, home); err != nil {
		s.Log.Error("list of places", "country", home, "error", err)
	} else if loaded {
		s.Log.Info("list of places is loaded", "country", home)
	}
}

// loading says that a list of places is being taken in, "" where none is.
func (s *Screens) loading(ctx context.Context) string {
	lists, err := s.lists.Lists(ctx)
	if err != nil {
		return ""
	}
	for i := range lists {
		if l := &lists[i]; l.State == sqlite.ListWaiting {
			return l.Name + " is being loaded. Distances can be measured once it is there."
		}
	}
	return ""
}

// editHome is editAll for edits that may say which country the shop is in.
func (s *Screens) editHome(c *gin.Context, change func(*store.File) error, slipped func(*view, string)) {
	before := s.draft.State().Revision
	shell.EditWork(s.Shell, c, "shop", func(state *draft.State) view {
		if state.Revision > before {
			s.loadPlaces(c.Request.Context(), state)
		}
		return s.view(c.Request.Context(), state)
	}, change, slipped)
}

// editAll makes an edit that is answered with all of the station.
func (s *Screens) editAll(c *gin.Context, change func(*store.File) error, slipped func(*view, string)) {
	view := func(state *draft.State) view { return s.view(c.Request.Context(), state) }
	shell.EditWork(s.Shell, c, "shop", view, change, slipped)
}

// editShop sets what holds for all of the shop. Units are set before there are numbers in them.
func (s *Screens) editShop(c *gin.Context) {
	typed := edit.Shop{
		Name: c.PostForm("name"), Currency: c.PostForm("currency"),
		Weight: c.PostForm("weight"), Length: c.PostForm("length"), Distance: c.PostForm("distance"),
	}
	s.editAll(c, func(f *store.File) error {
		return edit.SetShop(f, typed)
	}, func(v *view, text string) {
		v.Shop.Name, v.Shop.Currency, v.Shop.Slip = typed.Name, typed.Currency, text
	})
}

func (s *Screens) addPlace(c *gin.Context) {
	name, address := c.PostForm("name"), c.PostForm("address")
	s.editHome(c, func(f *store.File) error {
		_, err := edit.AddLocation(f, name, address, s.draft.State().Reader())
		return err
	}, func(v *view, text string) { v.NewName, v.NewAddress, v.NewSlip = name, address, text })
}

func (s *Screens) editPlace(c *gin.Context) {
	id, field, typed := c.Param("place"), edit.LocationField(c.PostForm("field")), c.PostForm("value")
	s.editHome(c, func(f *store.File) error {
		return edit.SetLocation(f, id, field, typed)
	}, func(v *view, text string) {
		for i := range v.Places {
			if row := &v.Places[i]; row.ID == id {
				row.refuse(field, typed, text)
				return
			}
		}
		v.NewSlip = text
	})
}

// refuse keeps what was typed into a field.
func (r *placeRow) refuse(field edit.LocationField, typed, why string) {
	r.Field, r.Slip = string(field), why
	into := map[edit.LocationField]*string{
		edit.LocationName:     &r.Name,
		edit.LocationStreet:   &r.Street,
		edit.LocationPostcode: &r.Postcode,
		edit.LocationCity:     &r.City,
		edit.LocationCountry:  &r.Country,
		edit.LocationPoint:    &r.Point,
		edit.LocationHours:    &r.Hours,
		edit.LocationReady:    &r.Ready,
	}[field]
	if into != nil {
		*into = typed
	}
}

func (s *Screens) removePlace(c *gin.Context) {
	id := c.Param("place")
	s.editAll(c, func(f *store.File) error {
		if c.PostForm("unleave") != "" {
			edit.Unleave(f, id)
		}
		return edit.RemoveLocation(f, id)
	}, func(v *view, text string) {
		for i := range v.Places {
			if v.Places[i].ID == id {
				v.Places[i].Slip = text
				if f := s.draft.State().File.Clone(); edit.Unleave(f, id) > 0 && edit.RemoveLocation(f, id) == nil {
					v.Places[i].Leave = edit.Leaving(s.draft.State().File, id) // nothing else uses it
				}
			}
		}
	})
}

func (s *Screens) addSellsTo(c *gin.Context) {
	typed := c.PostForm("places")
	s.editAll(c, func(f *store.File) error {
		return edit.AddSellsTo(f, s.draft.State().Reader(), typed)
	}, func(v *view, text string) { v.NewSold, v.SoldSlip = typed, text })
}

func (s *Screens) removeSellsTo(c *gin.Context) {
	s.editAll(c, func(f *store.File) error {
		return edit.RemoveSellsTo(f, c.PostForm("place"))
	}, func(v *view, text string) { v.SoldSlip = text })
}

func (s *Screens) addTax(c *gin.Context) {
	typed := c.PostForm("tax")
	s.editAll(c, func(f *store.File) error {
		return edit.AddTax(f, s.draft.State().Reader(), typed)
	}, func(v *view, text string) { v.NewTax, v.TaxSlip = typed, text })
}

func (s *Screens) taxIncluded(c *gin.Context) {
	s.editAll(c, func(f *store.File) error {
		f.Store.Tax.PricesIncludeTax = c.PostForm("included") == "yes"
		return nil
	}, func(v *view, text string) { v.TaxSlip = text })
}

func (s *Screens) editTax(c *gin.Context) {
	places, typed := c.PostForm("places"), c.PostForm("value")
	s.editAll(c, func(f *store.File) error {
		return edit.SetTax(f, places, typed)
	}, func(v *view, text string) {
		for i := range v.Taxes {
			if row := &v.Taxes[i]; row.Places == places {
				row.Percent, row.Slip = typed, text
				return
			}
		}
		v.TaxSlip = text
	})
}

func (s *Screens) removeTax(c *gin.Context) {
	s.editAll(c, func(f *store.File) error {
		return edit.RemoveTax(f, c.PostForm("places"))
	}, func(v *view, text string) { v.TaxSlip = text })
}

// changeDestinations changes the usual destinations, which are kept beside the draft, and answers with the station.
func (s *Screens) changeDestinations(c *gin.Context, change func([]string) ([]string, error)) {
	ctx, state := c.Request.Context(), s.draft.State()
	err := s.db.UpdateSamples(ctx, func(carts []sqlite.SampleCart, destinations []string) (
		[]sqlite.SampleCart, []string, error) {
		changed, err := change(destinations)
		return carts, changed, err
	})
	if err != nil {
		s.Refused(c, err, func(text string) template.HTML {
			v := s.view(ctx, state)
			v.NewDestination, v.DestinationSlip = c.PostForm("to"), text
			return s.Render("shop", v)
		})
		return
	}
	s.HTML(c, http.StatusOK, s.Render("shop", s.view(ctx, state)))
}

func (s *Screens) addDestination(c *gin.Context) {
	s.changeDestinations(c, func(list []string) ([]string, error) {
		return samples.AddDestination(list, s.draft.State().Reader(), c.PostForm("to"))
	})
}

func (s *Screens) removeDestination(c *gin.Context) {
	s.changeDestinations(c, func(list []string) ([]string, error) {
		return samples.RemoveDestination(list, c.PostForm("line"))
	})
}

func (s *Screens) moveDestination(c *gin.Context) {
	s.changeDestinations(c, func(list []string) ([]string, error) {
		return samples.MoveDestination(list, c.PostForm("line"))
	})
}
