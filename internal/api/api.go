// Package api answers the shops that ask for quotes over HTTP: POST /api/v1/quotes, described by openapi.yaml (OpenAPI 3.1), which
// is served beside it. What goes wrong is told as problem details (RFC 9457).
package api

import (
	_ "embed"
	"encoding/json"
	"errors"
	"io"
	"mime"
	"net/http"
	"slices"

	"diadrom/internal/fault"
	"diadrom/internal/quote"

	"github.com/gin-gonic/gin"
)

// MaxBody is the largest request, in bytes.
const MaxBody = 4 << 20

// Description is the description of the API, OpenAPI 3.1 as YAML.
//
//go:embed openapi.yaml
var Description []byte

// Route adds the API to a router; engine gives what quotes at the moment of a request.
func Route(r gin.IRouter, engine func() *quote.Engine) {
	r.POST("/api/v1/quotes", func(c *gin.Context) { quotes(c, engine()) })
	r.GET("/api/v1/quotes", func(c *gin.Context) {
		c.Header("Allow", http.MethodPost)
		problem(c, http.StatusMethodNotAllowed, "quotes are asked for by POST", nil)
	})
	r.GET("/api/v1/openapi.yaml", func(c *gin.Context) {
		c.Data(http.StatusOK, "application/yaml; charset=utf-8", Description) // RFC 9512
	})
}

func quotes(c *gin.Context, engine *quote.Engine) {
	if kind, _, err := mime.ParseMediaType(c.GetHeader("Content-Type")); err != nil || kind != "application/json" {
		c.Header("Accept-Post", "application/json")
		problem(c, http.StatusUnsupportedMediaType, "a request is JSON: send it with Content-Type: application/json", nil)
		return
	}
	body, err := io.ReadAll(http.MaxBytesReader(c.Writer, c.Request.Body, MaxBody))
	var large *http.MaxBytesError
	switch {
	case errors.As(err, &large):
		problem(c, http.StatusRequestEntityTooLarge, "a request has at most 4 MB", nil)
		return
	case err != nil:
		problem(c, http.StatusBadRequest, "the request broke off", nil)
		return
	}
	requests, many, faults := engine.ReadRequest(body)
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

func send(c *gin.Context, status int, kind string, v any) {
	body, err := json.Marshal(v)
	if err != nil {
		panic(err) // answers and faults are texts and whole numbers
	}
	c.Header("Cache-Control", "no-store")
	c.Data(status, kind, append(body, '\n'))
}
