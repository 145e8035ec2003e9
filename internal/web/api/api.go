// Package api answers the shops that ask for quotes over HTTP: POST /api/v1/quotes, described by openapi.yaml
// (OpenAPI 3.1), which is served beside it. What goes wrong is told as problem details (RFC 9457).
package api

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"mime"
	"net/http"
	"slices"
	"strings"
	"sync"

	"diadrom/internal/core/fault"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/world"

	"github.com/gin-gonic/gin"
)

// Description is the description of the API, OpenAPI 3.1 as YAML.
//
//go:embed openapi.yaml
var Description []byte

// Asker is who asks.
type Asker int

// Who may ask: nobody, a shop with its key, or a person who is signed in and may see the draft too.
const (
	Nobody Asker = iota
	Shop
	CostedShop // a shop whose key was made with the right to ask what sending costs it
	Person
)

// Shops is what the API answers from.
type Shops struct {
	Live  func() *quote.Engine // what quotes at the moment of a request; nil where nothing is live
	Draft func() *quote.Engine
	Asker func(*http.Request) (who Asker, key string) // key stands for a shop's key in limits
	// Review gives the warnings about a store
	Review Reviewer
}

// engine gives what a request is answered from; nil where it has been answered already.
func (s Shops) engine(c *gin.Context) *quote.Engine {
	who, key := s.Asker(c.Request)
	if who == Shop || who == CostedShop {
		c.Set("key", key)
	}
	c.Set("costs", who == CostedShop || who == Person)
	carriers := c.Query("carriers")
	switch of := c.Query("of"); {
	case who == Nobody:
		c.Header("WWW-Authenticate", `Bearer realm="quotes"`)
		problem(c, http.StatusUnauthorized, "say who asks: send a key of this shop with Authorization: Bearer", nil)
		return nil
	case of == "draft" && who != Person:
		problem(c, http.StatusForbidden, "only people of the shop are quoted from its draft", nil)
		return nil
	case carriers != "" && carriers != "wait" && carriers != "later":
		problem(c, http.StatusBadRequest, "a quote waits for carriers, or they come later", nil)
		return nil
	case of == "draft":
		return waiting(s.Draft(), carriers)
	case of != "" && of != "live":
		problem(c, http.StatusBadRequest, "quotes are of the live edition or of the draft", nil)
		return nil
	}
	e := s.Live()
	if e == nil {
		problem(c, http.StatusServiceUnavailable, "nothing is live yet: the shop is still being set up", nil)
		return nil
	}
	return waiting(e, carriers)
}

// waiting is the engine, which does not wait for carriers where they are to come later.
func waiting(e *quote.Engine, carriers string) *quote.Engine {
	if carriers == "later" {
		return e.NotWaiting()
	}
	return e
}

// Route adds the API to a router.
func Route(r gin.IRouter, s Shops) {
	l := newLimits()
	r.POST("/api/v1/quotes", func(c *gin.Context) {
		if e := s.engine(c); e != nil {
			l.quotes(c, e)
		}
	})
	r.GET("/api/v1/address-forms/:country", func(c *gin.Context) {
		if e := s.engine(c); e != nil {
			form(c, e)
		}
	})
	r.GET("/api/v1/review", s.review)
	r.GET("/api/v1/openapi.yaml", func(c *gin.Context) {
		c.Data(http.StatusOK, "application/yaml; charset=utf-8", Description) // RFC 9512
	})
}

// Asked says whether a path is one of the API, whose answers are JSON whatever happens.
func Asked(path string) bool { return path == "/api" || strings.HasPrefix(path, "/api/") }

// methods are those of the API's resources.
var methods = map[string]string{"/api/v1/quotes": http.MethodPost, "/api/v1/review": http.MethodGet,
	"/api/v1/openapi.yaml": http.MethodGet}

