package browser

import (
	"bytes"
	"mime/multipart"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// patient is how long a test waits for what must come. It is many times what a slow machine needs: what never comes fails
// then, and what is late does not.
const patient = 2 * time.Minute

// typeOver replaces what stands in a field and leaves it, as an owner does with Tab.
func typeOver(page *rod.Page, selector, text string) {
	page.MustElement(selector).MustFocus().MustSelectAllText()
	page.KeyActions().Press(input.Backspace).MustDo()
	page.MustInsertText(text)
	page.KeyActions().Press(input.Tab).MustDo()
	quiet(page)
}

func charge(page *rod.Page, method string) string {
	return page.MustElement(`#till details[data-method="` + method + `"] .charge`).MustText()
}

// waitFor waits until something holds on a page; where it never does, it says what the page was telling.
func waitFor(t *testing.T, page *rod.Page, js string, args ...any) {
	t.Helper()
	if err := page.Timeout(patient).Wait(rod.Eval(js, args...)); err != nil {
		told, _ := page.Timeout(5 * time.Second).Eval(
			`() => [document.activeElement.id, 
				...[...document.querySelectorAll("[role=alert], #history, .slip, .htmx-request, [aria-invalid]")]
					.map(e => (e.id + " " + (e.value ?? e.textContent)).replace(/\s+/g, " ").trim())].join(" | ")`,
		)
		said := ""
		if told != nil {
			said = told.Value.String()
		}
		require.Failf(t, "never came", "%s %v: %v; the page says: %s", js, args, err, said)
	}
}

// waitText waits until an element's text holds what is wanted.
func waitText(t *testing.T, page *rod.Page, selector, want string) {
	t.Helper()
	ok := page.Timeout(patient).Wait(
		rod.Eval(
			`(s, w) => { const e = document.querySelector(s);
				return e && e.textContent.replace(/\s+/g, " ").includes(w); }`,
			selector,
			want,
		),
	)
	if ok != nil {
		have := ""
		if e, err := page.Timeout(time.Second).Element(selector); err == nil {
			have = e.MustText()
		}
		require.Failf(t, "text never came", "%s: want %q, have %q", selector, want, have)
	}
	quiet(page) // the focus is put back when the page has settled
}

func TestAPriceChangedIsQuotedAtOnceAndOutlivesAKill(t *testing.T) {
	dir := t.TempDir()
	s := start(t, "demo", dir)
	page := slow(t, s.open(t, "/rates/parcel", 1280, 800))
	require.Equal(t, "€6.90", charge(page, "parcel"))

	typeOver(page, "#c-list-0-0", "7.20") // Finland, up to and including 2 kg
	waitText(t, page, `#till details[data-method=parcel] .charge`, "7.20")
	waitText(t, page, `#till details[data-method=parcel] .was`, "was €6.90")
	waitText(t, page, "#saved", "Saved")
	page.MustElement(`#till details[data-method=parcel] summary`).MustClick()
	assert.Equal(
		t,
		"7.20",
		page.MustElement("#c-list-0-0").MustProperty("value").String(),
		"the cell is there, as it was typed",
	)
	reckoning := page.MustElement(`#till details[data-method=parcel] .reck`).MustText()
	assert.Contains(t, reckoning, "up to and including 2 kg: 7.20")
	assert.Contains(t, reckoning, "Finland")

	s.kill()
	again := start(t, "demo", dir)
	page = again.open(t, "/rates/parcel", 1280, 800)
	assert.Equal(t, "7.20", page.MustElement("#c-list-0-0").MustProperty("value").String())
	assert.Equal(t, "€7.20", charge(page, "parcel"))
}

func TestSlipsStandBesideTheirField(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/rates/parcel", 1280, 800)
	for _, c := range []struct{ field, typed, says string }{
		{"#c-list-0-0", "6,9o", "does not belong"},
		{"#c-list-0-1", "1,200.50", "1200.50"},
		{"#h-list-0", "two", "is not a number"},
		{"#h-list-1", "2", "a row at 2 already"},
		{"#h-list-1", "20", "above the next row"},
	} {
		typeOver(page, c.field, c.typed)
		waitText(t, page, ":is(.box, td):has(> "+c.field+", > * > "+c.field+") .slip-note", c.says)
		assert.Equal(t, c.typed, page.MustElement(c.field).MustProperty("value").String(), "what was typed is kept")
		assert.True(
			t,
			page.MustEval(
				`(s) => { const cell = document.querySelector(s).closest("td, th");
			return cell.querySelector(".slip-note").getBoundingClientRect().bottom <=
				cell.getBoundingClientRect().bottom + 1; }`,
				c.field,
			).Bool(),
			"%s: the note lies in its cell, not over the next",
			c.field,
		)
	}
	assert.Equal(t, "€6.90", charge(page, "parcel"), "nothing has changed")
	typeOver(page, "#c-list-0-0", "6,95")
	waitText(t, page, `#till details[data-method=parcel] .charge`, "6.95")

	for _, c := range []struct{ field, typed, says, kept string }{
		{"#till-q-0", "0", "from 1 to 1000000", "0"},
		{"#till-q-0", "1000000000", "from 1 to 1000000", "1000000000"},
		{"#till-to", "2110 Naantali", "5 digits", "2110 Naantali"},
	} {
		typeOver(page, c.field, c.typed)
		waitText(t, page, "#till .slip-note", c.says)
		assert.Equal(t, c.kept, page.MustElement(c.field).MustProperty("value").String())
	}

	page = s.open(t, "/zones", 1280, 800)
	page.MustElement("#new-zone").MustInput("FI 2110").MustType(input.Enter)
	waitText(t, page, "#new-zone-slip", "2110*")
	assert.Equal(t, "FI 2110", page.MustElement("#new-zone").MustProperty("value").String())
	page.MustElement("#new-zone").MustSelectAllText().MustInput("FI 2110*, not FI 21100").MustType(input.Enter)
	waitText(t, page, "#zone-finland-2110", "not FI 21100")
}

func TestTheListIsWalkedWithKeysAlone(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/rates/parcel", 1280, 800))
	at := func() string { return page.MustEval(`() => document.activeElement.id`).String() }
	page.MustElement("#c-list-0-0").MustFocus()
	page.KeyActions().Press(input.ArrowDown).MustDo()
	assert.Equal(t, "c-list-1-0", at())
	page.MustElement("#c-list-1-0").MustSelectAllText()
	page.KeyActions().Press(input.ArrowRight).MustDo()
	assert.Equal(t, "c-list-1-1", at())
	page.MustElement("#c-list-1-1").MustSelectAllText()
	page.MustInsertText("12.60")
	page.KeyActions().Press(input.Enter).MustDo()
	quiet(page)
	assert.Equal(t, "c-list-2-1", at(), "Enter goes down")
	waitText(t, page, "#saved", "Saved")
	page.MustInsertText("oops")
	page.KeyActions().Press(input.Escape).MustDo()
	assert.Equal(
		t,
		"14.90",
		page.MustElement("#c-list-2-1").MustProperty("value").String(),
		"Escape takes typing back",
	)
	page.MustEval(`() => document.activeElement.blur()`)
	page.KeyActions().Press('t').MustDo()
	waitFor(t, page, `() => document.body.classList.contains("till-shut")`)
	page.KeyActions().Press('/').MustDo()
	assert.Equal(t, "till-to", at(), "/ opens the Till and types there")
}

func TestTwoWindowsDoNotOverwriteOneAnother(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/rates/parcel", 1280, 800)
	elsewhere := url.Values{"zone": {"finland"}, "at": {"2"}, "was": {"6.90"}, "text": {"7.00"}}
	resp, err := http.PostForm(s.url+"/rates/parcel/list/cell", elsewhere)
	require.NoError(t, err)
	resp.Body.Close()
	require.Equal(t, http.StatusOK, resp.StatusCode)
	typeOver(page, "#c-list-0-0", "8.00")
	waitText(t, page, "td:has(> #c-list-0-0) .slip-note", "changed to 7.00 in another window")
	assert.Equal(
		t,
		"8.00",
		page.MustElement("#c-list-0-0").MustProperty("value").String(),
		"what was typed is kept",
	)
	page.MustElement("#c-list-0-0").MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, `#till details[data-method=parcel] .charge`, "8.00")
}

