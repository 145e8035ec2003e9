package api

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"regexp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/auth"
	"diadrom/internal/core/fault"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/held"
	"diadrom/internal/sqlite"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// shop is the demo shop's API on a real server, with its own description at hand.
type shop struct {
	*httptest.Server
	engine *quote.Engine
	draft  *quote.Engine
	asker  Asker
	who    func(*http.Request) Asker // nil: asker
	keys   *held.Keys
	router routers.Router
}

var (
	aShop      = Asker{Kind: Shop, Key: &auth.Key{ID: 1, Name: "Web shop"}}
	costedShop = Asker{Kind: Shop, Key: &auth.Key{ID: 2, Name: "Bookkeeping", Rights: []auth.Right{auth.Costs}}}
	person     = Asker{Kind: Person, Person: auth.Person{ID: 1, Name: "Aino", Role: auth.Owner}}
	page       = Asker{Kind: Shop, From: "192.0.2.1", Key: &auth.Key{ID: 3, Name: "Pages", Publishable: true,
		Origins: []string{site}}}
)

// site is where the pages of a shop are.
const site = "https://lauha.example"

func opened(t testing.TB) *shop {
	f, err := demo.Store()
	require.NoError(t, err)
	g, err := demo.Gazetteer()
	require.NoError(t, err)
	s := &shop{engine: quote.Compile(f, g)}
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	s.asker = person
	db, err := sqlite.Open(t.Context(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	s.keys, err = held.Open(t.Context(), db, t.TempDir(), slog.New(slog.DiscardHandler), time.Now)
	require.NoError(t, err)
	api := New(
		Shops{
			Live: func() *Edition {
				if s.engine == nil {
					return nil
				}
				return &Edition{Engine: s.engine, Kept: s.engine, Number: 7, Hash: "5a"}
			},
			Draft: func() *quote.Engine { return s.draft },
			Asker: func(r *http.Request) Asker {
				if s.who != nil {
					return s.who(r)
				}
				return s.asker
			},
			Sites: func(origin string) bool { return origin == site },
			Holds: func() *held.Keys { return s.keys },
			Log:   slog.New(slog.DiscardHandler),
			Review: func(_ context.Context, draft bool) (list []warnings.Wire, ok bool, err error) {
				e := s.engine
				if draft {
					e = s.draft
				}
				if e == nil {
					return nil, false, nil
				}
				found := warnings.Read(
					warnings.Input{Engine: e, Coverage: coverage.Of(e), Now: time.Now()},
					nil,
				).Warnings
				for i := range found {
					list = append(list, found[i].For(e.Store()))
				}
				return list, true, nil
			},
		},
	)
	r.Use(api.Unknown)
	api.Routes(r)
	s.Server = httptest.NewServer(r)
	t.Cleanup(s.Close)

	resp, err := http.Get(s.URL + "/api/v1/openapi.yaml")
	require.NoError(t, err)
	defer resp.Body.Close()
	served, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	doc := described(t, served)
	require.NoError(t, doc.Validate(context.Background()))
	require.Equal(t, "3.1.0", doc.OpenAPI)
	s.router, err = gorillamux.NewRouter(doc)
	require.NoError(t, err)
	return s
}

// ask sends a request. The answer must be as the description has it, and the request must or must not, as
// asDescribed says.
func (s *shop) ask(t require.TestingT, body string, described bool) (int, string) {
	return s.askAt(t, "/api/v1/quotes", body, described)
}

func (s *shop) askAt(t require.TestingT, path, body string, described bool) (int, string) {
	request := func() *http.Request {
		req, err := http.NewRequest(http.MethodPost, s.URL+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		if s.asker.buyers() {
			req.Header.Set("Origin", site)
		}
		return req
	}
	req := request()
	req.URL.Scheme, req.URL.Host = "", ""
	route, params, err := s.router.FindRoute(req)
	require.NoError(t, err)
	input := &openapi3filter.RequestValidationInput{
		Request:    req,
		PathParams: params,
		Route:      route,
		Options:    &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc},
	}
	if err := openapi3filter.ValidateRequest(context.Background(), input); described {
		require.NoError(t, err, body)
	} else {
		require.Error(t, err, body)
	}
	resp, err := http.DefaultClient.Do(request())
	require.NoError(t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	asDescribed(t, input, resp, answer)
	return resp.StatusCode, string(answer)
}

// list sends a list of requests where one is described.
func (s *shop) list(t require.TestingT, body string) (int, string) {
	resp, err := http.Post(s.URL+"/api/v1/quotes", "application/json", strings.NewReader(body))
	require.NoError(t, err)
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	return resp.StatusCode, string(answer)
}

// get asks for a resource. The answer must be as the description has it.
func (s *shop) get(t require.TestingT, path string) (int, string) {
	req, err := http.NewRequest(http.MethodGet, s.URL+path, nil)
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer resp.Body.Close()
	body, err := io.ReadAll(resp.Body)
	require.NoError(t, err)
	req.URL.Scheme, req.URL.Host = "", ""
	route, params, err := s.router.FindRoute(req)
	require.NoError(t, err)
	asDescribed(t, &openapi3filter.RequestValidationInput{
		Request:    req,
		PathParams: params,
		Route:      route,
		Options:    &openapi3filter.Options{AuthenticationFunc: openapi3filter.NoopAuthenticationFunc},
	}, resp, body)
	return resp.StatusCode, string(body)
}

// What sending costs is nobody's business but the shop's.
func TestCostsAreForPeopleOfTheShop(t *testing.T) {
	s := opened(t)
	const body = `{"to": {"country": "FI", "postcode": "00100"}, "costs": true,
		"lines": [{"sku": "TOWEL-70", "quantity": 1}]}`
	status, answer := s.ask(t, body, true)
	assert.Equal(t, http.StatusOK, status, answer)
	assert.Contains(t, answer, `"cost":null,"margin":null`, "the demo does not say what its methods cost")
	s.asker = aShop
	status, answer = s.ask(t, body, true)
	assert.Equal(t, http.StatusForbidden, status, answer)
	status, answer = s.askAt(t, "/api/v1/quotes/batch", "["+body+"]", true)
	assert.Equal(t, http.StatusMultiStatus, status)
	assert.Contains(t, answer, `[{"status":403,"problem":{`)
	status, answer = s.ask(t, strings.Replace(body, `"costs": true`, `"costs": false`, 1), true)
	assert.Equal(t, http.StatusOK, status)
	assert.NotContains(t, answer, `"cost"`)
	s.asker = costedShop
	status, answer = s.ask(t, body, true)
	assert.Equal(t, http.StatusOK, status, answer)
	assert.Contains(t, answer, `"cost":null,"margin":null`)
}

func TestWarningsAreForPeopleOfTheShop(t *testing.T) {
	s := opened(t)
	status, body := s.get(t, "/api/v1/review")
	require.Equal(t, http.StatusOK, status, body)
	var list []struct {
		Code, Severity, Path, Message string
		Witness                       json.RawMessage
		Mend                          *string
	}
	require.NoError(t, json.Unmarshal([]byte(body), &list))
	require.Len(t, list, 4)
	assert.Equal(t, "loses", list[0].Severity)
	status, body = s.ask(t, string(list[0].Witness), true)
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, `"tax":"0.00"`, "the witness shows it")
	assert.Equal(t, "Remove FI 21710 from Van round: another entry covers it", *list[2].Mend)
	status, _ = s.get(t, "/api/v1/review?of=draft")
	assert.Equal(t, http.StatusServiceUnavailable, status, "there is none here")
	status, _ = s.get(t, "/api/v1/review?of=yesterday")
	assert.Equal(t, http.StatusBadRequest, status)
	s.asker = aShop
	status, _ = s.get(t, "/api/v1/review")
	assert.Equal(t, http.StatusForbidden, status)
	s.asker = Asker{}
	status, _ = s.get(t, "/api/v1/review")
	assert.Equal(t, http.StatusUnauthorized, status)
}

func faults(t *testing.T, body string) (list []string) {
	var problem struct {
		Status int
		Faults fault.List
	}
	require.NoError(t, json.Unmarshal([]byte(body), &problem), body)
	for _, f := range problem.Faults {
		list = append(list, f.Path+" "+f.Code)
	}
	return list
}

func TestQuotesAreThoseOfTheEngine(t *testing.T) {
	s := opened(t)
	body := `{"to":{"country":"FI","city":"Naantali","postcode":"21100"},"lines":[{"sku":"TOWEL-70","quantity":2}],
		"at":"2026-03-02T10:00:00+02:00"}`
	status, got := s.ask(t, body, true)
	assert.Equal(t, http.StatusOK, status)
	requests, _, bad := s.engine.ReadRequest([]byte(body))
	require.Empty(t, bad)
	want, err := json.Marshal(s.engine.Quote(&requests[0]))
	require.NoError(t, err)
	assert.JSONEq(t, string(want), got)
	status, got = s.askAt(t, "/api/v1/quotes/batch", "["+body+","+body+"]", true)
	assert.Equal(t, http.StatusOK, status)
	item := `{"status":200,"answer":` + string(want) + `}`
	assert.JSONEq(t, fmt.Sprintf("[%s,%s]", item, item), got)
	_, got = s.askAt(t, "/api/v1/quotes/batch", `[]`, true)
	assert.JSONEq(t, `[]`, got)
	status, got = s.list(t, "["+body+","+body+"]")
	assert.Equal(t, http.StatusOK, status)
	assert.JSONEq(t, fmt.Sprintf("[%s,%s]", want, want), got, "as it was before there were batches")
	_, got = s.ask(t, `{"to":{"country":"BR"},"lines":[{"sku":"TOWEL-70","quantity":20.0}]}`, true)
	assert.Contains(t, got, `"options":[]`)
	assert.NotContains(t, got, `"message":""`, "where nothing is offered, the buyer is told why")
}

func TestWhatIsWrongIsToldWithItsPlace(t *testing.T) {
	s := opened(t)
	line := `{"price":"1.00","quantity":1}`
	with := func(to, lines, more string) string {
		return `{"to":{` + to + `},"lines":[` + lines + `]` + more + `}`
	}
	fi := `"country":"FI"`
	for _, tt := range []struct {
		body      string
		described bool // whether the request is of the described form
		status    int
		faults    []string
	}{
		{`{`, false, 400, []string{" syntax"}},
		{``, false, 400, []string{" syntax"}},
		{with(fi, line, `,"cupons":[]`), false, 400, []string{"/cupons unknown_field"}},
		{with(fi, `{"price":1.5,"quantity":1}`, ""), false, 400, []string{"/lines/0/price type"}},
		{with(fi, line+`,{"price":"1,5","quantity":1}`, ""), false, 400, []string{"/lines/1/price number"}},
		{with(fi, `{"price":"1"}`, ""), false, 400, []string{"/lines/0/quantity missing"}},
		{with("", line, ""), false, 400, []string{"/to/country missing"}},
		{`{"lines":[]}`, false, 400, []string{"/to/country missing"}},
		{with(fi, `{"price":"1","quantity":0}`, ""), true, 422, []string{"/lines/0/quantity range"}},
		{with(fi, `{"price":"1","quantity":1000001}`, ""), true, 422, []string{"/lines/0/quantity range"}},
		{with(`"country":"XX"`, line, ""), true, 422, []string{"/to/country place"}},
		{with(fi, `{"sku":"NO-SUCH","quantity":1}`, ""), true, 422, []string{"/lines/0/sku reference"}},
		{with(fi, line, `,"at":"yesterday"`), true, 422, []string{"/at range"}},
		{with(fi, `{"price":"1","quantity":0}`, `,"cupons":[]`), false, 400, []string{"/lines/0/quantity range",
			"/cupons unknown_field"}},
	} {
		status, body := s.ask(t, tt.body, tt.described)
		assert.Equal(t, tt.status, status, tt.body)
		assert.Equal(t, tt.faults, faults(t, body), tt.body)
	}
	for _, taken := range []string{
		with(fi+`,"city":"`+strings.Repeat("ä", 300)+`"`, line, ""), // a city of 300 letters
		// another country's form: no zone takes it by its code
		with(fi+`,"postcode":"SW1A 1AA"`, line, ""),
		with(fi, strings.TrimSuffix(strings.Repeat(line+",", 2000), ","), ""),
		with(fi, `{"price":"1","quantity":1000000}`, ""),
		with(fi, line, `,"coupons":["  löyly  ",""]`),
	} {
		status, body := s.ask(t, taken, true)
		assert.Equal(t, http.StatusOK, status, body)
	}
}

func TestWhatToAskOfAnAddress(t *testing.T) {
	s := opened(t)
	get := func(country string) (int, string) { return s.get(t, "/api/v1/address-forms/"+country) }
	status, body := get("FIN")
	assert.Equal(t, http.StatusOK, status)
	assert.JSONEq(t, `{"country":"FI","name":"Finland","postcode":true,"shape":"5 digits","regions":[],"city":false,"street":false}`, body)
	_, body = get("HK")
	assert.Contains(t, body, `"postcode":false`)
	assert.Contains(t, body, `"city":true`)
	_, body = get("US")
	assert.Contains(t, body, `{"code":"US-TX","name":"Texas"}`)
	_, body = get("IT") // its addresses name the province, which is part of a region
	assert.Contains(t, body, `"code":"IT-FI"`)
	assert.NotContains(t, body, `"code":"IT-52"`)
	status, _ = get("XX")
	assert.Equal(t, http.StatusNotFound, status)
	for _, to := range []string{`{"country":"FI","postcode":"2110"}`, `{"country":"FI","postcode":"22100"}`,
		`{"country":"HK"}`} {
		status, body = s.ask(t, `{"checkout":true,"to":`+to+`,"lines":[{"sku":"TOWEL-70","quantity":2}]}`, true)
		assert.Equal(t, http.StatusOK, status, body)
		assert.Contains(t, body, `"checkout":{`)
	}
}

func TestOtherThanJSONByPOSTIsRefused(t *testing.T) {
	s := opened(t)
	for _, tt := range []struct {
		kind, body string
		status     int
	}{
		{"text/plain", `{"to":{"country":"FI"}}`, 415},
		{"", `{"to":{"country":"FI"}}`, 415},
		{"application/json", strings.Repeat(" ", MaxBody+1), 413},
		{"application/json; charset=utf-8", `{"to":{"country":"FI"}}`, 200},
	} {
		resp, err := http.Post(s.URL+"/api/v1/quotes", tt.kind, strings.NewReader(tt.body))
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, tt.status, resp.StatusCode, tt.kind)
	}
	resp, err := http.Get(s.URL + "/api/v1/quotes")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 405, resp.StatusCode)
	assert.Equal(t, "OPTIONS, POST", resp.Header.Get("Allow"))
}

