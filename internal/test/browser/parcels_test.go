package browser

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestOrdersArePackedIntoBoxes defines two boxes, has a method pack into them, sees an order become two parcels at the
// right quantity, and prints the slip.
func TestOrdersArePackedIntoBoxes(t *testing.T) {
	s := demoShop(t)
	clipboard(t, s)
	page := slow(t, s.open(t, "/goods/boxes", 1280, 800))
	page.MustElement("#new-box").MustInput("Tube")
	page.MustElement("#new-size").MustInput("30 × 10")
	page.MustElementR("form button", "Add box").MustClick()
	waitText(t, page, "#work form .slip-note", "write the inner size of the box as length × width × height")
	assert.Equal(t, "Tube", value(page, "#new-box"), "what was typed is kept")
	typeOver(page, "#new-size", "30 × 10 × 10 cm")
	page.MustElementR("form button", "Add box").MustClick()
	waitText(t, page, `.boxes [data-sku="tube"]`, "Parcel to the door") // which packs into all boxes
	pasteInto(page, "#new-box", "Crate\t30\t20\t10\t0.5\t12\t0.80\n")
	waitText(t, page, "#goods-note", "0 cells taken, 1 box added")
	// The sand glass, 30 × 10 × 10, fits once and twice.
	row := page.MustElementR(".fits tbody tr", "Sand glass")
	assert.Contains(t, row.MustText(), "1\t2", "what goes in is seen at once")
	typeOver(page, "#b-crate-length", "29 cm")
	waitFor(t, page, `() => [...document.querySelectorAll(".fits tbody tr")].find(r =>
		r.textContent.includes("Sand glass")).lastElementChild.textContent.includes("—")`)
	page.MustElement("#undo").MustClick()
	waitFor(t, page, `() => document.querySelector("#b-crate-length").value === "30"`)

	page = slow(t, s.open(t, "/methods/locker", 1280, 800))
	typeOver(page, "#t-boxes-", "Tube; Crat")
	waitText(t, page, "td:has(#t-boxes-) .slip-note", `the shop has no box "Crat"`)
	typeOver(page, "#t-boxes-", "Tube; Crate")
	waitText(t, page, "#undo", "packed into")
	page.MustElement("#till-add").MustFocus()
	page.MustInsertText("HOUR-15")
	keys(page, input.Enter)
	waitText(t, page, "#till .lines", "Sand glass")
	for len(page.MustElements("#till .lines li")) > 1 {
		n := len(page.MustElements("#till .lines li"))
		page.MustElement("#till .lines .out").MustClick()
		waitFor(t, page, `n => document.querySelectorAll("#till .lines li").length < n`, n)
	}
	for _, c := range [][2]string{{"1", "1 parcel: Tube 0.45 kg"}, {"2", "1 parcel: Crate 1.4 kg"},
		{"3", "2 parcels: Crate 1.4 kg, Tube 0.45 kg"}, {"4", "2 parcels: 2 × Crate 1.4 kg"}} {
		typeOver(page, "#till-q-0", c[0])
		waitText(t, page, `#till [data-method=locker] .parcels`, c[1])
	}
	typeOver(page, "#till-q-0", "3")
	waitText(t, page, `#till [data-method=locker] .parcels`, "2 parcels")

	// In the Till the boxes are drawn when they are opened.
	page.MustElement("#till details[data-method=locker] > summary").MustClick()
	page.MustElement("#till details[data-method=packed-locker] > summary").MustClick()
	waitFor(t, page, `() => document.querySelectorAll("#till .crate").length === 2`)

	page = slow(t, s.open(t, "/quotes/parcels?method=locker", 1280, 800))
	waitText(t, page, ".packing-slip", "2 parcels: Crate 1.4 kg, Tube 0.45 kg")
	shown := `() => document.querySelectorAll("[data-parcel] .unit:not(.later)").length`
	assert.Equal(t, 3, page.MustEval(shown).Int())
	page.MustElement("[data-step-to='-1']").MustClick()
	assert.Equal(t, 2, page.MustEval(shown).Int(), "stepped back in the first box")
	waitText(t, page, "[data-step-said]", "1 of 2")
	page.MustElement("[data-steps]").MustFocus()
	keys(page, input.ArrowRight)
	assert.Equal(t, 3, page.MustEval(shown).Int(), "and on with the keyboard")

	page.MustEval(`() => { window.printed = 0; window.print = () => window.printed++ }`)
	page.MustElement("[data-print]").MustClick()
	assert.Equal(t, 1, page.MustEval(`() => window.printed`).Int())
	require.NoError(t, proto.EmulationSetEmulatedMedia{Media: "print"}.Call(page))
	assert.False(t, page.MustElement("#till").MustVisible(), "the slip is printed alone")
	assert.True(t, page.MustElement(".slip-head").MustVisible())
	assert.Contains(t, page.MustElement(".slip-head").MustText(), "Lauha: packing slip, Parcel locker near you")
	pdf, err := page.PDF(&proto.PagePrintToPDF{})
	require.NoError(t, err)
	assert.NoError(t, pdf.Close())
}

// TestTheCheckoutSaysWhatItIsPackedInto looks at the checkout of the draft.
func TestTheCheckoutSaysWhatItIsPackedInto(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/checkout", 1280, 800))
	waitText(t, page, ".delivery", "1 parcel: Medium box 1.45 kg")
	page.MustElement("#packed > summary").MustClick()
	waitFor(t, page, `() => document.querySelectorAll("#packed .crate .unit").length === 3`)
	page.MustElement(".cart input[type=number]").MustSelectAllText().MustInput("40")
	waitText(t, page, ".delivery", "2 parcels")
	waitFor(t, page, `() => document.querySelectorAll("#packed .crate").length === 2`)
}

// TestAPlaceThatProductsLeaveFromIsRemovedWithAMend sets where goods leave from, in bulk, and removes the place.
func TestAPlaceThatProductsLeaveFromIsRemovedWithAMend(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/shop", 1280, 800))
	page.MustElement(`form[hx-post="/shop/places"] [name=name]`).MustInput("Barn")
	page.MustElement(`form[hx-post="/shop/places"] button`).MustClick()
	waitFor(t, page, `() => !!document.querySelector("#place-barn")`)
	page = slow(t, s.open(t, "/goods", 1280, 800))
	page.MustElement(`.pick [value="TOWEL-70"]`).MustFocus()
	keys(page, input.Space)
	page.MustElement("#set-field").MustSelect("leaves from")
	page.MustElement("#set-value").MustFocus()
	page.MustInsertText("barn")
	page.MustElementR(".with-selected button", "Set").MustClick()
	waitText(t, page, "#work", "1 product changed")
	waitText(t, page, `#till [data-method=parcel] .parcels`, "2 parcels: Long box")
	waitText(t, page, `#till [data-method=parcel] .parcels`, "from Barn")
	page = slow(t, s.open(t, "/shop", 1280, 800))
	page.MustElement(`[hx-post="/shop/places/barn/remove"]`).MustClick()
	waitText(t, page, "#slip-barn", "Barn is used by 1 product: change that first")
	page.MustElement("#slip-barn button").MustClick()
	waitFor(t, page, `() => !document.querySelector("#place-barn")`)
	waitText(t, page, `#till [data-method=parcel] .parcels`, "1 parcel: Medium box")
	page.MustElement("#undo").MustClick()
	waitText(t, page, `#till [data-method=parcel] .parcels`, "from Barn")
}
