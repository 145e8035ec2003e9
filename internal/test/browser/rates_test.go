package browser

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diadrom/internal/test/storetest"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestFromAnEmptyStoreToAWorkingMatrixWithKeysAlone(t *testing.T) {
	s := ownShop(t)
	page := slow(t, s.open(t, "/zones", 1280, 800))
	for i, zone := range []string{"Finland", "FI 22*", "EU"} {
		page.MustElement("#new-zone").MustFocus()
		page.MustInsertText(zone)
		keys(page, input.Escape, input.Enter)
		waitFor(t, page, `(n) => document.querySelectorAll(".zone").length === n`, i+1)
	}
	page = slow(t, s.open(t, "/methods", 1280, 800))
	page.MustElement("#new-method").MustFocus()
	page.MustInsertText("Parcel")
	keys(page, input.Enter)
	waitText(t, page, "#method-parcel", "No buyer is offered this: its list has no price yet")
	page = slow(t, s.open(t, "/rates/parcel", 1280, 800))
	for _, at := range []string{"2", "10"} {
		page.MustElement("#new-at-list").MustFocus()
		page.MustInsertText(at)
		keys(page, input.Enter)
		waitText(t, page, "#grid-list", "above "+at+" kg")
	}
	prices := [][]string{
		{"6.90", "9.90", "14"},
		{"9.90", "14.90", "20"},
		{"9.90 + 0.80 per started kg above 10", "no", "no"},
	}
	for column := range 3 {
		page.MustElement(fmt.Sprintf("#c-list-0-%d", column)).MustFocus().MustSelectAllText()
		for row := range 3 {
			assert.Equal(t, fmt.Sprintf("c-list-%d-%d", row, column), focused(page))
			page.MustInsertText(prices[row][column])
			keys(page, input.Enter)
			quiet(page)
		}
	}
	waitText(
		t,
		page,
		"#said",
		"To Finland: 6.90 up to and including 2 kg, 9.90 up to 10 kg, then 0.80 more for each started kg.",
	)
	page.MustElement("#till-to").MustFocus().MustSelectAllText()
	page.MustInsertText("FI 22100")
	keys(page, input.Escape, input.Enter)
	waitText(t, page, `#till details[data-method=parcel] .charge`, "9.90")
	typeOver(page, "#till-w-0", "12.3")
	waitText(t, page, "#till", "too heavy to Finland 22*")
	page.MustElement("#till-to").MustFocus().MustSelectAllText()
	page.MustInsertText("FI 00100")
	keys(page, input.Escape, input.Enter)
	waitText(t, page, `#till details[data-method=parcel] .charge`, "12.30") // 9.90 + 0.80 × 3 started kg
}

func TestRangesOfAPriceListAreCopiedAndPasted(t *testing.T) {
	s := demoShop(t)
	clipboard(t, s)
	page := slow(t, s.open(t, "/rates/locker", 1280, 800))
	page.MustElement("#c-list-0-0").MustFocus().MustSelectAllText()
	page.KeyActions().Press(input.ShiftLeft).Type(input.ArrowRight, input.ArrowDown).MustDo()
	assert.Equal(t, 4, page.MustEval(`() => document.querySelectorAll(".cell.mark").length`).Int())
	control(page, "c", "Copy")
	copied := page.MustEval(`() => navigator.clipboard.readText()`).String()
	assert.Equal(t, "5.90\t7.90\n7.90\t9.90\n", copied, "as a spreadsheet takes it")
	pasteInto(page, "#c-list-0-1", copied)
	waitText(t, page, ".note-line", "4 cells taken")
	assert.Equal(
		t,
		[]string{"5.90", "7.90", "7.90", "9.90"},
		[]string{
			value(page, "#c-list-0-1"),
			value(page, "#c-list-0-2"),
			value(page, "#c-list-1-1"),
			value(page, "#c-list-1-2"),
		},
	)
	pasteInto(page, "#h-list-0", "3\t4.00\t5.00\t6.00\n15\t8.00\n20\t9.00\tcheap\t11.00\n")
	waitText(t, page, ".note-line", "6 cells taken, 1 cell not")
	page.MustElement("td:has(> #c-list-3-1) .slip-note")
	assert.Equal(t, "cheap", value(page, "#c-list-3-1"), "what was pasted is kept")
	page.MustElement("#undo").MustClick()
	waitFor(t, page, `() => document.querySelectorAll("#grid-list tbody tr").length === 2`)
	page.MustElement("#c-list-0-0").MustFocus().MustSelectAllText()
	page.KeyActions().Press(input.ShiftLeft).Type(input.ArrowDown).MustDo()
	keys(page, input.Delete)
	waitText(t, page, ".note-line", "2 cells taken")
	assert.Equal(t, "no", value(page, "#c-list-1-0"))
}

