// Package shell is the frame round every screen: the course line of stations, the Till, Undo and the figures beside
// it. It draws templates, and answers edits with the parts that changed and the frame's own out of band.
package shell

import (
	"context"
	"html/template"
	"log/slog"
	"net/http"
	"slices"
	"strconv"
	"time"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/files"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// Editor shows the draft and makes edits of it.
type Editor interface {
	State() *draft.State
	Edit(ctx context.Context, change func(*store.File) error) (*draft.State, error)
}

// Draft is what the frame does with the draft.
type Draft interface {
	Editor
	Undo(ctx context.Context) (*draft.State, string, error)
	Redo(ctx context.Context) (*draft.State, string, error)
}

// Memory is what the frame reads from the database.
type Memory interface {
	History(ctx context.Context, person int64) (undo, redo sqlite.Remembered, err error)
	People(ctx context.Context) ([]sqlite.Person, error)
	APIKeys(ctx context.Context) ([]sqlite.APIKey, error)
}

// Till draws the Till as it quotes a state of the draft.
type Till interface {
	Part(ctx context.Context, state *draft.State, outOfBand bool) (template.HTML, error)
}

// Figures are the figures beside Undo.
type Figures interface {
	// Ahead counts the changes of the draft that are not published, and says so.
	Ahead() (changes int, said string)
	// Promises says how many promises hold; broken is whether one does not.
	Promises(ctx context.Context) (said string, broken bool, err error)
	// Warnings are those about a state of the draft that nobody said are meant, the worst first.
	// Warnings are those about a state; false where a large shop is still being read, for those of the state before.
	Warnings(ctx context.Context, state *draft.State) ([]warnings.Warning, bool, error)
	// Scheduled says in a few words what goes live next by itself; "" for nothing.
	Scheduled(ctx context.Context) (string, error)
}

// Shell is the frame. Its zero value is not usable: New makes one, and Join gives it the parts that are drawn with
// its help.
type Shell struct {
	Log *slog.Logger
	// Files reads the files that people send.
	Files *files.Reader

	draft     Draft
	db        Memory
	templates Templates
	nobody    string // who works in a shop that nobody signs in to
	till      Till
	figures   Figures
}

// New makes a frame. nobody is the name of whoever works in a shop that nobody signs in to; "" where all sign in.
func New(
	d Draft, db Memory, log *slog.Logger, read *files.Reader, templates Templates, nobody string,
) *Shell {
	return &Shell{Log: log, Files: read, draft: d, db: db, templates: templates, nobody: nobody}
}

// Join gives the frame its Till and its figures, before the first request.
func (s *Shell) Join(t Till, f Figures) { s.till, s.figures = t, f }

// Routes registers Undo, Redo and the figures beside them.
func (s *Shell) Routes(r gin.IRouter) {
	r.GET("/warnings/count", PartOf("/warnings"), s.readWarnings)
	r.POST("/undo", s.undo)
	r.POST("/redo", s.redo)
}

// station is a stage on the course line.
type station struct {
	Name, Path string
	Count      string
	Wrong      int    // how many warnings are dealt with there
	Noun       string // warning, warnings
	Next       string // what happens there by itself
	Here, Done bool
}

// frame is everything around the work.
type frame struct {
	Title    string
	Shop     string
	Person   string // who is signed in
	Stations []station
	Till     template.HTML
	History  historyView
	Work     template.HTML
	OOB      bool
}

// stations are the stages of the course line, with how many warnings each has.
func stations(f *store.File, here string, v *historyView) []station {
	tables := 0
	for i := range f.Methods {
		tables += len(f.Methods[i].Tables)
	}
	list := []station{
		{Name: "Shop", Path: "/shop", Count: shopCount(f)},
		{Name: "Zones", Path: "/zones", Count: plural.Number(len(f.Zones))},
		{Name: "Products", Path: "/goods", Count: plural.Number(len(f.Products))},
		{Name: "Methods", Path: "/methods", Count: plural.Number(len(f.Methods))},
		{Name: "Rates", Path: "/rates", Count: plural.Number(tables)},
		{Name: "Quotes", Path: "/quotes"},
		{Name: "Live", Path: "/live", Next: v.Scheduled},
	}
	at := slices.IndexFunc(list, func(s station) bool { return s.Path == here })
	for i := range list {
		list[i].Here, list[i].Done = i == at, i != at && list[i].Count != "0" && list[i].Count != ""
		if n := v.Warned[list[i].Name]; n > 0 {
			list[i].Wrong, list[i].Noun = n, plural.Noun(int64(n), "warning")
		}
	}
	return list
}

// shopCount is how many places the shop has; "" for none.
func shopCount(f *store.File) string {
	if len(f.Locations) == 0 {
		return ""
	}
	return strconv.Itoa(len(f.Locations))
}

// ShopName is what stands under the product's name.
func ShopName(f *store.File) string {
	if f.Store.Name == "" {
		return "a new shop"
	}
	return f.Store.Name
}

// Page is a page: the path of its station, its title, and the template that draws its work.
type Page struct{ Here, Title, Template string }

// Show answers with a whole page.
func (s *Shell) Show(c *gin.Context, p Page, view any) { s.ShowStatus(c, http.StatusOK, p, view) }

// ShowStatus answers with a whole page and a status of its own.
func (s *Shell) ShowStatus(c *gin.Context, status int, p Page, view any) {
	ctx, state := c.Request.Context(), s.draft.State()
	work := s.Render(p.Template, view)
	till, err := s.till.Part(ctx, state, false)
	if err != nil {
		s.Internal(c, err)
		return
	}
	history, err := s.history(ctx, state)
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, status, s.Render("shell", frame{
		Title:    p.Title,
		Shop:     ShopName(state.File),
		Person:   Person(ctx).Name,
		Stations: stations(state.File, p.Here, &history),
		Till:     till,
		History:  history,
		Work:     work,
	}))
}

