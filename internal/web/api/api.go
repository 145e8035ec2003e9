// Package api answers the shops that ask over HTTP: for quotes first of all, described by openapi.yaml (OpenAPI 3.1),
// which is served beside it. What goes wrong is told as problem details (RFC 9457).
package api

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"log/slog"
	"mime"
	"net/http"
	"strconv"
	"sync"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/feed"
	"diadrom/internal/shop/files"
	"diadrom/internal/shop/held"

	"github.com/gin-gonic/gin"
)

// Description is the description of the API, OpenAPI 3.1 as YAML.
//
//go:embed openapi.yaml
var Description []byte

// Kind is what kind of asker somebody is.
type Kind int

// Who may ask: nobody, a shop with its key, or a person who is signed in and may see the draft too.
const (
	Nobody Kind = iota
	Shop
	Person
)

// Asker is who asks.
type Asker struct {
	Kind   Kind
	Why    string      // of Nobody: what is wrong with the key that was sent; "" where none was
	Later  bool        // of Nobody: which keys hold is not known here yet
	Key    *auth.Key   // of Shop
	From   string      // of Shop: the address that the request comes from
	Person auth.Person // of Person
}

// May says whether somebody has a right: helpers have those to the draft, owners all that keys can have.
func (who *Asker) May(r auth.Right) bool {
	switch who.Kind {
	case Shop:
		return who.Key.May(r)
	case Person:
		return who.Person.Role == auth.Owner || r == auth.Costs || r == auth.Products
	}
	return false
}

// buyers says whether somebody is told what buyers are told, and no more.
func (who *Asker) buyers() bool { return who.Kind == Shop && who.Key.Publishable }

// Edition is a published edition that quotes are made from.
type Edition struct {
	Engine *quote.Engine
	Kept   *quote.Engine // the same as long as the edition is live
	Number int64
	Hash   string // SHA-256 of its store file, in hexadecimal
}

// Shops is what the API answers from.
type Shops struct {
	Live func() *Edition // what quotes at the moment of a request; nil where nothing is live
	// Pinned gives an edition that was live so short a time ago that a checkout may still be pinned to it; nil for none.
	Pinned func(number int64) *Edition
	// Node has quotes be all that is answered: the shop is edited elsewhere, and another node may be ahead of this one
	Node  bool
	Draft func() *quote.Engine // as it is edited
	Asker func(*http.Request) Asker
	Sites func(origin string) bool // whether a publishable key names an origin
	Holds func() *held.Keys
	Store *draft.Draft // for those who change it; nil where nobody does
	Feed  *feed.Feed
	Kept  kept
	// Count is told of each quote; nil for nobody
	Count Counter
	// Note keeps for the owners what was published
	Note func(r *http.Request, kind auth.Event, p auth.Person, detail string)
	Log  *slog.Logger
	// Moves names a carrier with a secret that one store asks at another address than the other; "" for none.
	Moves func(was, is *store.File) string
	// Files reads store files that are sent.
	Files *files.Reader
	// Notices are what programs are told of
	Notices Notices
	// Review gives the warnings about a store
	Review Reviewer
}

// Counter counts quotes.
type Counter interface {
	Quoted(a *quote.Answer, took time.Duration)
	Faulty()
}

// asker finds who asks; false where that has been answered already.
func (a *API) asker(c *gin.Context) (who Asker, ok bool) {
	who = a.Asker(c.Request)
	switch {
	case who.Kind == Nobody && who.Later:
		c.Header("Retry-After", "1")
		problem(c, Busy, who.Why, nil)
		return who, false
	case who.Kind == Nobody:
		challenge, why, kind := `Bearer realm="quotes"`, who.Why, KeyRefused
		if why == "" {
			kind = NoKey
			why = "say who asks: send a key of this shop with Authorization: Bearer"
		} else {
			challenge += `, error="invalid_token"` // RFC 6750, 3.1
		}
		c.Header("WWW-Authenticate", challenge)
		problem(c, kind, why, nil)
		return who, false
	case who.Kind == Shop && who.Key.Publishable && !who.Key.From(c.GetHeader("Origin")):
		why := "this key is for pages of the sites that it names; its owner sees them under People"
		problem(c, WrongSite, why, nil)
		return who, false
	case who.Kind == Shop && !who.Key.Publishable && !sameSite(c.Request):
		why := "a page has sent a key that is for servers: revoke it, since everybody can read it there, " +
			"and make a key for pages"
		problem(c, KeyForServers, why, nil)
		return who, false
	}
	if who.Kind == Shop {
		c.Set("key", who.Key.Name)
	}
	return who, true
}