// Any cart of the shop's goods to anywhere is described as it is asked and as it is answered.
func TestEveryAnswerIsAsDescribed(t *testing.T) {
	s := opened(t)
	f, err := demo.Store()
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		to := rapid.SampledFrom([]map[string]string{
			{"country": "FI", "postcode": "21100"},
			{"country": "FI", "postcode": "22100", "city": "Mariehamn"},
			{"country": "EE"},
			{"country": "NO"},
			{"country": "FI", "lat": "60.4", "lon": "22.0"},
			{"country": "SE", "postcode": "11122", "street": "Gatan 1"},
			{"country": "US", "region": "AK"},
		}).Draw(t, "to")
		lines := rapid.SliceOfN(rapid.Custom(func(t *rapid.T) map[string]any {
			return map[string]any{
				"sku":      rapid.SampledFrom(f.Products).Draw(t, "product").SKU,
				"quantity": rapid.IntRange(1, 30).Draw(t, "quantity"),
			}
		}), 0, 4).Draw(t, "lines")
		body, err := json.Marshal(
			map[string]any{
				"to":      to,
				"lines":   lines,
				"coupons": []string{rapid.SampledFrom([]string{"", "LÖYLY", "x"}).Draw(t, "coupon")},
			},
		)
		require.NoError(t, err)
		status, answer := s.ask(t, string(body), true)
		require.Equal(t, http.StatusOK, status, answer)
	})
}