func TestARealShopStartsEmptyAndCanQuote(t *testing.T) {
	s := ownShop(t)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	page.MustElement("#new-zone").MustInput("Finland").MustType(input.Enter)
	waitText(t, page, "#zone-finland", "no prices yet")
	page = slow(t, s.open(t, "/methods", 1280, 800))
	page.MustElement("#new-method").MustInput("Parcel").MustType(input.Enter)
	waitText(t, page, "#method-parcel", "its list has no price yet")
	page = slow(t, s.open(t, "/rates/parcel", 1280, 800))
	typeOver(page, "#c-list-0-0", "4.00 + 1.50 per started kg")
	waitText(t, page, `#till details[data-method=parcel] .charge`, "5.50")
	typeOver(page, "#till-w-0", "2.2")
	waitText(t, page, `#till details[data-method=parcel] .charge`, "8.50")
	// The Till's change reloads the work; what is typed meanwhile must stay
	page.MustElement("#new-at-list").MustFocus()
	page.MustInsertText("5")
	time.Sleep(300 * time.Millisecond)
	assert.Equal(t, "5", page.MustElement("#new-at-list").MustProperty("value").String())
	page.MustElement("#new-at-list").MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#grid-list", "above 5 kg")
}

// squeezedFields names the fields too narrow to read a price in, and the buttons narrower than their words.
const squeezedFields = `() => [...document.querySelectorAll("input, select, textarea, button")].filter(e => {
	if (["checkbox", "radio", "hidden"].includes(e.type) ||
		!e.checkVisibility() || e.closest(".visually-hidden")) return false;
	return e.tagName === "BUTTON" ? e.scrollWidth > e.clientWidth + 1 : e.clientWidth < 34;
}).map(e => (e.id || e.name || e.className || e.textContent) + " " + e.clientWidth + "/" + e.scrollWidth).join(", ")`

