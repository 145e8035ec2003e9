package browser

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// pageKey makes a key for pages of a site on the page People, as an owner does.
func pageKey(t *testing.T, s *shop, site string) string {
	t.Helper()
	page := s.open(t, "/people", 1280, 800)
	page.MustElement("#k-name").MustInput("Web shop")
	page.MustElement(`input[name=kind][value=pages]`).MustClick()
	page.MustElement("#k-sites").MustInput(site)
	page.MustElement("#k-sites").MustType(input.Enter)
	key := page.MustElement("#new-key").MustText()
	require.Regexp(t, `^diadrom_pub_[A-Z2-7]{26}$`, key)
	waitText(t, page, "main", "for pages of "+site)
	page.MustClose()
	return key
}

// within gives what is in the element, as a page reader has it.
const within = `const e = document.querySelector("diadrom-delivery"), r = e.shadowRoot;`

func waitIn(t *testing.T, page *rod.Page, js string) {
	t.Helper()
	err := page.Timeout(patient).Wait(rod.Eval("() => {" + within + " return !!(" + js + ")}"))
	if err != nil {
		told, _ := page.Timeout(5 * time.Second).Eval("() => {" + within + ` return (e.state || "no state") + ": " + (r ? [...r.children].slice(1).map(
			(x) => x.textContent).join(" | ") : "no element") + " " + JSON.stringify(e.choice || null) + " " + JSON.stringify(e.address || null) + " " + JSON.stringify((window.errors || []).slice(-3))}`)
		said := ""
		if told != nil {
			said = told.Value.String()
		}
		require.Failf(t, "never came", "%s: %v; the element says: %.2000s", js, err, said)
	}
}

// staticShop serves the example of a shop without a server, from an origin of its own.
func staticShop(t *testing.T, s *shop) (*shop, string) {
	t.Helper()
	var config string
	files := http.FileServer(http.Dir("../../../examples/static"))
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/config.js" {
			w.Header().Set("Content-Type", "text/javascript")
			io.WriteString(w, config)
			return
		}
		files.ServeHTTP(w, r)
	}))
	t.Cleanup(server.Close)
	key := pageKey(t, s, server.URL)
	body, err := json.Marshal(map[string]string{"diadrom": s.url, "key": key})
	require.NoError(t, err)
	config = "window.shop = " + string(body)
	return &shop{url: server.URL}, key
}

