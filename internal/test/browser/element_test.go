package browser

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/web/widget"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// line is a bad line to a Diadrom: what it does with each request before the server sees it.
type line struct {
	*httptest.Server
	mu      sync.Mutex
	through func(w http.ResponseWriter, r *http.Request) bool // false where it has answered, or never will
	quotes  atomic.Int64
}

func (l *line) set(through func(w http.ResponseWriter, r *http.Request) bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.through = through
}

// late lets requests through after a while.
func late(d time.Duration) func(http.ResponseWriter, *http.Request) bool {
	return func(_ http.ResponseWriter, r *http.Request) bool {
		select {
		case <-time.After(d):
			return true
		case <-r.Context().Done():
			return false
		}
	}
}

// hung answers nothing for as long as the asker waits.
func hung(_ http.ResponseWriter, r *http.Request) bool {
	io.Copy(io.Discard, r.Body) // until then nobody sees the asker go
	<-r.Context().Done()
	return false
}

// broken answers every request with a status.
func broken(status int, headers ...string) func(http.ResponseWriter, *http.Request) bool {
	return func(w http.ResponseWriter, r *http.Request) bool {
		h := w.Header()
		h.Set("Access-Control-Allow-Origin", "*")
		h.Set("Access-Control-Allow-Headers", "authorization, content-type, accept-language")
		h.Set("Access-Control-Expose-Headers", "Retry-After")
		if r.Method == http.MethodOptions {
			w.WriteHeader(http.StatusNoContent)
			return false
		}
		for i := 0; i < len(headers); i += 2 {
			h.Set(headers[i], headers[i+1])
		}
		w.WriteHeader(status)
		io.WriteString(w, `{"title":"out of order","code":"out_of_order","faults":[]}`)
		return false
	}
}

// lineTo is a line to a server, at an origin of its own.
func lineTo(t *testing.T, s *shop) *line {
	t.Helper()
	to, err := url.Parse(s.url)
	require.NoError(t, err)
	l := &line{}
	proxy := &httputil.ReverseProxy{
		Rewrite:      func(r *httputil.ProxyRequest) { r.SetURL(to) },
		ErrorHandler: func(http.ResponseWriter, *http.Request, error) {},
	}
	l.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		l.mu.Lock()
		through := l.through
		l.mu.Unlock()
		if r.Method == http.MethodPost {
			l.quotes.Add(1)
		}
		if through == nil || through(w, r) {
			proxy.ServeHTTP(w, r)
		}
	}))
	t.Cleanup(func() {
		l.CloseClientConnections()
		l.Close()
	})
	return l
}

// checkout is a page of a shop with one form; its head and its form are of the test.
type checkout struct {
	*shop
	key    string
	line   *line
	mu     sync.Mutex
	orders []url.Values
}

func checkoutPage(t *testing.T, s *shop, head, form string) *checkout {
	t.Helper()
	c := &checkout{line: lineTo(t, s)}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.Method == http.MethodPost {
			r.ParseForm()
			c.mu.Lock()
			c.orders = append(c.orders, r.PostForm)
			c.mu.Unlock()
			http.Redirect(w, r, "/thanks", http.StatusSeeOther)
			return
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		if r.URL.Path != "/" {
			io.WriteString(w, `<!doctype html><title>Elsewhere</title><p id="elsewhere">elsewhere</p>`)
			return
		}
		io.WriteString(w, strings.NewReplacer("SERVER", c.line.URL, "KEY", c.key).Replace(
			`<!doctype html><html lang="en"><meta charset="utf-8"><title>Checkout</title>`+head+`<body>`+form+`</body></html>`))
	}))
	t.Cleanup(server.Close)
	c.shop = &shop{url: server.URL}
	c.key = pageKey(t, s, server.URL)
	return c
}

func (c *checkout) ordered() []url.Values {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]url.Values(nil), c.orders...)
}

const (
	scriptHead = `<script src="SERVER/widget.js" async></script>
<script>window.errors = []; addEventListener("diadrom-error", (e) => errors.push(e.detail))</script>`
	orderForm = `<form method="post" action="/orders"><diadrom-delivery name="delivery" key="KEY" country="FI"
lines='[{"sku": "TOWEL-70", "quantity": 2}]'></diadrom-delivery><button id="go">Order</button></form>`
	postcode = `const p = r.querySelector("input[autocomplete$=postal-code]");`
)