// asked is what a request is answered from.
type asked struct {
	who     Asker
	engine  *quote.Engine
	reached *quote.Engine // the same as it is kept, to know it again
	edition *Edition      // nil for the draft
	// language is that which the asker prefers where a request says none
	language string
	end      func() // of its turn
	limits   []*limit
}

// engine gives what a request is answered from; false where it has been answered already.
func (a *API) engine(c *gin.Context) (q asked, ok bool) {
	who, ok := a.asker(c)
	if !ok {
		return q, false
	}
	carriers := c.Query("carriers")
	switch of := c.Query("of"); {
	case of == "draft" && who.Kind != Person:
		problem(c, PeopleOnly, "only people of the shop are quoted from its draft", nil)
		return q, false
	case carriers != "" && carriers != "wait" && carriers != "later":
		problem(c, BadRequest, "a quote waits for carriers, or they come later", nil)
		return q, false
	case of == "draft" && c.GetHeader(editionHeader) != "":
		problem(c, BadRequest, "a quote is of the draft or of an edition: leave out of=draft or "+editionHeader, nil)
		return q, false
	case of == "draft":
		e := a.Draft()
		return asked{who: who, engine: waiting(e, carriers), reached: e}, true
	case of != "" && of != "live":
		problem(c, BadRequest, "quotes are of the live edition or of the draft", nil)
		return q, false
	}
	e := a.Live()
	if e == nil {
		problem(c, NotLive, "nothing is live yet: the shop is still being set up", nil)
		return q, false
	}
	if e, ok = a.pinned(c, e); !ok {
		return q, false
	}
	return asked{who: who, engine: waiting(e.Engine, carriers), reached: e.Kept, edition: e}, true
}

// editionHeader is the header of the edition that a quote is of, and of the one that a checkout wants it to be of.
const editionHeader = "Diadrom-Edition"

// pinned gives the edition that a checkout is pinned to, the live one where it is to none; false where that has been
// answered already.
func (a *API) pinned(c *gin.Context, live *Edition) (*Edition, bool) {
	text := c.GetHeader(editionHeader)
	if text == "" {
		return live, true
	}
	number, err := strconv.ParseInt(text, 10, 64)
	if err != nil || number < 1 {
		problem(c, BadRequest, "the header "+editionHeader+" names an edition by its number, as an answer does", nil)
		return nil, false
	}
	if number == live.Number {
		return live, true
	}
	if a.Pinned != nil {
		if e := a.Pinned(number); e != nil {
			return e, true
		}
	}
	if a.Node && number > live.Number {
		c.Header("Retry-After", "1")
		problem(c, NotHereYet, fmt.Sprintf("edition %d has not come here yet: ask again, or another node",
			number), nil)
		return nil, false
	}
	problem(c, EditionGone, fmt.Sprintf("edition %d is not quoted from any more: ask without "+editionHeader+
		" and show the buyer what has changed", number), nil)
	return nil, false
}

// waiting is the engine, which does not wait for carriers where they are to come later.
func waiting(e *quote.Engine, carriers string) *quote.Engine {
	if carriers == "later" {
		return e.NotWaiting()
	}
	return e
}

// buffers are for requests and answers, most of which are some KB.
var buffers = sync.Pool{New: func() any { return &bytes.Buffer{} }}

// maxPooled is the largest buffer that is used again, in bytes: few are larger, and they would lie about for long.
const maxPooled = 32 << 20

// giveBackBuffer has a buffer be used again.
func giveBackBuffer(b *bytes.Buffer) {
	if b.Cap() <= maxPooled {
		b.Reset()
		buffers.Put(b)
	}
}

// Values of headers of every answer, which nobody changes.
var noStore, jsonType = []string{"no-store"}, []string{"application/json"}

// write writes a value as JSON, and the end of a line.
func write(out *bytes.Buffer, v any) {
	if a, ok := v.(*quote.Answer); ok {
		out.Write(a.AppendJSON(out.AvailableBuffer()))
		out.WriteByte('\n')
		return
	}
	if err := json.NewEncoder(out).Encode(v); err != nil {
		panic(err) // answers and faults are texts and whole numbers
	}
}

func isJSON(contentType string) bool {
	if contentType == "application/json" {
		return true
	}
	kind, _, err := mime.ParseMediaType(contentType)
	return err == nil && kind == "application/json"
}

func send(c *gin.Context, status int, v any) {
	out := buffers.Get().(*bytes.Buffer)
	defer giveBackBuffer(out)
	write(out, v)
	sendWritten(c, status, out)
}

// sendWritten answers with JSON.
func sendWritten(c *gin.Context, status int, out *bytes.Buffer) {
	h := c.Writer.Header()
	h["Cache-Control"], h["Content-Type"] = noStore, jsonType
	h["Content-Length"] = []string{strconv.Itoa(out.Len())}
	c.Status(status)
	c.Writer.Write(out.Bytes())
}