// A page of another origin shows what delivery costs, with the keys alone, and gives what was chosen.
func TestAPageWithoutAServerShowsDelivery(t *testing.T) {
	s := demoShop(t)
	static, _ := staticShop(t, s)
	page := static.open(t, "/", 1280, 800)
	waitIn(t, page, `r.querySelectorAll("select option").length > 5`)
	assert.Equal(
		t,
		"Finland",
		page.MustEval(`() => {`+within+` return r.querySelector("select").selectedOptions[0].text}`).Str(),
	)
	waitIn(t, page, `r.textContent.includes("Prices may change with the rest of the address.")`)
	assert.True(t, page.MustEval(`() => {`+within+` return !e.choice && !e.checkValidity()}`).Bool(),
		"nothing is chosen for good before the postcode is there")
	// Tab from the last quantity: country, postcode.
	page.MustElement("#STONE-20").MustFocus()
	page.KeyActions().Press(input.Tab, input.Tab).MustDo()
	begun := time.Now()
	page.MustInsertText("21100")
	waitIn(t, page, `[...r.querySelectorAll(".option")].some((o) => o.textContent.includes("Our own van"))`)
	t.Log("from the last letter to the first option:", time.Since(begun).Round(time.Millisecond))
	text := page.MustEval(`() => {` + within + ` return r.textContent}`).Str()
	for _, want := range []string{"Parcel to your door", "€6.90", "Spend €62.00 more for free delivery", "Free"} {
		assert.Contains(t, text, want)
	}
	waitText(t, page, "#total", "€64.90")                  // the parcel is preselected
	page.KeyActions().Press(input.Tab, input.Tab).MustDo() // the street, which the van's price looks at, and the options
	page.KeyActions().Press(input.ArrowDown).MustDo()
	waitText(t, page, "#total", "€63.90")
	assert.Equal(t, "radio", page.MustEval(`() => {`+within+` return r.activeElement.type}`).Str(), "the focus stays")
	waitText(t, page, "#total", "€63.90")

	require.NoError(t, page.AddScriptTag("", readAxe(t)))
	violations := page.MustEval(`() => axe.run({runOnly: ["wcag2a", "wcag2aa", "wcag21aa", "wcag22aa"]}).then((r) =>
		r.violations.map((v) => v.id + " " + v.nodes.map((n) => n.target.join(" ")).join(", ")).join("; "))`).Str()
	assert.Empty(t, violations)

	page.MustElement("#order button").MustClick()
	var sent struct {
		Cart     []struct{ SKU string }
		To       struct{ Postcode string }
		Delivery struct {
			Method, Total string
			Quote         struct{ ID, Expires, Token string }
			Request       json.RawMessage
		}
	}
	require.NoError(t, json.Unmarshal([]byte(page.MustElement("#sent").MustText()), &sent))
	assert.Equal(t, "locker", sent.Delivery.Method)
	assert.Equal(t, "5.90", sent.Delivery.Total)
	assert.Equal(t, "21100", sent.To.Postcode)
	assert.NotEmpty(t, sent.Delivery.Quote.Token)

	// Where nothing can be chosen yet, the form is not sent.
	page.MustEval(`() => {` + within + ` e.address = {country: "FI", postcode: ""}; e.lines = []}`)
	waitIn(t, page, `!e.checkValidity()`)
	assert.Contains(t, page.MustEval(`() => {`+within+` return r.textContent}`).Str(), "The cart is empty.")
	// A fault of the address is told beside its field, and what was typed stays.
	page.MustEval(`() => {` + within + ` e.address = {postcode: "2110"}; e.lines = [{sku: "TOWEL-70", quantity: 1}]}`)
	waitIn(
		t,
		page,
		`[...r.querySelectorAll("[part~=field-error]")].some((p) => p.textContent.includes("postcode"))`,
	)
	assert.Equal(t, "2110 true", page.MustEval(`() => {`+within+` const i = r.querySelector("input.text");
		return i.value + " " + i.getAttribute("aria-invalid")}`).Str())

	for _, c := range [][2]string{{"fi", "Postinumero"}, {"sv", "Postnummer"}, {"de", "Postleitzahl"},
		{"fr-FR", "Code postal"}, {"es", "Código postal"}} {
		page.MustEval(
			`(lang) => {`+within+` e.address = {postcode: "00100"}; e.lines = [{sku: "TOWEL-70", quantity: 2}];
			e.lang = lang}`,
			c[0],
		)
		waitIn(t, page, `[...r.querySelectorAll(".price")].some((p) => p.textContent.replace(/\s/g, " ") === "6,90 €")`)
		assert.Contains(t, page.MustEval(`() => {`+within+` return r.textContent}`).Str(), c[1])
	}
	page.MustSetViewport(390, 800, 1, true)
	assert.LessOrEqual(t, page.MustEval(`() => document.documentElement.scrollWidth`).Int(), 390)
}

// Several places to collect at are chosen one from, and the choice waits for that.
func TestAPageAsksWhereToCollect(t *testing.T) {
	s := demoShop(t)
	static, _ := staticShop(t, s)
	page := static.open(t, "/", 1280, 800)
	waitIn(t, page, `r.querySelectorAll("select option").length > 5`)
	page.MustEval(`() => {` + within + ` e.address = {postcode: "21100"}}`)
	waitIn(t, page, `[...r.querySelectorAll(".option")].some((o) => o.textContent.includes("Collect"))`)
	page.MustEval(
		`() => {` + within + ` [...r.querySelectorAll(".option")].find((o) => o.textContent.includes("Collect")).querySelector("input").click()}`,
	)
	waitIn(t, page, `e.choice && e.choice.point === "workshop"`)
	assert.Contains(
		t,
		page.MustEval(`() => {`+within+` return r.querySelector(".points").textContent}`).Str(),
		"Naantali",
	)
}

