package live

import (
	"context"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"sync"

	"diadrom/internal/core/plural"
	"diadrom/internal/core/store"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/draft"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/shell"

	"github.com/gin-gonic/gin"
)

// differs keeps what is different in a state of the draft from what is live: every answer says how much it is.
type differs struct {
	mu    sync.Mutex
	state *draft.State
	live  *draft.Live
	list  []changes.Change
}

// ahead lists how the draft differs from what is live, worked out once for each pair of them.
func (s *Screens) ahead() []changes.Change {
	state, live := s.draft.State(), s.draft.Live()
	s.differs.mu.Lock()
	defer s.differs.mu.Unlock()
	if s.differs.state != state || s.differs.live != live {
		s.differs.state, s.differs.live, s.differs.list = state, live, draft.Ahead(state, live)
	}
	return s.differs.list
}

// Ahead counts the changes of the draft that are not published, and says so in a few words.
func (s *Screens) Ahead() (changes int, said string) {
	changes = len(s.ahead())
	return changes, aheadSaid(changes, s.draft.Live())
}

// aheadSaid says in a few words how far the draft is ahead.
func aheadSaid(n int, live *draft.Live) string {
	switch {
	case live == nil && n == 0:
		return "Nothing is live yet"
	case live == nil:
		return plural.Count(n, "change") + ", nothing is live yet"
	case n == 0:
		return "As live: edition " + strconv.FormatInt(live.Number, 10)
	}
	return plural.Count(n, "change") + " ahead of edition " + strconv.FormatInt(live.Number, 10)
}

// aheadRow is a change as a sentence.
type aheadRow struct {
	Key, Text string
	Who, When string
	Slip      string // why it cannot be put back by itself
}

// aheadGroup are the changes of one thing.
type aheadGroup struct {
	Name, Path string
	Rows       []aheadRow
}

// How many changes are shown: all together, or else those of one part of the store, so many at a time.
const (
	maxShown  = 60
	maxOfPart = 100
)

// aheadPart are the changes of one part of the store.
type aheadPart struct {
	Name, Path string
	Count      int
	Here       bool // its changes are shown
}

// aheadView are the changes of the draft.
type aheadView struct {
	Parts  []aheadPart // where there are many; then the groups are those of one of them
	Groups []aheadGroup
	Window *shell.Window
	Count  int
	Said   string
}

// asked is what of the changes is to be shown.
type asked struct {
	key, slip string     // a change that could not be put back, and why
	query     url.Values // of the page
}

// partNames are the parts of the store under which changes are listed.
var partNames = map[string]string{"": "Settings", "locations": "Places of the shop", "classes": "Shipping classes",
	"boxes": "Boxes", "products": "Products", "zones": "Zones", "carriers": "Carriers", "methods": "Methods",
	"prices": "Prices", "surcharges": "Surcharges", "agreed": "Agreed charges", "costs": "Costs"}

// partOf is the part of the store that a change is of.
func partOf(c *changes.Change) string {
	if c.List == "methods" && strings.Contains(c.Key, "/tables/") {
		return "prices"
	}
	return c.List
}

// inParts sorts many changes by the part of the store, and gives those of the part that is asked for.
func (v *aheadView) inParts(list []changes.Change, query url.Values) []changes.Change {
	var order []string
	of := map[string][]changes.Change{}
	for i := range list {
		part := partOf(&list[i])
		if of[part] == nil {
			order = append(order, part)
		}
		of[part] = append(of[part], list[i])
	}
	for _, part := range order {
		here := query.Has("of") && query.Get("of") == part
		v.Parts = append(v.Parts, aheadPart{partNames[part], "/live?of=" + part + "#h-changes", len(of[part]), here})
	}
	if !query.Has("of") {
		return nil
	}
	list = of[query.Get("of")]
	v.Window = shell.WindowOf(query, "from", maxOfPart, len(list))
	from, to := v.Window.Bounds(len(list))
	return list[from:to]
}

func (s *Screens) aheadView(ctx context.Context, q asked) (v aheadView, err error) {
	list := s.ahead()
	v = aheadView{Count: len(list), Said: aheadSaid(len(list), s.draft.Live())}
	if len(list) > maxShown {
		list = v.inParts(list, q.query)
	}
	if len(list) == 0 {
		return v, nil
	}
	edits, err := s.db.Edits(ctx, 0)
	if err != nil {
		return v, err
	}
	name, err := s.Names(ctx)
	if err != nil {
		return v, err
	}
	made := makersOf(edits)
	for i := range list {
		c := &list[i]
		row := aheadRow{Key: c.Key, Text: c.Text()}
		if e := made.of(c); e != nil {
			row.Who, row.When = name(e.By), shell.Moment(e.At)
		}
		if c.Key == q.key {
			row.Slip = q.slip
		}
		if n := len(v.Groups); n == 0 || v.Groups[n-1].Name != c.Subject {
			v.Groups = append(v.Groups, aheadGroup{Name: c.Subject, Path: pathOf(c)})
		}
		g := &v.Groups[len(v.Groups)-1]
		g.Rows = append(g.Rows, row)
	}
	return v, nil
}

