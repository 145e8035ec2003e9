package browser

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The owner takes orders in from a file, tries a threshold by sliding and typing it, takes the one that loses nothing
// into the draft, and tries the order that loses most in the Till. Everything comes 150 ms later.
func TestOrdersOfThePastAreTakenInAndTried(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/past/files", 1280, 800))
	name := filepath.Join(t.TempDir(), "orders.csv")
	require.NoError(t, os.WriteFile(name, []byte("Order,Date,Country,Postcode,SKU,Quantity,Method,Paid,Cost\n"+
		"A-1,2026-11-02,FI,00100,LADLE-B,1,locker,5.90,49.00\n"), 0o600))
	page.MustElement("#past-file").MustSetFiles(name)
	wait := nextPage(t, page)
	page.MustElement(`form[action="/past/files"] .go`).MustClick()
	wait()
	waitText(t, page, "#work", "Of the first 1 line: 1 order read.")
	wait = nextPage(t, page)
	page.MustElementR("button", "Import the orders").MustClick()
	wait()
	waitText(t, page, "#past-files", "1 order imported")

	goTo(page, s.url+"/past/free?method=locker&days=")
	waitText(t, page, "#past-at", "By Parcel locker")
	page.MustElement("[data-slider]").MustFocus()
	page.KeyActions().Press(input.End).MustDo()
	waitFor(t, page, `() => document.querySelector("[data-value]").value === "300"`)
	waitText(t, page, "#past-at", "would have earned")
	typeOver(page, "[data-value]", "20")
	waitFor(t, page, `() => document.querySelector("[data-slider]").value === "20"`)
	waitText(t, page, "#past-at", "buyers would have paid less")
	wait = nextPage(t, page)
	page.MustElementR("#past-at button", "Take it into the draft").MustClick()
	wait()
	waitText(t, page, "#work", "The draft has free delivery from €20.00.")

	goTo(page, s.url+"/past?than=live&days=")
	waitText(t, page, "#past-result", "a method that this shop does not have under that name")
	page.MustElement(".past-names select").MustEval(`() => { this.value = "parcel" }`)
	wait = nextPage(t, page)
	page.MustElement(".past-names .go").MustClick()
	wait()
	goTo(page, s.url+"/past?than=live&days=")
	waitText(t, page, ".verdict", "The draft would have earned")
	assert.Contains(t, page.MustElement(".past-losses tbody tr").MustText(), "A-1")
	wait = nextPage(t, page)
	page.MustElement(".past-losses tbody button").MustClick()
	wait()
	waitFor(t, page, `() => document.querySelector("#till-to").value.startsWith("00100")`)

	goTo(page, s.url+"/live")
	waitText(t, page, ".past-ahead", "of the last 90 days: the draft would have earned")
	waitText(t, page, "#work", "Publish edition 2")
}
