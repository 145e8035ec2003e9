package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"hash"
	"net/http"

	"diadrom/internal/sqlite"

	"github.com/gin-gonic/gin"
)

// kept has the editions of a shop, and remembers what was answered to requests.
type kept interface {
	Editions(ctx context.Context) ([]sqlite.Edition, error)
	Answer(ctx context.Context, key int64, name string) (sqlite.Answered, bool, error)
	KeepAnswer(ctx context.Context, a sqlite.Answered) error
}

// maxKeptAnswer is the largest answer that is remembered, in bytes.
const maxKeptAnswer = 256 << 10

// once answers a request that changes something. Under a name that its sender gives it in the header Idempotency-Key
// (draft-ietf-httpapi-idempotency-key-header-07) the same request is answered again as it was, and nothing is done
// twice. Answers to what failed on this side are not remembered.
func (a *API) once(c *gin.Context, who *Asker, body []byte, do func()) {
	sum := onceHash(c)
	sum.Write(body)
	a.onceHashed(c, who, sum, do)
}

// onceHash begins the hash of a request, to which its body is written.
func onceHash(c *gin.Context) hash.Hash {
	sum := sha256.New()
	fmt.Fprintf(sum, "%s %s\n%s\n%s\n", c.Request.Method, c.Request.URL.RequestURI(), c.GetHeader("If-Match"),
		c.GetHeader("If-None-Match"))
	return sum
}

// onceHashed is once for a request whose hash has been made.
func (a *API) onceHashed(c *gin.Context, who *Asker, sum hash.Hash, do func()) {
	name := c.GetHeader("Idempotency-Key")
	if name == "" {
		do()
		return
	}
	if len(name) > 200 {
		problem(c, BadRequest, "an Idempotency-Key has at most 200 letters", nil)
		return
	}
	hashed, by := hex.EncodeToString(sum.Sum(nil)), -who.by().ID
	ctx := c.Request.Context()
	if !a.pending.begin(by, name) {
		c.Header("Retry-After", "1")
		problem(c, UnderWay, "this request is being answered already", nil)
		return
	}
	defer a.pending.end(by, name)
	was, ok, err := a.Kept.Answer(ctx, by, name)
	switch {
	case err != nil:
		a.internal(c, err)
		return
	case ok && was.Hash != hashed:
		why := "this Idempotency-Key was used for another request within a day"
		problem(c, OtherBefore, why, nil)
		return
	case ok:
		c.Header("Cache-Control", "no-store")
		c.Header("Idempotency-Replayed", "true")
		for name, value := range was.Headers {
			c.Header(name, value)
		}
		kind := "application/json"
		if was.Status >= http.StatusBadRequest {
			kind = "application/problem+json"
		}
		if was.Body == "" {
			c.Status(was.Status)
			return
		}
		c.Data(was.Status, kind, []byte(was.Body))
		return
	}
	w := &remembering{ResponseWriter: c.Writer}
	c.Writer = w
	do()
	if w.Status() >= http.StatusInternalServerError || w.Status() == http.StatusConflict ||
		w.body.Len() > maxKeptAnswer {
		return
	}
	headers := map[string]string{}
	for _, name := range []string{"ETag", "Location", "Diadrom-Revision", editionHeader} {
		if value := w.Header().Get(name); value != "" {
			headers[name] = value
		}
	}
	if err := a.Kept.KeepAnswer(context.WithoutCancel(ctx), sqlite.Answered{Key: by, Name: name, Hash: hashed,
		Status: w.Status(), Headers: headers, Body: w.body.String()}); err != nil {
		a.Log.Error("an answer was not remembered", "id", requestID(c), "error", err)
	}
}

// remembering keeps a copy of an answer.
type remembering struct {
	gin.ResponseWriter
	body bytes.Buffer
}

func (w *remembering) Write(b []byte) (int, error) {
	w.body.Write(b)
	return w.ResponseWriter.Write(b)
}
