// Package api answers the shops that ask for quotes over HTTP: POST /api/v1/quotes, described by openapi.yaml (OpenAPI 3.1), which
// is served beside it. What goes wrong is told as problem details (RFC 9457).
package api

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"errors"
	"mime"
	"net/http"
	"slices"
	"strings"
	"sync"

	"diadrom/internal/fault"
	"diadrom/internal/quote"
	"diadrom/internal/world"

	"github.com/gin-gonic/gin"
)

// MaxBody is the largest request, in bytes.
const MaxBody = 4 << 20

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
	Person
)

// Shops is what the API answers from.
type Shops struct {
	Live  func() *quote.Engine // what quotes at the moment of a request; nil where nothing is live
	Draft func() *quote.Engine
	Asker func(*http.Request) Asker
}

// engine gives what a request is answered from; nil where it has been answered already.
func (s Shops) engine(c *gin.Context) *quote.Engine {
	who := s.Asker(c.Request)
	switch of := c.Query("of"); {
	case who == Nobody:
		c.Header("WWW-Authenticate", `Bearer realm="quotes"`)
		problem(c, http.StatusUnauthorized, "say who asks: send a key of this shop with Authorization: Bearer", nil)
		return nil
	case of == "draft" && who != Person:
		problem(c, http.StatusForbidden, "only people of the shop are quoted from its draft", nil)
		return nil
	case of == "draft":
		return s.Draft()
	case of != "" && of != "live":
		problem(c, http.StatusBadRequest, "quotes are of the live edition or of the draft", nil)
		return nil
	}
	e := s.Live()
	if e == nil {
		problem(c, http.StatusServiceUnavailable, "nothing is live yet: the shop is still being set up", nil)
	}
	return e
}

// Route adds the API to a router.
func Route(r gin.IRouter, s Shops) {
	r.POST("/api/v1/quotes", func(c *gin.Context) {
		if e := s.engine(c); e != nil {
			quotes(c, e)
		}
	})
	r.GET("/api/v1/quotes", func(c *gin.Context) {
		c.Header("Allow", http.MethodPost)
		problem(c, http.StatusMethodNotAllowed, "quotes are asked for by POST", nil)
	})
	r.GET("/api/v1/address-forms/:country", func(c *gin.Context) {
		if e := s.engine(c); e != nil {
			form(c, e)
		}
	})
	r.GET("/api/v1/openapi.yaml", func(c *gin.Context) {
		c.Data(http.StatusOK, "application/yaml; charset=utf-8", Description) // RFC 9512
	})
}

func quotes(c *gin.Context, engine *quote.Engine) {
	if !isJSON(c.GetHeader("Content-Type")) {
		c.Header("Accept-Post", "application/json")
		problem(c, http.StatusUnsupportedMediaType, "a request is JSON: send it with Content-Type: application/json", nil)
		return
	}
	in := buffers.Get().(*bytes.Buffer) // what is read of it keeps nothing of it
	defer func() { in.Reset(); buffers.Put(in) }()
	_, err := in.ReadFrom(http.MaxBytesReader(c.Writer, c.Request.Body, MaxBody))
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		problem(c, http.StatusRequestEntityTooLarge, "a request has at most 4 MB", nil)
		return
	case err != nil:
		problem(c, http.StatusBadRequest, "the request broke off", nil)
		return
	}
	requests, many, faults := engine.ReadRequest(in.Bytes())
	if len(faults) > 0 {
		status, title := http.StatusUnprocessableEntity, "the request asks for what cannot be"
		if slices.ContainsFunc(faults, malformed) {
			status, title = http.StatusBadRequest, "the request is not of the form that the API takes"
		}
		problem(c, status, title, faults)
		return
	}
	answers := make([]*quote.Answer, len(requests))
	for i := range requests {
		answers[i] = engine.Quote(&requests[i])
	}
	if many {
		send(c, http.StatusOK, "application/json", answers)
		return
	}
	send(c, http.StatusOK, "application/json", answers[0])
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
	f := Form{Country: known.Alpha2, Name: known.Name, Postcode: asked.Postcode, Shape: asked.Shape, Regions: []Region{}}
	for _, r := range asked.Regions {
		f.Regions = append(f.Regions, Region{r.Code, r.Name})
	}
	slices.SortStableFunc(f.Regions, func(a, b Region) int { return strings.Compare(world.Fold(a.Name), world.Fold(b.Name)) })
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
	send(c, status, "application/problem+json", struct {
		Title  string     `json:"title"`
		Status int        `json:"status"`
		Faults fault.List `json:"faults,omitempty"`
	}{title, status, faults})
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
