package api

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A shop's server is told whether what a buyer claims was quoted, and why not.
func TestAShopVerifiesWhatItHeld(t *testing.T) {
	s := opened(t)
	s.asker = page
	const asked = `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":2}],"checkout":true`
	status, answer := s.ask(t, asked+`,"hold":"PT30M"}`, true)
	require.Equal(t, http.StatusOK, status, answer)
	var quoted struct {
		Options []struct{ Method, Total string }
		Quote   struct{ ID, Expires, Token string }
	}
	require.NoError(t, json.Unmarshal([]byte(answer), &quoted))
	require.NotEmpty(t, quoted.Quote.Token)
	require.NotEmpty(t, quoted.Options)
	way := quoted.Options[0]
	s.asker = aShop
	claim := func(request, method, total, token string) (verdict, string) {
		body, err := json.Marshal(map[string]any{"token": token, "request": json.RawMessage(request), "method": method,
			"total": total})
		require.NoError(t, err)
		status, answer := s.askAt(t, "/api/v1/quotes/verify", string(body), true)
		require.Equal(t, http.StatusOK, status, answer)
		var v verdict
		require.NoError(t, json.Unmarshal([]byte(answer), &v))
		return v, answer
	}
	v, body := claim(asked+"}", way.Method, way.Total, quoted.Quote.Token)
	assert.True(t, v.Valid, body)
	assert.Equal(t, quoted.Quote.ID, v.ID)
	assert.Equal(t, quoted.Quote.Expires, v.Expires)
	assert.Equal(t, int64(7), v.Edition)
	assert.Equal(t, way.Total, v.Option.Total)
	forged := quoted.Quote.Token[:len(quoted.Quote.Token)-4] + "AAAA"
	for name, c := range map[string][5]string{
		"more goods":     {strings.Replace(asked, `"quantity":2`, `"quantity":3`, 1) + "}", way.Method, way.Total, quoted.Quote.Token, "changed"},
		"elsewhere":      {strings.Replace(asked, "21100", "99999", 1) + "}", way.Method, way.Total, quoted.Quote.Token, "changed"},
		"a lower total":  {asked + "}", way.Method, "0.01", quoted.Quote.Token, "changed"},
		"another method": {asked + "}", "no-such", way.Total, quoted.Quote.Token, "not_offered"},
		"a forged token": {asked + "}", way.Method, way.Total, forged, "forged"},
		"no token":       {asked + "}", way.Method, way.Total, "x", "forged"},
	} {
		v, body := claim(c[0], c[1], c[2], c[3])
		assert.False(t, v.Valid, name)
		assert.Equal(t, c[4], string(v.Why), "%s: %s", name, body)
		assert.NotEmpty(t, v.Message)
	}
	for body, want := range map[string]string{`{}`: "/token missing", `null`: " type", `{"token":"x","request":5}`: "/request type",
		`{"token":"x","request":{},"method":"m","total":5}`: "/total type", `{"other":1}`: "/other unknown_field"} {
		status, answer := s.askAt(t, "/api/v1/quotes/verify", body, false)
		assert.Equal(t, http.StatusBadRequest, status, body)
		assert.Contains(t, faults(t, answer), want, body)
	}
	s.draft, s.asker = s.engine, person
	for hold, want := range map[string]int{"PT30M": 200, "P1D": 200, "P2D": 422, "PT0S": 422, "-PT5M": 422, "soon": 422} {
		status, answer := s.ask(t, asked+`,"hold":"`+hold+`"}`, true)
		assert.Equal(t, want, status, "%s: %s", hold, answer)
	}
	status, answer = s.askAt(t, "/api/v1/quotes?of=draft", asked+`,"hold":"PT30M"}`, true)
	assert.Equal(t, 422, status, answer)
}

// The shop says what it knows of the order, and is told what the request has otherwise.
func TestVerifyingComparesWithTheOrder(t *testing.T) {
	s := opened(t)
	const to, lines = `{"country":"FI","postcode":"21100"}`, `[{"sku":"TOWEL-70","quantity":2}]`
	claim := func(t *testing.T, request, more string) (v verdict) {
		t.Helper()
		s.asker = page
		status, answer := s.ask(t, strings.TrimSuffix(request, "}")+`,"hold":"PT30M"}`, true)
		require.Equal(t, http.StatusOK, status, answer)
		var quoted struct {
			Options []struct{ Method, Total string }
			Quote   struct{ Token string }
		}
		require.NoError(t, json.Unmarshal([]byte(answer), &quoted))
		require.NotEmpty(t, quoted.Options)
		s.asker = aShop
		status, answer = s.askAt(t, "/api/v1/quotes/verify", `{"token":"`+quoted.Quote.Token+`","request":`+request+`,"method":"`+
			quoted.Options[0].Method+`","total":"`+quoted.Options[0].Total+`"`+more+`}`, true)
		require.Equal(t, http.StatusOK, status, answer)
		require.NoError(t, json.Unmarshal([]byte(answer), &v))
		return v
	}
	known := `,"lines":` + lines + `,"to":` + to
	for name, c := range map[string]struct {
		request string
		more    string
		want    []string
	}{
		"as it is":                 {`{"to":` + to + `,"lines":` + lines + `,"checkout":true}`, known, nil},
		"not compared":             {`{"to":{"country":"FI","postcode":"21100","lat":"60.4674","lon":"22.026"},"lines":` + lines + `}`, "", nil},
		"a point":                  {`{"to":{"country":"FI","postcode":"21100","lat":"60.4674","lon":"22.026"},"lines":` + lines + `}`, known, []string{"/to/lat", "/to/lon"}},
		"a price":                  {`{"to":` + to + `,"lines":[{"sku":"TOWEL-70","quantity":2,"price":"999"}]}`, known, []string{"/lines/0/price"}},
		"a time, passed over":      {`{"to":` + to + `,"lines":` + lines + `,"at":"2020-01-01T00:00:00Z"}`, known, []string{"/at"}},
		"a code of the shop":       {`{"to":` + to + `,"lines":` + lines + `,"coupons":["LÖYLY"]}`, known + `,"coupons":["LÖYLY"]`, nil},
		"a code that is not known": {`{"to":` + to + `,"lines":` + lines + `,"coupons":["LÖYLY"]}`, known, []string{"/coupons"}},
		"a place to collect":       {`{"to":` + to + `,"lines":` + lines + `,"point":"workshop"}`, known + `,"point":"workshop"`, nil},
		"another place to collect": {`{"to":` + to + `,"lines":` + lines + `,"point":"workshop"}`, known + `,"point":"hall"`, []string{"/point"}},
	} {
		t.Run(name, func(t *testing.T) {
			v := claim(t, c.request, c.more)
			assert.Equal(t, c.want, v.Differs)
			assert.Equal(t, c.want == nil, v.Valid)
			assert.Equal(t, c.want == nil, v.Option != nil, "no option of another order")
			if c.want != nil {
				assert.Equal(t, "differs", string(v.Why))
			}
		})
	}
	for body, want := range map[string]string{`"lines":[]`: "/to missing", `"to":{}`: "/lines missing", `"coupons":[]`: "/lines missing",
		`"lines":5,"to":{}`: "/lines type", `"lines":[],"to":"FI"`: "/to type", `"lines":[],"to":{},"point":5`: "/point type"} {
		status, answer := s.askAt(t, "/api/v1/quotes/verify", `{"token":"x","request":{"to":{"country":"FI"}},"method":"m","total":"1",`+body+`}`, false)
		assert.Equal(t, http.StatusBadRequest, status, body)
		assert.Contains(t, faults(t, answer), want, body)
	}
}