// Every page is there with all that belongs to it, is wide enough and no wider at 1280 and at 390 px, and has
// nothing that WCAG A and AA forbid. The pages are those of three tests, which run beside one another.
func TestPagesOfTheShopAndItsProductsAreWhole(t *testing.T) {
	wholePages(
		t,
		"/shop",
		"/extras",
		"/book",
		"/book/file/4",
		"/goods",
		"/goods/file/2",
		"/goods/boxes",
		"/people",
		"/backups",
		"/map?zone=van-round",
	)
}

func TestPagesOfZonesAndMethodsAreWhole(t *testing.T) {
	wholePages(t, "/zones", "/zones?strip=FI&from=20000&to=29999&new=FI+22*", "/zones/file/1", "/methods",
		"/methods/parcel", "/methods/abroad", "/carriers", "/defaults", "/languages?also=sv,pt-BR", "/checkout", "/checkout/element")
}

func TestPagesOfRatesAndQuotesAreWhole(t *testing.T) {
	wholePages(
		t,
		"/rates/freight",
		"/rates/parcel",
		"/rates/abroad",
		"/quotes",
		"/quotes?over=weight",
		"/quotes/why",
		"/quotes/parcels",
		"/promises",
		"/warnings",
		"/live",
		"/live/file/3",
		"/rates/cost--post-parcels",
		"/costs?new=yes",
		"/past",
		"/past/free",
		"/past/list",
		"/past/files",
	)
}

func wholePages(t *testing.T, paths ...string) {
	t.Helper()
	axe := readAxe(t)
	s := demoShop(t)
	for _, sent := range [][2]string{{"/zones/file", "zone,place\naland,FI 22*\nbad,FI 2\n"},
		{"/goods/file", "sku,weight\nA,1\nB,-1\n"}, {"/live/file", `{"format":"diadrom-store/1",
		"store":{"currency":"EUR"}}`}, {"/book/file", "name,postcode\nInn,20100\nBad,2\n"}} {
		var b bytes.Buffer
		form := multipart.NewWriter(&b)
		w, err := form.CreateFormFile("file", "table.csv")
		require.NoError(t, err)
		_, err = w.Write([]byte(sent[1]))
		require.NoError(t, err)
		require.NoError(t, form.Close())
		resp, err := http.Post(s.url+sent[0], form.FormDataContentType(), &b)
		require.NoError(t, err)
		resp.Body.Close()
	}
	for _, path := range paths {
		page := s.open(t, path, 1280, 800)
		refused := page.MustEval(
			`() => performance.getEntriesByType("resource")
			.filter(r => r.responseStatus >= 400 || !r.name.startsWith(location.origin))
			.map(r => r.name).join(" ")`,
		).String()
		assert.Empty(t, refused, path)
		assert.True(
			t,
			page.MustEval(
				`() => !!window.htmx && !!window.Alpine && document.fonts.check("15px 'Atkinson Next'")`,
			).Bool(),
			path,
		)
		for _, width := range []int{390, 1280} {
			require.NoError(
				t,
				page.SetViewport(
					&proto.EmulationSetDeviceMetricsOverride{Width: width, Height: 800, DeviceScaleFactor: 1},
				),
			)
			assert.LessOrEqual(
				t,
				page.MustEval(`() => document.documentElement.scrollWidth - innerWidth`).Int(),
				0,
				"%s scrolls sideways at %d px",
				path,
				width,
			)
			squeezed := page.MustEval(squeezedFields).String()
			assert.Empty(
				t,
				squeezed,
				"fields and buttons of %s at %d px that show nothing of what is in them",
				path,
				width,
			)
		}
		page.MustEval(`() => { document.querySelectorAll("details").forEach(d => d.open = true) }`)
		page.MustEval(`(code) => { (0, eval)(code); }`, axe)
		found := page.MustEval(
			`() => axe.run({runOnly: ["wcag2a", "wcag2aa"]}).then(r => r.violations
			.map(v => v.id + ": " +
				v.nodes.slice(0, 3).map(n => n.target.join(" ") + " " + n.failureSummary).join(" | "))
			.join("\n"))`,
		).String()
		assert.Empty(t, found, path)
	}
}