func TestTwoHundredAskAtOnce(t *testing.T) {
	s := opened(t)
	var all sync.WaitGroup
	got := make([]string, 200)
	for i := range got {
		all.Go(func() {
			body := fmt.Sprintf(
				`{"to":{"country":"FI","postcode":"21100"},"lines":[{"price":"1.00","weight":"0.1","quantity":%d}]}`,
				i+1,
			)
			resp, err := http.Post(s.URL+"/api/v1/quotes", "application/json", strings.NewReader(body))
			if !assert.NoError(t, err) {
				return
			}
			defer resp.Body.Close()
			var a quote.Answer
			assert.NoError(t, json.NewDecoder(resp.Body).Decode(&a))
			got[i] = a.Measures.Subtotal
		})
	}
	all.Wait()
	for i, subtotal := range got {
		assert.Equal(t, fmt.Sprintf("%d.00", i+1), subtotal)
	}
}

// What HTTP costs: the API against a bare Gin handler that decodes the same request and encodes the same answer.
func BenchmarkQuoteOverHTTP(b *testing.B) {
	s := opened(b)
	var bodies []string // to every postcode of Finland
	for _, code := range s.engine.Gazetteer().Codes("FI") {
		bodies = append(
			bodies,
			`{"to":{"country":"FI","postcode":"`+code.Text+
				`"},"lines":[{"sku":"TOWEL-70","quantity":2},{"price":"24.00","weight":"0.4","quantity":1}]}`,
		)
	}
	requests, _, _ := s.engine.ReadRequest([]byte(bodies[0]))
	answer := s.engine.Quote(&requests[0])
	bare := gin.New()
	bare.POST("/api/v1/quotes", func(c *gin.Context) {
		var request struct {
			To    map[string]string
			Lines []struct {
				SKU, Price, Weight string
				Quantity           int
			}
		}
		if err := c.BindJSON(&request); err != nil {
			return
		}
		c.JSON(http.StatusOK, answer)
	})
	bareServer := httptest.NewServer(bare)
	defer bareServer.Close()
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	for name, url := range map[string]string{"api": s.URL, "bare": bareServer.URL} {
		b.Run(name, func(b *testing.B) {
			var next atomic.Int64
			b.SetParallelism(8)
			b.RunParallel(func(pb *testing.PB) {
				for pb.Next() {
					i := int(next.Add(1)) % len(bodies)
					resp, err := client.Post(url+"/api/v1/quotes", "application/json", strings.NewReader(bodies[i]))
					if err != nil {
						b.Error(err)
						return
					}
					io.Copy(io.Discard, resp.Body)
					resp.Body.Close()
				}
			})
		})
	}
}