func cut(t *testing.T, page *rod.Page, offline bool) {
	t.Helper()
	require.NoError(t, proto.NetworkEnable{}.Call(page))
	require.NoError(t, proto.NetworkEmulateNetworkConditions{Offline: offline, DownloadThroughput: -1,
		UploadThroughput: -1}.Call(page))
}

// typeCode replaces the postcode, key by key.
func typeCode(t *testing.T, page *rod.Page, code string) {
	t.Helper()
	page.MustEval(`() => {` + within + postcode + ` p.focus(); p.select()}`)
	for _, digit := range code {
		page.MustInsertText(string(digit))
	}
}

// What the page sets before the script arrives counts, and so does what it sets later.
func TestPropertiesSetBeforeTheScriptArrives(t *testing.T) {
	s := demoShop(t)
	c := checkoutPage(t, s, ``, `<form><diadrom-delivery name="delivery" key="KEY"></diadrom-delivery></form>
<script>
const e = document.querySelector("diadrom-delivery");
e.address = {country: "FI", postcode: "21100"};
e.lines = [{sku: "TOWEL-70", quantity: 2}];
setTimeout(() => { const s = document.createElement("script"); s.src = "SERVER/widget.js"; document.head.append(s) }, 300);
</script>`)
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `e.choice && e.choice.total === "6.90" && e.choice.request.to.postcode === "21100"`)
	page.MustEval(`() => {` + within + ` e.lines = [{sku: "STONE-20", quantity: 2}]}`)
	waitIn(t, page, `e.choice && e.choice.request.lines[0].sku === "STONE-20"`)
	page.MustEval(`() => {` + within +
		` e.setAttribute("lines", '[{"sku":"TOWEL-70","quantity":1}]'); e.setAttribute("postcode", "00100")}`)
	waitIn(t, page, `e.choice && e.choice.request.lines[0].quantity === 1 && e.choice.request.to.postcode === "00100"`)
	page.MustEval(`() => {` + within + ` e.coupons = ["NOSUCH"]}`)
	waitIn(t, page, `e.choice && e.choice.request.coupons[0] === "NOSUCH"`)
	// An element that is made and filled in before it is in the page.
	page.MustEval(`() => { const e = document.createElement("diadrom-delivery"); e.lines = [{sku: "TOWEL-70", quantity: 3}];
		e.setAttribute("postcode", "21100"); e.setAttribute("country", "FI");
		e.setAttribute("key", document.querySelector("diadrom-delivery").getAttribute("key")); e.id = "second"; document.body.append(e) }`)
	page.MustWait(`() => { const e = document.querySelector("#second"); return e.choice && e.choice.request.lines[0].quantity === 3 }`)
	waitIn(t, page, `e.choice.request.lines[0].quantity === 1`) // two elements of a page are two
}

// From the first key on there is nothing to order with, and a form that is sent meanwhile waits for the answer: it goes
// with the new address where method and price are as the buyer saw them, and else not.
func TestAnOrderWaitsForItsAddress(t *testing.T) {
	s := demoShop(t)
	for _, form := range []string{orderForm, strings.Replace(orderForm, "<form", "<form novalidate", 1)} {
		func() {
			c := checkoutPage(t, s, scriptHead, form)
			page := c.open(t, "/", 1280, 800)
			waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
			typeCode(t, page, "21100")
			waitIn(t, page, `e.choice && e.state === "chosen"`)
			// The van costs more there: the order is not sent with a price that nobody has seen.
			page.MustEval(`() => {` + within +
				` [...r.querySelectorAll(".option")].find((o) => o.textContent.includes("van")).querySelector("input").click()}`)
			waitIn(t, page, `e.choice && e.choice.method === "van" && e.choice.total === "8.00"`)
			c.line.set(late(1500 * time.Millisecond))
			typeCode(t, page, "20100")
			assert.Equal(t, "null asking false",
				page.MustEval(`() => {`+within+` return JSON.stringify(e.choice) + " " + e.state + " " + e.checkValidity()}`).Str())
			assert.Nil(t, page.MustEval(`() => new FormData(document.querySelector("form")).get("delivery")`).Val())
			page.MustElement("#go").MustClick()
			waitIn(t, page, `r.textContent.includes("look at its price")`)
			assert.Equal(t, "8.56", page.MustEval(`() => {`+within+` return e.choice.total}`).Str())
			assert.Empty(t, c.ordered())
			// With the price that is shown it goes, to the address that was typed.
			typeCode(t, page, "20300")
			page.MustElement("#go").MustClick()
			page.MustElement("#elsewhere")
			require.Len(t, c.ordered(), 1)
			sent := c.ordered()[0].Get("delivery")
			assert.Contains(t, sent, `"postcode":"20300"`)
			assert.Contains(t, sent, `"total":"8.56"`)
		}()
	}
}

