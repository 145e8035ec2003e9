package browser

import (
	"fmt"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// press clicks the middle of an element at once: nothing is waited for, and it may be drawn anew meanwhile.
func press(page *rod.Page, selector string) {
	at := page.MustEval(`s => { const r = document.querySelector(s).getBoundingClientRect();
		return [r.x + r.width / 2, r.y + r.height / 2]; }`, selector).Arr()
	page.Mouse.MustMoveTo(at[0].Num(), at[1].Num())
	page.Mouse.MustClick(proto.InputMouseButtonLeft)
}

// A browser gives up what is under way when its page is left. What was typed is saved first, however slow the line and
// however much of it there is.
func TestWhatWasTypedIsSavedBeforeItsPageIsLeft(t *testing.T) {
	s := demoShop(t)
	page := slowBy(t, s.open(t, "/rates/parcel", 1280, 800), 600)
	const rows, columns = 3, 5 // more than the six that a browser has under way at once
	for column := range columns {
		for row := range rows {
			enter(page, fmt.Sprintf("#c-list-%d-%d", row, column), fmt.Sprintf("%d.%d", 31+column, row+1))
		}
	}
	press(page, `#course a[href="/zones"]`)
	waitText(t, page, "#saved", "Saving…")
	waitFor(t, page, `() => location.pathname === "/zones"`)
	slowBy(t, page, 0)
	goTo(page, s.url+"/rates/parcel")
	for column := range columns {
		for row := range rows {
			assert.Equal(t, fmt.Sprintf("%d.%d0", 31+column, row+1),
				value(page, fmt.Sprintf("#c-list-%d-%d", row, column)))
		}
	}

	// What is refused holds the page, and has the focus; a second try goes without it.
	slowBy(t, page, 300)
	enter(page, "#c-list-1-1", "twelve")
	press(page, `#course a[href="/zones"]`)
	waitText(t, page, "#notice", "This page stays open: a value was refused and is not saved.")
	assert.Equal(t, "/rates/parcel", page.MustEval(`() => location.pathname`).String())
	assert.Equal(t, "c-list-1-1", focused(page))
	waitText(t, page, "#saved", "Not saved")
	assert.Equal(t, "twelve", value(page, "#c-list-1-1"))
	press(page, `#course a[href="/zones"]`)
	waitFor(t, page, `() => location.pathname === "/zones"`)

	// A form that goes to another page waits as well.
	slowBy(t, page, 0)
	goTo(page, s.url+"/goods")
	slowBy(t, page, 600)
	enter(page, "#g-TOWEL-70-price", "31")
	enter(page, "#find-goods", "towel")
	page.KeyActions().Press(input.Enter).MustDo()
	waitFor(t, page, `() => location.search.includes("towel")`)
	page.MustWaitLoad()
	assert.Equal(t, "31.00", value(page, "#g-TOWEL-70-price"))
}

// What was typed and not left yet is asked about before its window is closed or goes back.
func TestAWindowWithUnsavedTypingAsksBeforeItCloses(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/goods", 1280, 800)
	goTo(page, s.url+"/rates/parcel")
	leaves := func(stay bool) string {
		wait, handle := page.HandleDialog()
		go page.MustEval(`() => void setTimeout(() => history.back())`)
		d := wait()
		require.NoError(t, handle(&proto.PageHandleJavaScriptDialog{Accept: !stay}))
		return string(d.Type)
	}
	press(page, "#till-to") // what is tried out is not asked about
	page.MustInsertText("0010")
	page.MustEval(`() => void setTimeout(() => history.back())`)
	waitFor(t, page, `() => location.pathname === "/goods"`)
	goTo(page, s.url+"/rates/parcel")

	press(page, "#c-list-0-0")
	page.MustInsertText("7.35")
	assert.Equal(t, "beforeunload", leaves(true))
	assert.Equal(t, "7.35", value(page, "#c-list-0-0"))
	keys(page, input.Tab)
	waitText(t, page, "#saved", "Saved")
	quiet(page)
	page.MustEval(`() => void setTimeout(() => history.back())`) // saved: nothing is asked
	waitFor(t, page, `() => location.pathname === "/goods"`)
}

// offline takes a page off the network, or back.
func offline(t *testing.T, page *rod.Page, is bool) {
	require.NoError(t, proto.NetworkEnable{}.Call(page))
	require.NoError(t, proto.NetworkEmulateNetworkConditions{
		Offline: is, DownloadThroughput: -1, UploadThroughput: -1,
	}.Call(page))
}

// What could not be sent stays where it was typed, and is sent by itself once the shop is there again.
func TestWhatCouldNotBeSentIsSentAgain(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/rates/parcel", 1280, 800)
	offline(t, page, true)
	typeOver(page, "#c-list-0-0", "7.35")
	waitText(t, page, "#notice", "The shop cannot be reached")
	typeOver(page, "#c-list-0-1", "cheap")
	assert.Equal(t, "7.35", value(page, "#c-list-0-0"))
	offline(t, page, false)
	waitFor(t, page, `() => document.querySelector("#c-list-0-0").defaultValue === "7.35"`)
	waitFor(t, page, `() => document.querySelector("#c-list-0-1").matches("[aria-invalid=true]")`)
	waitText(t, page, "#till-options", "€7.35")
	waitText(t, page, "#notice", "")
}

// A page whose scripts did not come says that nothing is saved there; one that is whole does not.
func TestAPageWithoutItsScriptsSaysSo(t *testing.T) {
	s := demoShop(t)
	const shows = `() => { const e = document.getElementById("not-whole");
		return document.readyState === "complete" && !!e && e.checkVisibility({visibilityProperty: true}) &&
			e.offsetHeight > 20 && e.textContent.includes("is not saved"); }`
	page := s.open(t, "/rates/parcel", 1280, 800)
	assert.False(t, page.MustHas("#not-whole"))
	page, err := page.Browser().Page(proto.TargetCreateTarget{}) // what it says on its console is looked for
	require.NoError(t, err)
	t.Cleanup(func() { _, _ = proto.TargetCloseTarget{TargetID: page.TargetID}.Call(page.Browser()) })
	require.NoError(t, proto.NetworkEnable{}.Call(page))
	require.NoError(t, page.SetBlockedURLs([]string{"*/cells.js"}))
	require.NoError(t, page.Navigate(s.url+"/rates/parcel"))
	waitFor(t, page, shows)
}