func TestWhoMayAsk(t *testing.T) {
	s := opened(t)
	other, faults := store.Read([]byte(`{"format":"diadrom-store/1","store":{"currency":"EUR"}}`))
	require.Empty(t, faults)
	s.draft = quote.Compile(other, nil)
	body := `{"to":{"country":"FI"},"lines":[{"price":"1.00","quantity":1}]}`
	for _, tt := range []struct {
		asker  Asker
		of     string
		status int
		says   string
	}{
		{Asker{}, "", 401, "Bearer"},
		{Asker{}, "?of=draft", 401, "Bearer"},
		{aShop, "", 200, `"method":"locker"`},
		{aShop, "?of=live", 200, `"method":"locker"`},
		{aShop, "?of=draft", 403, "only people of the shop"},
		{person, "?of=draft", 200, `"options":[]`},
		{person, "", 200, `"method":"locker"`},
		{person, "?of=yesterday", 400, "live edition or of the draft"},
	} {
		s.asker = tt.asker
		resp, err := http.Post(s.URL+"/api/v1/quotes"+tt.of, "application/json", strings.NewReader(body))
		require.NoError(t, err)
		answer, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		resp.Body.Close()
		assert.Equal(t, tt.status, resp.StatusCode, tt)
		assert.Contains(t, string(answer)+resp.Header.Get("WWW-Authenticate"), tt.says)
	}
	s.asker, s.engine = aShop, nil
	resp, err := http.Get(s.URL + "/api/v1/address-forms/FI")
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, 503, resp.StatusCode, "nothing is live yet")
}