// Enter in a field submits the form, and waits too.
func TestEnterSubmits(t *testing.T) {
	s := demoShop(t)
	c := checkoutPage(t, s, scriptHead, orderForm)
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
	typeCode(t, page, "21100")
	waitIn(t, page, `e.choice`)
	typeCode(t, page, "21200")
	page.KeyActions().Press(input.Enter).MustDo()
	page.MustElement("#elsewhere")
	require.Len(t, c.ordered(), 1)
	assert.Contains(t, c.ordered()[0].Get("delivery"), `"postcode":"21200"`)
	// The address that was typed is there when the buyer comes back.
	page.MustNavigateBack()
	waitIn(t, page, `r && e.choice && e.choice.request.to.postcode === "21200"`)
}

// quoted is a page of a shop in which delivery to Naantali is chosen.
func quoted(t *testing.T) (*checkout, *rod.Page) {
	t.Helper()
	c := checkoutPage(t, demoShop(t), scriptHead, orderForm)
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
	typeCode(t, page, "21100")
	waitIn(t, page, `e.choice`)
	return c, page
}

// What was quoted holds through a cut of the network, and prices are there again by themselves.
func TestTheElementSurvivesACut(t *testing.T) {
	_, page := quoted(t)
	cut(t, page, true)
	page.MustEval(`() => {` + within + ` e.setAttribute("hold", "PT20M")}`) // it asks again, for the same
	waitIn(t, page, `errors.length > 0 && errors[0].code === "network" && errors[0].status === 0`)
	assert.Equal(t, "chosen", page.MustEval(`() => {`+within+` return e.state}`).Str(), "what was quoted still holds")
	typeCode(t, page, "21200")
	waitIn(t, page, `r.textContent.includes("cannot be shown") && !e.choice && !r.querySelector(".option")`)
	begun := time.Now()
	cut(t, page, false)
	waitIn(t, page, `e.choice && e.choice.request.to.postcode === "21200"`)
	t.Log("from the network's return to options:", time.Since(begun).Round(time.Millisecond))
	assert.NotContains(t, page.MustEval(`() => {`+within+` return r.textContent}`).Str(), "cannot be shown")
}

// A server that fails is asked again until it answers.
func TestTheElementAsksAgainAfterErrors(t *testing.T) {
	c, page := quoted(t)
	c.line.set(broken(http.StatusBadGateway))
	typeCode(t, page, "21200")
	waitIn(t, page, `errors.length > 1 && errors[0].status === 502 && errors[0].code === "out_of_order"`)
	c.line.set(nil)
	waitIn(t, page, `e.choice && e.choice.request.to.postcode === "21200"`)
}

// A server that asks for patience has it.
func TestTheElementWaitsAsItIsTold(t *testing.T) {
	c, page := quoted(t)
	c.line.set(broken(http.StatusTooManyRequests, "Retry-After", "2"))
	typeCode(t, page, "21200")
	waitIn(t, page, `errors.length > 0 && errors[0].status === 429`)
	first, asked := time.Now(), c.line.quotes.Load()
	time.Sleep(1500 * time.Millisecond)
	if time.Since(first) < 1900*time.Millisecond {
		assert.Equal(t, asked, c.line.quotes.Load(), "it waits for as long as the server says")
	}
	c.line.set(nil)
	waitIn(t, page, `e.choice && e.choice.request.to.postcode === "21200"`)
}