// Answer sends the parts that an edit changed, with the Till and the course line out of band.
func (s *Shell) Answer(c *gin.Context, here string, state *draft.State, parts ...template.HTML) {
	s.AnswerSaying(c, here, state, saved(), parts...)
}

// AnswerSaying is Answer with its own word of what happened, beside Undo.
func (s *Shell) AnswerSaying(
	c *gin.Context,
	here string,
	state *draft.State,
	said string,
	parts ...template.HTML,
) {
	till, err := s.till.Part(c.Request.Context(), state, true)
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.answer(c, here, state, said, append(parts, till))
}

// AnswerWith is Answer where the Till is drawn already and is one of the parts.
func (s *Shell) AnswerWith(c *gin.Context, here string, state *draft.State, parts ...template.HTML) {
	s.answer(c, here, state, saved(), parts)
}

func saved() string { return "Saved " + time.Now().Format("15:04:05") }

func (s *Shell) answer(c *gin.Context, here string, state *draft.State, said string, parts []template.HTML) {
	history, err := s.history(c.Request.Context(), state)
	if err != nil {
		s.Internal(c, err)
		return
	}
	history.OOB, history.Said = true, said
	s.HTML(c, http.StatusOK, append(parts,
		s.Render("todo", history),
		s.Render("course", frame{Stations: stations(state.File, here, &history), OOB: true}),
		s.Render("shop-name", frame{Shop: ShopName(state.File), OOB: true}),
		s.Render("history", history),
		s.Render("ahead-said", history),
	)...)
}

// EditWork makes an edit of a station whose answer is all of its work; slipped puts what was typed, and what is
// wrong with it, into the view.
func EditWork[V any](
	s *Shell,
	c *gin.Context,
	name string,
	view func(*draft.State) V,
	change func(*store.File) error,
	slipped func(*V, string),
) {
	EditWorkAt(s, c, "/"+name, name, view, change, slipped)
}

// EditWorkAt is EditWork for a page that belongs to another station: here is that station's path.
func EditWorkAt[V any](
	s *Shell,
	c *gin.Context,
	here, name string,
	view func(*draft.State) V,
	change func(*store.File) error,
	slipped func(*V, string),
) {
	state, err := s.draft.Edit(c.Request.Context(), change)
	if err != nil {
		s.Refused(c, err, func(text string) template.HTML {
			v := view(s.draft.State())
			slipped(&v, text)
			return s.Render(name, v)
		})
		return
	}
	s.Answer(c, here, state, s.Render(name, view(state)))
}

// Choice is one of several things to choose from.
type Choice struct {
	ID, Name string
	Chosen   bool
}

// ZoneHead is a zone as the head of a column of prices or terms.
type ZoneHead struct{ ID, Name, Colour string }

// Colour is the class of a zone's colour: by its place in the file, so that it stays when others are added behind it.
func Colour(position int) string { return "z" + strconv.Itoa(position%8+1) }

// Moment writes a time as people read it, in the machine's time zone.
func Moment(t time.Time) string { return t.Local().Format("2 Jan 2006, 15:04") }
