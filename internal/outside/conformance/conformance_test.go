package conformance

import (
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/outside/standin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const file = `{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"fi","places":[{"country":"FI"}]}],
 "methods":[{"id":"parcel","label":"Parcel","tables":[{"id":"t","zones":["fi"],"by":"weight","edges":"up_to",
 "rows":[{"at":"30","charges":["7.20"]}]}]}]}`

func problems(t *testing.T, handler http.Handler, secret string) (list []string) {
	s := httptest.NewServer(handler)
	defer s.Close()
	for _, r := range Run(t.Context(), Options{URL: s.URL + "/", Secret: secret, Currency: "EUR",
		From: carriers.Address{Country: "FI"}, To: carriers.Address{Country: "FI"}, Budget: 400 * time.Millisecond}) {
		if r.Problem != "" {
			list = append(list, r.Name+": "+r.Problem)
		}
	}
	return list
}

func good(t *testing.T) http.Handler {
	f, faults := store.Read([]byte(file))
	require.Empty(t, faults)
	return standin.NewCarrier(quote.Compile(f, nil))
}

func TestTheStandInKeepsToTheProtocol(t *testing.T) {
	assert.Empty(t, problems(t, good(t), ""))
	assert.Empty(t, problems(t, standin.Secret("s3cret", good(t)), "s3cret"))
}

// Every fault that docs/carriers.md names is found by the check that is made for it.
func TestServicesThatDoNot(t *testing.T) {
	real := good(t)
	// changed answers as the stand-in does, with the text of its rates changed.
	changed := func(change func(answer string) string) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			body, _ := io.ReadAll(r.Body)
			r.Body = io.NopCloser(strings.NewReader(string(body)))
			recorded := httptest.NewRecorder()
			real.ServeHTTP(recorded, r)
			w.WriteHeader(recorded.Code)
			io.WriteString(w, change(recorded.Body.String())) //nolint:errcheck
		})
	}
	replaced := func(pairs ...string) http.Handler {
		return changed(func(answer string) string { return strings.NewReplacer(pairs...).Replace(answer) })
	}
	count := 0
	for name, tt := range map[string]struct {
		handler http.Handler
		want    string
	}{
		"nothing there":    {http.NotFoundHandler(), "GET /services lists the services: status 404"},
		"a web page":       {standin.Misbehave{Nonsense: true}.Handler(real), "not the JSON that is expected"},
		"too slow":         {standin.Misbehave{Slow: time.Second}.Handler(real), "no answer within 0.4 s"},
		"no names":         {replaced(`"name":"Parcel"`, `"name":""`), `service "parcel" has no name`},
		"numbers":          {replaced(`"7.20"`, `7.20`), "POST /rates prices a parcel: not the JSON"},
		"commas":           {replaced("7.20", "7,20"), "not a decimal of 0 or more"},
		"another currency": {replaced(`"currency":"EUR"`, `"currency":"SEK"`), `answered in "SEK"`},
		"an unlisted":      {replaced(`"service":"parcel"`, `"service":"other"`), "priced, and not listed"},
		"one amount": {replaced(`"7.20","7.20"`, `"14.40"`),
			"there is an amount for each parcel: answered with 1"},
		"prices that change": {changed(func(answer string) string {
			count++
			return strings.ReplaceAll(answer, "7.20", "7.2"+string(rune('0'+count%10)))
		}), "the same question has the same answer: parcel 7.2"},
		"any currency": {http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			body, _ := io.ReadAll(r.Body)
			if strings.Contains(string(body), "XTS") {
				io.WriteString(w,
					`{"currency":"XTS","rates":[{"service":"parcel","amounts":["7.20"]}]}`) //nolint:errcheck
				return
			}
			r.Body = io.NopCloser(strings.NewReader(string(body)))
			real.ServeHTTP(w, r)
		}), "a currency of tests"},
		"an open door": {http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			r.Header.Set("Authorization", "Bearer s")
			standin.Secret("s", real).ServeHTTP(w, r)
		}), "a wrong secret is refused: status 200"},
		"errors for what is not taken": {http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			body, _ := io.ReadAll(r.Body)
			var q carriers.Question
			if json.Unmarshal(body, &q) == nil && len(q.Parcels) > 0 && q.Parcels[0].Weight == "100000" {
				w.WriteHeader(http.StatusUnprocessableEntity)
				return
			}
			r.Body = io.NopCloser(strings.NewReader(string(body)))
			real.ServeHTTP(w, r)
		}), `errors count as failures`},
		"whatever is sent": {http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			recorded := httptest.NewRecorder()
			real.ServeHTTP(recorded, r)
			w.Write(recorded.Body.Bytes()) //nolint:errcheck
		}), "where 400 to 499 is expected"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Contains(t, strings.Join(problems(t, tt.handler, "s"), "\n"), tt.want)
		})
	}
}
