package web

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/outside/standin"
	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"
	"diadrom/internal/shop/importer"
	"diadrom/internal/shop/services"
	"diadrom/internal/sqlite"
	"diadrom/internal/web/signin"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// demosCarriers are the carriers that come with the demo, and how they behave.
func demosCarriers(t *testing.T) map[string]*services.Standin {
	t.Helper()
	list, err := demo.ServeCarriers(t.Context())
	require.NoError(t, err)
	return list
}

// withCarriers is the demo shop with its carriers.
func withCarriers(t *testing.T) (*site, map[string]*services.Standin) {
	t.Helper()
	f, err := demo.Store()
	require.NoError(t, err)
	list := demosCarriers(t)
	s := openedAs(t, f, true, Options{SignIn: signin.Options{Demo: true}, Asks: services.Options{Standins: list,
		Budget: 400 * time.Millisecond}})
	_, body := s.post("/till/destination", "to", "EE 10111 Tallinn")
	holds(t, body, "EE 10111 Tallinn")
	return s, list
}

// A carrier is connected, tested, asked by a method and removed again, from nothing.
func TestACarrierIsConnectedFromNothing(t *testing.T) {
	var token string
	f, err := demo.Carriers()
	require.NoError(t, err)
	carrier := standin.NewCarrier(quote.Compile(f["kuikka.example"], nil))
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		token = r.Header.Get("Authorization")
		standin.Secret("s3cret-7", carrier).ServeHTTP(w, r)
	}))
	defer service.Close()
	s := openedAs(t, draft.Empty(), false, Options{SignIn: signin.Options{Demo: true},
		Asks: services.Options{Local: true}})
	_, body := s.get("/carriers")
	holds(t, body, "No carrier is connected")
	status, body := s.post("/carriers", "name", "Kuikka", "url", "kuikka")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="Kuikka"`, `value="kuikka"`, "write it such as https://post.example/rates")
	status, body = s.post("/carriers", "name", "Kuikka", "url", service.URL)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "No method asks it yet", "has not been asked since")

	_, body = s.post("/carriers/kuikka/test")
	holds(t, body, "Kuikka does not accept the secret (status 401).")
	for _, bad := range []string{"a\nb", "a\r", "a b", "ä", strings.Repeat("x", 5000)} {
		status, body = s.post("/carriers/kuikka/secret", "value", bad)
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		assert.NotContains(t, body, bad)
	}
	status, body = s.post("/carriers/kuikka/secret", "value", " s3cret-7 ")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "A secret is kept. It is never shown again.", "Keep the key of the secrets with the backups")
	assert.NotContains(t, body, "s3cret-7")
	_, body = s.post("/carriers/kuikka/test")
	assert.Equal(t, "Bearer s3cret-7", token)
	holds(t, body, "it lists 3 services", "Add method with its services")
	holds(t, body, "The Till’s cart, 1 parcel, to Finland:", ">express</td><td class=\"num\">€12.40<")

	status, body = s.post("/carriers/kuikka/method")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "make a zone first")
	s.post("/zones", "places", "Estonia")
	status, body = s.post("/carriers/kuikka/method")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, `Asked by <a href="/methods/kuikka#asks">Kuikka</a>`,
		"<b>parcel</b> Kuikka Parcel, 3 to 6 working days")
	m := s.draft.State().File.Method("kuikka")
	require.NotNil(t, m)
	assert.Len(t, m.Carrier.Services, 3)

	// The address changes: the secret is not sent there.
	there := "nothing" // questions to the first address may still be under way
	elsewhere := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		there = r.Header.Get("Authorization")
	}))
	defer elsewhere.Close()
	_, body = s.post("/carriers/kuikka/set", "field", "url", "value", elsewhere.URL)
	holds(t, body, "Its secret was given for another address and is not sent to this one")
	_, body = s.post("/carriers/kuikka/test")
	holds(t, body, "Kuikka is not asked: its secret was given for another address.")
	assert.Equal(t, "nothing", there)

	status, body = s.post("/carriers/kuikka/remove")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "Kuikka asks it: remove that first")
	s.post("/methods/kuikka/remove")
	status, body = s.post("/carriers/kuikka/remove")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "No carrier is connected")
	status, _ = s.post("/carriers/kuikka/secret", "value", "x")
	assert.Equal(t, http.StatusNotFound, status)
}

// Outside of the program's own stand-ins only https is asked, and only public addresses.
func TestAddressesOfCarriersThatAreNotAsked(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	status, body := s.post("/carriers", "name", "Kuikka", "url", "http://kuikka.example")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "does not begin with https", `value="http://kuikka.example"`)
	s.post("/carriers", "name", "Kuikka", "url", "https://127.0.0.1:1")
	_, body = s.post("/carriers/kuikka/test")
	holds(t, body, "Kuikka is not at a public address")
}

// A secret is in no answer, no log, no export, no database in the clear and no backup.
func TestASecretStaysASecret(t *testing.T) {
	const secret = "s3cret-that-nobody-reads"
	ctx, dir := context.Background(), t.TempDir()
	var log bytes.Buffer
	db, err := sqlite.Open(ctx, dir)
	require.NoError(t, err)
	f, err := demo.Store()
	require.NoError(t, err)
	d, err := draft.Open(ctx, db, nil, f)
	require.NoError(t, err)
	in := importer.New(db, dir, "", d.SetGazetteer)
	h, err := New(d, db, in, slog.New(slog.NewTextHandler(&log, &slog.HandlerOptions{Level: slog.LevelDebug})),
		Options{SignIn: signin.Options{Demo: true}, Asks: services.Options{Dir: dir, Standins: demosCarriers(t)}})
	require.NoError(t, err)
	s := &site{httptest.NewServer(h), t, h, d, db, nil, nil, &http.Client{}}
	defer s.Close()
	status, _ := s.post("/carriers/kuikka/secret", "value", secret)
	require.Equal(t, http.StatusOK, status)
	s.post("/carriers/kuikka/test")
	status, _ = s.post("/carriers/key", "value", "on")
	require.Equal(t, http.StatusOK, status)
	for _, path := range []string{"/carriers", "/methods/abroad", "/live", "/live/draft", "/people", "/shop"} {
		_, body := s.get(path)
		assert.NotContains(t, body, secret, path)
	}
	_, body := s.get("/people")
	holds(t, body, "secret of the carrier Kuikka: given")
	_, body = s.post("/live", "revision", "1", "turn", "0", "note", "")
	assert.NotContains(t, body, secret)
	require.NoError(t, db.Backup(ctx, "test"))
	assert.NotContains(t, log.String(), secret)
	assert.NotContains(t, string(d.State().File.Write()), secret)
	require.NoError(t, filepath.WalkDir(dir, func(path string, e os.DirEntry, err error) error {
		require.NoError(t, err)
		if body, err := os.ReadFile(path); err == nil {
			assert.NotContains(t, string(body), secret, path)
		}
		return nil
	}))
	require.NoError(t, db.Close())
}

func TestTheTillDoesNotWaitForACarrier(t *testing.T) {
	s, list := withCarriers(t)
	_, body := s.part("/till/options")
	holds(t, body, "Kuikka Parcel", "€13.30", "Express parcel", "€29.57", `data-step="carrier"`,
		`href="/methods/abroad#asks"`)
	list["kuikka.example"].Mood.Set(standin.Misbehave{Slow: 200 * time.Millisecond})
	begun := time.Now()
	_, body = s.post("/till/destination", "to", "DE 10115 Berlin")
	assert.Less(t, time.Since(begun), 180*time.Millisecond)
	holds(t, body, "Parcel to your door", "asking Kuikka…", `hx-get="/till/options"`)
	assert.NotContains(t, body, "Express parcel")
	_, body = s.part("/till/options")
	holds(t, body, "Express parcel", "Kuikka Parcel")
	assert.NotContains(t, body, "asking Kuikka…")
	_, body = s.get("/methods")
	holds(t, body, "Express parcel", "Kuikka’s price")
	assert.NotContains(t, body, "asking Kuikka…", "it is remembered")
}

// A carrier that stops in the middle of a day: its method's price list stands in, marked as an estimate, and the page
// says what happened and what buyers saw.
func TestACarrierThatStops(t *testing.T) {
	s, list := withCarriers(t)
	ask := func(query string) (a quote.Answer) {
		resp, err := http.Post(s.URL+"/api/v1/quotes"+query, "application/json", strings.NewReader(
			`{"to":{"country":"EE","postcode":"10111"},"lines":[{"sku":"TOWEL-70","quantity":1}],"checkout":true}`))
		require.NoError(t, err)
		defer resp.Body.Close()
		body, err := io.ReadAll(resp.Body)
		require.NoError(t, err)
		require.Equal(t, http.StatusOK, resp.StatusCode, string(body))
		require.NoError(t, json.Unmarshal(body, &a))
		return a
	}
	keys := func(a quote.Answer) (list []string) {
		for _, o := range a.Options {
			if o.Method == "abroad" {
				key := o.Service
				if o.Estimated {
					key = "estimate " + o.Charge
				}
				list = append(list, key)
			}
		}
		return list
	}
	first := ask("?carriers=later")
	require.Len(t, first.Pending, 1)
	assert.Equal(t, []any{"abroad", 3}, []any{first.Pending[0].Method, first.Pending[0].Services})
	assert.Empty(t, keys(first))
	assert.NotEmpty(t, first.Options, "the shop's own are there")
	assert.Equal(t, []string{"parcel", "express", "small"}, keys(ask("")))
	assert.Empty(t, ask("?carriers=later").Pending, "it is remembered")

	list["kuikka.example"].Mood.Set(standin.Misbehave{Fail: true})
	s.post("/carriers/kuikka/mood", "value", "fail")
	stopped := ask("")
	assert.Equal(t, []string{"estimate 12.90"}, keys(stopped))
	var codes []string
	for _, w := range stopped.Warnings {
		codes = append(codes, w.Code)
	}
	assert.Contains(t, codes, quote.CarrierFallback)
	_, body := s.get("/carriers")
	holds(t, body, "Kuikka answered with status 500",
		"Buyers saw instead: Parcel abroad: the price of its own price list, "+
			"as an estimate, once.", "1 parcel, ", "Last answer ", "Half of the answers took up to ")
	_, body = s.part("/till/options")
	holds(t, body, "estimate: its carrier failed", "Parcel abroad is priced by its own price list")

	s.post("/methods/abroad/asks", "field", "fallback", "value", "")
	_, body = s.part("/till/options")
	holds(t, body, "the carrier gave no price: Kuikka ")
	resp, err := http.Post(s.URL+"/api/v1/quotes?carriers=soon", "application/json", strings.NewReader(`{}`))
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusBadRequest, resp.StatusCode)
}

func TestServicesOfAMethodAreChosenAndNamed(t *testing.T) {
	s, _ := withCarriers(t)
	_, body := s.get("/methods/abroad")
	holds(t, body, "Carrier</h3>", "Fetch services", `placeholder="the carrier’s name"`, `value="5 %"`, `value="0.80"`)
	_, rates := s.get("/rates/abroad")
	holds(t, rates, "These prices stand in where Kuikka fails.")
	_, rates = s.get("/rates/overseas")
	holds(t, rates, "Vaaru Cargo names the price. Only the columns of this list count")
	status, body := s.post("/methods/abroad/services/fetch")
	require.Equal(t, http.StatusOK, status)
	_, body = s.get("/methods/abroad")
	holds(t, body, `placeholder="Kuikka Small"`, `placeholder="4 to 8 working days"`, "listed at ")
	for _, bad := range []struct{ path, field, value, says string }{
		{"/methods/abroad/asks", "percent", "much", "is not a percentage"},
		{"/methods/abroad/asks", "amount", "-x", "-0.50 takes something off"},
		{"/methods/abroad/service", "days", "soon", "soon"},
		{"/methods/abroad/service", "nothing", "x", "no such field"},
	} {
		status, body := s.post(bad.path, "field", bad.field, "value", bad.value, "code", "parcel")
		assert.Equal(t, http.StatusUnprocessableEntity, status, bad.value)
		holds(t, body, bad.says)
	}
	status, _ = s.post("/methods/abroad/services", "code", "express")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	s.post("/methods/abroad/services", "code", "gone")
	_, body = s.get("/carriers")
	holds(t, body, "It does not list gone, which a method asks for.")
	for _, edit := range [][2]string{{"remove", ""}, {"on", ""}} {
		s.post("/methods/abroad/service", "code", "gone", "field", edit[0], "value", edit[1])
	}
	s.post("/methods/abroad/service", "code", "small", "field", "up")
	var codes []string
	for _, service := range s.draft.State().File.Method("abroad").Carrier.Services {
		codes = append(codes, service.Code)
	}
	assert.Equal(t, []string{"parcel", "small", "express"}, codes)
}

func TestAPromiseOfAService(t *testing.T) {
	s, list := withCarriers(t)
	s.part("/till/options")
	status, body := s.post("/promises", "method", "abroad", "service", "express", "holds", "price", "amount", "29.57",
		"zone", "baltic")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "5 promises hold")
	_, body = s.get("/promises")
	holds(t, body, "Parcel abroad by express costs €29.57")
	list["kuikka.example"].Mood.Set(standin.Misbehave{Fail: true})
	s.post("/carriers/kuikka/mood", "value", "fail")
	s.post("/zones/aland/name", "name", "Åland islands")
	_, body = s.get("/promises")
	holds(t, body, "no edit: ", "Kuikka")
	s.post("/carriers/kuikka/mood", "value", "well")
	_, body = s.post("/methods/abroad/asks", "field", "amount", "value", "1.80")
	_, body = s.get("/promises")
	holds(t, body, "€30.57")
}

// What a comparison shows is what the owner changed; what the carrier changed itself is said beside it.
func TestAComparisonBeforePublishing(t *testing.T) {
	files, err := demo.Carriers()
	require.NoError(t, err)
	kuikka := files["kuikka.example"]
	changed, faults := store.Read([]byte(strings.ReplaceAll(string(kuikka.Write()), "21.9", "23.9")))
	require.Empty(t, faults)
	var now atomic.Pointer[standin.Carrier]
	now.Store(standin.NewCarrier(quote.Compile(kuikka, nil)))
	service := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		now.Load().ServeHTTP(w, r)
	}))
	defer service.Close()
	f, err := demo.Store()
	require.NoError(t, err)
	s := openedAs(t, f, true, Options{SignIn: signin.Options{Demo: true}, Asks: services.Options{
		Standins: map[string]*services.Standin{"kuikka.example": {Address: strings.TrimPrefix(service.URL, "http://"),
			Mood: &standin.Mood{}}}}})
	s.post("/methods/abroad/asks", "field", "amount", "value", "1.80")
	_, body := s.get("/live")
	holds(t, body, "What buyers notice", "Express parcel", "dearer")
	assert.NotContains(t, body, "What carriers changed themselves")

	// The carrier charges more from now on, which is the same on both sides.
	now.Store(standin.NewCarrier(quote.Compile(changed, nil)))
	s.post("/carriers/kuikka/mood", "value", "well") // nothing is remembered
	_, body = s.get("/live")
	holds(t, body, "What carriers changed themselves", "Kuikka express to EE, 1 parcel of ", "23.90, was 21.90")
}

// A secret that the program was started with goes to the address that it was given for, or that an owner has confirmed,
// and to no other, whoever moves the carrier.
func TestASecretOfTheEnvironmentStaysAtItsAddress(t *testing.T) {
	var asked atomic.Pointer[string]
	server := func() *httptest.Server {
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			token := r.Header.Get("Authorization")
			asked.Store(&token)
			w.WriteHeader(http.StatusTeapot)
		}))
		t.Cleanup(s.Close)
		return s
	}
	theirs, elsewhere := server(), server()
	t.Setenv("DIADROM_CARRIER_SORSA", "s3cret-7")
	s := own(t, Options{Asks: services.Options{Local: true}})
	_, _ = s.post("/start", "name", "Aino", "passphrase", passphrase)
	s.sure(t)
	_, _ = s.post("/people", "name", "Veli", "role", "helper", "passphrase", passphrase)
	helper := s.another()
	_, _ = helper.post("/sign-in", "name", "Veli", "passphrase", passphrase)
	_, _ = s.post("/carriers", "name", "Sorsa", "url", theirs.URL)
	tested := func(by *site) string {
		asked.Store(nil)
		_, body := by.post("/carriers/sorsa/test")
		if token := asked.Load(); token != nil {
			return *token
		}
		assert.Contains(t, body, "is not asked")
		return "not asked"
	}
	assert.Equal(t, "not asked", tested(s), "nobody has said for which address it is")
	_, body := helper.get("/carriers")
	assert.NotContains(t, body, "/confirm")
	status, _ := helper.post("/carriers/sorsa/confirm")
	assert.Equal(t, http.StatusForbidden, status)
	_, body = s.get("/carriers")
	holds(t, body, "nobody has confirmed yet", "/carriers/sorsa/confirm")
	status, _ = s.post("/carriers/sorsa/confirm")
	assert.Equal(t, http.StatusOK, status)
	assert.Equal(t, "Bearer s3cret-7", tested(helper))

	status, body = helper.post("/carriers/sorsa/set", "field", "url", "value", elsewhere.URL)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "ask an owner to move it", elsewhere.URL)
	moved := s.draft.State().File.Clone()
	moved.Carrier("sorsa").URL = elsewhere.URL
	_, page := helper.send("/live/file", "store.json", string(moved.Write()))
	id := regexp.MustCompile(`/live/file/(\d+)`).FindStringSubmatch(page)
	require.NotNil(t, id, page)
	status, _ = helper.post("/live/file/" + id[1])
	assert.Equal(t, theirs.URL, s.draft.State().File.Carrier("sorsa").URL, "nor by a file: %d", status)
	key := s.key("setup")
	resp, answer := s.call(http.MethodPut, "/api/v1/store", key, string(moved.Write()))
	assert.Equal(t, http.StatusForbidden, resp.StatusCode, answer)
	status, _ = s.post("/carriers/sorsa/set", "field", "url", "value", elsewhere.URL)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, "not asked", tested(s), "an owner confirms it again for another address")

	t.Setenv("DIADROM_CARRIER_SORSA_ORIGIN", strings.ToUpper(elsewhere.URL[:4])+elsewhere.URL[4:]+"/")
	assert.Equal(t, "Bearer s3cret-7", tested(s))
	t.Setenv("DIADROM_CARRIER_SORSA_ORIGIN", theirs.URL)
	assert.Equal(t, "not asked", tested(s))
}
