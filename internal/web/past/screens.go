// Package past has the screens of past orders: files taken in, orders rated anew, free delivery tried, price lists
// proposed.
package past

import (
	"context"
	"embed"
	"errors"
	"strconv"
	"strings"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/history"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// Files are the templates of these screens.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is the draft, what is live, and editions.
type Draft interface {
	shell.Editor
	Live() *draft.Live
	Ahead() []changes.Change
	Edition(ctx context.Context, number int64) (*store.File, []byte, error)
}

// Store keeps the Till, the editions and files that somebody sent.
type Store interface {
	SaveTill(ctx context.Context, t sqlite.Till) error
	Editions(ctx context.Context) ([]sqlite.Edition, error)
	AddUpload(ctx context.Context, kind, name string, body []byte) (id int64, err error)
	Upload(ctx context.Context, kind string, id int64) (u sqlite.Upload, ok bool, err error)
}

// Screens are these screens.
type Screens struct {
	*shell.Shell
	draft   Draft
	db      Store
	history *history.History
}

// New makes the screens.
func New(sh *shell.Shell, d Draft, db Store, h *history.History) *Screens {
	return &Screens{sh, d, db, h}
}

// Routes registers the addresses of these screens; owners lets owners of the shop alone through.
func (s *Screens) Routes(r gin.IRouter, owners gin.HandlerFunc) {
	r.GET("/past", s.report)
	r.GET("/past/rated", s.rated)
	r.POST("/past/stop", s.stopRating)
	r.POST("/past/till", s.toTill)
	r.POST("/past/method", s.nameMethod)
	r.POST("/past/zeros", s.zeros)
	r.POST("/past/store", s.sendStore)
	r.GET("/past/ahead", s.ahead)
	r.GET("/past/files", s.files)
	r.POST("/past/files", s.send)
	r.GET("/past/files/:file", s.preview)
	r.POST("/past/files/:file", s.begin)
	r.POST("/past/files/:file/stop", s.stop)
	r.POST("/past/invoices", s.invoices)
	r.POST("/past/forget", owners, s.forget)
	r.GET("/past/free", s.free)
	r.GET("/past/free/at", s.freeAt)
	r.POST("/past/free", s.setFree)
	r.GET("/past/list", s.list)
	r.POST("/past/list", s.takeList)
}

// storeKind is the kind of store files that orders are rated under.
const storeKind = "past-store"

// side is a store that orders are rated under.
type side struct {
	ID, Name, Key string // Key is another once the store is
	Engine        *quote.Engine
}

// errGone is the error of a store that is not there.
var errGone = errors.New("there is no such edition or file any more")

// sideOf finds a store by its name in an address: draft, live, edition-3, file-7. The zero value is none.
func (s *Screens) sideOf(ctx context.Context, id string) (side, error) {
	state := s.draft.State()
	if kind, number, ok := strings.Cut(id, "-"); ok {
		n, err := strconv.ParseInt(number, 10, 64)
		if err != nil {
			return side{}, errGone
		}
		if kind == "file" {
			u, ok, err := s.db.Upload(ctx, storeKind, n)
			if err != nil || !ok {
				return side{}, errors.Join(err, errGone)
			}
			f, faults := store.Read(u.Body)
			if len(faults) > 0 {
				return side{}, errGone
			}
			return side{id, u.Name, id, quote.Compile(f, state.Engine.Gazetteer())}, nil
		}
		f, _, err := s.draft.Edition(ctx, n)
		if err != nil {
			return side{}, errors.Join(err, errGone)
		}
		return side{id, "Edition " + number, id, quote.Compile(f, state.Engine.Gazetteer())}, nil
	}
	switch live := s.draft.Live(); {
	case id == "live" && live != nil:
		return side{id, "What is live", "live " + live.Hash, live.Engine}, nil
	case id == "live":
		return side{}, nil
	case id == "draft" || id == "":
		return side{"draft", "The draft", "draft " + strconv.FormatInt(state.Revision, 10), state.Engine}, nil
	}
	return side{}, nil
}
