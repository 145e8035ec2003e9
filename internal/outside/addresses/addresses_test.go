package addresses

import (
	"context"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"

	"diadrom/internal/core/place"

	"github.com/paulmach/orb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// nearby says whether a point lies about where a country does.
func nearby(country string, p orb.Point) bool {
	return country == "FI" && p.Lon() > 19 && p.Lon() < 32 && p.Lat() > 59.5 && p.Lat() < 70.2
}

func service(t *testing.T, body string) (*Client, *atomic.Int64, *string) {
	t.Helper()
	var asked atomic.Int64
	var path string
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked.Add(1)
		path = r.URL.Path + "?" + r.URL.RawQuery
		w.Write([]byte(body))
	}))
	t.Cleanup(s.Close)
	return New(s.URL, true, nearby), &asked, &path
}

var luotsi = place.Address{Country: "FI", Postcode: "21100", City: "Naantali", Street: "Laiturikuja 4 & 5"}

// The answer has the form of Nominatim's jsonv2 (its API documentation, "Search", from memory); the place is invented.
func TestTheSearchOfNominatim(t *testing.T) {
	c, asked, path := service(t, `[{"place_id":100149,"licence":"Data © contributors, ODbL 1.0","osm_type":"node",
		"osm_id":107775,"boundingbox":["60.46","60.47","22.02","22.03"],"lat":"60.4668000","lon":"22.0243000",
		"display_name":"Laiturikuja 4, Naantali, 21100, Suomi / Finland","place_rank":30,"category":"place",
		"type":"house","importance":0.41,"icon":"x.png"}]`)
	at, failure := c.Locate(&luotsi)
	require.Empty(t, failure)
	assert.Equal(t, &orb.Point{22.0243, 60.4668}, at)
	assert.Equal(t, "/search?street=Laiturikuja+4+%26+5&city=Naantali&postalcode=21100&country=FI"+
		"&format=jsonv2&limit=1", *path)
	c.Locate(&luotsi)
	c.Ahead(context.Background(), []*place.Address{&luotsi, &luotsi})
	assert.EqualValues(t, 1, asked.Load(), "what was said is remembered")
}

func TestWhatCannotBeIsNotTaken(t *testing.T) {
	for name, c := range map[string]struct{ body, failure string }{
		"nothing is known":   {`[]`, ""},
		"null":               {`null`, ""},
		"another country":    {`[{"lat":"59.33","lon":"18.06"}]`, "named a point outside Finland"},
		"by its own word":    {`[{"lat":"60.2","lon":"24.9","address":{"country_code":"se"}}]`, "outside Finland"},
		"swapped":            {`[{"lat":"22.02","lon":"60.46"}]`, "outside Finland"},
		"no point on Earth":  {`[{"lat":"97","lon":"22"}]`, "named a point that cannot be"},
		"words":              {`[{"lat":"north","lon":"22"}]`, "named a point that cannot be"},
		"NaN":                {`[{"lat":"NaN","lon":"22"}]`, "named a point that cannot be"},
		"HTML":               {`<html>`, "did not answer in the form that was expected"},
		"an object":          {`{"error":"slow down"}`, "did not answer in the form that was expected"},
		"a point of numbers": {`[{"lat":60.4668,"lon":22.0243}]`, ""},
	} {
		t.Run(name, func(t *testing.T) {
			client, _, _ := service(t, c.body)
			at, failure := client.Locate(&luotsi)
			assert.Equal(t, name == "a point of numbers", at != nil)
			if c.failure == "" {
				assert.Empty(t, failure)
			} else {
				assert.Contains(t, failure, c.failure)
			}
		})
	}
}