// A shop's server takes an order with the quote that it verified, and refuses what was changed, forged or has expired.
func TestAShopsServerVerifiesTheQuote(t *testing.T) {
	node, err := exec.LookPath("node")
	require.NoError(t, err, "make test installs Debian's nodejs")
	s := demoShop(t)
	l := httptest.NewServer(http.NotFoundHandler())
	address := strings.TrimPrefix(l.URL, "http://")
	l.Close() // the port is free again
	key := pageKey(t, s, "http://"+address)
	var log bytes.Buffer
	cmd := exec.Command(node, "server.mjs")
	cmd.Dir = "../../../examples/node-shop"
	cmd.Env = append(os.Environ(), "DIADROM="+s.url, "KEY="+key, "PORT="+address[strings.LastIndex(address, ":")+1:])
	cmd.Stdout, cmd.Stderr = &log, &log
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
	require.Eventually(t, func() bool {
		got, err := http.Get("http://" + address + "/")
		if err != nil {
			return false
		}
		got.Body.Close()
		return got.StatusCode == http.StatusOK
	}, patient, 50*time.Millisecond)
	page := (&shop{url: "http://" + address}).open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
	page.MustEval(`() => {` + within + ` e.address = {postcode: "21100"}}`)
	waitIn(t, page, `e.choice && e.choice.method === "parcel" && e.choice.request.to.postcode === "21100"`)
	var choice map[string]any
	require.NoError(
		t,
		json.Unmarshal([]byte(page.MustEval(`() => {`+within+` return JSON.stringify(e.choice)}`).Str()), &choice),
	)
	page.MustElement("#order button").MustClick()
	waitText(t, page, "#said", "Order 1 is placed: €64.90 with parcel.")
	page.MustElement("#order button").MustClick()
	waitText(t, page, "#said", "This quote was used for another order.")

	order := func(cart string, change func(delivery map[string]any)) (int, string) {
		t.Helper()
		delivery := map[string]any{}
		body, err := json.Marshal(choice)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(body, &delivery))
		change(delivery)
		body, err = json.Marshal(map[string]any{"cart": json.RawMessage(cart), "to": map[string]string{"country": "FI",
			"postcode": "21100"}, "delivery": delivery})
		require.NoError(t, err)
		got, err := http.Post("http://"+address+"/orders", "application/json", bytes.NewReader(body))
		require.NoError(t, err)
		defer got.Body.Close()
		answer, err := io.ReadAll(got.Body)
		require.NoError(t, err)
		return got.StatusCode, string(answer)
	}
	const towels = `[{"sku":"TOWEL-70","quantity":2}]`
	quote := func(d map[string]any) map[string]any { return d["quote"].(map[string]any) }
	for name, c := range map[string]struct {
		cart   string
		change func(map[string]any)
		why    string
	}{
		"a lower total":     {towels, func(d map[string]any) { d["total"] = "0.90" }, "changed"},
		"another method":    {towels, func(d map[string]any) { d["method"] = "drone" }, "not_offered"},
		"more goods":        {`[{"sku":"TOWEL-70","quantity":9}]`, func(map[string]any) {}, "differs"},
		"a changed request": {towels, func(d map[string]any) { d["request"].(map[string]any)["coupons"] = []string{"LÖYLY"} }, "changed"},
		"a forged token": {towels, func(d map[string]any) {
			token := quote(d)["token"].(string)
			quote(d)["token"] = token[:len(token)-8] + "AAAAAAAA"
		}, "forged"},
		"no token": {towels, func(d map[string]any) { quote(d)["token"] = "x.y.z" }, "forged"},
	} {
		status, answer := order(c.cart, c.change)
		assert.Equal(t, http.StatusConflict, status, "%s: %s", name, answer)
		assert.Contains(t, answer, `"why":"`+c.why+`"`, name)
	}
	page.MustEval(`() => {` + within + ` e.setAttribute("hold", "PT1S")}`)
	waitIn(t, page, `e.choice && Date.parse(e.choice.quote.expires) - Date.now() < 2000`)
	require.NoError(
		t,
		json.Unmarshal([]byte(page.MustEval(`() => {`+within+` return JSON.stringify(e.choice)}`).Str()), &choice),
	)
	time.Sleep(1100 * time.Millisecond)
	status, answer := order(towels, func(map[string]any) {})
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, answer, `"why":"expired"`)
	assert.NotContains(t, log.String(), "Error", log.String())
}