func TestTheCurveIsReadAndItsBreaksAreMoved(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/rates/parcel", 1280, 800))
	page.MustElement("[data-curve]").MustFocus()
	keys(page, input.ArrowRight)
	waitText(t, page, ".curve-read", "Finland 6.90")
	page.MustElement("#handle-list-0").MustFocus()
	keys(page, input.ArrowRight)
	waitFor(t, page, `() => document.querySelector("#h-list-0").value === "2.5"`)
	assert.Equal(t, "handle-list-0", focused(page), "the mark keeps the focus")
	box := page.MustElement("#handle-list-1 path").MustShape().Box()
	mouse := page.Mouse
	mouse.MustMoveTo(box.X+box.Width/2, box.Y+box.Height/2)
	mouse.MustDown(proto.InputMouseButtonLeft)
	mouse.MustMoveTo(box.X+box.Width/2+54, box.Y)
	mouse.MustUp(proto.InputMouseButtonLeft)
	waitFor(t, page, `() => document.querySelector("#h-list-1").value === "6"`)
	page.MustElement("#handle-list-0").MustFocus()
	for range 9 { // up to the next break, which it does not pass
		keys(page, input.ArrowRight)
		quiet(page)
	}
	assert.Equal(t, "5.5", value(page, "#h-list-0"))
}

func TestMethodsAreMovedAndTheirTermsTyped(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/methods", 1280, 800))
	order := func() string {
		return page.MustEval(
			`() => [...document.querySelectorAll(".methods > li")].map(l => l.dataset.id).join(" ")`,
		).String()
	}
	page.MustElement("#grip-locker").MustFocus()
	keys(page, input.ArrowUp)
	waitFor(t, page, `() => document.querySelector(".methods > li:nth-child(2)").dataset.id === "locker"`)
	waitFor(t, page, `() => document.activeElement.id === "grip-locker"`)
	keys(page, input.ArrowUp)
	waitFor(t, page, `() => document.querySelector(".methods > li").dataset.id === "locker"`)
	assert.Equal(t, "locker letter parcel freight van workshop market abroad overseas", order())
	drag(page, "#grip-locker", "#method-freight")
	waitFor(t, page, `() => document.querySelector(".methods > li:nth-child(4)").dataset.id === "locker"`)
	assert.Equal(t, "letter parcel freight locker van workshop market abroad overseas", order())

	page = slow(t, s.open(t, "/methods/locker", 1280, 800))
	typeOver(page, "#t-days-aland", "4-6")
	waitFor(t, page, `() => document.querySelector("#t-days-aland").value === "4 to 6 working days"`)
	typeOver(page, "#t-handling-", "0.50 + 2 %")
	waitText(t, page, "#method-locker", "A handling fee of 0.50 + 2 % comes on top")
	typeOver(page, "#t-weight-", "heavy")
	waitText(t, page, ".box:has(#t-weight-) .slip-note", "up to 15, from 5")
	assert.Equal(t, "heavy", value(page, "#t-weight-"))
}

