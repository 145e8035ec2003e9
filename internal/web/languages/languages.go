// Package languages has the page on which owners see and type what buyers read in other languages.
package languages

import (
	"embed"
	"net/http"
	"slices"
	"strconv"
	"strings"

	"diadrom/internal/core/spoken"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of this page.
//
//go:embed templates/*.html
var Files embed.FS

// Screens is the page of languages.
type Screens struct {
	*shell.Shell
	draft shell.Editor
}

// New makes the page of languages.
func New(sh *shell.Shell, d shell.Editor) *Screens { return &Screens{sh, d} }

// Routes registers the page.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/languages", s.page)
	r.POST("/languages/text", s.set)
}

// column is a language.
type column struct {
	Tag, Name string
	Lacks     int
	Own       bool // whether the program speaks it too
}

// row is a text in all languages.
type row struct {
	Kind, Whose, Base string
	Cells             []*cell
}

// cell is a text in a language.
type cell struct {
	DOM, Of, ID, Code, Tag, Label string
	Text, Was, Base               string
	Slip                          string
}

// Refuse implements [shell.Cell].
func (c *cell) Refuse(why string, was *string) {
	if c.Slip = why; was != nil {
		c.Was = *was
	}
}

type view struct {
	Columns []column
	Rows    []row
	Add     []shell.Choice
	Also    string // languages that are shown though nothing is in them yet, separated by commas
	Slip    string
	Typed   string
}

var kinds = map[store.TextOf]string{
	store.LabelText: "Delivery method", store.RefusedText: "Why it is not offered", store.ServiceText: "Carrier's service",
	store.PlaceText: "Collection point", store.HoursText: "Opening hours", store.BoxText: "Box",
}

// also reads the languages that are shown though nothing is in them yet; slip says which is none.
func also(text string) (tags []string, slip string) {
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return r == ',' || r == ' ' }) {
		tag, ok := store.Language(word)
		switch {
		case !ok:
			slip = strconv.Quote(word[:min(len(word), 40)]) + " is not a language: write its code, such as fi or pt-BR."
		case !slices.Contains(tags, tag) && len(tags) < store.MaxLanguages:
			tags = append(tags, tag)
		}
	}
	return tags, slip
}

func viewOf(f *store.File, text string) view {
	extra, slip := also(text)
	v := view{Slip: slip}
	if slip != "" {
		v.Typed = text
	}
	tags := f.Languages()
	for _, tag := range extra {
		if !slices.Contains(tags, tag) {
			tags = append(tags, tag)
		}
	}
	v.Also = strings.Join(extra, ",")
	spoke := map[string]bool{}
	for _, tag := range spoken.Languages {
		spoke[tag.String()] = true
		if !slices.Contains(tags, tag.String()) {
			v.Add = append(v.Add, shell.Choice{ID: tag.String(), Name: spoken.Name(tag.String())})
		}
	}
	for _, tag := range tags {
		v.Columns = append(v.Columns, column{tag, spoken.Name(tag), spoken.Lacking(f, tag), spoke[tag]})
	}
	for i, t := range f.Texts() {
		r := row{Kind: kinds[t.Of], Whose: t.Whose, Base: t.Base}
		for j, tag := range tags {
			r.Cells = append(r.Cells, &cell{
				DOM: "text-" + strconv.Itoa(
					i,
				) + "-" + strconv.Itoa(
					j,
				), Of: string(t.Of), ID: t.ID, Code: t.Code, Tag: tag,
				Label: kinds[t.Of] + " " + t.Whose + " in " + v.Columns[j].Name, Text: t.In[tag], Was: t.In[tag], Base: t.Base,
			})
		}
		v.Rows = append(v.Rows, r)
	}
	return v
}

func (s *Screens) page(c *gin.Context) {
	v := viewOf(s.draft.State().File, c.Query("also"))
	status := http.StatusOK
	if v.Slip != "" {
		status = http.StatusUnprocessableEntity
	}
	s.ShowStatus(c, status, shell.Page{Here: "/methods", Title: "Languages", Template: "languages"}, v)
}

func (s *Screens) set(c *gin.Context) {
	at := edit.TextAt{
		Of:   store.TextOf(c.PostForm("of")),
		ID:   c.PostForm("id"),
		Code: c.PostForm("code"),
		Tag:  c.PostForm("tag"),
	}
	was, typed := c.PostForm("was"), c.PostForm("text")
	state, err := s.draft.Edit(
		c.Request.Context(),
		func(f *store.File) error { return edit.SetText(f, at, was, typed) },
	)
	if err != nil {
		dom := c.PostForm("dom")
		if !strings.HasPrefix(dom, "text-") ||
			strings.ContainsFunc(dom[5:], func(r rune) bool { return r != '-' && (r < '0' || r > '9') }) {
			dom = "text"
		}
		c.Header("HX-Retarget", "#"+dom)
		s.RefusedCell(
			c,
			err,
			"language-cell",
			&cell{DOM: dom, Of: c.PostForm("of"), ID: at.ID, Code: at.Code, Tag: at.Tag,
				Label: "Text", Text: typed, Was: was},
		)
		return
	}
	s.Answer(c, "/methods", state, s.Render("languages", viewOf(state.File, c.PostForm("also"))))
}
