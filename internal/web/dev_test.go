package web

import (
	"net/http"
	"testing"

	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
)

// What reloads pages for whoever works on Diadrom is served to nobody else.
func TestReloadingIsForDevelopersOnly(t *testing.T) {
	s := lauha(t)
	status, _ := s.get("/dev/reload.js")
	assert.Equal(t, http.StatusNotFound, status)
	_, page := s.get("/zones")
	assert.NotContains(t, page, "/dev/")
	dev := own(t, Options{SignIn: signin.Options{Demo: true}, Dev: "."})
	status, script := dev.get("/dev/reload.js")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, script, "/dev/changes")
	_, page = dev.get("/zones")
	assert.Contains(t, page, "/dev/reload.js")
}