func TestWhatTheServerRefuses(t *testing.T) {
	s := demoShop(t)
	post := func(path, origin string, body string) (int, string) {
		req, err := http.NewRequest(http.MethodPost, s.url+path, strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		if origin != "" {
			req.Header.Set("Origin", origin)
			req.Header.Set("Sec-Fetch-Site", "cross-site")
		}
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		defer resp.Body.Close()
		var b strings.Builder
		buf := make([]byte, 4096)
		n, _ := resp.Body.Read(buf)
		b.Write(buf[:n])
		return resp.StatusCode, b.String()
	}
	cell := url.Values{"zone": {"finland"}, "at": {"2"}, "was": {"6.90"}, "text": {"1.00"}}.Encode()
	status, _ := post("/rates/parcel/list/cell", "https://elsewhere.example", cell)
	assert.Equal(t, http.StatusForbidden, status, "another site's page cannot edit")
	status, text := post("/rates/parcel/list/cell", "", "text="+strings.Repeat("1", 5<<20))
	assert.Equal(t, http.StatusRequestEntityTooLarge, status)
	assert.Contains(t, text, "nothing was changed")
	status, text = post("/rates/parcel/list/cell", "", "text=%zz")
	assert.Equal(t, http.StatusBadRequest, status, text)
	status, text = post("/rates/nothing/list/cell", "", cell)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.NotContains(t, text, "goroutine")

	req, err := http.NewRequest(http.MethodGet, s.url+"/zones", nil)
	require.NoError(t, err)
	req.Host = "rebound.example"
	resp, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	resp.Body.Close()
	assert.Equal(t, http.StatusMisdirectedRequest, resp.StatusCode)

	resp, err = http.Get(s.url + "/zones")
	require.NoError(t, err)
	resp.Body.Close()
	policy := resp.Header.Get("Content-Security-Policy")
	assert.Contains(t, policy, "default-src 'none'")
	assert.NotContains(t, policy, "unsafe")

	page := s.open(t, "/rates/parcel", 1280, 800)
	assert.Equal(t, "€6.90", charge(page, "parcel"), "nothing of this changed anything")
}

func TestTheCodeStripZoomsAndStartsZones(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/zones", 1280, 800)
	assert.Contains(t, page.MustElement("#strip figcaption").MustText(), "5033 in use, all in a zone")
	page.MustElement(`#strip a[aria-label="Zoom to 20000"]`).MustFocus()
	wait := nextPage(t, page)
	page.KeyActions().Press(input.Enter).MustDo() // by keyboard alone
	wait()
	waitText(t, page, "#strip figcaption", "20000 to 29999")
	page.MustElement(`#strip a[aria-label^="22000 to 22999: Åland, over Finland"]`)
	wait = nextPage(t, page)
	page.MustElement(`#strip a[aria-label^="21600 to 21659: Van round"]`).MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	wait()
	assert.Equal(
		t,
		"FI 21600 to 21659",
		page.MustElement("#new-zone").MustProperty("value").String(),
		"a stretch starts a zone",
	)

	page = s.open(t, "/zones", 1280, 800)
	for _, zone := range []string{"finland", "eu", "world"} {
		page.MustElement("#on-" + zone).MustClick()
		quiet(page)
		waitFor(t, page, `(id) => !document.querySelector("#on-" + id).checked`, zone)
	}
	waitText(t, page, "#strip figcaption", "without a zone")
}

func TestPastingThreeHundredCodesOfWhichThreeAreWrong(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/zones", 1280, 800)
	var b strings.Builder
	for i := range 297 {
		b.WriteString(strconv.Itoa(50000+i) + "\n")
	}
	page.MustElement("#new-zone").MustFocus()
	page.MustInsertText(b.String() + "5000\n500000\nABCDE")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#zone-finland-50000-and-296-more", "297 taken")
	waitText(t, page, "#zone-finland-50000-and-296-more .slip-note", "3 parts not taken")
	field := "#add-finland-50000-and-296-more"
	assert.Equal(
		t,
		"5000, 500000, ABCDE",
		page.MustElement(field).MustProperty("value").String(),
		"the wrong ones stay to be mended",
	)
	page.MustElement(field).MustFocus().MustSelectAllText()
	page.MustInsertText("5000*")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#zone-finland-50000-and-296-more", "1 taken")
	page = s.open(t, "/zones?open=finland-50000-and-296-more", 1280, 800)
	waitText(t, page, "#zone-finland-50000-and-296-more", "FI 5000*")
}
