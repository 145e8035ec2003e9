package browser

import (
	"testing"
	"time"

	"github.com/go-rod/rod"
	"github.com/go-rod/rod/lib/input"
	"github.com/go-rod/rod/lib/proto"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// enter types over what a field holds, and stays in it. It does not wait for the page to be still.
func enter(page *rod.Page, selector, text string) {
	page.MustEval(`s => { const f = document.querySelector(s); f.focus(); f.select(); }`, selector)
	page.MustInsertText(text)
}

// What is typed while an answer is under way stays, keeps the cursor, and is sent: in the Till, in grids, in
// other fields.
func TestTypingOutlivesTheAnswersOfEarlierEdits(t *testing.T) {
	s := demoShop(t)
	page := slow(t, s.open(t, "/rates/parcel", 1280, 800))
	edit := func(selector, text string) { // typed and left, without waiting for the answer
		enter(page, selector, text)
		page.KeyActions().Press(input.Tab).MustDo()
	}
	const finland, aland, till = `tr[data-at="2"] td:nth-of-type(1) .cell`, `tr[data-at="2"] td:nth-of-type(2) .cell`,
		"#till-q-0"
	for range 2 {
		for _, c := range [][3]string{{"7.10", "3", "4"}, {"7.20", "5", "6"}} {
			edit(finland, c[0])
			enter(page, till, c[1]) // the answer to the price comes while this is typed
			waitText(t, page, "#saved", "Saved")
			time.Sleep(200 * time.Millisecond)
			assert.Equal(t, "till-q-0", focused(page))
			assert.Equal(t, c[1], value(page, till))
			page.KeyActions().Press(input.Tab).MustDo()
			waitFor(t, page, `q => document.querySelector("#till-q-0").defaultValue === q`, c[1])
		}
	}
	edit(finland, "6.00") // two cells, the second left before the first was answered
	edit(aland, "9.50")
	waitFor(
		t,
		page,
		`() => [...document.querySelectorAll("tr[data-at='2'] td .cell")].slice(0, 2)
			.map((c) => c.defaultValue).join() === "6.00,9.50"`,
	)
	edit(finland, "6.10") // one cell twice
	edit(finland, "6.20")
	waitFor(t, page, `f => document.querySelector(f).defaultValue === "6.20"`, finland)
	assert.Empty(t, page.MustElements("#work .slip-note").First(), "nobody else changed it")
	page.MustReload().MustWaitLoad()
	assert.Equal(t, []string{"6.20", "9.50"}, []string{value(page, finland), value(page, aland)})

	page = slow(t, s.open(t, "/goods", 1280, 800))
	edit("#g-TOWEL-70-class", "Bulkyy")
	waitText(t, page, `td:has(> #g-TOWEL-70-class) .slip-note`, "there is no class")
	enter(page, "#g-TOWEL-70-class", "Bulky")
	keys(page, input.Enter, input.Tab) // sent by Enter, and left
	waitFor(t, page, `() => document.querySelector("#g-TOWEL-70-class").defaultValue === "Bulky"`)
	quiet(page)
	time.Sleep(400 * time.Millisecond)
	assert.False(t, page.MustHas(`td:has(> #g-TOWEL-70-class) .slip-note`), "one's own slip is no other window")
	edit("#g-TOWEL-70-price", "30")
	edit("#g-TOWEL-50-price", "15")
	enter(page, "#new-name", "A new thing")
	waitFor(
		t,
		page,
		`() => document.querySelector("#g-TOWEL-50-price").defaultValue === "15.00" &&
			document.querySelector("#g-TOWEL-70-price").defaultValue === "30.00"`,
	)
	assert.Equal(t, "A new thing", value(page, "#new-name"))
}

// Classes are counted anew with each product, the shop is called by its new name at once, and Undo listens
// wherever the focus is.
func TestCountsAndNamesAreNotStale(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/goods", 1280, 800)
	before := page.MustElement("#class-of-bulky a").MustText()
	typeOver(page, "#g-TOWEL-70-class", "Bulky")
	waitFor(t, page, `was => document.querySelector("#class-of-bulky a").textContent !== was`, before)
	page.MustElement("#g-TOWEL-70-ships_free").MustClick()
	waitText(t, page, "#undo", "ships free")
	page.MustElement("#g-TOWEL-70-ships_free").MustFocus()
	page.KeyActions().Press(input.ControlLeft).Type('z').MustDo()
	waitText(t, page, "#saved", "Undone")
	waitFor(t, page, `() => !document.querySelector("#g-TOWEL-70-ships_free").checked`)

	page = s.open(t, "/shop", 1280, 800)
	page.MustElement("#shop-called").MustSelectAllText().MustInput("Löyly")
	keys(page, input.Enter)
	waitText(t, page, "#shop-name", "Löyly")
}

// A method is dragged behind the last one.
func TestAMethodIsDraggedToTheEnd(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/methods", 1280, 1400)
	ids := func() []string {
		var list []string
		for _, row := range page.MustElements(".methods > li") {
			list = append(list, *row.MustAttribute("data-id"))
		}
		return list
	}
	first := ids()[0]
	drag(page, "#grip-"+first, "#method-"+ids()[len(ids())-1])
	waitFor(t, page, `id => [...document.querySelectorAll(".methods > li")].pop().dataset.id === id`, first)
	assert.Equal(t, first, ids()[len(ids())-1])
}

// drag drags what one selector names onto the lower half of another, with the mouse.
func drag(page *rod.Page, from, onto string) {
	centre := func(selector string, of float64) proto.Point {
		box := page.MustElement(selector).MustShape().Box()
		return proto.Point{X: box.X + box.Width/2, Y: box.Y + box.Height*of}
	}
	start, end := centre(from, 0.5), centre(onto, 0.9)
	page.Mouse.MustMoveTo(start.X, start.Y)
	page.Mouse.MustDown(proto.InputMouseButtonLeft)
	for i := 1.0; i <= 12; i++ {
		page.Mouse.MustMoveTo(start.X+2, start.Y+(end.Y-start.Y)*i/12)
		time.Sleep(20 * time.Millisecond)
	}
	for i := range 6 { // the rows move out of the way, which takes a moment
		time.Sleep(150 * time.Millisecond)
		page.Mouse.MustMoveTo(start.X+2+float64(i%2), end.Y)
	}
	page.Mouse.MustUp(proto.InputMouseButtonLeft)
}

// A method is moved with a finger behind the last one, on a phone.
func TestAMethodIsMovedWithAFinger(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/methods", 390, 844)
	require.NoError(t, proto.EmulationSetTouchEmulationEnabled{Enabled: true}.Call(page))
	behind := `id => document.querySelector("#method-market").nextElementSibling.dataset.id === id`
	touch := func(kind proto.InputDispatchTouchEventType, points ...*proto.InputTouchPoint) {
		if points == nil {
			points = []*proto.InputTouchPoint{}
		}
		require.NoError(t, proto.InputDispatchTouchEvent{Type: kind, TouchPoints: points}.Call(page))
		time.Sleep(25 * time.Millisecond)
	}
	page.MustElement("#method-market").MustScrollIntoView()
	from := page.MustElement("#grip-van").MustShape().Box()
	to := page.MustElement("#method-market").MustShape().Box()
	x, y := from.X+from.Width/2, from.Y+from.Height/2
	touch(proto.InputDispatchTouchEventTypeTouchStart, &proto.InputTouchPoint{X: x, Y: y})
	for i := 1.0; i <= 15; i++ {
		touch(proto.InputDispatchTouchEventTypeTouchMove,
			&proto.InputTouchPoint{X: x, Y: y + (to.Y+to.Height*0.95-y)*i/15})
	}
	for i := range 6 { // the rows move out of the way, which takes a moment
		time.Sleep(150 * time.Millisecond)
		touch(proto.InputDispatchTouchEventTypeTouchMove,
			&proto.InputTouchPoint{X: x + float64(i%2), Y: to.Y + to.Height*0.95})
	}
	touch(proto.InputDispatchTouchEventTypeTouchEnd)
	waitFor(t, page, behind, "van")
}
