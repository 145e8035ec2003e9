// Package review has the page of warnings: what is wrong with the store as a whole, each with a cart that shows it,
// what mends it, and who said that it is meant.
package review

import (
	"context"
	"embed"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/review/promise"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/samples"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"
	"diadrom/internal/web/till"

	"github.com/gin-gonic/gin"
)

// Files are the templates of this page.
//
//go:embed templates/*.html
var Files embed.FS

// Draft is what this page does with the draft and what is live.
type Draft interface {
	shell.Editor
	Live() *draft.Live
	Try(change func(*store.File) error) (*draft.State, error)
}

// Store is what this page keeps and reads beside the draft.
type Store interface {
	samples.Source
	Meant(ctx context.Context) (map[string]sqlite.Meant, error)
	SetMeant(ctx context.Context, m sqlite.Meant) error
	UnsetMeant(ctx context.Context, warning string) error
}

// Promises are those that are kept.
type Promises interface {
	Bodies(ctx context.Context) ([]promise.Promise, error)
}

// Carriers tell which of them give no prices at present.
type Carriers interface {
	Failing(f *store.File) map[string]string
}

// Till is changed to what shows a warning.
type Till interface {
	Change(c *gin.Context, change func(*store.File, *sqlite.Till) error, slipped func(*till.Slips, string))
}

// Screens are the page and its answers.
type Screens struct {
	*shell.Shell
	draft    Draft
	db       Store
	till     Till
	carriers Carriers
	promises Promises
	ahead    func() (changes int, said string)
}

// New makes the page. ahead says how far the draft is ahead of what is live.
func New(sh *shell.Shell, d Draft, db Store, t Till, c Carriers, p Promises, ahead func() (int, string)) *Screens {
	return &Screens{Shell: sh, draft: d, db: db, till: t, carriers: c, promises: p, ahead: ahead}
}

// Routes registers the addresses of this page.
func (s *Screens) Routes(r gin.IRouter) {
	r.GET("/warnings", s.page)
	r.GET("/warnings/mend", shell.PartOf("/warnings"), s.preview)
	r.POST("/warnings/mend", s.mend)
	r.POST("/warnings/try", s.try)
	r.POST("/warnings/meant", s.meant)
	r.POST("/warnings/unmeant", s.unmeant)
}

// Found are the warnings about the shop, and which of them are meant.
type Found struct {
	List  []warnings.Warning // the worst first; without those that are meant
	Meant []MeantWarning
}

// MeantWarning is a warning that somebody said is meant.
type MeantWarning struct {
	warnings.Warning
	sqlite.Meant
}

// Of finds the warnings about a state of the draft.
func (s *Screens) Of(ctx context.Context, state *draft.State) (f Found, err error) {
	return s.sort(ctx, state, state.Warnings())
}

// sort tells the warnings of a reading that are meant from the others, with those that come from outside of the file.
func (s *Screens) sort(ctx context.Context, state *draft.State, found *warnings.Reading) (f Found, err error) {
	outside := warnings.Outside{Now: time.Now(), Served: true, Failing: s.carriers.Failing(state.File)}
	if outside.Promises, err = s.promises.Bodies(ctx); err != nil {
		return f, err
	}
	if live := s.draft.Live(); live != nil {
		outside.Live, outside.Published = live.Engine, live.At
		outside.Ahead, _ = s.ahead()
	}
	meant, err := s.db.Meant(ctx)
	if err != nil {
		return f, err
	}
	list := found.With(outside)
	if len(meant) == 0 {
		return Found{List: list}, nil
	}
	f.List = make([]warnings.Warning, 0, len(list))
	for i := range list {
		w := &list[i]
		if m, ok := meant[w.Key]; ok && m.Facts == facts(w) {
			f.Meant = append(f.Meant, MeantWarning{*w, m})
			continue
		}
		f.List = append(f.List, *w)
	}
	return f, nil
}

// Warnings are those about a state of the draft that are not meant, the worst first; false where a large shop is still
// being read, for those of the state before.
func (s *Screens) Warnings(ctx context.Context, state *draft.State) ([]warnings.Warning, bool, error) {
	reading, done := state.Soon()
	if reading == nil {
		return nil, false, nil
	}
	f, err := s.sort(ctx, state, reading)
	return f.List, done, err
}

// Wire are the warnings about the draft, or about what is live, as the API gives them; false where nothing is live.
func (s *Screens) Wire(ctx context.Context, ofDraft bool) (out []warnings.Wire, ok bool, err error) {
	out = []warnings.Wire{}
	if !ofDraft {
		live := s.draft.Live()
		if live == nil {
			return nil, false, nil
		}
		for _, w := range live.Warnings().Warnings {
			out = append(out, w.For(live.File))
		}
		return out, true, nil
	}
	state := s.draft.State()
	found, err := s.Of(ctx, state)
	for i := range found.List {
		out = append(out, found.List[i].For(state.File))
	}
	return out, err == nil, err
}
