package browser

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func value(page *rod.Page, selector string) string {
	return page.MustElement(selector).MustProperty("value").String()
}

// clipboard lets the pages of a shop use the clipboard.
func clipboard(t *testing.T, s *shop) {
	require.NoError(
		t,
		proto.BrowserGrantPermissions{
			Permissions: []proto.BrowserPermissionType{
				proto.BrowserPermissionTypeClipboardReadWrite,
				proto.BrowserPermissionTypeClipboardSanitizedWrite,
			},
			Origin: s.url,
		}.Call(browserOf(t)),
	)
}

// control presses a key with Ctrl, with the command of the clipboard that a browser's own keyboard handling
// would give it.
func control(page *rod.Page, key, command string) {
	page.MustActivate()
	for _, kind := range []proto.InputDispatchKeyEventType{proto.InputDispatchKeyEventTypeRawKeyDown,
		proto.InputDispatchKeyEventTypeKeyUp} {
		event := proto.InputDispatchKeyEvent{
			Type:                  kind,
			Modifiers:             2,
			Key:                   key,
			Code:                  "Key" + strings.ToUpper(key),
			WindowsVirtualKeyCode: int(strings.ToUpper(key)[0]),
		}
		if kind == proto.InputDispatchKeyEventTypeRawKeyDown {
			event.Commands = []string{command}
		}
		if err := event.Call(page); err != nil {
			panic(err)
		}
	}
}

// pasteInto puts a text on the clipboard and pastes it into a field with Ctrl+V.
func pasteInto(page *rod.Page, selector, text string) {
	page.MustActivate()
	page.MustEval(`text => navigator.clipboard.writeText(text)`, text)
	page.MustElement(selector).MustFocus()
	control(page, "v", "Paste")
	quiet(page)
}

func TestGoodsAreTypedPastedAndTakenBack(t *testing.T) {
	s := demoShop(t)
	clipboard(t, s)
	page := slow(t, s.open(t, "/goods", 1280, 800))
	typeOver(page, "#g-TOWEL-70-weight", "450 g")
	waitFor(t, page, `() => document.querySelector("#g-TOWEL-70-weight").value === "0.45"`)
	waitText(t, page, "#till", "1.3 kg") // two towels and a ladle
	typeOver(page, "#g-TOWEL-50-weight", "heavy")
	waitText(t, page, `td:has(> #g-TOWEL-50-weight) .slip-note`, "is no weight")
	assert.Equal(t, "heavy", value(page, "#g-TOWEL-50-weight"), "what was typed is kept")
	page.MustElement("#g-TOWEL-50-weight").MustFocus()
	keys(page, input.Escape)
	page.MustEval(`() => document.activeElement.blur()`)

	pasteInto(page, "#g-SEAT-1-weight", "100 g\t25\n110 g\t26\nbroken\t27\n")
	waitText(t, page, "#goods-note", "5 cells taken, 1 not")
	assert.Equal(
		t,
		[]string{"0.1", "25", "0.11", "26", "broken", "27"},
		[]string{
			value(page, "#g-SEAT-1-weight"),
			value(page, "#g-SEAT-1-length"),
			value(page, "#g-CAP-FELT-weight"),
			value(page, "#g-CAP-FELT-length"),
			value(page, "#g-CAP-LINEN-weight"),
			value(page, "#g-CAP-LINEN-length"),
		},
	)

	page.MustEval(`() => document.activeElement.blur()`)
	page.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	waitText(t, page, "#saved", "Undone: Linen seat cover, weight: 0.12 kg → 0.1 kg, and 2 more")
	waitFor(t, page, `() => document.querySelector("#g-SEAT-1-weight").value === "0.12"`)
	page.KeyActions().Press(input.ControlLeft).Type('y').MustDo()
	waitText(t, page, "#saved", "Redone: Linen seat cover, weight: 0.12 kg → 0.1 kg, and 2 more")
	page.MustElement("#undo").MustClick()
	waitText(t, page, "#saved", "Undone: Linen seat cover, weight: 0.12 kg → 0.1 kg, and 2 more")
	page.MustElement("#undo").MustClick()
	waitText(t, page, "#till", "1.1 kg")

	// In a field that is being typed in, Ctrl+Z takes typing back, not the last edit.
	typeOver(page, "#g-ROBE-M-price", "95")
	waitText(t, page, "#undo", "Linen bathrobe, price")
	page.MustElement("#g-MITT-1-price").MustFocus().MustSelectAllText()
	page.MustInsertText("7")
	page.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	time.Sleep(200 * time.Millisecond)
	assert.Equal(t, "95.00", value(page, "#g-ROBE-M-price"))
}

