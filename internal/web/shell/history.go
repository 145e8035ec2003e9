package shell

import (
	"context"
	"errors"
	"html/template"
	"net/http"
	"net/url"
	"strings"

	"diadrom/internal/core/plural"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"

	"github.com/gin-gonic/gin"
)

// historyView is what can be undone and redone, with the figures beside it.
type historyView struct {
	Undo, Redo string
	Said       string
	OOB        bool

	Promises string // how many hold
	Broken   bool
	Alone    bool   // only the promises are drawn
	Ahead    string // how far the draft is ahead of what is live
	Changes  int

	Scheduled string         // what goes live next by itself
	Todo      *todo          // what is left to do in a new shop
	Warned    map[string]int // how many warnings each station has
	Warnings  string         // how many there are; "" for none
	Blocked   bool           // some of them keep buyers from ordering
	Reading   bool           // they are those of a state before: a large shop is still being read
}

func (s *Shell) history(ctx context.Context, state *draft.State) (v historyView, err error) {
	undo, redo, err := s.db.History(ctx, draft.Person(ctx))
	if err != nil {
		return v, err
	}
	v = historyView{Undo: undo.What, Redo: redo.What}
	v.Changes, v.Ahead = s.figures.Ahead()
	v.Promises, v.Broken, err = s.figures.Promises(ctx)
	if err != nil {
		return v, err
	}
	if v.Scheduled, err = s.figures.Scheduled(ctx); err != nil {
		return v, err
	}
	return v, s.warned(ctx, state, &v)
}

// warned fills in how many warnings there are.
func (s *Shell) warned(ctx context.Context, state *draft.State, v *historyView) error {
	list, done, err := s.figures.Warnings(ctx, state)
	if err != nil {
		return err
	}
	v.Reading = !done
	v.Todo = todoOf(state.File, list)
	v.Warned = map[string]int{}
	n := 0
	for i := range list {
		if setsUp[list[i].Code] && v.Todo != nil {
			continue // the first steps of a shop say it already
		}
		n++
		station, _ := StationOf(&list[i])
		v.Warned[station]++
		v.Blocked = v.Blocked || list[i].Severity == warnings.Blocks
	}
	if n > 0 {
		v.Warnings = plural.Count(n, "warning")
	}
	return nil
}

// readWarnings answers with how many warnings there are, for a page that stands while a large shop is read.
func (s *Shell) readWarnings(c *gin.Context) {
	state := s.draft.State()
	v := historyView{OOB: true}
	if err := s.warned(c.Request.Context(), state, &v); err != nil {
		s.Internal(c, err)
		return
	}
	if !v.Reading {
		c.Header("HX-Trigger", "warnings-read")
	}
	var err error
	if v.Scheduled, err = s.figures.Scheduled(c.Request.Context()); err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusOK, s.Render("warned", v), s.Render("todo", v),
		s.Render("course", frame{Stations: stations(state.File, stationViewed(c), &v), OOB: true}))
}

// stationViewed is the path of the station whose page a part was asked from; "" for a page of none.
func stationViewed(c *gin.Context) string {
	from, err := url.Parse(c.GetHeader("HX-Current-URL"))
	if err != nil {
		return ""
	}
	first, _, _ := strings.Cut(strings.TrimPrefix(from.Path, "/"), "/")
	return "/" + first
}

// History draws Undo, Redo and the figures beside them, out of band; said is what just happened, "" for nothing.
func (s *Shell) History(ctx context.Context, said string) (template.HTML, error) {
	v, err := s.history(ctx, s.draft.State())
	if err != nil {
		return "", err
	}
	v.OOB, v.Said = true, said
	return s.Render("history", v) + s.Render("todo", v), nil
}

// Promised draws how many promises hold, out of band: where they waited for a carrier before, they are checked by now.
func (s *Shell) Promised(ctx context.Context) (template.HTML, error) {
	v := historyView{Alone: true}
	var err error
	if v.Promises, v.Broken, err = s.figures.Promises(ctx); err != nil {
		return "", err
	}
	return s.Render("promised", v), nil
}

func (s *Shell) undo(c *gin.Context) { s.turn(c, s.draft.Undo, "Undone: ", "Nothing to undo.") }

func (s *Shell) redo(c *gin.Context) { s.turn(c, s.draft.Redo, "Redone: ", "Nothing to redo.") }

// turn undoes or redoes one edit; pages reload their work.
func (s *Shell) turn(
	c *gin.Context,
	turn func(context.Context) (*draft.State, string, error),
	done, nothing string,
) {
	state, what, err := turn(c.Request.Context())
	said := done + what
	if errors.Is(err, draft.ErrNothing) {
		state, said, err = s.draft.State(), nothing, nil
	}
	if err != nil {
		text, ok := Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		s.Problem(c, http.StatusUnprocessableEntity, "Not undone. "+text)
		return
	}
	c.Header("HX-Trigger", "till-changed")
	s.AnswerSaying(c, stationViewed(c), state, said)
}
