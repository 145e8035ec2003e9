package setup

import (
	"context"
	"slices"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/core/world"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// extrasView is what is charged beside price lists, or in their place.
type extrasView struct {
	Currency   string
	Surcharges []extraRow
	Agreed     []extraRow
	// What was typed for a new one, and refused.
	Name, Places, Slip string
	NewAgreed          map[string]string
	AgreedSlip         string
}

// extraRow is a surcharge or an agreed charge, with its fields as they are typed.
type extraRow struct {
	ID, Path, Name string
	Fields         []extraField
	Note           string // what is to be known of it
	Slip           string
}

type extraField struct {
	Field, Name, Text, Hint string
	Size                    int // letters that its field has room for
	Bad                     bool
}

var surchargeFields = []struct {
	field      edit.SurchargeField
	name, hint string
	size       int
}{
	{edit.SurchargeName, "Name", "", 16},
	{edit.SurchargePlaces, "Where", "FI 99*, Lapland", 22},
	{edit.SurchargeAmount, "Amount", "none", 7},
	{edit.SurchargePercent, "Percent of the price", "none", 7},
	{edit.SurchargeMethods, "Methods", "all", 24},
}

var agreedFields = []struct {
	field      edit.AgreedField
	name, hint string
	size       int
}{
	{edit.AgreedName, "Name", "", 16},
	{edit.AgreedCustomer, "Customer", "any", 9},
	{edit.AgreedGroup, "Group", "any", 9},
	{edit.AgreedPlace, "Place", "any", 22},
	{edit.AgreedAmount, "Price", "", 7},
	{edit.AgreedMethods, "Methods", "all", 20},
}

func (s *Screens) extrasView(_ context.Context, state *draft.State) extrasView {
	f := state.File
	v := extrasView{Currency: f.Store.Currency, NewAgreed: map[string]string{}}
	for i := range f.Surcharges {
		sur := &f.Surcharges[i]
		row := extraRow{ID: sur.ID, Path: "/extras/surcharges/" + sur.ID}
		for _, field := range surchargeFields {
			text := edit.SurchargeText(f, state.Reader(), sur, field.field)
			row.add(string(field.field), field.name, text, field.hint, field.size)
		}
		if sur.Amount == nil && sur.Percent == nil {
			row.Note = "It adds nothing yet: type an amount or a percentage."
		} else if !used(f, sur.Methods) {
			row.Note = "No delivery method that is on uses this surcharge, so nobody pays it."
		}
		v.Surcharges = append(v.Surcharges, row)
	}
	for i := range f.Agreed {
		a := &f.Agreed[i]
		row := extraRow{ID: a.ID, Path: "/extras/agreed/" + a.ID}
		for _, field := range agreedFields {
			row.add(string(field.field), field.name, edit.AgreedText(f, a, field.field), field.hint, field.size)
		}
		row.Note = ranks(f, i)
		v.Agreed = append(v.Agreed, row)
	}
	return v
}

// used says whether a method that is switched on is among those of an extra; none are all.
func used(f *store.File, methods []string) bool {
	return slices.ContainsFunc(f.Methods, func(m store.Method) bool {
		return m.Enabled && (len(methods) == 0 || slices.Contains(methods, m.ID))
	})
}

func (r *extraRow) add(field, name, text, hint string, size int) {
	if field == "name" {
		r.Name = text
	}
	r.Fields = append(r.Fields, extraField{Field: field, Name: name, Text: text, Hint: hint, Size: size})
}

// ranks says which other agreed charge comes before one, where both may hold for an order.
func ranks(f *store.File, at int) string {
	rank := func(a *store.Agreed) int {
		switch {
		case a.Customer != "":
			return 0
		case a.Group != "":
			return 1
		}
		return 2
	}
	a := &f.Agreed[at]
	for i := range f.Agreed {
		b := &f.Agreed[i]
		if rank(b) < rank(a) && (a.Customer == "" || b.Customer == "" || a.Customer == b.Customer) {
			return "If " + b.Name + " applies too, it is used first: a customer before a group before a place."
		}
		if i < at && rank(b) == rank(a) && a.Customer == b.Customer && a.Group == b.Group {
			return "If " + b.Name + " applies too, it is used first: it stands above."
		}
	}
	return ""
}

func (s *Screens) extras(c *gin.Context) {
	v := s.extrasView(c.Request.Context(), s.draft.State())
	s.Show(c, shell.Page{Here: "/rates", Title: "Extras", Template: "extras"}, v)
}

func (s *Screens) editExtras(c *gin.Context, change func(*store.File) error, slipped func(*extrasView, string)) {
	view := func(state *draft.State) extrasView { return s.extrasView(c.Request.Context(), state) }
	shell.EditWorkAt(s.Shell, c, "/rates", "extras", view, change, slipped)
}

// refuse keeps what was typed into a field of a row; without a row the reason stands above the list.
func refuse(rows []extraRow, id, field, typed, why string) bool {
	for i := range rows {
		if rows[i].ID != id {
			continue
		}
		rows[i].Slip = why
		for j := range rows[i].Fields {
			if f := &rows[i].Fields[j]; f.Field == field {
				f.Text, f.Bad = typed, true
			}
		}
		return true
	}
	return false
}

func (s *Screens) addSurcharge(c *gin.Context) {
	name, places := c.PostForm("name"), c.PostForm("places")
	s.editExtras(c, func(f *store.File) error {
		return edit.AddSurcharge(f, s.draft.State().Reader(), name, places)
	}, func(v *extrasView, text string) { v.Name, v.Places, v.Slip = name, places, text })
}

func (s *Screens) editSurcharge(c *gin.Context) {
	id, field, typed := c.Param("id"), c.PostForm("field"), c.PostForm("value")
	s.editExtras(c, func(f *store.File) error {
		return edit.SetSurcharge(f, s.draft.State().Reader(), id, edit.SurchargeField(field), typed)
	}, func(v *extrasView, text string) {
		if !refuse(v.Surcharges, id, field, typed, text) {
			v.Slip = text
		}
	})
}

func (s *Screens) removeSurcharge(c *gin.Context) {
	s.editExtras(c, func(f *store.File) error {
		edit.RemoveSurcharge(f, c.Param("id"))
		return nil
	}, func(v *extrasView, text string) { v.Slip = text })
}

func (s *Screens) addAgreed(c *gin.Context) {
	typed, kept := map[edit.AgreedField]string{}, map[string]string{}
	for _, field := range agreedFields {
		typed[field.field] = c.PostForm(string(field.field))
		kept[string(field.field)] = typed[field.field]
	}
	s.editExtras(c, func(f *store.File) error {
		if err := s.placeInBook(c.Request.Context(), typed); err != nil {
			return err
		}
		return edit.AddAgreed(f, typed)
	}, func(v *extrasView, text string) { v.NewAgreed, v.AgreedSlip = kept, text })
}

func (s *Screens) editAgreed(c *gin.Context) {
	id, field, typed := c.Param("id"), c.PostForm("field"), c.PostForm("value")
	s.editExtras(c, func(f *store.File) error {
		is := map[edit.AgreedField]string{edit.AgreedField(field): typed}
		if err := s.placeInBook(c.Request.Context(), is); err != nil {
			return err
		}
		return edit.SetAgreed(f, id, edit.AgreedField(field), is[edit.AgreedField(field)])
	}, func(v *extrasView, text string) {
		if !refuse(v.Agreed, id, field, typed, text) {
			v.AgreedSlip = text
		}
	})
}

// placeInBook puts the address of a place that is in the address book in the place of its name.
func (s *Screens) placeInBook(ctx context.Context, typed map[edit.AgreedField]string) error {
	e, ok, err := s.db.BookEntry(ctx, typed[edit.AgreedPlace])
	if err != nil || !ok || typed[edit.AgreedPlace] == "" {
		return err
	}
	a := e.Address
	if a.Postcode == "" {
		return edit.Problemf("%s has no postcode in the address book: add it there", e.Name)
	}
	parts := []string{a.Postcode, world.CountryName(a.Country)}
	if a.Street != "" {
		parts = append([]string{a.Street}, parts...)
	}
	typed[edit.AgreedPlace] = strings.Join(parts, ", ")
	return nil
}

func (s *Screens) removeAgreed(c *gin.Context) {
	s.editExtras(c, func(f *store.File) error {
		edit.RemoveAgreed(f, c.Param("id"))
		return nil
	}, func(v *extrasView, text string) { v.AgreedSlip = text })
}