func TestALargeListIsTypedInWithoutAWait(t *testing.T) {
	s := demoShop(t)
	var b strings.Builder
	b.WriteString("zip,country,weight to,price\n")
	for zone := range 40 {
		for row := range 60 {
			fmt.Fprintf(&b, "%02d*,FI,%d,%d.%02d\n", zone+10, row+1, row+5, zone)
		}
	}
	name := filepath.Join(t.TempDir(), "large.csv")
	require.NoError(t, os.WriteFile(name, []byte(b.String()), 0o600))
	page := slow(t, s.open(t, "/rates/parcel", 1280, 800))
	page.MustEval(`() => document.querySelectorAll("details").forEach(d => d.open = true)`)
	page.MustElement("#rates-file").MustSetFiles(name)
	wait := nextPage(t, page)
	page.MustElement(`form[action="/rates-file"] .go:last-child`).MustClick()
	wait()
	waitText(t, page, ".work", "new zone")
	wait = nextPage(t, page)
	page.MustElement(`form[method="post"] .go`).MustClick()
	wait()
	began := time.Now()
	goTo(page, s.url+"/rates/large")
	assert.LessOrEqual(t, page.MustEval(`() => document.querySelectorAll("#grid-list td .cell").length`).Int(), 600)
	t.Logf("a list of 60 rows by 40 zones was there after %s", time.Since(began).Round(time.Millisecond))
	for range 2 { // to the 21st zone
		wait = nextPage(t, page)
		page.MustElement(`nav[aria-label="Zones that are shown"] a[rel="next"]`).MustClick()
		wait()
	}
	typeOver(page, "#c-list-30-20", "99")
	waitFor(t, page, `() => document.querySelector("#c-list-30-20").value === "99.00"`)
	waitText(t, page, "#warnings-list", "the price falls from €99.00") // a moment later
}

// A carrier's workbook with zones across becomes a method, and its file of the next year updates it: in both a title, a
// note and another sheet; in the second a zone more, and the surcharge that has to be answered.
func TestACarriersWorkbookBecomesAMethodAndNextYearsUpdatesIt(t *testing.T) {
	s := demoShop(t)
	dir := t.TempDir()
	book := func(name string, rows ...[]any) string {
		path := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(path, storetest.Workbook(t, "Prices", "Terms", "Deliveries on working days",
			rows...), 0o600))
		return path
	}
	send := func(page *rod.Page, path, button string) {
		page.MustEval(`() => document.querySelectorAll("details").forEach(d => d.open = true)`)
		page.MustElement("#rates-file").MustSetFiles(path)
		wait := nextPage(t, page)
		page.MustElement(`form[action="/rates-file"] ` + button).MustClick()
		wait()
	}
	press := func(page *rod.Page, selector string) {
		wait := nextPage(t, page)
		page.MustElement(selector).MustClick()
		wait()
	}
	page := s.open(t, "/rates/parcel", 1280, 800)
	send(page, book("Kuura parcels.xlsx", []any{"Kuura parcels 2027"}, nil, []any{"Weight", "Finland", "Sweden"},
		[]any{"0–2 kg", 7.2, 13}, []any{"2–10 kg", 10.4, 19}, []any{"each further kg", 0.8, 1.2},
		[]any{"Without islands"}), ".go:last-child")
	waitText(t, page, ".work", "Zones are in columns, and weights in rows.")
	waitText(t, page, ".work", "10.40 + 0.80 per started kg above 10")
	press(page, "form.grow .go")
	waitText(t, page, ".work", "Kuura parcels, by weight")

	send(page, book("next.xlsx", []any{"Kuura parcels 2028"}, nil, []any{"Weight", "Finland", "Sweden", "Norway"},
		[]any{"0–2 kg", 7.5, 13, 15}, []any{"2–10 kg", 10.4, 20, 22}, []any{"each further kg", 0.8, 1.2, 1.4},
		[]any{"Fuel surcharge 10 %"}), ".go")
	waitText(t, page, ".work", "2 prices raised, 1 price changed otherwise, 3 prices new, 3 prices unchanged")
	waitText(t, page, ".work", "was 7.20 (+4.2 %)")
	waitText(t, page, ".work", "Fuel surcharge 10 %. Add it to the prices")
	press(page, ".asks .answer")
	waitText(t, page, ".work", "was 7.20 (+14.6 %)")
	press(page, "form.grow .go")
	waitText(t, page, ".work", "Kuura parcels, by weight")
	waitFor(t, page, `() => document.querySelector("#c-list-0-0").value === "8.25" &&
		document.querySelector("#c-list-1-2").value === "24.20"`)
	page.MustElement("#undo").MustClick()
	waitFor(t, page, `() => document.querySelector("#c-list-0-0").value === "7.20"`)
}