// asDescribed says that an answer is what the API's description says of it.
func asDescribed(t require.TestingT, input *openapi3filter.RequestValidationInput, resp *http.Response, body []byte) {
	require.NoError(t, openapi3filter.ValidateResponse(context.Background(), &openapi3filter.ResponseValidationInput{
		RequestValidationInput: input,
		Status:                 resp.StatusCode,
		Header:                 resp.Header,
		Body:                   io.NopCloser(bytes.NewReader(body)),
	}), string(body))
}

// described is the description as of today alone: its answers have no members and no codes but those that it lists.
func described(t testing.TB, description []byte) *openapi3.T {
	t.Helper()
	doc, err := openapi3.NewLoader().LoadFromData(description)
	require.NoError(t, err)
	for name, ref := range doc.Components.Schemas {
		schema := ref.Value
		if known, ok := schema.Extensions["x-known"].([]any); ok {
			schema.Enum = known
		}
		if schema.Type.Is("object") && len(schema.AllOf) == 0 && name != "KeySet" && name != "Key" {
			no := false
			schema.AdditionalProperties.Has = &no
		}
	}
	return doc
}

// Clients of today take the answers of tomorrow: the description leaves answers open, and requests closed.
func TestAnswersMayHaveMoreMembersAndCodes(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(Description)
	require.NoError(t, err)
	closed := []string{"QuoteRequest", "Address", "Line", "ProductFields", "QuoteClaim"}
	for name, ref := range doc.Components.Schemas {
		is := ref.Value.AdditionalProperties.Has != nil && !*ref.Value.AdditionalProperties.Has
		assert.Equal(t, slices.Contains(closed, name), is, name)
		if _, ok := ref.Value.Extensions["x-known"]; ok {
			assert.Empty(t, ref.Value.Enum, name)
		}
	}
	list := []any{}
	for _, p := range Problems {
		list = append(list, p.Code)
	}
	assert.ElementsMatch(t, list, doc.Components.Schemas["ProblemCode"].Value.Extensions["x-known"])
	for _, p := range Problems {
		assert.Contains(t, doc.Components.Schemas["ProblemCode"].Value.Description,
			fmt.Sprintf("- `%s` (%d) %s\n", p.Code, p.Status, p.Title))
	}
}