// What the server refuses is told, and not asked again until it has changed.
func TestTheElementDoesNotRepeatWhatIsRefused(t *testing.T) {
	c, page := quoted(t)
	page.MustEval(`() => {` + within + ` e.lines = [{sku: "NO-SUCH", quantity: 1}]}`)
	waitIn(t, page, `e.state === "failed" && errors[0].status === 422 && errors[0].faults[0].path === "/lines/0/sku"`)
	asked := c.line.quotes.Load()
	time.Sleep(2 * time.Second)
	assert.Equal(t, asked, c.line.quotes.Load(), "what the server refuses is not asked again and again")
	page.MustEval(`() => {` + within + ` e.lines = [{sku: "TOWEL-70", quantity: 1}]}`)
	waitIn(t, page, `e.choice`)
}

// Where no answer comes for 20 seconds, a page that allows it takes the order with delivery to be agreed.
func TestAnOrderWithoutPricesWhereThePageAllowsIt(t *testing.T) {
	c, page := quoted(t)
	page.MustEval(`() => {` + within + ` e.setAttribute("when-unavailable", "allow")}`)
	c.line.set(hung)
	begun := time.Now()
	typeCode(t, page, "21200")
	waitIn(t, page, `errors.length > 0 && errors[0].code === "timeout"`)
	assert.GreaterOrEqual(t, time.Since(begun), 7*time.Second)
	waitIn(t, page, `e.state === "unavailable" && e.choice.unavailable && e.checkValidity()`)
	assert.GreaterOrEqual(t, time.Since(begun), 19*time.Second)
	assert.Contains(t, page.MustEval(`() => {`+within+` return r.textContent}`).Str(),
		"the shop will agree on delivery with you")
	page.MustElement("#go").MustClick()
	page.MustElement("#elsewhere")
	require.Len(t, c.ordered(), 1)
	assert.Equal(t, `{"unavailable":true}`, c.ordered()[0].Get("delivery"))
}

// Where no answer comes, a page that does not allow it says why there is no order, with the fields of a plain address.
func TestNoOrderWithoutPricesWhereThePageDoesNotAllowIt(t *testing.T) {
	c := checkoutPage(t, demoShop(t), scriptHead, orderForm)
	c.line.set(func(w http.ResponseWriter, r *http.Request) bool { return r.URL.Path == "/widget.js" || hung(w, r) })
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `e.state === "unavailable"`)
	assert.Equal(t, "null false",
		page.MustEval(`() => {`+within+` return JSON.stringify(e.choice) + " " + e.checkValidity()}`).Str())
	assert.Contains(t, page.MustEval(`() => {`+within+` return r.textContent}`).Str(), "so the order cannot be placed yet")
	assert.Equal(t, "Finland",
		page.MustEval(`() => {`+within+` return r.querySelector("select").selectedOptions[0].text}`).Str(),
		"a plain country and postcode are there all the same")
	typeCode(t, page, "21100")
	c.line.set(nil)
	page.MustEval(`() => window.dispatchEvent(new Event("online"))`)
	waitIn(t, page, `e.choice && e.choice.request.to.postcode === "21100"`)
}

