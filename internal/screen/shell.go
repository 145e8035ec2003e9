package screen

import (
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"diadrom/internal/draft"
	"diadrom/internal/edit"
	"diadrom/internal/fault"
	"diadrom/internal/storage"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// station is a stage on the course line.
type station struct {
	Name, Path string
	Count      string
	Wrong      string // what is wrong there
	Here, Done bool
}

// shell is everything around the work.
type shell struct {
	Title    string
	Shop     string
	Person   string // who is signed in
	Stations []station
	Till     tillView
	History  historyView
	Work     template.HTML
	Notice   string
	OOB      bool
}

func stations(f *store.File, here string) []station {
	tables, unpriced := 0, 0
	for i := range f.Methods {
		tables += len(f.Methods[i].Tables)
		if len(f.Methods[i].Tables) == 0 {
			unpriced++
		}
	}
	unweighed := 0
	for i := range f.Products {
		if p := &f.Products[i]; p.NeedsShipping && p.Weight == nil {
			unweighed++
		}
	}
	empty := 0
	for i := range f.Zones {
		if f.Zones[i].Enabled && len(f.Zones[i].Places) == 0 {
			empty++
		}
	}
	list := []station{
		{Name: "Zones", Path: "/zones", Count: strconv.Itoa(len(f.Zones)), Wrong: some(empty, "empty")},
		{
			Name:  "Products",
			Path:  "/goods",
			Count: strconv.Itoa(len(f.Products)),
			Wrong: some(unweighed, "unweighed"),
		},
		{Name: "Methods", Path: "/methods", Count: strconv.Itoa(len(f.Methods)), Wrong: some(unpriced, "unpriced")},
		{Name: "Rates", Path: "/rates", Count: strconv.Itoa(tables)},
		{Name: "Quotes", Path: "/quotes"},
		{Name: "Live", Path: "/live"},
	}
	at := slices.IndexFunc(list, func(s station) bool { return s.Path == here })
	for i := range list {
		list[i].Here, list[i].Done = i == at, i != at && list[i].Count != "0" && list[i].Count != ""
	}
	return list
}

func some(n int, what string) string {
	if n == 0 {
		return ""
	}
	return fmt.Sprintf("%d %s", n, what)
}

// shopName is what stands under the product's name.
func shopName(f *store.File) string {
	if f.Store.Name == "" {
		return "a new shop"
	}
	return f.Store.Name
}

// page answers with a whole page, or for htmx with its work and the shell's parts out of band.
func (s *Server) page(c *gin.Context, here, title, name string, data any) {
	s.pageStatus(c, http.StatusOK, here, title, name, data)
}

func (s *Server) pageStatus(c *gin.Context, status int, here, title, name string, data any) {
	state := s.draft.State()
	work := s.render(name, data)
	till, err := s.till(c.Request.Context(), state, tillSlips{})
	if err != nil {
		s.internal(c, err)
		return
	}
	history, err := s.history(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	s.html(
		c,
		status,
		s.render(
			"shell",
			shell{
				Title:    title,
				Shop:     shopName(state.File),
				Person:   who(c.Request.Context()).Name,
				Stations: stations(state.File, here),
				Till:     till,
				History:  history,
				Work:     work,
			},
		),
	)
}

// answer sends the parts that an edit changed, with the Till and the course line out of band.
func (s *Server) answer(c *gin.Context, here string, state *draft.State, parts ...template.HTML) {
	till, err := s.till(c.Request.Context(), state, tillSlips{})
	if err != nil {
		s.internal(c, err)
		return
	}
	s.answerWith(c, here, state, till, parts...)
}

// answerWith is answer for a Till that has been quoted already.
func (s *Server) answerWith(
	c *gin.Context,
	here string,
	state *draft.State,
	till tillView,
	parts ...template.HTML,
) {
	s.answerSaying(c, here, state, till, "Saved "+time.Now().Format("15:04:05"), parts...)
}

// answerSaying is answerWith, with its own word of what happened beside Undo.
func (s *Server) answerSaying(
	c *gin.Context,
	here string,
	state *draft.State,
	till tillView,
	said string,
	parts ...template.HTML,
) {
	history, err := s.history(c.Request.Context())
	if err != nil {
		s.internal(c, err)
		return
	}
	till.OOB, history.OOB, history.Said = true, true, said
	parts = append(
		parts,
		s.render("till", till),
		s.render("course", shell{Stations: stations(state.File, here), OOB: true}),
		s.render("shop-name", shell{Shop: shopName(state.File), OOB: true}),
		s.render("history", history),
		s.render("ahead-said", history),
	)
	s.html(c, http.StatusOK, parts...)
}

// slip is what an edit of the owner's lacks: it is told beside the field, and nothing has changed.
type slip struct{ text string }

func (e *slip) Error() string { return e.text }

func slipf(format string, args ...any) error { return &slip{fmt.Sprintf(format, args...)} }

// told turns the error of an edit into words for the owner; false for errors that are not theirs.
func told(err error) (string, bool) {
	var conflict *draft.Conflict
	if errors.As(err, &conflict) {
		return err.Error(), true
	}
	if errors.Is(err, storage.ErrPromises) {
		return storage.ErrPromises.Error(), true
	}
	switch e := err.(type) {
	case *slip:
		return e.text, true
	case *edit.Problem, *edit.Conflict:
		return err.Error(), true
	case fault.List:
		messages := make([]string, 0, 3)
		for _, f := range e[:min(3, len(e))] {
			messages = append(messages, f.Message)
		}
		return strings.Join(messages, "; "), true
	}
	return "", false
}

// refused answers an edit that failed: a slip with the part that is to stand in place of the edited one,
// anything else as what went wrong here.
func (s *Server) refused(c *gin.Context, err error, part func(text string) template.HTML) {
	text, ok := told(err)
	if !ok {
		s.internal(c, err)
		return
	}
	s.html(c, http.StatusUnprocessableEntity, part(text))
}

// editWork makes an edit of a station whose answer is all of its work; slipped puts what was typed, and what is
// wrong with it, into the view.
func editWork[V any](
	s *Server,
	c *gin.Context,
	name string,
	view func(*draft.State) V,
	change func(*store.File) error,
	slipped func(*V, string),
) {
	state, err := s.draft.Edit(c.Request.Context(), change)
	if err != nil {
		s.refused(c, err, func(text string) template.HTML {
			v := view(s.draft.State())
			slipped(&v, text)
			return s.render(name, v)
		})
		return
	}
	s.answer(c, "/"+name, state, s.render(name, view(state)))
}

// colour is the class of a zone's colour: by its place in the file, so that it stays when others are added behind it.
func colour(position int) string { return "z" + strconv.Itoa(position%8+1) }

var functions = template.FuncMap{"join": strings.Join, "vals": vals, "dict": dict}

// dict gives a template several values by name.
func dict(pairs ...any) map[string]any {
	m := map[string]any{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = pairs[i+1]
	}
	return m
}

// vals writes pairs of names and values as the JSON that htmx sends along.
func vals(pairs ...any) (string, error) {
	m := map[string]string{}
	for i := 0; i+1 < len(pairs); i += 2 {
		m[fmt.Sprint(pairs[i])] = fmt.Sprint(pairs[i+1])
	}
	out, err := json.Marshal(m)
	return string(out), err
}