// The description, its history and the policy name the same version.
func TestTheVersionIsTheSameEverywhere(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(Description)
	require.NoError(t, err)
	text, err := os.ReadFile("../../../docs/api.md")
	require.NoError(t, err)
	versions := regexp.MustCompile(`(?m)^\| (\d+\.\d+) \| `).FindAllStringSubmatch(string(text), -1)
	require.NotEmpty(t, versions)
	assert.Equal(t, doc.Info.Version, versions[0][1]+".0", "the first line of the history in docs/api.md")
	for i := 1; i < len(versions); i++ {
		assert.Greater(t, versions[i-1][1], versions[i][1])
	}
}

// Each problem has a type, under which a page explains it, and a title that is the same whatever is asked.
func TestProblemsAreExplained(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	ProblemPages(r)
	get := func(path string) (int, string) {
		w := httptest.NewRecorder()
		r.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
		return w.Code, w.Body.String()
	}
	status, all := get("/problems")
	assert.Equal(t, http.StatusOK, status)
	codes := map[string]bool{}
	for _, p := range Problems {
		assert.False(t, codes[p.Code], p.Code)
		codes[p.Code] = true
		assert.Regexp(t, `^[a-z_]+$`, p.Code)
		assert.NotEmpty(t, http.StatusText(p.Status), p.Code)
		d := p.Details("now", nil)
		status, page := get(d.Type)
		assert.Equal(t, http.StatusOK, status, d.Type)
		for _, text := range []string{page, all} {
			assert.Contains(t, text, template.HTMLEscapeString(p.Title))
			assert.Contains(t, text, template.HTMLEscapeString(p.Help))
		}
	}
	status, unknown := get("/problems/<b>")
	assert.Equal(t, http.StatusNotFound, status)
	assert.NotContains(t, unknown, "<b>")

	s := opened(t)
	kind := func(who Asker, request string, sound bool) (p ProblemDetails) {
		t.Helper()
		s.asker = who
		_, body := s.ask(t, request, sound)
		require.NoError(t, json.Unmarshal([]byte(body), &p), body)
		return p
	}
	const fi = `{"to":{"country":"FI"}`
	asked := map[string]ProblemDetails{
		"malformed":    kind(aShop, `{"to":5}`, false),
		"invalid":      kind(aShop, `{"to":{"country":"XX"}}`, true),
		"servers_only": kind(page, fi+`,"group":"trade"}`, true),
		"no_right":     kind(aShop, fi+`,"costs":true}`, true),
		"no_key":       kind(Asker{}, fi+`}`, true),
	}
	for code, p := range asked {
		assert.Equal(t, code, p.Code)
		assert.Equal(t, "/problems/"+code, p.Type)
		assert.NotEmpty(t, p.Detail)
	}
}

// The description has every resource, with every method that it takes, and no other.
func TestEveryResourceIsDescribed(t *testing.T) {
	doc, err := openapi3.NewLoader().LoadFromData(Description)
	require.NoError(t, err)
	described, there := map[string]bool{}, map[string]bool{}
	for path, item := range doc.Paths.Map() {
		for method := range item.Operations() {
			described[method+" "+path] = true
		}
	}
	for _, r := range New(Shops{}).resources {
		for method := range r.methods {
			there[method+" "+strings.ReplaceAll(strings.ReplaceAll(r.path, ":country", "{country}"), ":sku", "{sku}")] = true
		}
	}
	assert.Equal(t, there, described)
	for path, item := range doc.Paths.Map() {
		for method, o := range item.Operations() {
			assert.NotEmpty(t, o.Tags, path)
			assert.NotEmpty(t, o.OperationID, path)
			assert.NotNil(t, o.Responses.Value("421"), "%s %s: any request may come under another name", method, path)
		}
	}
}
