package live

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"strconv"

	"diadrom/internal/auth"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/files"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/shifts"
	"diadrom/internal/web/upload"

	"github.com/gin-gonic/gin"
)

// storeFileView is what a store file would make of the draft.
type storeFileView struct {
	ID, Name string
	Problem  string
	Faults   fault.List
	More     int // faults that are not shown
	Changes  []string
	Left     int // changes that are not shown
	Compared shifts.View
}

// files imports whole store files.
func (s *Screens) files() *upload.Import {
	return &upload.Import{
		Shell:   s.Shell,
		Store:   s.db,
		Kind:    "store",
		Path:    "/live/file",
		Page:    shell.Page{Here: "/live", Title: "Store file", Template: "store-file"},
		What:    "a store file",
		Max:     store.MaxSize,
		Refuse:  func(text string) any { return storeFileView{Problem: text} },
		Preview: s.previewStore,
		Apply:   s.applyStore,
	}
}

// previewStore shows what a store file would make of the draft.
func (s *Screens) previewStore(c *gin.Context, u *sqlite.Upload, slip string) (any, int, error) {
	v, err := s.storeFileView(c.Request.Context(), u)
	if err != nil {
		return nil, 0, err
	}
	if len(v.Faults) == 0 {
		v.Problem = cmp.Or(v.Problem, slip)
	}
	if v.Problem != "" || len(v.Faults) > 0 {
		return v, http.StatusUnprocessableEntity, nil
	}
	return v, http.StatusOK, nil
}

func (s *Screens) storeFileView(ctx context.Context, u *sqlite.Upload) (v storeFileView, err error) {
	v.ID, v.Name = strconv.FormatInt(u.ID, 10), u.Name
	f, faults, err := s.Files.Store(ctx, u.Body)
	if text, ok := files.Told(err); ok {
		v.Problem = text
		return v, nil
	}
	if err != nil {
		return v, err
	}
	v.Faults = faults
	if len(v.Faults) > 0 {
		if v.Problem = notAStore(v.Faults); v.Problem != "" {
			v.Faults = nil
		}
		v.More = max(0, len(v.Faults)-upload.MaxFaults)
		v.Faults = v.Faults[:min(len(v.Faults), upload.MaxFaults)]
		return v, nil
	}
	state := s.draft.State()
	list := changes.Between(state.Side(), changes.Of(f))
	v.Left = max(0, len(list)-maxOfFile)
	v.Changes = changes.Sentences(list[:min(len(list), maxOfFile)])
	if len(list) > 0 {
		v.Compared, err = shifts.Of(
			ctx,
			s.db,
			state.Engine,
			state.Engine.Again(f),
			"the draft beside the file",
		)
	}
	return v, err
}

// notAStore says what is wrong with a file that is no store file of this format at all; "" where it is one with
// faults.
func notAStore(faults fault.List) string {
	for _, f := range faults {
		switch {
		case f.Code == fault.Syntax:
			return fmt.Sprintf("this is not a store file: %s", f.Message)
		case f.Path == "" || f.Path == "/format":
			return f.Message
		}
	}
	return ""
}

// applyStore makes the draft what a store file says. It is an edit, and can be undone as any.
func (s *Screens) applyStore(c *gin.Context, u *sqlite.Upload) (upload.Applied, error) {
	f, faults, err := s.Files.Store(c.Request.Context(), u.Body)
	if text, ok := files.Told(err); ok {
		return upload.Applied{}, shell.Refusef("%s", text)
	}
	if err != nil {
		return upload.Applied{}, err
	}
	if len(faults) > 0 {
		return upload.Applied{}, faults
	}
	_, err = s.draft.Edit(c.Request.Context(), func(now *store.File) error {
		if moved := s.carriers.MovesAny(now, f); moved != "" && shell.Person(c.Request.Context()).Role != auth.Owner {
			return shell.Refusef("the carrier %s has a secret, which would be for another address: ask an owner to import this",
				moved)
		}
		*now = *f
		return nil
	})
	return upload.Applied{To: "/live"}, err
}

// maxOfFile is how many changes of a file are shown.
const maxOfFile = 300
