package rates

import (
	"cmp"
	"math"
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/strip"

	"github.com/gin-gonic/gin"
)

// costView is an entry of what sending costs, with the methods that it may be of.
type costView struct {
	ID, Name  string
	PerParcel string
	Currency  string
	Methods   []costMethod
	Slip      string // what is wrong with what was typed
	SlipAt    string // the field
}

// costMethod is a method whose cost an entry may say.
type costMethod struct {
	ID, Name string
	On       bool
	Other    string // the entry that says it now
}

// isCost says whether the owner of price lists is an entry of costs.
func isCost(f *store.File, owner string) bool {
	_, ok := edit.CostID(owner)
	return ok && f.Method(owner) == nil
}

// costOf is the view of an entry of costs; nil for a method.
func costOf(f *store.File, owner string) *costView {
	id, _ := edit.CostID(owner)
	c := edit.Cost(f, id)
	if !isCost(f, owner) || c == nil {
		return nil
	}
	v := &costView{ID: c.ID, Name: cmp.Or(c.Name, c.ID), Currency: f.Store.Currency}
	if c.PerParcel != nil {
		v.PerParcel = f.Words().Money(*c.PerParcel)
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		one := costMethod{ID: m.ID, Name: cmp.Or(m.Name, m.ID)}
		if of := f.CostOf(m.ID); of != nil {
			if one.On = of.ID == c.ID; !one.On {
				one.Other = cmp.Or(of.Name, of.ID)
			}
		}
		v.Methods = append(v.Methods, one)
	}
	return v
}

// costsView is the page of costs where there are none, or none that is shown.
type costsView struct {
	Methods         []shell.Choice // that have no costs yet
	Measure         []shell.Choice
	Name, Slip      string
	Any             bool // there are methods
	FirstCost, Home string
}

func newCosts(f *store.File, chosen, by string) costsView {
	v := costsView{Any: len(f.Methods) > 0, Measure: measureChoices(rate.By(cmp.Or(by, string(rate.ByWeight))))}
	for i := range f.Methods {
		if m := &f.Methods[i]; f.CostOf(m.ID) == nil {
			v.Methods = append(v.Methods, shell.Choice{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Chosen: m.ID == chosen})
		}
	}
	return v
}

var costsPage = shell.Page{Here: "/rates", Title: "Costs", Template: "costs"}

// firstCosts shows the first entry of costs, or how to begin.
func (s *Screens) firstCosts(c *gin.Context) {
	f := s.draft.State().File
	if len(f.Costs) > 0 && c.Query("new") == "" {
		c.Redirect(http.StatusSeeOther, "/rates/"+edit.CostOwner(f.Costs[0].ID))
		return
	}
	s.Show(c, costsPage, newCosts(f, c.Query("method"), ""))
}

// addCosts adds an entry.
func (s *Screens) addCosts(c *gin.Context) {
	id, name, method, by := "", c.PostForm("name"), c.PostForm("method"), c.PostForm("by")
	_, err := s.draft.Edit(c.Request.Context(), func(f *store.File) (err error) {
		id, err = edit.AddCost(f, name, method, rate.By(by))
		return err
	})
	if err == nil {
		c.Redirect(http.StatusSeeOther, "/rates/"+edit.CostOwner(id))
		return
	}
	text, ok := shell.Told(err)
	if !ok {
		s.Internal(c, err)
		return
	}
	v := newCosts(s.draft.State().File, method, by)
	v.Name, v.Slip = name, text
	s.ShowStatus(c, http.StatusUnprocessableEntity, costsPage, v)
}

// editCosts sets a field of an entry.
func (s *Screens) editCosts(c *gin.Context) {
	id, field, typed := c.Param("cost"), c.PostForm("field"), c.PostForm("value")
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		switch field {
		case "name":
			return edit.NameCost(f, id, typed)
		case "per-parcel":
			return edit.SetPerParcel(f, id, typed)
		}
		return edit.SetCostMethod(f, id, c.PostForm("method"), typed == "on")
	})
	owner := edit.CostOwner(id)
	c.Params = append(c.Params, gin.Param{Key: "method", Value: owner})
	if err == nil {
		s.answerTable(c, state, nil)
		return
	}
	s.refuseRates(c, err, func(v *ratesView, text string) {
		if v.Cost == nil {
			v.Slip = text
			return
		}
		if v.Cost.Slip, v.Cost.SlipAt = text, field; field == "name" {
			v.Cost.Name = typed
		} else if field == "per-parcel" {
			v.Cost.PerParcel = typed
		}
	})
}

