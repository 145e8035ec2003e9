package browser

import (
	"strconv"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// hand works a page as a person does, and counts what it takes.
type hand struct {
	t            *testing.T
	page         *rod.Page
	keyboard     bool // no mouse
	clicks, keys int
}

// click clicks the middle of an element with the mouse; with the keyboard it is walked to, and pressed or switched.
func (h *hand) click(selector string) {
	h.t.Helper()
	if h.keyboard {
		h.reach(selector)
		return
	}
	h.clicks++
	h.page.MustElement(selector).MustScrollIntoView()
	box := h.page.MustElement(selector).MustShape().Box()
	h.page.Mouse.MustMoveTo(box.X+box.Width/2, box.Y+box.Height/2)
	h.page.Mouse.MustClick(proto.InputMouseButtonLeft)
	quiet(h.page)
}

// maxTabs is how often Tab is pressed to reach something at most.
const maxTabs = 250

// tab walks to an element with Tab, or back with Shift where that is nearer. Most of the way is counted beforehand, the
// last of it is looked at stop by stop.
func (h *hand) tab(selector string) {
	h.t.Helper()
	far := h.page.MustEval(`s => {
		const to = document.querySelector(s), from = document.activeElement;
		const stops = [...document.querySelectorAll("a[href], button, input, select, textarea, summary")].filter(e =>
			e === to || e === from || e.checkVisibility() && e.tabIndex >= 0 && !e.disabled &&
			(e.type !== "radio" || e.checked));
		return stops.includes(from) ? stops.indexOf(to) - stops.indexOf(from) : 0;
	}`, selector).Int()
	press := func() { require.NoError(h.t, h.page.Keyboard.Type(input.Tab)) }
	if far < 0 {
		press = func() { h.page.KeyActions().Press(input.ShiftLeft).Type(input.Tab).Release(input.ShiftLeft).MustDo() }
	}
	for range max(far, -far) - 4 {
		h.keys++
		press()
	}
	for range maxTabs {
		if h.page.MustEval(`s => document.activeElement.matches(s)`, selector).Bool() {
			return
		}
		h.keys++
		press()
	}
	require.Fail(h.t, "cannot be reached with the keyboard", selector)
}

// reach walks to an element and presses, switches or opens it; a field is only walked to.
func (h *hand) reach(selector string) {
	h.t.Helper()
	kind := h.page.MustElement(selector).MustEval(`() => this.matches("[type=radio], [type=checkbox]") ? this.type :
		this.matches("a, button, summary") ? "press" : "field"`).String()
	switch kind {
	case "radio": // a group is one stop, and arrows walk in it
		h.tab(`[name="` + *h.page.MustElement(selector).MustAttribute("name") + `"]`)
		h.press(input.ArrowDown)
	case "checkbox":
		h.tab(selector)
		h.press(input.Space)
	case "press":
		h.tab(selector)
		h.press(input.Enter)
	default:
		h.tab(selector)
	}
	quiet(h.page)
}

// visit clicks a link and waits for its page.
func (h *hand) visit(selector string) {
	h.t.Helper()
	if h.keyboard {
		h.tab(selector)
	}
	wait := nextPage(h.t, h.page)
	if h.keyboard {
		h.keys++
		keys(h.page, input.Enter)
	} else {
		h.click(selector)
	}
	wait()
}

// choose takes an option of a menu: a click opens it, another takes the option; with the keyboard it is begun to type.
func (h *hand) choose(selector, option, typed string) {
	h.t.Helper()
	if h.keyboard {
		h.tab(selector)
		h.write(typed)
		waitFor(h.t, h.page, `(s, o) => document.querySelector(s).selectedOptions[0].text.trim() === o`, selector,
			option)
		quiet(h.page)
		return
	}
	h.clicks += 2
	h.page.MustElement(selector).MustSelect(option)
	quiet(h.page)
}

// term chooses which term is set for several methods, and waits for its values.
func (h *hand) term(name, typed string) {
	h.t.Helper()
	h.choose("#several-term", name, typed)
	waitFor(h.t, h.page, `name => [...document.querySelectorAll("#several-term option[selected]")].some(
		o => o.textContent.trim() === name)`, name)
	quiet(h.page)
}

// write types text.
func (h *hand) write(text string) {
	for _, r := range text {
		h.keys++
		require.NoError(h.t, h.page.Keyboard.Type(input.Key(r)))
	}
}

// press presses keys one after another.
func (h *hand) press(list ...input.Key) {
	h.keys += len(list)
	for _, key := range list {
		keys(h.page, key)
	}
	quiet(h.page)
}

// row types the cells of a row of a price list, from the first on; "" leaves a cell out.
func (h *hand) row(row string, prices ...string) {
	h.t.Helper()
	h.click("#c-list-" + row + "-0")
	for i, price := range prices {
		if i > 0 {
			h.press(input.Tab)
		}
		h.write(price)
	}
	h.press(input.Enter)
}

// breakAt adds a break point to a price list.
func (h *hand) breakAt(at string) {
	h.t.Helper()
	h.click("#new-at-list")
	h.write(at)
	h.press(input.Enter)
}

// A shop with six zones, eight products of two classes, seven delivery methods by distance and for collection among
// them, free delivery in one country, a handling fee, and delivery times for each zone, from nothing to published. A
// person needs at most 110 clicks and 900 keys for it; the first version took 265 and 1,656.
func TestAWholeShopByHand(t *testing.T) {
	h := wholeShop(t, false)
	require.LessOrEqual(t, h.clicks, 110)
	require.LessOrEqual(t, h.keys, 900)
}

// The same without a mouse.
func TestAWholeShopByKeyboardAlone(t *testing.T) {
	h := wholeShop(t, true)
	require.Zero(t, h.clicks)
	require.LessOrEqual(t, h.keys, 3000)
}

// wholeShop makes the shop.
func wholeShop(t *testing.T, keyboard bool) *hand {
	s := ownShop(t)
	h := &hand{t: t, page: s.open(t, "/", 1280, 800).CancelTimeout().Timeout(30 * time.Minute), keyboard: keyboard}

	h.click("#begin-name")
	h.write("Verkko")
	h.press(input.Tab)
	h.write("Finland")
	h.press(input.Tab)
	h.write("21100 Naantali")
	h.click("#begin-sells")
	h.write("Finland, Estonia, Latvia, Sweden, EU, world")
	h.press(input.Tab)
	h.click(".begin .go")
	waitText(t, h.page, "#shop-name", "Verkko")
	waitText(t, h.page, `#course a[href="/zones"]`, "Zones 6")

	h.visit(`#course a[href="/goods"]`)
	h.click("#new-class")
	h.write("Bulky")
	h.press(input.Enter)
	waitText(t, h.page, "#work", "Bulky")
	h.write("Flat")
	h.press(input.Enter)
	h.click("#new-name")
	for _, p := range [][4]string{{"Towel", "29", "0.4"}, {"Ladle", "24", "0.3"}, {"Bucket", "39", "1"},
		{"Bench", "190", "14", "Bulky"}, {"Stones", "39", "20"}, {"Oil", "12", "0.2"}, {"Cap", "19", "0.1", "Flat"},
		{"Stove", "990", "60", "Bulky"}} {
		h.write(p[0])
		h.press(input.Tab)
		h.write(p[1])
		h.press(input.Tab)
		h.write(p[2])
		if p[3] != "" {
			h.press(input.Tab)
			h.write(p[3])
		}
		h.press(input.Enter)
		waitFor(t, h.page, `name => [...document.querySelectorAll("[data-f=name]")].some(f => f.value === name)`, p[0])
		waitFor(t, h.page, `() => document.activeElement.id === "new-name" && document.activeElement.value === ""`)
	}
	h.visit(`#course a[href="/methods"]`)
	h.click("#m-name-delivery")
	h.press(input.End)
	h.page.MustElement("#m-name-delivery").MustSelectAllText()
	h.write("Parcel")
	h.press(input.Enter)
	for _, m := range [][3]string{{"Express", "", ""}, {"Freight", "", ""}, {"Letter", "one price for every order", ""},
		{"Locker", "", ""}, {"Van", "by distance", ""}, {"Collect", "one price for every order", "collected"}} {
		h.click("#new-method")
		h.write(m[0])
		if m[1] != "" {
			h.choose("#new-method-by", m[1], m[1][:4])
		}
		if m[2] != "" {
			h.choose("#new-method-kind", m[2], m[2][:1])
		}
		h.click(".typed-place .go")
		waitFor(t, h.page, `name => [...document.querySelectorAll(".methods input")].some(f => f.value === name)`, m[0])
	}

	h.visit(`#course a[href="/rates"]`)
	h.breakAt("2")
	h.row("0", "6.90", "12", "12", "11", "16", "30")
	h.row("1", "9.90", "18", "18", "16", "25", "60")
	h.visit(`.lists a[href="/rates/express"]`)
	h.breakAt("5")
	h.row("0", "14", "25", "25", "22", "35", "70")
	h.visit(`.lists a[href="/rates/freight"]`)
	h.row("0", "9 + 0.50 per kg", "25", "25", "29", "60")
	h.visit(`.lists a[href="/rates/letter"]`)
	h.row("0", "3", "5", "5", "5", "5", "6")
	h.visit(`.lists a[href="/rates/locker"]`)
	h.row("0", "5.50", "9", "9")
	h.visit(`.lists a[href="/rates/van"]`)
	h.row("0", "4 + 0.45 per km")
	h.visit(`.lists a[href="/rates/collect"]`)
	h.row("0", "free")

	// What holds for many methods is set once: the fee, delivery times zone by zone, free delivery in one country.
	h.visit(`#course a[href="/methods"]`)
	h.visit(`a[href="/defaults"]`)
	h.term("Handling fee", "ha")
	h.click("#several-text")
	h.write("1")
	h.click("#several-set")
	waitText(t, h.page, ".known-defaults", "1.00")
	h.term("Delivery time", "del")
	h.click(`.several [value="once"]`)
	h.click(".zones-too summary")
	for i, days := range []string{"2-4", "3-5", "3-5", "2-5", "4-9", "6-20"} {
		h.click("#several-text")
		h.write(days)
		h.click(`.zones-too li:nth-child(` + strconv.Itoa(i+1) + `) input`)
		h.click("#several-set")
		waitFor(t, h.page, `() => document.querySelector("#several-text").value === ""`)
	}
	h.term("Free delivery", "fr")
	h.click(`.several [value="once"]`)
	h.click(".zones-too summary")
	h.click(`.zones-too li:nth-child(1) input`)
	h.click("#several-text")
	h.write("75")
	h.click("#several-set")
	waitFor(t, h.page, `() => document.querySelector("#several-text").value === ""`)

	h.visit(`#course a[href="/live"]`)
	h.click("#put-live")
	waitText(t, h.page, "#ahead-said", "As live: edition 1")

	goTo(h.page, s.url+"/methods")
	methods := h.page.MustElements(".methods > li")
	assert.Len(t, methods, 7)
	warned := h.page.MustEval(`() => [...document.querySelectorAll(".methods > li")].filter(m => m.querySelector(".warning"))
		.map(m => m.id + " " + location.href + " " + m.textContent.replace(/\s+/g, " ")).join("\n")`).String()
	assert.Empty(t, warned, "every method is offered to somebody")
	text := h.page.MustElement(".methods").MustText()
	for _, want := range []string{"€7.90", "by zone", "2–4 working days", "from €75.00"} {
		assert.Contains(t, text, want)
	}
	t.Logf("%d clicks, %d keys", h.clicks, h.keys)
	return h
}
