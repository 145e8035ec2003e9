package shell

import (
	"context"
	"errors"
	"html/template"
	"net/http"

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

	Published bool
	Scheduled string // what goes live next by itself
	Todo      *todo  // what is left to do in a new shop
}

func (s *Shell) history(ctx context.Context) (v historyView, err error) {
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
	v.Published = s.figures.Published()
	v.Scheduled, err = s.figures.Scheduled(ctx)
	return v, err
}

// History draws Undo, Redo and the figures beside them, out of band; said is what just happened, "" for nothing.
func (s *Shell) History(ctx context.Context, said string) (template.HTML, error) {
	v, err := s.history(ctx)
	if err != nil {
		return "", err
	}
	v.OOB, v.Said = true, said
	v.Todo = todoOf(s.draft.State().File, &v)
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
	s.AnswerSaying(c, "", state, said)
}