func TestTheGoodsGridIsWalkedAndSetWithKeys(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/goods", 1280, 800))
	page.MustElement("#g-TOWEL-70-weight").MustFocus().MustSelectAllText()
	keys(page, input.ArrowDown)
	assert.Equal(t, "g-TOWEL-50-weight", focused(page))
	keys(page, input.ArrowRight)
	assert.Equal(t, "g-TOWEL-50-length", focused(page))
	page.MustInsertText("250 mm")
	keys(page, input.Enter)
	assert.Equal(t, "g-SEAT-1-length", focused(page))
	waitFor(t, page, `() => document.querySelector("#g-TOWEL-50-length").value === "25"`)
	page.MustElement("#g-TOWEL-70-own_parcel").MustFocus()
	keys(page, input.Space, input.ArrowDown)
	assert.Equal(t, "g-TOWEL-50-own_parcel", focused(page))
	waitText(t, page, "#undo", "Linen towel, 70 × 140: travels in a parcel of its own")

	page.MustElement(`.pick [value="LADLE-B"]`).MustFocus()
	keys(page, input.Space)
	page.MustElement(`.pick [value="LADLE-C"]`).MustFocus()
	keys(page, input.Space)
	page.MustElement("#set-value").MustFocus()
	page.MustInsertText("Bulky")
	keys(page, input.Enter)
	waitText(t, page, "#goods-note", "2 products changed")
	assert.Equal(t, "Bulky", value(page, "#g-LADLE-B-class"))

	page.MustElement("#find-goods").MustFocus()
	page.MustInsertText("ladle")
	wait := nextPage(t, page)
	keys(page, input.Enter)
	wait()
	waitText(t, page, ".pages", "1 to 2 of 2")
	typeOver(page, "#g-LADLE-B-weight", "")
	waitText(t, page, "#lacks", "1 product has no weight: it quotes as 0 kg")
	wait = nextPage(t, page)
	page.MustElement("#lacks .note a").MustClick()
	wait()
	waitText(t, page, ".pages", "1 to 1 of 1")
}

func TestALongProductListIsTakenInWithItsProgress(t *testing.T) {
	s := demoShop(t)
	var b strings.Builder
	b.WriteString("Item number;Title;Unit price;Weight (g);Class\r\n")
	for i := range 10_000 {
		fmt.Fprintf(&b, "A-%05d;Thing %d;%d,50;%d;%s\r\n", i, i, i%90, i%3000+1, []string{"", "Bulky", "Odd"}[i%3])
	}
	name := filepath.Join(t.TempDir(), "list.csv")
	require.NoError(t, os.WriteFile(name, []byte(b.String()), 0o600))
	page := slow(t, s.open(t, "/goods", 1280, 800))
	page.MustElement("details.shop summary").MustClick()
	page.MustElement("#goods-file").MustSetFiles(name)
	wait := nextPage(t, page)
	page.MustElement(`form[action="/goods/file"] .go`).MustClick()
	wait()
	waitText(t, page, ".work", "3333 refused")
	waitText(t, page, ".work", "there is no class \"Odd\"")
	wait = nextPage(t, page)
	page.MustElement(`form[method="post"] .go`).MustClick()
	wait()
	waitText(t, page, "#goods-progress", "6667 new, 0 changed, 3333 refused")
	waitText(t, page, "#course", "6,692")
	page = slow(t, s.open(t, "/goods?find=thing+99&sort=-weight", 1280, 800))
	waitText(t, page, ".pages", "of 75")
	page.MustElement("#undo").MustClick()
	waitText(t, page, "#saved", "Undone: Thing 0: new, for 0.50, and 6666 more")
	waitText(t, page, ".pages", "none")
}