// Where address forms do not come, a country and a postcode are asked for, and what else an answer lacks.
func TestPricesWithoutAddressForms(t *testing.T) {
	c := checkoutPage(t, demoShop(t), scriptHead, orderForm)
	down := broken(http.StatusServiceUnavailable)
	c.line.set(func(w http.ResponseWriter, r *http.Request) bool {
		return !strings.HasSuffix(r.URL.Path, "/address-forms") || down(w, r)
	})
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 200`)
	typeCode(t, page, "21100")
	waitIn(t, page, `e.choice && e.choice.total === "6.90"`)
	// What an address lacks without its form is asked for.
	page.MustEval(`() => {` + within + ` e.address = {country: "HK", postcode: ""}}`)
	waitIn(t, page, `r.querySelector("input[autocomplete$=level2]")`)
}

// What is wrong with an address stands at its field once the buyer has stopped typing, and no price stays that was of
// another address.
func TestWhatIsWrongStandsAtItsField(t *testing.T) {
	s := demoShop(t)
	c := checkoutPage(t, s, scriptHead, orderForm)
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
	page.MustElement("#go").MustClick()
	assert.Equal(t, "postal-code",
		page.MustEval(`() => {`+within+` return r.activeElement.autocomplete.split(" ")[1]}`).Str(),
		"the browser leads to the field that lacks something")
	typeCode(t, page, "21100")
	waitIn(t, page, `e.choice`)
	dates := page.MustEval(`() => {` + within + ` return r.querySelector(".when").textContent}`).Str()
	assert.Regexp(t, `^\w{3} \d{1,2}( \w{3})? – \w{3} \d{1,2} \w{3}$`, dates)
	typeCode(t, page, "2110")
	waitIn(t, page, `!r.querySelector(".option") && r.querySelector("p.wrong:not(:empty)")`)
	assert.Equal(t, "This cannot be a postcode of Finland: they are 5 digits true", page.MustEval(`() => {`+within+postcode+`
		return r.getElementById(p.getAttribute("aria-describedby")).textContent + " " + p.getAttribute("aria-invalid")}`).Str())
	assert.Contains(t, page.MustEval(`() => {`+within+` return e.validationMessage}`).Str(), "5 digits")
	assert.Nil(t, page.MustEval(`() => {`+within+` return e.choice}`).Val())
	// A street that the page knew does not go with a postcode that the buyer types.
	page.MustEval(`() => {` + within +
		` e.address = {country: "FI", postcode: "21100", city: "Naantali", lat: "60.46", lon: "22.02"}}`)
	waitIn(t, page, `e.choice && e.choice.request.to.city === "Naantali" && e.choice.request.to.lat === "60.46"`)
	typeCode(t, page, "20100")
	waitIn(t, page, `e.choice && e.choice.request.to.postcode === "20100" && !e.choice.request.to.city && !e.choice.request.to.lat`)
	assert.Equal(t, `{"country":"FI","region":"","city":"","postcode":"20100","street":"","lat":"","lon":""}`,
		page.MustEval(`() => {`+within+` return JSON.stringify(e.address)}`).Str())
	// Neither does a country that the shop does not deliver to become another.
	page.MustEval(`() => {` + within + ` const n = document.createElement("diadrom-delivery"); n.setAttribute("key", e.getAttribute("key"));
		n.setAttribute("country", "XK"); n.setAttribute("lines", e.getAttribute("lines")); n.id = "second"; document.body.append(n) }`)
	page.MustWait(`() => document.querySelector("#second").state === "incomplete"`)
	assert.Equal(t, "", page.MustEval(`() => document.querySelector("#second").shadowRoot.querySelector("select").value`).Str())
}

// A quote that has ended while the page lay in the browser's memory is asked for when the page comes back.
func TestAPageComesBackFromTheBrowsersMemory(t *testing.T) {
	s := demoShop(t)
	c := checkoutPage(t, s, scriptHead, strings.Replace(orderForm, `key=`, `hold="PT3S" key=`, 1))
	page := c.open(t, "/", 1280, 800)
	waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
	typeCode(t, page, "21100")
	waitIn(t, page, `e.choice`)
	first := page.MustEval(`() => {` + within + ` return e.choice.quote.id}`).Str()
	page.MustNavigate(c.url + "/elsewhere")
	page.MustElement("#elsewhere")
	time.Sleep(3500 * time.Millisecond)
	page.MustNavigateBack()
	waitIn(t, page, `r && e.choice && e.choice.quote.id !== "`+first+`" && e.choice.request.to.postcode === "21100"`)
}

// A page may say which script it means, and a bundle knows whom to ask.
func TestAPageNamesTheScriptThatItMeans(t *testing.T) {
	s := demoShop(t)
	for _, head := range []string{
		`<script src="SERVER` + widget.Path() + `" integrity="` + widget.Integrity(widget.Script) +
			`" crossorigin="anonymous" async></script>`,
		`<script type="module">import "SERVER/widget.mjs"</script>`,
	} {
		c := checkoutPage(t, s, head, orderForm)
		page := c.open(t, "/", 1280, 800)
		waitIn(t, page, `r && r.querySelectorAll("select option").length > 5`)
		typeCode(t, page, "21100")
		waitIn(t, page, `e.choice`)
	}
}
