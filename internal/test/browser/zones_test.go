package browser

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// keys presses keys one after another, wherever the focus is.
func keys(page *rod.Page, list ...input.Key) {
	for _, k := range list {
		page.KeyActions().Press(k).MustDo()
	}
}

func focused(page *rod.Page) string {
	return page.MustEval(
		`() => document.activeElement.id || document.activeElement.getAttribute("aria-label") || ""`,
	).String()
}

// The broad zone is made first, and stands first in the file: the narrow one takes its addresses all the same.
func TestTheOrderingMistakeCannotBeMade(t *testing.T) {
	s := ownShop(t)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	for i, typed := range []string{"everywhere", "Finland", "FI 22*"} {
		page.MustElement("#new-zone").MustFocus()
		page.MustInsertText(typed)
		keys(page, input.Escape, input.Enter)
		quiet(page)
		waitFor(t, page, `(n) => document.querySelectorAll(".zone").length === n`, i+1)
	}
	order := page.MustEval(`() => [...document.querySelectorAll(".zone")].map(z => z.id).join(" ")`).String()
	assert.Equal(t, "zone-finland-22 zone-finland zone-everywhere", order, "narrowest first by itself")
	page.MustElement("#till-to").MustFocus().MustSelectAllText()
	page.MustInsertText("22100")
	keys(page, input.Escape, input.Enter)
	waitText(
		t,
		page,
		"#tried",
		"is taken by Finland 22* (postcode FI 22*), then Finland (country FI), then everywhere",
	)
	waitText(t, page, "#zone-finland-22", "takes 22100")

	page.MustElement("#pin-everywhere").MustClick() // the only way to have it otherwise, and it is said
	waitText(t, page, ".zones h2", "Pinned before all others")
	waitText(t, page, "#tried", "is taken by everywhere (world), then")
	waitText(t, page, "#zone-finland-22", "everywhere takes all of this zone first")
}

func TestAZoneIsTypedWithKeysAlone(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	page.MustElement("#new-zone").MustFocus()
	page.MustInsertText("naan")
	waitText(t, page, "#offers", "Naantali")
	keys(page, input.ArrowDown, input.Enter)
	assert.Equal(t, "Naantali", page.MustElement("#new-zone").MustProperty("value").String())
	page.MustInsertText(", not 2116")
	waitText(t, page, "#offers", "21160")
	keys(page, input.ArrowDown, input.ArrowUp, input.ArrowDown, input.Enter)
	assert.Equal(
		t,
		"Naantali, not FI 21160",
		page.MustElement("#new-zone").MustProperty("value").String(),
		"what stood before is kept",
	)
	keys(page, input.Enter)
	waitText(t, page, "#zone-naantali", "not FI 21160")
	white := page.MustEval(`() => Array.from(document.querySelectorAll(".places .chip"), c => getComputedStyle(c))
		.filter(s => s.color === s.backgroundColor).length`).Int()
	assert.Zero(t, white, "places can be read")

	page.MustElement("#new-zone").MustFocus()
	page.MustInsertText("Georgia")
	keys(page, input.Escape, input.Enter)
	waitText(t, page, "#new-zone-slip", "which is meant?")
	keys(page, input.Tab, input.Tab, input.Tab) // past Add and the country
	assert.Contains(t, page.MustEval(`() => document.activeElement.textContent`).String(), "US-GA")
	keys(page, input.Enter)
	waitText(t, page, "#zone-georgia", "Georgia (US-GA)")

	page.MustElement("#till-to").MustFocus().MustSelectAllText()
	page.MustInsertText("utsj")
	waitText(t, page, "#offers", "99980 Utsjoki")
	keys(page, input.ArrowDown, input.Enter)
	waitText(t, page, "#tried", "99980 Utsjoki is taken by Lapland")
}

func TestTheStripIsWalkedAndLeavesOut(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/zones?strip=FI&from=20000&to=29999", 1280, 800))
	page.MustElement("#strip .bar").MustFocus()
	assert.Contains(t, focused(page), "20000 to 20999: Around Naantali")
	keys(page, input.ArrowRight, input.ArrowRight)
	assert.Contains(t, focused(page), "21100 to 21149")
	keys(page, input.End, input.Home, input.ArrowRight, input.ArrowRight, input.ArrowRight)
	assert.Contains(t, focused(page), "21150: Van round, over Around Naantali (Röölä)")
	wait := nextPage(t, page)
	keys(page, input.Enter)
	wait()
	assert.Equal(t, "FI 21150", page.MustElement("#new-zone").MustProperty("value").String())
	waitText(t, page, "#strip figcaption", "20000 to 29999") // the zoom stays
	page.MustElement(".leave-out button").MustFocus()
	keys(page, input.Enter)
	waitText(t, page, "#zone-van-round", "not FI 21150")
	waitText(t, page, "#strip figcaption", "20000 to 29999")

	page.MustElement("#new-zone").MustFocus().MustSelectAllText()
	page.MustInsertText("GB BT, GB EC1A, GB IM1")
	keys(page, input.Escape, input.Enter)
	waitText(t, page, "#strip figcaption", "United Kingdom")
	page = slow(t, s.open(t, "/zones?strip=GB", 1280, 800))
	page.MustElement(`#strip a[aria-label^="BT: United Kingdom BT"]`)
	page.MustElement(`#strip a[aria-label="Zoom to EC"]`).MustFocus()
	wait = nextPage(t, page)
	keys(page, input.Enter)
	wait()
	page.MustElement(`#strip a[aria-label^="EC1A: United Kingdom BT"]`)
}

// A list of 60,000 places, and a server that is killed while it takes it in: the next one goes on, and has each
// line once.
func TestAListOfPlacesOutlivesAKill(t *testing.T) {
	dir := t.TempDir()
	var b strings.Builder
	for i := range 60_000 {
		fmt.Fprintf(&b, "SE\t%05d\tOrt %d\tStockholm\tAB\t\t\t\t\t59.3\t18.1\t4\r\n", 10000+i, i)
	}
	name := filepath.Join(dir, "sverige.txt")
	require.NoError(t, os.WriteFile(name, []byte(b.String()+"broken\r\n"), 0o600))
	s := start(t, "demo", dir)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	page.MustElement("#lists summary").MustClick()
	page.MustElement("#list-file").MustSetFiles(name)
	page.MustElement("#lists form button.go").MustClick()
	page.MustElement("#lists progress")
	s.kill()

	again := start(t, "demo", dir)
	page = again.open(t, "/zones", 1280, 800)
	ok := page.Timeout(patient).Wait(
		rod.Eval(`() =>
			document.querySelector("#lists").textContent.replace(/\s+/g, " ").includes("Sweden (60,000 codes)")`),
	)
	require.NoError(t, ok, page.MustElement("#lists").MustText())
	waitText(t, page, "#lists", "1 line skipped") // the part may come anew, and closed, at any moment
	waitText(t, page, "#lists", "line 60001: fewer than three fields")
}
