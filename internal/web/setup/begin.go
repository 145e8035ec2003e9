package setup

import (
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// beginView is what a new shop is asked.
type beginView struct {
	Is          edit.Beginning // as it was typed
	By          []shell.Choice
	Field, Slip string // what is wrong, and with which answer
}

// by are the ways to charge that a new shop chooses among, as owners say them.
var by = []shell.Choice{
	{ID: string(rate.ByOrder), Name: "one price for every order"},
	{ID: string(rate.ByWeight), Name: "by weight"},
	{ID: string(rate.BySubtotal), Name: "by the value of the order"},
	{ID: string(rate.ByQuantity), Name: "by the number of items"},
	{ID: string(rate.ByDistance), Name: "by distance"},
}

func beginViewOf(f *store.File) *beginView {
	v := &beginView{}
	v.Is.Currency, v.Is.Name, v.Is.By = f.Store.Currency, f.Store.Name, rate.ByWeight
	v.Is.Weight, v.Is.Length, v.Is.Distance = f.Store.WeightUnit, f.Store.LengthUnit, f.Store.DistanceUnit
	v.choose()
	return v
}

func (v *beginView) choose() {
	v.By = append([]shell.Choice(nil), by...)
	for i := range v.By {
		v.By[i].Chosen = v.By[i].ID == string(v.Is.By)
	}
}

// begin makes a new shop of the answers.
func (s *Screens) begin(c *gin.Context) {
	is := edit.Beginning{
		Shop: edit.Shop{Name: c.PostForm("name"), Currency: c.PostForm("currency"), Weight: c.PostForm("weight"),
			Length: c.PostForm("length"), Distance: c.PostForm("distance")},
		Country: c.PostForm("country"), From: c.PostForm("from"), Sells: c.PostForm("sells"),
		By: rate.By(c.PostForm("by")),
	}
	var wrong edit.BeginningField
	s.editHome(c, func(f *store.File) (err error) {
		wrong, err = edit.Begin(f, s.draft.State().Engine.Gazetteer(), is)
		return err
	}, func(v *view, text string) {
		if v.Begin == nil {
			v.Shop.Slip = text
			return
		}
		v.Begin.Is, v.Begin.Field, v.Begin.Slip = is, string(wrong), text
		v.Begin.choose()
	})
}
