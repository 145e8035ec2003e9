package api

import (
	"bytes"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"time"
	"unicode/utf8"

	"diadrom/internal/auth"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/jsonread"
	"diadrom/internal/core/oneline"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/review/changes"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/files"
	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// maxNote is the longest note of an edition, in letters.
const maxNote = 300

// side gives the draft, what is live, or an edition by its number; false where that has been answered already.
func (a *API) side(c *gin.Context, name string) (s changes.Side, ok bool) {
	switch name {
	case "", "draft":
		return a.Store.State().Side(), true
	case "live":
		if live := a.Store.Live(); live != nil {
			return live.Side(), true
		}
		problem(c, NotLive, "nothing is live yet: the shop is still being set up", nil)
		return s, false
	}
	number, err := strconv.ParseInt(name, 10, 64)
	if err != nil {
		problem(c, BadRequest, "a store is the draft, what is live, or an edition by its number", nil)
		return s, false
	}
	f, _, err := a.Store.Edition(c.Request.Context(), number)
	if errors.Is(err, sqlite.ErrNoEdition) {
		problem(c, NoEdition, "there is no such edition", nil)
		return s, false
	}
	if err != nil {
		a.internal(c, err)
		return s, false
	}
	return changes.Of(f), true
}

// storeFile answers with a store file.
func (a *API) storeFile(c *gin.Context) {
	if _, ok := a.mayEdit(c, auth.Setup); !ok {
		return
	}
	s, ok := a.side(c, c.Query("of"))
	if !ok {
		return
	}
	body := s.File.Write()
	c.Header("ETag", etag(body))
	c.Header("Diadrom-Revision", strconv.FormatInt(a.Store.State().Revision, 10))
	if named(c.GetHeader("If-None-Match"), etag(body)) {
		c.Status(http.StatusNotModified)
		return
	}
	c.Header("Cache-Control", "no-cache")
	c.Data(http.StatusOK, "application/json", body)
}

// difference is how two stores differ.
type difference struct {
	Changes  []string `json:"changes"`
	Revision int64    `json:"revision"`
}

func differenceOf(from, to changes.Side, revision int64) difference {
	d := difference{Changes: changes.Sentences(changes.Between(from, to)), Revision: revision}
	if d.Changes == nil {
		d.Changes = []string{}
	}
	return d
}

// putStore makes the draft what a store file says, or with dry_run says only how it would differ.
func (a *API) putStore(c *gin.Context) {
	who, ok := a.mayEdit(c, auth.Setup)
	if !ok {
		return
	}
	dry := c.Query("dry_run")
	switch {
	case dry != "" && dry != "true" && dry != "false":
		problem(c, BadRequest, "dry_run is true or false", nil)
		return
	case !sentJSON(c, "a store file"):
		return
	}
	body, end := a.readTurn(c, &who, store.MaxSize)
	if end == nil {
		return
	}
	defer end()
	var in bytes.Buffer
	if _, err := in.ReadFrom(body.reader()); !read(c, err, store.MaxSize) {
		return
	}
	a.once(c, &who, in.Bytes(), func() {
		f, faults, err := a.Files.Store(c.Request.Context(), in.Bytes())
		if text, ok := files.Told(err); ok {
			problem(c, TooLarge, text, nil)
			return
		}
		if err != nil {
			a.internal(c, err)
			return
		}
		if len(faults) > 0 {
			faults = faults[:min(len(faults), MaxFaults)]
			tell(c, faulty(faults))
			return
		}
		if faults := edit.CheckLines(f); len(faults) > 0 {
			tell(c, faulty(faults[:min(len(faults), MaxFaults)]))
			return
		}
		now := a.Store.State()
		if owner := who.Kind == Person && who.Person.Role == auth.Owner; !owner && a.Moves != nil {
			if moved := a.Moves(now.File, f); moved != "" {
				problem(c, SecretMoves, "the carrier "+moved+" has a secret, which would go to another address: "+
					"an owner moves it, on the page Carriers", nil)
				return
			}
		}
		if tag := c.GetHeader("If-Match"); tag != "" && !named(tag, etag(now.File.Write())) {
			problem(c, NotAsRead, "the draft is not as If-Match has it: read it again", nil)
			return
		}
		d := differenceOf(now.Side(), changes.Of(f), now.Revision)
		if dry != "true" {
			ctx := draft.By(c.Request.Context(), who.by().ID)
			state, err := a.Store.EditAt(
				ctx,
				now.Revision,
				func(next *store.File) error { *next = *f.Clone(); return nil },
			)
			if !a.edited(c, err) {
				return
			}
			d.Revision = state.Revision
		}
		c.Header("Diadrom-Revision", strconv.FormatInt(d.Revision, 10))
		send(c, http.StatusOK, d)
	})
}

// edited says whether an edit was made; where it was not, that is answered.
func (a *API) edited(c *gin.Context, err error) bool {
	var faults fault.List
	switch {
	case err == nil:
		return true
	case errors.Is(err, draft.ErrMoved), errors.Is(err, sqlite.ErrConflict):
		problem(c, DraftChanged, "the draft was changed meanwhile: look at what is different now", nil)
	case errors.Is(err, sqlite.ErrLiveChanged):
		problem(c, LiveChanged, "another edition was published meanwhile: look at what is different now", nil)
	case errors.Is(err, draft.ErrSame):
		problem(c, NoChange, "the draft is what is live already", nil)
	case errors.As(err, &faults):
		problem(c, Breaks, "the store would not hold together: nothing was changed", faults)
	default:
		a.internal(c, err)
	}
	return false
}

// changes answers how two stores differ: from what is live to the draft, unless said otherwise.
func (a *API) changes(c *gin.Context) {
	if _, ok := a.mayEdit(c, auth.Setup); !ok {
		return
	}
	name := c.Query("from")
	if name == "" {
		name = "live"
	}
	from := changes.Of(draft.Empty())
	if ok := true; name != "live" || a.Store.Live() != nil {
		if from, ok = a.side(c, name); !ok {
			return
		}
	}
	to, ok := a.side(c, c.Query("to"))
	if !ok {
		return
	}
	send(c, http.StatusOK, differenceOf(from, to, a.Store.State().Revision))
}

// editionRow is an edition as the API lists it.
type editionRow struct {
	Edition int64  `json:"edition"`
	Hash    string `json:"sha256"`
	Note    string `json:"note"`
	At      string `json:"at"`
	Live    bool   `json:"live"`
}

// editions lists the editions, the last one first.
func (a *API) editions(c *gin.Context) {
	if _, ok := a.mayEdit(c, auth.Setup); !ok {
		return
	}
	p, ok := readPages(c)
	if !ok {
		return
	}
	list, err := a.Kept.Editions(c.Request.Context())
	if err != nil {
		a.internal(c, err)
		return
	}
	if p.after != "" {
		before, err := strconv.ParseInt(p.after, 10, 64)
		if err != nil {
			problem(c, BadRequest, "after is not the end of a page of editions", nil)
			return
		}
		list = slices.DeleteFunc(list, func(e sqlite.Edition) bool { return e.Number >= before })
	}
	if p.limit > 0 && len(list) > p.limit {
		list = list[:p.limit]
		p.next(c, strconv.FormatInt(list[p.limit-1].Number, 10))
	}
	live := a.Store.Live()
	rows := make([]editionRow, len(list))
	for i, e := range list {
		rows[i] = editionRow{
			e.Number,
			e.Hash,
			e.Note,
			e.At.UTC().Format(time.RFC3339),
			live != nil && live.Number == e.Number,
		}
	}
	sendTagged(c, rows)
}

// publication is what is asked of publishing: the note, and the revision of the draft that was looked at, 0 for any.
type publication struct {
	note     string
	revision int64
}

func readPublication(body []byte) (p publication, faults fault.List) {
	r := jsonread.New(body, "")
	absent := r.Kind() == 'n'
	r.Object(func(name []byte) bool {
		switch string(name) {
		case "note":
			text, err := oneline.Read(r.Text())
			switch {
			case err != nil:
				r.Fault(fault.Range, "%v", err)
			case utf8.RuneCountInString(text) > maxNote:
				r.Fault(fault.TooLarge, "a note has at most %d letters", maxNote)
			}
			p.note = text
		case "revision":
			if n := r.Int(); n != nil {
				p.revision = *n
			}
		default:
			return false
		}
		return true
	})
	if absent {
		r.Fault(fault.Type, "what is published is an object, not null")
	}
	r.End()
	return p, r.Faults
}

// publish makes the next edition of the draft.
func (a *API) publish(c *gin.Context) {
	who, ok := a.mayEdit(c, auth.Setup)
	if !ok {
		return
	}
	if !sentJSON(c, "a request") {
		return
	}
	var in bytes.Buffer
	if !readInto(c, &in, MaxBody) {
		return
	}
	a.once(c, &who, in.Bytes(), func() {
		p, faults := readPublication(in.Bytes())
		if len(faults) > 0 {
			tell(c, faulty(faults))
			return
		}
		seen := sqlite.Stamp{Revision: a.Store.State().Revision}
		if p.revision != 0 {
			seen.Revision = p.revision
		}
		if live := a.Store.Live(); live != nil {
			seen.Turn = live.Turn
		}
		live, err := a.Store.Publish(draft.By(c.Request.Context(), who.by().ID), seen, p.note)
		if !a.edited(c, err) {
			return
		}
		a.Note(c.Request, auth.Published, who.by(), fmt.Sprintf("edition %d", live.Number))
		c.Header("Diadrom-Edition", strconv.FormatInt(live.Number, 10))
		send(
			c,
			http.StatusCreated,
			editionRow{live.Number, live.Hash, p.note, live.At.UTC().Format(time.RFC3339), true},
		)
	})
}
