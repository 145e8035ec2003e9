package setup

import (
	"cmp"
	"context"
	"html/template"
	"net/http"

	"diadrom/internal/auth"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
	"github.com/paulmach/orb"
)

// ten is so many kilometres or miles, of which is said what they count as.
var ten = decimal.FromInt(10)

// distancesView is how distances are measured, and who is asked about them.
type distancesView struct {
	ByRoad       bool
	Factor       string
	FactorSlip   string
	Unit         string
	Services     []serviceRow
	Tiles        serviceRow
	Credit       string
	MayChange    bool
	Straight     string // what a factor does to ten kilometres
	CreditSlip   string
	AsksForRoads bool // by road, and nobody is asked
}

// serviceRow is a service with its address.
type serviceRow struct {
	ID, Name, Hint string
	URL            string
	Fixed          bool
	Slip           string
	Tested         services.Tested
}

func (s *Screens) distances(ctx context.Context, state *draft.State) distancesView {
	f := state.File
	v := distancesView{
		ByRoad:    f.Store.DistanceBy == store.ByRoad,
		Unit:      f.Store.DistanceUnit,
		MayChange: shell.Person(ctx).Role == auth.Owner,
		Straight:  f.Store.Road().Mul(ten).String(),
	}
	if f.Store.RoadFactor != nil {
		v.Factor = f.Store.RoadFactor.String()
	}
	for _, row := range []serviceRow{
		{ID: string(services.Roads), Name: "Road service", Hint: "https://roads.example"},
		{ID: string(services.Addresses), Name: "Address service", Hint: "https://addresses.example"},
	} {
		row.URL, row.Fixed = s.services.Get(services.Name(row.ID))
		v.Services = append(v.Services, row)
	}
	v.Tiles = serviceRow{ID: string(services.Tiles), Name: "Map tiles", Hint: "https://tiles.example/{z}/{x}/{y}.png"}
	v.Tiles.URL, _ = s.services.Get(services.Tiles)
	v.Credit, _ = s.services.Get(services.Credit)
	v.AsksForRoads = v.ByRoad && v.Services[0].URL == ""
	return v
}

func (s *Screens) editDistances(c *gin.Context) {
	field, typed := c.PostForm("field"), c.PostForm("value")
	s.editAll(c, func(f *store.File) error {
		if field == "factor" {
			return edit.SetRoadFactor(f, typed)
		}
		return edit.SetDistanceBy(f, typed)
	}, func(v *view, text string) { v.Distances.Factor, v.Distances.FactorSlip = typed, text })
}

// setService changes where a service is, which holds at once, for live quotes too.
func (s *Screens) setService(c *gin.Context) {
	name, typed, state := services.Name(c.Param("service")), c.PostForm("value"), s.draft.State()
	if err := s.services.Set(c.Request.Context(), name, typed); err != nil {
		s.Refused(c, err, func(text string) template.HTML {
			v := s.view(c.Request.Context(), state)
			if row := v.Distances.row(name); row != nil {
				row.URL, row.Slip = typed, text
			} else {
				v.Distances.Credit, v.Distances.CreditSlip = typed, text
			}
			return s.Render("shop", v)
		})
		return
	}
	is, _ := s.services.Get(name)
	s.notes.Note(c.Request, auth.ServiceSet, shell.Person(c.Request.Context()), string(name)+": "+cmp.Or(is, "none"))
	s.Answer(c, "/shop", state, s.Render("shop", s.view(c.Request.Context(), state)))
}

func (v *distancesView) row(name services.Name) *serviceRow {
	for i := range v.Services {
		if v.Services[i].ID == string(name) {
			return &v.Services[i]
		}
	}
	if name == services.Tiles {
		return &v.Tiles
	}
	return nil
}

// testService asks a service about the shop's own places.
func (s *Screens) testService(c *gin.Context) {
	name, state := services.Name(c.Param("service")), s.draft.State()
	v := s.view(c.Request.Context(), state)
	if row := v.Distances.row(name); row != nil {
		row.Tested = s.services.Test(name, state.File, func(l *store.Location) (orb.Point, bool) {
			return l.Point(state.Engine.Gazetteer())
		})
	}
	s.HTML(c, http.StatusOK, s.Render("shop", v))
}