// removeCosts removes an entry.
func (s *Screens) removeCosts(c *gin.Context) {
	_, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		return edit.RemoveCost(f, c.Param("cost"))
	})
	if text, ok := shell.Told(err); err != nil {
		if !ok {
			s.Internal(c, err)
			return
		}
		s.Problem(c, http.StatusUnprocessableEntity, text)
		return
	}
	c.Header("HX-Redirect", "/costs")
	c.Status(http.StatusNoContent)
}

// costLine is the price in a zone that just pays what sending costs, drawn under its price, and where its price is
// less.
type costLine struct{ Path, Loss, Colour, Title string }

// costPiece is a part of the line from one measure to another.
type costPiece struct {
	x1, y1, x2, y2 float64
	loses          bool // the price is below it
}

// costSamples is at how many measures beside the breaks the cost is asked for.
const costSamples = 48

// costsOver are the costs of a price list's zones over what it measures, up to a limit; none where they are not known, or
// not known yet.
func costsOver(state *draft.State, m *store.Method, t *rate.Table, goods rate.Goods,
	limit decimal.Decimal) map[string][]costPiece {
	entry := state.File.CostOf(m.ID)
	if entry == nil || isCost(state.File, m.ID) {
		return nil
	}
	reading, ready := state.Soon()
	if !ready { // a large shop is read in a moment: the curve is drawn again then
		return nil
	}
	apart := limit.Quo(decimal.FromInt(10_000)).Round(6)
	if t.By == rate.ByQuantity {
		apart = decimal.One
	}
	points := measuresOver(t, entry.Tables, limit, apart)
	lines := map[string][]costPiece{}
	for _, zone := range t.Zones {
		costs := reading.Covering(m.ID, t.ID, zone, points)
		for i := 1; i < len(costs); i++ {
			if costs[i-1] == nil || costs[i] == nil {
				continue
			}
			price, ok := t.At(slices.Index(t.Zones, zone), goods, points[i])
			lines[zone] = append(
				lines[zone],
				costPiece{points[i-1].Float64(), costs[i-1].Float64(), points[i].Float64(),
					costs[i].Float64(), ok && price.Less(*costs[i])},
			)
		}
	}
	return lines
}

// measuresOver are the measures at which costs are asked for: on and just above each break, and some between.
func measuresOver(t *rate.Table, costs []rate.Table, limit, apart decimal.Decimal) []decimal.Decimal {
	points := []decimal.Decimal{apart}
	for i := range costSamples {
		x := limit.Mul(decimal.FromInt(int64(i + 1))).Quo(decimal.FromInt(costSamples)).Round(6)
		if t.By == rate.ByQuantity {
			x = x.Round(0)
		}
		points = append(points, x)
	}
	for _, list := range append([]rate.Table{*t}, costs...) {
		for i := range list.Rows {
			if at := list.Rows[i].At; at != nil && list.By == t.By && at.Less(limit) {
				points = append(points, *at, at.Add(apart))
			}
		}
	}
	return sortedOnce(points)
}

// drawCost draws what sending costs in a zone.
func (v *curveView) drawCost(f *store.File, fr frame, zone string, pieces []costPiece) {
	if len(pieces) == 0 {
		return
	}
	var path, loss strings.Builder
	end := math.NaN()
	for _, p := range pieces {
		x1, x2 := math.Max(p.x1, fr.low), math.Max(p.x2, fr.low)
		if p.x1 != end {
			path.WriteString("M" + strip.Px(fr.at(x1)) + " " + fr.py(p.y1))
		}
		path.WriteString("L" + strip.Px(fr.at(x2)) + " " + fr.py(p.y2))
		end = p.x2
		if p.loses {
			loss.WriteString(
				"M" + strip.Px(fr.at(x1)) + " " + fr.py(p.y1) + "L" + strip.Px(fr.at(x2)) + " " + fr.py(p.y2),
			)
		}
	}
	name := f.ZoneName(zone)
	v.Costs = append(v.Costs, costLine{path.String(), loss.String(), shell.Colour(f.ZoneIndex(zone)),
		"What a price to " + name + " must be to pay for sending"})
}

// sortedOnce are measures above 0 in their order, each once.
func sortedOnce(points []decimal.Decimal) []decimal.Decimal {
	points = slices.DeleteFunc(points, func(x decimal.Decimal) bool { return x.Sign() <= 0 })
	slices.SortFunc(points, decimal.Decimal.Cmp)
	return slices.CompactFunc(points, func(a, b decimal.Decimal) bool { return a.Cmp(b) == 0 })
}
