package browser

import (
	"testing"

	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
)

// The owner goes through the warnings with the keyboard alone, tries one, mends one with a key and takes that back, and
// says of one that it is meant.
func TestWarningsAreDealtWithByKeyboardAlone(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	waitText(t, page, ".warning-count", "4 warnings")
	wait := nextPage(t, page)
	page.MustElement(".warning-count").MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	wait()
	here := `(text) => document.activeElement.matches("[data-warned]") &&
		document.activeElement.textContent.includes(text)`

	page.KeyActions().Press(input.ArrowDown).MustDo()
	waitFor(t, page, here, "Prices include tax")
	page.KeyActions().Press(input.Enter).MustDo()
	waitFor(t, page, `() => document.querySelector("#till-to").value === "Austria"`)
	waitText(t, page, `#till details[data-method=parcel] .charge`, "€16.00")
	waitText(t, page, "#work", "Prices include tax") // the page was drawn anew around the Till

	page.MustElement("[data-warned]").MustFocus()
	page.KeyActions().Press(input.ArrowDown).MustDo()
	waitFor(t, page, here, "costs you €12.85 to send")
	page.KeyActions().Press(input.ArrowDown).MustDo()
	waitFor(t, page, here, "FI 21710 is inside another entry")
	page.KeyActions().Type('m').MustDo()
	waitText(t, page, "#saved", "Done: Remove FI 21710 from Van round")
	waitText(t, page, ".warning-count", "3 warnings")
	waitFor(t, page, here, "takes longer")
	page.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	page.KeyActions().Release(input.ControlLeft).MustDo()
	waitText(t, page, ".warning-count", "4 warnings")
	waitText(t, page, "#work", "FI 21710 is inside another entry")

	page.MustElement(".warns.loses .is-meant summary").MustFocus()
	page.KeyActions().Press(input.Enter).MustDo()
	page.KeyActions().Press(input.Tab).MustDo()
	page.MustInsertText("  ")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, ".warns.loses .slip-note", "say in a few words why it is meant")
	page.MustElement(`.warns.loses [name=note]`).MustFocus()
	page.MustInsertText("small sums, checked in March")
	page.KeyActions().Press(input.Enter).MustDo()
	waitText(t, page, ".meant-list", "“small sums, checked in March”")
	waitText(t, page, ".warning-count", "3 warnings")
	assert.Len(t, page.MustElements(".warns.loses [data-warned]"), 1, "the price below its cost is left")
}

// What would change is read before it is done.
func TestAMendIsReadBeforeItIsDone(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/warnings", 390, 800)
	page.MustElement(".mend-shows summary").MustClick()
	waitText(t, page, ".mend-preview", "Van round: takes no more FI 21710.")
	waitText(t, page, ".mend-preview", "none changes for buyers")
	page.MustElement("[data-mend]").MustClick()
	waitText(t, page, ".warning-count", "3 warnings")
}
