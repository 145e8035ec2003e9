package screen

import (
	"context"
	"errors"
	"net/http"

	"diadrom/internal/draft"

	"github.com/gin-gonic/gin"
)

// historyView is what can be undone and done again.
type historyView struct {
	Undo, Redo string
	Said       string
	OOB        bool

	Promises string // how many hold
	Broken   bool
	Ahead    string // how far the draft is ahead of what is live
	Changes  int
}

func (s *Server) history(ctx context.Context) (historyView, error) {
	undo, redo, err := s.db.History(ctx, draft.Person(ctx))
	if err != nil {
		return historyView{}, err
	}
	v := historyView{Undo: undo.What, Redo: redo.What, Changes: len(s.ahead())}
	v.Ahead = aheadSaid(v.Changes, s.draft.Live())
	list, err := s.promises(ctx)
	v.Promises, v.Broken = promised(list)
	return v, err
}

func (s *Server) undo(c *gin.Context) { s.turn(c, s.draft.Undo, "Taken back: ") }

func (s *Server) redo(c *gin.Context) { s.turn(c, s.draft.Redo, "Done again: ") }

// turn goes one edit back or forth; pages reload their work.
func (s *Server) turn(c *gin.Context, turn func(context.Context) (*draft.State, string, error), said string) {
	state, what, err := turn(c.Request.Context())
	if errors.Is(err, draft.ErrNothing) {
		state, what, err = s.draft.State(), "", nil
		said = "Nothing to undo."
	}
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		s.problem(c, http.StatusUnprocessableEntity, "Not undone. "+text)
		return
	}
	till, err := s.till(c.Request.Context(), state, tillSlips{})
	if err != nil {
		s.internal(c, err)
		return
	}
	c.Header("HX-Trigger", "till-changed")
	s.answerSaying(c, "", state, till, said+what)
}
