package screen

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strconv"

	"diadrom/internal/changes"
	"diadrom/internal/fault"
	"diadrom/internal/quote"
	"diadrom/internal/store"

	"github.com/gin-gonic/gin"
)

// kindStore is the kind of an upload that is a whole store file.
const kindStore = "store"

// storeFileView is what a store file would make of the draft.
type storeFileView struct {
	ID, Name string
	Problem  string
	Faults   fault.List
	More     int // faults that are not shown
	Changes  []string
	Left     int // changes that are not shown
	Compared compareView
}

// sendStore keeps a store file and shows what it would make of the draft.
func (s *Server) sendStore(c *gin.Context) {
	name, r, err := sentFile(c)
	var body []byte
	if err == nil {
		body, err = io.ReadAll(io.LimitReader(r, store.MaxSize+1))
	}
	if err == nil && len(body) > store.MaxSize {
		err = slipf(
			"a store file has at most %d MB; %.60s has more, and nothing was changed",
			store.MaxSize>>20,
			name,
		)
	}
	var id int64
	if err == nil {
		id, err = s.db.AddUpload(c.Request.Context(), kindStore, name, body)
	}
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		s.pageStatus(
			c,
			http.StatusUnprocessableEntity,
			"/live",
			"Store file",
			"store-file",
			storeFileView{Problem: text},
		)
		return
	}
	c.Redirect(http.StatusSeeOther, "/live/file/"+strconv.FormatInt(id, 10))
}

// storeFile shows what a store file that was sent would make of the draft.
func (s *Server) storeFile(c *gin.Context) {
	v, _, err := s.storeFileView(c.Request.Context(), c)
	status := http.StatusOK
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		v.Problem = text
	}
	if v.Problem != "" || len(v.Faults) > 0 {
		status = http.StatusUnprocessableEntity
	}
	s.pageStatus(c, status, "/live", "Store file", "store-file", v)
}

func (s *Server) storeFileView(ctx context.Context, c *gin.Context) (v storeFileView, f *store.File, err error) {
	u, err := s.uploaded(c, kindStore)
	if err != nil {
		return v, nil, err
	}
	v.ID, v.Name = c.Param("file"), u.Name
	f, v.Faults = store.Read(u.Body)
	if len(v.Faults) > 0 {
		if v.Problem = notAStore(v.Faults); v.Problem != "" {
			v.Faults = nil
		}
		v.More = max(0, len(v.Faults)-mostSlips)
		v.Faults = v.Faults[:min(len(v.Faults), mostSlips)]
		return v, nil, nil
	}
	state := s.draft.State()
	list := changes.Between(state.Side(), changes.Of(f))
	v.Left = max(0, len(list)-mostShown)
	v.Changes = changes.Sentences(list[:min(len(list), mostShown)])
	if len(list) > 0 {
		v.Compared, err = s.compared(
			ctx,
			state.Engine,
			quote.Compile(f, state.Engine.Gazetteer()),
			"the draft beside the file",
		)
	}
	return v, f, err
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

// takeStore makes the draft what a store file says. It is an edit, and can be undone as any.
func (s *Server) takeStore(c *gin.Context) {
	v, f, err := s.storeFileView(c.Request.Context(), c)
	if err == nil && f == nil {
		s.pageStatus(c, http.StatusUnprocessableEntity, "/live", "Store file", "store-file", v)
		return
	}
	if err == nil {
		_, err = s.draft.Edit(c.Request.Context(), func(now *store.File) error { *now = *f.Clone(); return nil })
	}
	if err != nil {
		text, ok := told(err)
		if !ok {
			s.internal(c, err)
			return
		}
		v.Problem = text
		s.pageStatus(c, http.StatusUnprocessableEntity, "/live", "Store file", "store-file", v)
		return
	}
	c.Redirect(http.StatusSeeOther, "/live")
}
