package web

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestOwnersSeeWhatALanguageLacks(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/languages")
	holds(t, body, "All is in your own words so far")
	_, body = s.get("/languages?also=sv")
	holds(t, body, "svenska (Swedish)", "lacks ")
	status, body := s.get("/languages?also=klingonish-is-none")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "is not a language", `value="klingonish-is-none"`)
	status, body = s.post(
		"/languages/text",
		"of",
		"label",
		"id",
		"parcel",
		"tag",
		"sv",
		"was",
		"",
		"text",
		"Paket till dörren",
		"dom",
		"text-1-0",
	)
	require.Equal(t, 200, status)
	holds(t, body, "Paket till dörren", "svenska (Swedish)")
	status, body = s.post(
		"/languages/text",
		"of",
		"label",
		"id",
		"parcel",
		"tag",
		"sv",
		"was",
		"",
		"text",
		"Annat",
		"dom",
		"text-1-0",
	)
	assert.Equal(t, 422, status)
	holds(t, body, "this was changed to Paket till dörren in another window", `value="Annat"`)
	_, body = s.get("/live")
	holds(t, body, "what buyers read in other languages", "Swedish “Paket till dörren”")

	// Buyers of the draft read it; over HTTP the browser says which language is theirs.
	ask := func(header, language string) (string, string) {
		req, err := http.NewRequest(
			"POST",
			s.URL+"/api/v1/quotes?of=draft",
			strings.NewReader(
				`{"to":{"country":"FI","postcode":"21100"},"language":"`+language+`","lines":[{"sku":"TOWEL-70","quantity":1}]}`,
			),
		)
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Accept-Language", header)
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		var a struct {
			Language string
			Options  []struct{ Method, Label string }
		}
		require.NoError(t, json.NewDecoder(resp.Body).Decode(&a))
		for _, o := range a.Options {
			if o.Method == "parcel" {
				return o.Label, a.Language + " " + resp.Header.Get("Content-Language")
			}
		}
		return "", ""
	}
	label, language := ask("sv-FI,sv;q=0.9,en;q=0.5", "")
	assert.Equal(t, "Paket till dörren|sv sv", label+"|"+language)
	label, language = ask("sv", "de")
	assert.Equal(t, "Parcel to your door|de de", label+"|"+language, "a request counts before its header")
	label, language = ask("", "")
	assert.Equal(t, "Parcel to your door| ", label+"|"+language)
}
