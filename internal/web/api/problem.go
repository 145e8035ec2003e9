package api

import (
	"encoding/json"
	"net/http"
	"slices"

	"diadrom/internal/core/fault"

	"github.com/gin-gonic/gin"
)

// Problem is a type of problem: what may go wrong with a request, in words that do not depend on the request.
type Problem struct {
	Code   string // of lower-case letters and underscores; never renamed
	Status int    // of HTTP
	Title  string
	Help   string // what whoever asks does about it
}

// ProblemDetails is what is said of a request that failed (RFC 9457).
type ProblemDetails struct {
	Type   string     `json:"type"` // relative to the server: a page that explains it
	Title  string     `json:"title"`
	Status int        `json:"status"`
	Code   string     `json:"code"`
	Detail string     `json:"detail"`
	Faults fault.List `json:"faults,omitempty"`
}

// Details are those of a request with this problem.
func (p *Problem) Details(detail string, faults fault.List) ProblemDetails {
	return ProblemDetails{Type: problemsPath + "/" + p.Code, Title: p.Title, Status: p.Status, Code: p.Code, Detail: detail,
		Faults: faults}
}

// Answer answers with the problem outside the API's own routes.
func (p *Problem) Answer(w http.ResponseWriter, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(p.Status)
	w.Write(problemJSON(p.Details(detail, nil)))
}

func problem(c *gin.Context, p *Problem, detail string, faults fault.List) {
	tell(c, p.Details(detail, faults))
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
	if slices.ContainsFunc(faults, malformed) {
		return Malformed.Details("the request is not of the form that the API takes", faults)
	}
	return Invalid.Details("the request asks for what cannot be", faults)
}

// malformed says whether a fault is one of form, not of what the values mean.
func malformed(f fault.Fault) bool {
	switch f.Code {
	case fault.Syntax, fault.Type, fault.Unknown, fault.Duplicate, fault.Missing, fault.Number:
		return true
	}
	return false
}
