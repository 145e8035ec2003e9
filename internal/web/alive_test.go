package web

import (
	"testing"

	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
)

// A monitor is told whether the program runs and whether buyers are quoted, without signing in.
func TestMonitorsAreAnswered(t *testing.T) {
	s := openedAs(t, draft.Empty(), false, Options{})
	status, body := s.get("/healthz")
	assert.Equal(t, 200, status)
	assert.Equal(t, "ok\n", body)
	status, body = s.get("/readyz")
	assert.Equal(t, 503, status, "nothing was published")
	assert.JSONEq(t, `{"ready": false, "why": "no edition is live yet"}`, body)
	s = lauha(t)
	status, body = s.get("/readyz")
	assert.Equal(t, 200, status)
	assert.JSONEq(t, `{"ready": true, "edition": 1}`, body)
	s.db.Close()
	status, body = s.get("/readyz")
	assert.Equal(t, 503, status)
	assert.Contains(t, body, "the database does not answer")
	status, _ = s.get("/healthz")
	assert.Equal(t, 200, status)
}
