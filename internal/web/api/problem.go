package api

import (
	"encoding/json"
	"net/http"
	"slices"

	"diadrom/internal/core/fault"

	"github.com/gin-gonic/gin"
)

// ProblemDetails is what is said of a request that failed (RFC 9457). Its type is about:blank, which is left out: the
// status says what kind it is.
type ProblemDetails struct {
	Title  string     `json:"title"`
	Status int        `json:"status"`
	Faults fault.List `json:"faults,omitempty"`
}

// Problem answers with a problem outside the API's own routes.
func Problem(w http.ResponseWriter, status int, title string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(status)
	w.Write(problemJSON(ProblemDetails{Title: title, Status: status}))
}

func problem(c *gin.Context, status int, title string, faults fault.List) {
	tell(c, ProblemDetails{title, status, faults})
}

func tell(c *gin.Context, p ProblemDetails) {
	c.Header("Cache-Control", "no-store")
	c.Data(p.Status, "application/problem+json", problemJSON(p))
}

func problemJSON(p ProblemDetails) []byte {
	out, err := json.Marshal(p)
	if err != nil {
		panic(err) // texts and whole numbers
	}
	return append(out, '\n')
}

// faulty is the problem of a request with faults.
func faulty(faults fault.List) ProblemDetails {
	switch {
	case slices.ContainsFunc(faults, malformed):
		return ProblemDetails{"the request is not of the form that the API takes", http.StatusBadRequest, faults}
	default:
		return ProblemDetails{"the request asks for what cannot be", http.StatusUnprocessableEntity, faults}
	}
}

// malformed says whether a fault is one of form, not of what the values mean.
func malformed(f fault.Fault) bool {
	switch f.Code {
	case fault.Syntax, fault.Type, fault.Unknown, fault.Duplicate, fault.Missing, fault.Number:
		return true
	}
	return false
}