// Unknown answers what is asked of the API and is not there: a path, or a method of one that is. It goes before
// everything that leads people to where they sign in.
func Unknown(c *gin.Context) {
	path := c.Request.URL.Path
	if !Asked(path) || c.FullPath() != "" {
		c.Next()
		return
	}
	defer c.Abort()
	allowed := methods[strings.TrimSuffix(path, "/")]
	if country, ok := strings.CutPrefix(path, "/api/v1/address-forms/"); ok && country != "" &&
		!strings.Contains(country, "/") {
		allowed = http.MethodGet
	}
	if allowed == "" || strings.HasSuffix(path, "/") {
		problem(
			c,
			http.StatusNotFound,
			"there is no such thing in this API: its description is at /api/v1/openapi.yaml",
			nil,
		)
		return
	}
	c.Header("Allow", allowed)
	problem(c, http.StatusMethodNotAllowed, "this takes "+allowed+" only", nil)
}

// Problem answers with a problem (RFC 9457) outside the API's own routes.
func Problem(w http.ResponseWriter, status int, title string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	w.Write(problemJSON(status, title, nil))
}

func (l *limits) quotes(c *gin.Context, engine *quote.Engine) {
	if !isJSON(c.GetHeader("Content-Type")) {
		c.Header("Accept-Post", "application/json")
		why := "a request is JSON: send it with Content-Type: application/json"
		problem(c, http.StatusUnsupportedMediaType, why, nil)
		return
	}
	var key *keyLimit
	if name := c.GetString("key"); name != "" {
		key = l.of(name)
		select {
		case key.atOnce <- struct{}{}:
			defer func() { <-key.atOnce }()
		default:
			c.Header("Retry-After", "1")
			why := fmt.Sprintf("at most %d exchanges with a key are answered at the same time", KeyAtOnce)
			problem(c, http.StatusTooManyRequests, why, nil)
			return
		}
	}
	in := buffers.Get().(*bytes.Buffer) // what is read of it keeps nothing of it
	defer func() { in.Reset(); buffers.Put(in) }()
	if !readInto(c, in) {
		return
	}
	leave, err := l.enter(c.Request.Context(), in.Len())
	if err != nil {
		c.Header("Retry-After", "5")
		why := "too much is asked at the moment: try again in a few seconds"
		problem(c, http.StatusServiceUnavailable, why, nil)
		return
	}
	defer leave()
	requests, many, faults := engine.ReadLimited(in.Bytes(), readLimits)
	if len(faults) > 0 {
		faulty(c, faults, many && len(requests) >= MaxRequests)
		return
	}
	if !c.GetBool("costs") && slices.ContainsFunc(requests, func(q quote.Request) bool { return q.Costs }) {
		why := "what sending costs the shop is for its people, and for keys that were made with that right"
		problem(c, http.StatusForbidden, why, nil)
		return
	}
	if key != nil && len(requests) > 0 {
		if wait := key.heldOff(len(requests)); wait > 0 {
			c.Header("Retry-After", retryAfter(wait))
			why := fmt.Sprintf("with a key at most %d quotes a second are asked for, and %d at once", KeyRate, KeyBurst)
			problem(c, http.StatusTooManyRequests, why, nil)
			return
		}
	}
	if !many {
		send(c, http.StatusOK, "application/json", engine.Quote(&requests[0]))
		return
	}
	stream(c, engine.AheadOf(requests), requests)
}

// readInto reads the body of a request; false where it cannot be, which is answered then.
func readInto(c *gin.Context, in *bytes.Buffer) bool {
	body, err := unpacked(c.Writer, c.Request)
	if err == nil {
		_, err = in.ReadFrom(body)
	}
	var large *http.MaxBytesError
	switch {
	case errors.Is(err, errEncoding):
		c.Header("Accept-Encoding", "gzip")
		problem(c, http.StatusUnsupportedMediaType, err.Error(), nil)
	case errors.As(err, &large):
		problem(c, http.StatusRequestEntityTooLarge, "a request has at most 4 MB", nil)
	case err != nil:
		problem(c, http.StatusBadRequest, "the request broke off, or is not what its headers say", nil)
	}
	return err == nil
}

// faulty answers requests with faults; full is whether there are as many requests as an exchange may have.
func faulty(c *gin.Context, faults fault.List, full bool) {
	tooLarge := func(f fault.Fault) bool { return f.Code == fault.TooLarge }
	switch {
	case slices.ContainsFunc(faults, malformed):
		problem(c, http.StatusBadRequest, "the request is not of the form that the API takes", faults)
	case full && slices.ContainsFunc(faults, tooLarge):
		title := fmt.Sprintf("an exchange has at most %d requests", MaxRequests)
		problem(c, http.StatusRequestEntityTooLarge, title, faults)
	default:
		problem(c, http.StatusUnprocessableEntity, "the request asks for what cannot be", faults)
	}
}

