package web

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/services"
	"diadrom/internal/web/api"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// standIns are a road and an address service over the places of Finland.
func standIns(t *testing.T) (roads, addresses string) {
	t.Helper()
	g, err := demo.Gazetteer()
	require.NoError(t, err)
	r, a := httptest.NewServer(standin.NewRoads(g)), httptest.NewServer(standin.NewAddresses(g))
	t.Cleanup(r.Close)
	t.Cleanup(a.Close)
	return r.URL, a.URL
}

func TestRoadsAndAddressesAreSetTriedAndUsed(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	s := openedAs(t, f, true, Options{SignIn: signin.Options{Demo: true}, Asks: services.Options{Local: true}})
	roads, addresses := standIns(t)
	status, body := s.post("/shop/services/roads", "value", "roads.example")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="roads.example"`, `write it such as https://roads.example`)
	for name, url := range map[string]string{"roads": roads, "addresses": addresses} {
		status, body = s.post("/shop/services/"+name, "value", " "+url+"/ ")
		require.Equal(t, http.StatusOK, status, body)
		holds(t, body, `value="`+url+`"`)
	}
	_, body = s.post("/shop/services/roads/test")
	holds(t, body, "Answered in ", "km by road from Workshop to Market hall, Turku, ", "km straight.")
	_, body = s.post("/shop/services/addresses/test")
	holds(t, body, "Answered in ", "lies at 60.4", "from where the shop has it")

	status, body = s.post("/shop/distances", "field", "by", "value", "road")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "10 km straight count as 13 km", "km by road from Workshop")
	assert.NotContains(t, body, "estimated:")
	status, body = s.post("/shop/distances", "field", "factor", "value", "0.9")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="0.9"`, "a road is never shorter than the straight line")

	_, body = s.post("/shop/services/roads", "value", "http://127.0.0.1:1")
	holds(t, body, "The distance by road is estimated", "nothing listens at its address", "straight × 1.3")
	_, body = s.post("/shop/services/roads/test")
	holds(t, body, "The road service is not there: nothing listens at its address.")
	_, body = s.post("/shop/services/roads", "value", "")
	holds(t, body, "No road service is set, so every distance is estimated.")
	_, again := s.get("/shop")
	holds(t, again, `value="`+addresses+`"`)
}

// The API quotes many requests with the answers of a few questions.
func TestManyQuotesAskTogether(t *testing.T) {
	f, err := demo.Store()
	require.NoError(t, err)
	f.Store.DistanceBy = store.ByRoad
	g, err := demo.Gazetteer()
	require.NoError(t, err)
	asked := 0
	roads := standin.NewRoads(g)
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		asked++
		roads.ServeHTTP(w, r)
	}))
	defer service.Close()
	asks := services.Options{}
	asks.Fixed.Roads = service.URL
	s := openedAs(t, f, true, Options{SignIn: signin.Options{Demo: true}, Asks: asks})
	var requests []string
	for i, c := range g.Codes("FI") {
		if i%40 == 0 && len(requests) < api.MaxRequests {
			requests = append(requests, fmt.Sprintf(`{"to":{"country":"FI","postcode":"%s"},"lines":[]}`, c.Text))
		}
	}
	resp, err := http.Post(s.URL+"/api/v1/quotes", "application/json",
		strings.NewReader("["+strings.Join(requests, ",")+"]"))
	require.NoError(t, err)
	defer resp.Body.Close()
	all, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	require.Equal(t, http.StatusOK, resp.StatusCode)
	body := string(all)
	assert.Equal(t, len(requests), strings.Count(body, `"measures"`))
	assert.Greater(t, strings.Count(body, `"distance":"`), 50)
	assert.NotContains(t, body, "road_estimated")
	assert.Less(t, asked, 10, "%d requests", len(requests))

	status, _ := s.post("/shop/services/roads", "value", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "the program was started with it")
}

func TestServicesOfTheOwnNetworkHaveToBeAllowed(t *testing.T) {
	s := lauha(t)
	roads, _ := standIns(t)
	s.post("/shop/services/roads", "value", roads)
	_, body := s.post("/shop/services/roads/test")
	holds(t, body, "start Diadrom with --local-services")
	for _, bad := range []string{"https://tiles.example/map.png", "ftp://tiles.example/{z}/{x}/{y}", "{z}{x}{y}",
		"https://a;b.example/{z}/{x}/{y}", "https://u:p@tiles.example/{z}/{x}/{y}"} {
		status, _ := s.post("/shop/services/tiles", "value", bad)
		assert.Equal(t, http.StatusUnprocessableEntity, status, bad)
	}
	status, _ := s.post("/shop/services/nothing", "value", "x")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}
