// Package standin has services that stand in for those outside, so that a shop can be tried without any: roads and
// addresses, made of a list of places alone. They answer over HTTP in the form of the real ones, always the same.
package standin

import (
	"crypto/subtle"
	"net/http"
	"sync/atomic"
	"time"
)

// Misbehave says how a stand-in fails, to see what becomes of a shop then.
type Misbehave struct {
	Slow     time.Duration // before each answer
	Fail     bool          // status 500
	Nonsense bool          // a page in HTML
}

// Handler is a stand-in that misbehaves so.
func (m Misbehave) Handler(service http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if m.Slow > 0 {
			select {
			case <-time.After(m.Slow):
			case <-r.Context().Done():
				return
			}
		}
		switch {
		case m.Fail:
			http.Error(w, "out of order", http.StatusInternalServerError)
		case m.Nonsense:
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			w.Write([]byte("<!doctype html><title>Welcome</title><h1>Welcome</h1>")) //nolint:errcheck
		default:
			service.ServeHTTP(w, r)
		}
	})
}

// Mood is how a stand-in behaves, which may change while it runs. The zero value behaves well. It is safe for many
// goroutines.
type Mood struct{ now atomic.Pointer[Misbehave] }

// Set has the stand-in misbehave so from now on.
func (m *Mood) Set(b Misbehave) { m.now.Store(&b) }

// Get is how it misbehaves.
func (m *Mood) Get() Misbehave {
	if b := m.now.Load(); b != nil {
		return *b
	}
	return Misbehave{}
}

// Handler is a stand-in that behaves as the mood is.
func (m *Mood) Handler(service http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		b := m.Get()
		b.Handler(service).ServeHTTP(w, r)
	})
}

// Secret is a stand-in that wants a bearer token; "" for none.
func Secret(token string, service http.Handler) http.Handler {
	if token == "" {
		return service
	}
	want := []byte("Bearer " + token)
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if subtle.ConstantTimeCompare([]byte(r.Header.Get("Authorization")), want) != 1 {
			w.Header().Set("WWW-Authenticate", "Bearer")
			send(w, http.StatusUnauthorized, map[string]any{"error": "a bearer token is wanted, and this is another"})
			return
		}
		service.ServeHTTP(w, r)
	})
}
