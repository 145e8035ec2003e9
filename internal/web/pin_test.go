package web

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A checkout that is pinned to an edition sees one price from the first question to the last, whatever is published
// meanwhile, and is told when that is over.
func TestACheckoutIsPinnedToAnEdition(t *testing.T) {
	b := benchOf(t, storetest.Small, t.TempDir())
	b.publish()
	ask := func(path, pin string, status int) (edition, said string) {
		t.Helper()
		r := httptest.NewRequest(http.MethodPost, path, strings.NewReader(
			`{"to":{"country":"FI","postcode":"00003"},"lines":[{"price":"10","weight":"2.5","quantity":1}]}`))
		r.Header.Set("Content-Type", "application/json")
		if pin != "" {
			r.Header.Set("Diadrom-Edition", pin)
		}
		w := httptest.NewRecorder()
		b.h.ServeHTTP(w, r)
		require.Equal(t, status, w.Code, w.Body)
		return w.Header().Get("Diadrom-Edition"), w.Body.String()
	}
	const quotes = "/api/v1/quotes"
	price := func(answer string) string {
		var a struct {
			Options []struct{ Method, Total string }
		}
		require.NoError(t, json.Unmarshal([]byte(answer), &a))
		for _, o := range a.Options {
			if o.Method == "m1" {
				return o.Total
			}
		}
		return ""
	}
	edition, before := ask(quotes, "", http.StatusOK)
	assert.Equal(t, "1", edition)
	b.price()
	b.publish()
	edition, after := ask(quotes, "", http.StatusOK)
	assert.Equal(t, "2", edition)
	require.NotEmpty(t, price(before))
	require.NotEqual(t, price(before), price(after))
	for range 2 {
		edition, again := ask(quotes, "1", http.StatusOK)
		assert.Equal(t, "1", edition)
		assert.Equal(t, price(before), price(again))
		edition, again = ask(quotes, "2", http.StatusOK)
		assert.Equal(t, "2", edition)
		assert.Equal(t, price(after), price(again))
	}
	_, said := ask(quotes, "99", http.StatusGone)
	assert.Contains(t, said, "edition 99 is not quoted from any more")
	for _, wrong := range []string{"x", "0", "-1", "1.0", "99999999999999999999"} {
		_, said := ask(quotes, wrong, http.StatusBadRequest)
		assert.Contains(t, said, "names an edition by its number")
	}
	_, said = ask(quotes+"?of=draft", "1", http.StatusBadRequest)
	assert.Contains(t, said, "leave out of=draft or Diadrom-Edition")
}
