package browser

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
)

// A new shop is made with keys alone: five answers, then the first price, and what is left to do follows.
func TestANewShopIsMadeWithKeysAlone(t *testing.T) {
	s := ownShop(t)
	page := slow(t, s.open(t, "/", 1280, 800))
	assert.Contains(t, page.MustInfo().URL, "/shop", "a shop without zones begins at its first station")
	tabTo(t, page, "#begin-name")
	page.MustInsertText("Verkko")
	tabTo(t, page, "#begin-country")
	page.MustInsertText("Sweden")
	tabTo(t, page, "#begin-from")
	page.MustInsertText("1110 Stockholm")
	tabTo(t, page, "#begin-sells")
	page.MustInsertText("Finland, Sweden")
	tabTo(t, page, "#begin-by")
	page.KeyActions().Type('b', 'y', ' ', 'd').MustDo() // a menu is typed into
	assert.Equal(t, "distance", value(page, "#begin-by"))
	keys(page, input.Tab)
	assert.Equal(t, "Create the shop", page.MustEval(`() => document.activeElement.textContent`).String())
	keys(page, input.Enter)
	waitText(t, page, "#begin-slip", "digits")
	assert.Equal(t, "Finland, Sweden", value(page, "#begin-sells"), "what was typed stays")
	page.MustElement("#begin-from").MustSelectAllText()
	page.MustInsertText("111 22 Stockholm")
	keys(page, input.Enter)
	waitText(t, page, "#todo", "3 of 7 done")
	waitText(t, page, "#shop-name", "Verkko")

	// No list of Swedish places comes along, so it is said where a distance cannot be measured, and how to mend it.
	page = slow(t, s.open(t, "/rates/delivery", 1280, 800))
	waitText(t, page, "#warnings-list", "lies is not known")
	wait := nextPage(t, page)
	page.MustElement(`#warnings-list a[href="/shop"]`).MustFocus()
	keys(page, input.Enter)
	wait()
	page.MustElement(`[id^="point-"]`).MustFocus()
	page.MustInsertText("59.33 18.06")
	keys(page, input.Enter)
	waitFor(t, page, `() => !document.querySelector(".shop-place .warning")`)
	page = slow(t, s.open(t, "/rates/delivery", 1280, 800))
	assert.False(t, page.MustHas("#warnings-list .ember"))
	typeOver(page, "#c-list-0-0", "4.00")
	typeOver(page, "#c-list-0-1", "9.00")
	waitFor(t, page, `() => !document.querySelector("#todo").textContent.includes("Type a price")`)
}
