package browser

import (
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// tabTo goes with Tab alone until a field has the focus.
func tabTo(t *testing.T, page *rod.Page, selector string) {
	t.Helper()
	for range 60 {
		page.KeyActions().Press(input.Tab).MustDo()
		if page.MustEval(`(s) => document.activeElement.matches(s)`, selector).Bool() {
			return
		}
	}
	require.Fail(t, "Tab never comes to "+selector)
}

// A buyer's whole way by keyboard alone: basket, address, ways, sum.
func TestTheCheckoutByKeyboardAlone(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/checkout", 1280, 800)
	shows := func(selector, text string) {
		t.Helper()
		waitFor(
			t,
			page,
			`(s, w) => { const e = document.querySelector(s);
				return e && e.checkVisibility() && e.textContent.replace(/\s+/g, " ").includes(w); }`,
			selector,
			text,
		)
	}
	gone := func(selector string) {
		t.Helper()
		waitFor(
			t,
			page,
			`(s) => { const e = document.querySelector(s); return !e || !e.checkVisibility(); }`,
			selector,
		)
	}
	shows("#total", "€88.90") // 82.00 of goods and the parcel, which is preselected
	tabTo(t, page, ".cart [type=number]")
	page.KeyActions().Press(input.ArrowUp).MustDo() // a third towel
	shows(".delivery", "Spend €9.00 more for free delivery")
	shows("#total", "€117.90")

	tabTo(t, page, "#first-name")
	page.MustInsertText("Aino Esimerkki")
	back := func() { // to the country again
		page.KeyActions().Press(input.Tab).MustDo()
		page.KeyActions().Press(input.ShiftLeft).Type(input.Tab).Release(input.ShiftLeft).MustDo()
	}
	tabTo(t, page, "#first-country")
	page.KeyActions().Type([]input.Key("Hong")...).MustDo()
	gone("#first-postcode") // Hong Kong has no postcodes
	back()
	page.KeyActions().Type([]input.Key("Canada")...).MustDo()
	shows(".field:has(#first-region)", "State or region")
	waitFor(t, page, `() => !!document.querySelector("#first-region option[value='CA-ON']")`)
	back()
	page.KeyActions().Type([]input.Key("Russia")...).MustDo()
	shows("#nothing", "We do not deliver to")
	gone("#place") // and no order

	back()
	page.KeyActions().Type([]input.Key("Finland")...).MustDo()
	shows("#first-postcode", "")
	tabTo(t, page, "#first-postcode")
	page.MustInsertText("2110")
	shows("#first-postcode-slip", "they are 5 digits")
	page.KeyActions().Press(input.End).Type(input.Digit0).MustDo()
	gone("#first-postcode-slip")
	tabTo(t, page, ".way input")
	page.KeyActions().Press(input.ArrowDown).MustDo()
	tabTo(t, page, "#place")
	page.KeyActions().Press(input.Enter).MustDo()
	shows("#first-street-slip", "Please add the street")
	waitFor(t, page, `() => document.activeElement.id === "first-street"`)
	page.MustInsertText("Esimerkkikatu 1")
	tabTo(t, page, "#place")
	page.KeyActions().Press(input.Enter).MustDo()
	shows("#placed", "no order was placed")
	assert.Contains(t, page.MustElement("#placed").MustText(), page.MustElement("#total").MustText())
}

func TestTheOwnerChoosesHowTheCheckoutAsks(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/checkout?of=draft", 390, 844)
	choose := func(id, value string) {
		page.MustElement(id).MustEval(
			`(v) => { this.value = v; this.dispatchEvent(new Event("change", {bubbles: true})); }`,
			value,
		)
		quiet(page)
	}
	waitText(t, page, "#total", "€88.90")
	choose("#set-prices", "wait")
	page.MustElement("#first-postcode").MustSelectAllText().MustInput("2116")
	waitText(t, page, ".delivery", "The prices come once the address is right")
	assert.Equal(t, "€82.00", page.MustElement("#total").MustText(), "no price of delivery is in the sum")
	page.MustElement("#first-postcode").MustSelectAllText().MustInput("21160")
	waitText(t, page, "#total", "€88.90")
	choose("#set-options", "menu")
	waitText(t, page, "#way-menu", "Parcel locker near you, €5.90")
	page.MustElement("#way-menu").MustSelect("Collect at the workshop, Naantali, Free")
	waitText(t, page, ".menu-of", "Verstaskuja 3, 21100 Naantali · 8.9 km away")
	choose("#set-address", "billing")
	waitText(t, page, "#h-address", "Who pays")
	page.MustElement("#other").MustClick()
	page.MustElement("#second-country").MustSelect("Sweden")
	waitText(t, page, ".delivery", "The prices come once the postcode is there")
	wide := page.MustEval(`() => document.documentElement.scrollWidth - innerWidth`).Int()
	assert.LessOrEqual(t, wide, 0, "nothing scrolls sideways on a phone")
	page.MustReload().MustWaitLoad()
	waitText(t, page, "#h-address", "Who pays")
	assert.Equal(t, "wait", page.MustElement("#set-prices").MustProperty("value").String(), "the choice is kept")
}

// Countries that are passed while another is typed leave nothing behind, however late they answer; and a
// postcode that was typed stays.
func TestACountryThatWasPassedLeavesNothingBehind(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/checkout", 1280, 800)
	slow := page.HijackRequests()
	slow.MustAdd("*/address-forms/FJ*", func(h *rod.Hijack) { // Fiji has no postcodes
		time.Sleep(700 * time.Millisecond)
		h.MustLoadResponse()
	})
	go slow.Run()
	defer slow.MustStop()
	page.MustElement("#first-country").MustFocus()
	for _, letter := range "Finland" {
		page.KeyActions().Type(input.Key(letter)).MustDo()
		time.Sleep(30 * time.Millisecond)
	}
	waitFor(t, page, `() => document.querySelector("#first-country").value === "FI" &&
		document.querySelector("#first-postcode")?.checkVisibility()`)
	time.Sleep(time.Second) // the form of Fiji, which comes later, does not take its place
	assert.Equal(t, "FI", page.MustElement("#first-country").MustProperty("value").String())
	assert.True(t, page.MustElement("#first-postcode").MustVisible())
	assert.Equal(t, "21160", page.MustElement("#first-postcode").MustProperty("value").String())
	waitText(t, page, "#total", "€88.90")
}

func TestAnOrderIsPlacedAtThePriceOfTheMoment(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/checkout", 1280, 800)
	waitText(t, page, "#total", "€88.90")
	slow := page.HijackRequests()
	slow.MustAdd("*/api/v1/quotes*", func(h *rod.Hijack) {
		time.Sleep(500 * time.Millisecond)
		h.MustLoadResponse()
	})
	go slow.Run()
	defer slow.MustStop()
	page.MustElement("#first-name").MustInput("Aino Esimerkki")
	page.MustElement("#first-street").MustInput("Esimerkkikatu 1")
	page.MustElement(".cart [type=number]").MustSelectAllText().MustInput(
		"5",
	) // 169.00 of goods: the parcel is free
	page.MustElement("#place").MustClick() // before the new price is there
	waitText(t, page, "#placed", "it would have been €169.00")
}

// A buyer chooses where to collect, from the list or on the map, and finds the way there afterwards.
func TestABuyerChoosesWhereToCollect(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/methods/workshop", 1280, 800)
	page.MustElement("#t-points-").MustFocus().MustSelectAllText()
	page.MustInsertText("Workshop; Market hall, Turku")
	keys(page, input.Tab)
	waitText(t, page, "#undo", "collected at")
	goTo(page, s.url+"/shop")
	page.MustElement("#ready-market-hall").MustFocus()
	page.MustInsertText("2 to 3 working days")
	keys(page, input.Tab)
	waitText(t, page, "#undo", "ready for collection")

	goTo(page, s.url+"/checkout?of=draft")
	for field, text := range map[string]string{"postcode": "21100", "city": "Naantali"} {
		page.MustElement("#first-" + field).MustSelectAllText().MustInput(text)
	}
	page.MustElement("#first-name").MustInput("Aino Esimerkki")
	page.MustElement(`input[name="way"][value="workshop"]`).MustClick()
	waitText(t, page, "#points", " km away")
	first := page.MustElement("#points label").MustText()
	assert.Contains(t, first, "Workshop", "the nearest first")
	waitFor(t, page, `() => document.querySelectorAll("#collect-map .pin").length === 2`)
	page.MustElement("#place").MustClick()
	waitText(t, page, "#point-slip", "Please choose where you collect it.")
	page.MustElement(`#collect-map .pin[title^="Market hall"]`).MustClick()
	waitFor(t, page, `() => document.querySelector("#points input:checked")?.value === "market-hall"`)
	waitFor(t, page, `() => !!document.querySelector("#collect-map .pin-chosen")`)
	page.MustElement("#place").MustClick()
	waitText(t, page, "#placed", "would have been")
	link := page.MustElement(`.placed a[href^="geo:60.4"]`)
	assert.Equal(t, "Open Market hall, Turku in a map", link.MustText())
}
