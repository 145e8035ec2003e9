package browser

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
)

// A changed price goes live, and the edition before it comes back with two keystrokes.
func TestADraftGoesLiveAndAnEditionComesBack(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/rates/parcel", 1280, 800)
	typeOver(page, "#c-list-0-0", "7.20")
	waitText(t, page, "#ahead-said", "1 change ahead of edition 1")
	page.MustElement(".draft-of summary").MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, ".draft-of ul.ahead", "Finland, up to and including 2 kg: 6.90 → 7.20")
	wait := nextPage(t, page)
	page.MustElement(`.draft-of a[href="/live"]`).MustClick()
	wait()
	waitText(t, page, ".shifts", "dearer")
	page.MustElement("#live-note").MustFocus()
	page.MustInsertText("New list of the carrier")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#saved", "Edition 2 is live")
	waitText(t, page, "#edition-2", "New list of the carrier")

	page.MustElement(`[aria-label="Publish edition 1 again"]`).MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	waitFor(t, page, `() =>
		document.activeElement.textContent.replace(/\s+/g, " ").includes("Publish edition 1 again")`)
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, "#saved", "Edition 1 is live again")
	waitText(t, page, "#ahead-said", "1 change ahead of edition 1")

	// Put back from where one works: the page shows it at once.
	page = s.open(t, "/rates/parcel", 1280, 800)
	page.MustElement(".draft-of summary").MustClick()
	waitText(t, page, ".draft-of ul.ahead", "7.20")
	page.MustElement(".draft-of ul.ahead button").MustClick()
	waitText(t, page, ".draft-of ul.ahead", "Nothing is different")
	waitFor(t, page, `() => document.querySelector("#c-list-0-0").value === "6.90"`)
	assert.Equal(t, "€6.90", charge(page, "parcel"))
}