// stream answers a list of requests, each answer written before the next is made, so that their memory is that
// of one.
func stream(c *gin.Context, engine *quote.Engine, requests []quote.Request) {
	c.Header("Cache-Control", "no-store")
	c.Header("Content-Type", "application/json")
	c.Status(http.StatusOK)
	out := buffers.Get().(*bytes.Buffer)
	defer func() { out.Reset(); buffers.Put(out) }()
	out.WriteByte('[')
	for i := range requests {
		if c.Request.Context().Err() != nil {
			return // nobody waits for it any more
		}
		if i > 0 {
			out.WriteByte(',')
		}
		if err := json.NewEncoder(out).Encode(engine.Quote(&requests[i])); err != nil {
			panic(err) // answers are texts and whole numbers
		}
		if out.Len() > 32<<10 {
			if _, err := c.Writer.Write(out.Bytes()); err != nil {
				return
			}
			out.Reset()
		}
	}
	out.WriteString("]\n")
	c.Writer.Write(out.Bytes())
}

// Form is what to ask of an address in a country.
type Form struct {
	Country  string   `json:"country"`
	Name     string   `json:"name"`
	Postcode bool     `json:"postcode"`
	Shape    string   `json:"shape"`
	Regions  []Region `json:"regions"`
}

// Region is a region to choose.
type Region struct {
	Code string `json:"code"` // ISO 3166-2
	Name string `json:"name"`
}

// FormOf is what a store asks of an address in a country; false where there is no such country.
func FormOf(e *quote.Engine, country string) (Form, bool) {
	known, ok := world.CountryByCode(country)
	if !ok {
		return Form{}, false
	}
	asked := e.Form(known.Alpha2)
	f := Form{
		Country:  known.Alpha2,
		Name:     known.Name,
		Postcode: asked.Postcode,
		Shape:    asked.Shape,
		Regions:  []Region{},
	}
	for _, r := range asked.Regions {
		f.Regions = append(f.Regions, Region{r.Code, r.Name})
	}
	slices.SortStableFunc(
		f.Regions,
		func(a, b Region) int { return strings.Compare(world.Fold(a.Name), world.Fold(b.Name)) },
	)
	return f, true
}

func form(c *gin.Context, engine *quote.Engine) {
	f, ok := FormOf(engine, c.Param("country"))
	if !ok {
		problem(c, http.StatusNotFound, "there is no such country in ISO 3166-1", nil)
		return
	}
	send(c, http.StatusOK, "application/json", f)
}

// malformed says whether a fault is one of form, not of what the values mean.
func malformed(f fault.Fault) bool {
	switch f.Code {
	case fault.Syntax, fault.Type, fault.Unknown, fault.Duplicate, fault.Missing, fault.Number:
		return true
	}
	return false
}

func problem(c *gin.Context, status int, title string, faults fault.List) {
	c.Header("Cache-Control", "no-store")
	c.Data(status, "application/problem+json", problemJSON(status, title, faults))
}

func problemJSON(status int, title string, faults fault.List) []byte {
	out, err := json.Marshal(struct {
		Title  string     `json:"title"`
		Status int        `json:"status"`
		Faults fault.List `json:"faults,omitempty"`
	}{title, status, faults})
	if err != nil {
		panic(err) // texts and whole numbers
	}
	return append(out, '\n')
}

// buffers are for requests and answers, most of which are some KB.
var buffers = sync.Pool{New: func() any { return &bytes.Buffer{} }}

func isJSON(contentType string) bool {
	if contentType == "application/json" {
		return true
	}
	kind, _, err := mime.ParseMediaType(contentType)
	return err == nil && kind == "application/json"
}

func send(c *gin.Context, status int, kind string, v any) {
	out := buffers.Get().(*bytes.Buffer)
	defer func() { out.Reset(); buffers.Put(out) }()
	if err := json.NewEncoder(out).Encode(v); err != nil {
		panic(err) // answers and faults are texts and whole numbers
	}
	c.Header("Cache-Control", "no-store")
	c.Data(status, kind, out.Bytes())
}
