package defaults

import (
	"cmp"
	"context"
	"html/template"
	"net/http"
	"slices"
	"strings"

	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/draft"
	"diadrom/internal/web/methods"
	"diadrom/internal/web/promises"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/shifts"

	"github.com/gin-gonic/gin"
)

// known is a default that is set, with the methods that inherit it.
type known struct{ Field, Name, Text, Who string }

// methodRow is a method that a term can be set for.
type methodRow struct {
	ID, Name, Has string
	Inherits      bool
	Chosen        bool
}

// preview is what the change would do.
type preview struct {
	Changes []string
	Shifts  shifts.View
	Broken  []promises.Row
}

type view struct {
	Known     []known
	Terms     []shell.Choice
	Field     string
	Name      string
	Hint      string
	Text      string
	Can       bool // it can be a default
	AsDefault bool
	Methods   []methodRow
	Zones     []shell.Choice
	ByZone    bool // zones are chosen from
	ManyZones bool // they are fetched when they are wanted
	Slip      string
	Note      string // what was not set
	Preview   *preview
}

// names are the terms as they are called, and what is typed for each.
func names(field terms.Field) (name, hint string) {
	if field == edit.TaxedField {
		return "Taxed", "yes or no"
	}
	return methods.TermNames[field][0], methods.TermNames[field][1]
}

// maxNamed is how many methods that inherit a default are named.
const maxNamed = 6

// viewOf is the screen for a term, as nothing was typed yet.
func viewOf(f *store.File, field terms.Field) view {
	if !slices.Contains(edit.SeveralFields, field) {
		field = terms.Days
	}
	v := view{Field: string(field), Text: edit.DefaultText(f, field), Can: edit.CanDefault(field)}
	v.AsDefault = v.Can
	v.Name, v.Hint = names(field)
	for _, t := range edit.SeveralFields {
		name, _ := names(t)
		v.Terms = append(v.Terms, shell.Choice{ID: string(t), Name: name, Chosen: t == field})
		if text := edit.DefaultText(f, t); text != "" {
			v.Known = append(v.Known, known{string(t), name, text, who(f, t)})
		}
	}
	for i := range f.Methods {
		m := &f.Methods[i]
		row := methodRow{ID: m.ID, Name: cmp.Or(m.Name, m.ID), Has: edit.SeveralText(f, m, field),
			Chosen: edit.Follows(f, m, field)}
		row.Inherits = row.Chosen && edit.DefaultText(f, field) != ""
		v.Methods = append(v.Methods, row)
	}
	if v.ManyZones = len(f.Zones) > maxZones; !v.ManyZones {
		v.Zones = zonesOf(f)
	}
	return v
}

// maxZones is up to how many zones stand on the page; more are fetched when they are wanted.
const maxZones = 60

func zonesOf(f *store.File) (list []shell.Choice) {
	for i := range f.Zones {
		list = append(list, shell.Choice{ID: f.Zones[i].ID, Name: f.ZoneName(f.Zones[i].ID)})
	}
	return list
}

// zones answers with the zones to choose from.
func (s *Screens) zones(c *gin.Context) {
	s.HTML(c, http.StatusOK, s.Render("zones-to-choose", zonesOf(s.draft.State().File)))
}

// who names the methods that inherit a default.
func who(f *store.File, field terms.Field) string {
	var list []string
	for i := range f.Methods {
		if edit.Follows(f, &f.Methods[i], field) {
			list = append(list, cmp.Or(f.Methods[i].Name, f.Methods[i].ID))
		}
	}
	switch n := len(list); {
	case n == 0:
		return "no method"
	case n == len(f.Methods) && n > 1:
		return "all methods"
	case n > maxNamed:
		return strings.Join(list[:maxNamed], ", ") + " and more"
	}
	return strings.Join(list, ", ")
}

// typed is the form as it was sent.
func typed(c *gin.Context) edit.Several {
	return edit.Several{
		Field:   terms.Field(c.PostForm("term")),
		Text:    c.PostForm("text"),
		Default: c.PostForm("how") == "default",
		Methods: c.PostFormArray("method"),
		Zones:   c.PostFormArray("zone"),
	}
}

// again is the screen with what was typed.
func again(f *store.File, s edit.Several) view {
	v := viewOf(f, s.Field)
	v.Text, v.AsDefault, v.ByZone = s.Text, s.Default, len(s.Zones) > 0
	for i := range v.Methods {
		v.Methods[i].Chosen = slices.Contains(s.Methods, v.Methods[i].ID)
	}
	if v.ByZone {
		v.Zones = zonesOf(f)
	}
	for i := range v.Zones {
		v.Zones[i].Chosen = slices.Contains(s.Zones, v.Zones[i].ID)
	}
	return v
}

func (s *Screens) page(c *gin.Context) {
	s.Show(c, shell.Page{Here: "/methods", Title: "Terms for several methods", Template: "defaults"},
		viewOf(s.draft.State().File, terms.Field(c.Query("term"))))
}

// set makes the change.
func (s *Screens) set(c *gin.Context) {
	is := typed(c)
	shell.EditWorkAt(s.Shell, c, "/methods", "defaults", func(state *draft.State) view {
		v := viewOf(state.File, is.Field)
		v.Note = leftOut(state.File, is)
		if !is.Default { // the next is likely for the same methods
			kept := again(state.File, is)
			kept.Note, kept.Text = v.Note, ""
			for i := range kept.Zones {
				kept.Zones[i].Chosen = false
			}
			return kept
		}
		return v
	}, func(f *store.File) error { return edit.SetSeveral(f, is) }, func(v *view, text string) {
		*v = again(s.draft.State().File, is)
		v.Slip = text
	})
}

// leftOut says for which methods a term is not set in which zones; "" for none.
func leftOut(f *store.File, is edit.Several) string {
	list := is.LeftOut(f)
	if len(list) == 0 {
		return ""
	}
	return "Not set for " + edit.FirstFew(list) + ": there are no prices there."
}

// preview shows what the change would do, in the Till too, and keeps nothing.
func (s *Screens) preview(c *gin.Context) {
	is, ctx := typed(c), c.Request.Context()
	state, err := s.draft.Try(func(f *store.File) error { return edit.SetSeveral(f, is) })
	if err != nil {
		s.Refused(c, err, func(text string) template.HTML {
			v := again(s.draft.State().File, is)
			v.Slip = text
			return s.Render("defaults", v)
		})
		return
	}
	v := again(s.draft.State().File, is)
	v.Note = leftOut(state.File, is)
	if v.Preview, err = s.previewOf(ctx, state); err != nil {
		s.Internal(c, err)
		return
	}
	s.AnswerSaying(c, "/methods", state, "Nothing is saved yet", s.Render("defaults", v))
}

// maxChanges is how many changes a preview lists.
const maxChanges = 30

func (s *Screens) previewOf(ctx context.Context, state *draft.State) (*preview, error) {
	now := s.draft.State()
	list := changes.Between(now.Side(), state.Side())
	p := &preview{Changes: changes.Sentences(list[:min(len(list), maxChanges)])}
	var err error
	if p.Shifts, err = shifts.Of(ctx, s.samples, now.Engine, state.Engine, "the draft beside this change"); err != nil {
		return nil, err
	}
	p.Broken, err = s.promises.BrokenBy(ctx, state.Engine)
	return p, err
}