// makers says which edits changed what: made ready once, as there may be hundreds of changes and of edits.
type makers struct {
	under map[string]*sqlite.Remembered // the last edit of a thing or of a part of it
	whole map[string]*sqlite.Remembered // the last edit of the thing itself
	any   *sqlite.Remembered            // the last edit of more things than are kept of it
}

// makersOf reads edits, the last one first; only those that still hold count.
func makersOf(edits []sqlite.Remembered) makers {
	m := makers{under: map[string]*sqlite.Remembered{}, whole: map[string]*sqlite.Remembered{}}
	first := func(of map[string]*sqlite.Remembered, key string, e *sqlite.Remembered) {
		if of[key] == nil {
			of[key] = e
		}
	}
	for i := range edits {
		e := &edits[i]
		if e.Kind != sqlite.EditDone {
			continue
		}
		for _, key := range e.Keys {
			if key == sqlite.AnyKey && m.any == nil {
				m.any = e
			}
			first(m.whole, key, e)
			for k := key; k != ""; k = above(k) {
				first(m.under, k, e)
			}
		}
	}
	return m
}

// above is the key of what a thing is a part of.
func above(key string) string {
	i := strings.LastIndexByte(key, '/')
	return key[:max(i, 0)]
}

// of finds the last edit that touched what a change is of; nil where none is remembered.
func (m *makers) of(c *changes.Change) *sqlite.Remembered {
	last := m.any
	later := func(e *sqlite.Remembered) {
		if e != nil && (last == nil || e.Revision > last.Revision) {
			last = e
		}
	}
	later(m.under[c.Key])
	for k := above(c.Key); k != ""; k = above(k) {
		later(m.whole[k])
	}
	return last
}

// pathOf is the page on which a change is made.
func pathOf(c *changes.Change) string {
	switch c.List {
	case "zones":
		return "/zones?zone=" + c.ID + "#zone-" + c.ID
	case "products":
		return "/goods?find=" + url.QueryEscape(c.ID)
	case "classes":
		return "/goods"
	case "methods":
		switch {
		case c.ID == "":
			return "/methods"
		case strings.Contains(c.Key, "/tables/"):
			return "/rates/" + c.ID
		}
		return "/methods/" + c.ID
	case "carriers":
		return "/carriers#carrier-" + c.ID
	case "locations":
		return "/shop#place-" + c.ID
	case "surcharges", "agreed":
		return "/extras#extra-" + c.ID
	case "":
		switch {
		case strings.HasPrefix(c.Key, "store/checkout"):
			return "/checkout?of=draft"
		case strings.HasPrefix(c.Key, "store"):
			return "/shop"
		}
	}
	return "/zones"
}

// putBack makes one thing in the draft what it is in the live edition. It is an edit.
func (s *Screens) putBack(c *gin.Context) {
	key := c.PostForm("key")
	state, err := s.draft.Edit(c.Request.Context(), func(f *store.File) error {
		list := s.ahead()
		for i := range list {
			if list[i].Key != key {
				continue
			}
			if err := list[i].PutBack(f); err != nil {
				return shell.Refusef("this cannot be put back by itself: %s", err.Error())
			}
			return nil
		}
		return shell.Refusef("this is as in the live edition already")
	})
	slip := ""
	if err != nil {
		text, ok := shell.Told(err)
		if !ok {
			s.Internal(c, err)
			return
		}
		if slip = text; !strings.HasPrefix(text, "this ") {
			slip = "later changes rest on this: " + text
		}
		state = s.draft.State()
	}
	v, err := s.aheadView(c.Request.Context(), asked{key, slip, shell.Viewed(c)})
	if err != nil {
		s.Internal(c, err)
		return
	}
	if slip != "" {
		s.HTML(c, http.StatusUnprocessableEntity, s.Render("ahead", v))
		return
	}
	c.Header("HX-Trigger", "till-changed") // pages reload their work
	s.Answer(c, "/live", state, s.Render("ahead", v))
}

// aheadList is what the shell shows of the changes.
func (s *Screens) aheadList(c *gin.Context) {
	v, err := s.aheadView(c.Request.Context(), asked{})
	if err != nil {
		s.Internal(c, err)
		return
	}
	s.HTML(c, http.StatusOK, s.Render("ahead", v))
}
