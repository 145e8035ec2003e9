package shell

import (
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"strings"

	"diadrom/internal/core/fault"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// slip is what is wrong with what was typed: it is told beside the field, and nothing has changed.
type slip struct{ text string }

func (e *slip) Error() string { return e.text }

// Refusef refuses what was typed: its text is shown beside the field, and nothing has changed.
func Refusef(format string, args ...any) error { return &slip{fmt.Sprintf(format, args...)} }

// Told turns the error of an edit into words for the owner; false for errors that are not theirs.
func Told(err error) (string, bool) {
	var conflict *draft.Conflict
	if errors.As(err, &conflict) {
		return err.Error(), true
	}
	if errors.Is(err, sqlite.ErrPromises) {
		return sqlite.ErrPromises.Error(), true
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

// Refused answers an edit that failed: what the owner can mend with the part that is to stand in place of the edited
// one, anything else as what went wrong here.
func (s *Shell) Refused(c *gin.Context, err error, part func(text string) template.HTML) {
	text, ok := Told(err)
	if !ok {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusUnprocessableEntity, part(text))
}

// Cell is a cell of a grid that was typed into.
type Cell interface {
	// Refuse has the cell say why it was refused, and what stands there by now where somebody else changed it.
	Refuse(why string, was *string)
}

// RefusedCell answers a cell that was refused with the template that draws it.
func (s *Shell) RefusedCell(c *gin.Context, err error, name string, cell Cell) {
	var was *string
	var conflict *edit.Conflict
	if errors.As(err, &conflict) {
		was = &conflict.Now
	}
	s.Refused(c, err, func(text string) template.HTML {
		cell.Refuse(text, was)
		return s.Render(name, cell)
	})
}
