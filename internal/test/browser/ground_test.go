package browser

import (
	"fmt"
	"math"
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

// onMap is where a point of the map is in the window.
func onMap(page *rod.Page, lat, lon float64) proto.Point {
	v := page.MustEval(`(lat, lon) => {
		const e = document.getElementById("ground");
		e.scrollIntoView({ block: "center", behavior: "instant" });
		const p = e.groundMap.latLngToContainerPoint([lat, lon]), box = e.getBoundingClientRect();
		return [box.left + e.clientLeft + p.x, box.top + e.clientTop + p.y];
	}`, lat, lon).Arr()
	return proto.NewPoint(v[0].Num(), v[1].Num())
}

func clickMap(page *rod.Page, lat, lon float64) {
	page.Mouse.MustMoveTo(onMap(page, lat, lon).X, onMap(page, lat, lon).Y)
	page.Mouse.MustClick(proto.InputMouseButtonLeft)
	time.Sleep(60 * time.Millisecond) // two clicks at once are a double click
}

// dragCorner drags a corner of the chosen shape, once it can be.
func dragCorner(t *testing.T, page *rod.Page, lat, lon, toLat, toLon float64) {
	t.Helper()
	waitFor(t, page, `() => document.querySelectorAll("#ground .marker-icon").length > 2`)
	time.Sleep(400 * time.Millisecond) // until the map has moved where it moves by itself
	dragMap(page, lat, lon, toLat, toLon)
}

func dragMap(page *rod.Page, lat, lon, toLat, toLon float64) {
	from, to := onMap(page, lat, lon), onMap(page, toLat, toLon)
	page.Mouse.MustMoveTo(from.X, from.Y)
	page.Mouse.MustDown(proto.InputMouseButtonLeft)
	for i := 1; i <= 6; i++ {
		page.Mouse.MustMoveTo(from.X+(to.X-from.X)*float64(i)/6, from.Y+(to.Y-from.Y)*float64(i)/6)
	}
	page.Mouse.MustUp(proto.InputMouseButtonLeft)
}

// mapOf opens the map and waits until it is drawn.
func mapOf(t *testing.T, s *shop, path string, width, height int) *rod.Page {
	t.Helper()
	page := s.open(t, path, width, height)
	drawnMap(t, page)
	return page
}

func drawnMap(t *testing.T, page *rod.Page) {
	t.Helper()
	waitFor(t, page, `() => {
		const e = document.getElementById("ground");
		return e && e.groundMap && e.querySelectorAll("canvas.leaflet-tile-loaded").length > 3;
	}`)
	quiet(page)
}

func facts(page *rod.Page) string { return page.MustElement("#ground-facts").MustText() }

// zoom shows so much of the map around a point.
func zoom(page *rod.Page, lat, lon float64, level int) {
	page.MustEval(`(lat, lon, z) => {
		document.getElementById("ground").groundMap.setView([lat, lon], z, {animate: false});
	}`, lat, lon, level)
}

// An owner draws, changes their mind, leaves, comes back, publishes, and quotes to a point in what was drawn.
func TestAnAreaIsDrawnReshapedPublishedAndQuoted(t *testing.T) {
	s := demoShop(t)
	page := slow(t, mapOf(t, s, "/map", 1280, 800))
	zoom(page, 60.47, 22.02, 11)
	page.MustElement(`[data-draw="area"]`).MustClick()
	corners := [][2]float64{{60.45, 21.93}, {60.45, 22.1}, {60.50, 22.1}, {60.50, 21.93}}
	for _, c := range corners {
		clickMap(page, c[0], c[1])
	}
	clickMap(page, corners[0][0], corners[0][1])
	waitText(t, page, ".ground-zone h2", "Area")
	waitText(t, page, "#ground-facts", "km at its widest")
	first := facts(page)
	assert.Contains(t, first, "takes ")
	assert.Contains(t, first, "Around Naantali")

	dragCorner(t, page, 60.50, 22.1, 60.53, 22.16)
	waitFor(t, page, `(was) => (document.querySelector("#ground-facts") || {innerText: was}).innerText !== was`, first)
	waitText(t, page, "#undo", "takes area")
	require.NotEqual(t, first, facts(page))
	page.MustElement("#undo").MustClick()
	waitFor(t, page, `() => !document.querySelector("#undo").innerText.includes("takes area")`)
	goTo(page, s.url+"/zones")
	goTo(page, s.url+"/map?zone=area")
	drawnMap(t, page)
	assert.Equal(t, first, facts(page), "as it was before the last change")

	goTo(page, s.url+"/live")
	page.MustElement("#live-note").MustInput("Our own area")
	page.MustElement("#put-live").MustClick()
	waitText(t, page, ".state-of", "edition 2")
	goTo(page, s.url+"/map?zone=area")
	drawnMap(t, page)
	zoom(page, 60.47, 22.02, 11)
	assert.Empty(t, page.MustElements(`[hx-vals*='"live"']`), "it is as it is live")
	dragCorner(t, page, 60.50, 22.1, 60.53, 22.16)
	waitText(t, page, ".ground-does", "Back to what is live")
	page.MustElementR(".ground-does button", "Back to what is live").MustClick()
	waitFor(t, page, `() => !document.querySelector("#ground-data").innerText.includes("Back to what is live")`)
	assert.Equal(t, first, facts(page))

	page.MustElement(`.ground-zone .link`).MustClick()
	waitFor(t, page, `() => !document.querySelector(".ground-zone")`)
	clickMap(page, 60.475, 22.0)
	waitFor(t, page, `() => document.querySelector("#till-to").value.startsWith("60.47")`)
	waitText(t, page, ".ground-zones", "takes the Till’s address")
	assert.Contains(t, page.MustElement(".here-mark").MustParent().MustText(), "Area")
	waitText(t, page, ".pin-till-name", "taken by Area")
}

func TestShapesAreCutSplitJoinedAndCopied(t *testing.T) {
	s := demoShop(t)
	page := mapOf(t, s, "/map?zone=van-round", 1280, 800)
	page.MustElementR(".ground-tools button", "Area round the shop").MustClick()
	waitText(t, page, "#ground-facts", "77.6 km², 10.0 km at its widest")
	drawnMap(t, page)
	zoom(page, 60.467, 22.026, 11)
	page.MustElement(`[data-do="hole"]`).MustClick()
	for _, c := range [][2]float64{{60.46, 22.01}, {60.46, 22.04}, {60.475, 22.04}, {60.46, 22.01}} {
		clickMap(page, c[0], c[1])
	}
	waitFor(t, page, `() => (document.querySelector("#shape-points") || {value: ""}).value.includes("hole")`)
	waitFor(t, page, `() => !document.querySelector("#ground-data").innerText.includes("77.6")`)

	page.MustElement(`[data-do="split"]`).MustClick()
	clickMap(page, 60.467, 21.90)
	clickMap(page, 60.468, 22.16)
	clickMap(page, 60.468, 22.16)
	waitText(t, page, ".shapes", "Area 2")
	waitText(t, page, ".meant", "Split into 2 areas.")

	page.MustElementR("button", "^Join$").MustClick()
	waitFor(t, page, `() => document.querySelectorAll(".shapes li").length === 1`)
	whole := facts(page)
	page.MustElement("#copy-to").MustSelect("a new zone")
	page.MustElementR("button", "^Copy$").MustClick()
	waitText(t, page, ".ground-zone h2", "Area")
	assert.Equal(t, strings.Split(whole, "\n")[0], strings.Split(facts(page), "\n")[0])
	page.MustElementR(".ground-does button", "Remove").MustClick()
	waitText(t, page, ".ground-zone", "Nothing of this zone is drawn yet.")
}

// All of it without a mouse: the map is moved, a circle made, set and corners typed; what is wrong is told and kept.
func TestTheMapIsWorkedWithKeysAlone(t *testing.T) {
	s := demoShop(t)
	page := mapOf(t, s, "/map", 1280, 800)
	page.MustElement("#ground").MustFocus()
	before := page.MustEval(`() => document.getElementById("ground").groundMap.getCenter().lng`).Num()
	keys(page, input.ArrowRight)
	waitFor(t, page, `(was) => document.getElementById("ground").groundMap.getCenter().lng > was`, before)
	level := page.MustEval(`() => document.getElementById("ground").groundMap.getZoom()`).Int()
	page.MustElement("#ground").MustFocus()
	keys(page, input.Equal)
	waitFor(t, page, `(was) => document.getElementById("ground").groundMap.getZoom() > was`, level)

	page.MustElementR(".ground-tools button", "Circle").MustFocus()
	keys(page, input.Enter)
	waitText(t, page, ".shapes", "Circle 1, 5 km")
	page.MustElement("#circle-radius").MustFocus().MustSelectAllText()
	page.MustInsertText("0")
	keys(page, input.Enter)
	waitText(t, page, "#circle-slip", "a circle of 0 km has nothing in it")
	assert.Equal(t, "0", page.MustElement("#circle-radius").MustProperty("value").String())
	page.MustElement("#circle-radius").MustFocus().MustSelectAllText()
	page.MustInsertText("50000")
	keys(page, input.Enter)
	waitText(t, page, "#circle-slip", "reaches all round the Earth")
	page.MustElement("#circle-radius").MustFocus().MustSelectAllText()
	page.MustInsertText("12,5 km")
	keys(page, input.Enter)
	waitText(t, page, ".shapes", "Circle 1, 12.5 km")

	page.MustElementR(".ground-tools button", "Area round the shop").MustFocus()
	keys(page, input.Enter)
	waitText(t, page, ".shapes", "Area 2")
	page.MustElementR("summary", "Corners as text").MustFocus()
	keys(page, input.Enter)
	type_ := func(text string) {
		page.MustElement("#shape-points").MustFocus().MustSelectAllText()
		page.MustInsertText(text)
		page.MustElementR("button", "Set corners").MustFocus()
		keys(page, input.Enter)
	}
	for text, why := range map[string]string{
		"60.4 22.0\n60.5 22.1\n60.4 22.1\n60.5 22.0": "crosses itself near",
		"60.4 22.0\n60.45 22.05\n60.5 22.1":          "corners lie on a line",
		"60.4 22.0\n160.5 22.1\n60.4 22.1": "line 2: 160.5 is no latitude: did you " +
			"mean 22.1 160.5?",
		"60.4 22.0\n60.5 22.1": "at least three corners; this has 2 corners",
		"60.4 22\n60.5 22\n60.5 22.2\n\nhole\n60.6 22\n60.7 22\n60.7 22.1": "outside",
	} {
		type_(text)
		waitText(t, page, "#points-slip", why)
		assert.Equal(t, text, page.MustElement("#shape-points").MustProperty("value").String(),
			"what was typed is kept")
	}
	type_("60.40 22.0\n60.50 22.1\n60.40 22.2\n\n60.6 22.0\n60.7 22.0\n60.7 22.2")
	waitFor(t, page, `() => !document.querySelector("#points-slip")`)
	waitText(t, page, "#ground-facts", "km²")
}

func TestTheMapOnAPhone(t *testing.T) {
	s := demoShop(t)
	page := slow(t, mapOf(t, s, "/map?method=van", 390, 800))
	waitFor(t, page, `() => document.documentElement.scrollWidth <= 390`)
	waitText(t, page, ".ground", "up to 10 km: €9.00")
	box := page.MustElement("#ground").MustShape().Box()
	assert.Greater(t, box.Width, 330.0)
	assert.Greater(t, box.Height, 300.0)
}

// stars are so many areas of so many corners each over the south-west of Finland, as GeoJSON. Made-up data.
func stars(areas, corners int) string {
	var b strings.Builder
	b.WriteString(`{"type":"FeatureCollection","features":[`)
	for i := range areas {
		if i > 0 {
			b.WriteByte(',')
		}
		fmt.Fprintf(&b, `{"type":"Feature","properties":{"name":"Star %d"},"geometry":{"type":"Polygon",
		"coordinates":[[`, i)
		x, y := 21.6+float64(i%20)/20, 60.2+float64(i/20)/20
		for k := range corners + 1 {
			angle, far := 2*math.Pi*float64(k%corners)/float64(corners), 0.012+0.006*math.Sin(float64(k%corners))
			fmt.Fprintf(&b, `%s[%.6f,%.6f]`, map[bool]string{true: ",", false: ""}[k > 0], x+2*far*math.Cos(angle),
				y+far*math.Sin(angle))
		}
		b.WriteString(`]]}}`)
	}
	b.WriteString(`]}`)
	return b.String()
}

// The map moves without a wait, with 200 areas of 500 corners on it too: while it is dragged across, most frames come
// in time.
func TestTheMapMovesWithoutAWait(t *testing.T) {
	s := demoShop(t)
	name := filepath.Join(t.TempDir(), "stars.geojson")
	require.NoError(t, os.WriteFile(name, []byte(stars(200, 500)), 0o600))
	page := s.open(t, "/zones/areas/0", 1280, 800)
	page.MustElement("#areas-file").MustSetFiles(name)
	wait := nextPage(t, page)
	page.MustElementR("button", "Preview import").MustClick()
	wait()
	wait = nextPage(t, page)
	page.MustElementR("button", "Import areas").MustClick()
	wait()
	full := frames(t, mapOf(t, s, "/map", 1280, 800))
	few := frames(t, mapOf(t, demoShop(t), "/map", 1280, 800))
	t.Logf("between two frames: %.1f ms, %.1f ms with few areas", full, few)
	assert.Less(t, full, max(50, 3*few), "the median time between two frames in ms, beside that of a map with few areas")
}

// frames gives the median time between two frames in milliseconds while a map is dragged.
func frames(t *testing.T, page *rod.Page) float64 {
	page.MustEval(`() => {
		window.frames_ = [];
		const tick = (t) => { window.frames_.push(t); if (window.frames_.length < 2000) requestAnimationFrame(tick); };
		requestAnimationFrame(tick);
	}`)
	for i := range 4 {
		at := 22.0 + float64(i)/100
		dragMap(page, 60.45, at, 60.5, at+0.3)
	}
	gaps := page.MustEval(`() => window.frames_.slice(1).map((t, i) => t - window.frames_[i])
		.sort((a, b) => a - b)`).Arr()
	require.Greater(t, len(gaps), 10)
	return gaps[len(gaps)/2].Num()
}

// A circle is moved and made larger by its handles, an area as a whole.
func TestShapesAreMoved(t *testing.T) {
	s := demoShop(t)
	page := mapOf(t, s, "/map?zone=van-round", 1280, 800)
	page.MustElementR(".ground-tools button", "Circle").MustClick()
	waitText(t, page, ".shapes", "Circle 1, 5 km")
	drawnMap(t, page)
	zoom(page, 60.4674, 22.026, 11)
	waitFor(t, page, `() => document.querySelectorAll("#ground .marker-icon").length === 2`)
	dragMap(page, 60.4674, 22.026, 60.48, 22.07) // its middle
	waitFor(t, page, `() => (document.querySelector("#circle-middle") || {value: ""}).value.startsWith("60.4")`)
	assert.Equal(t, "", page.MustElement("#circle-location").MustProperty("value").String(), "round a point now")
	waitText(t, page, ".shapes", "Circle 1, 5 km")
	waitText(t, page, "#ground-facts", "78.5 km², 10.0 km at its widest")

	page.MustElementR(".ground-tools button", "Area round the shop").MustClick()
	waitText(t, page, ".shapes", "Area 2")
	drawnMap(t, page)
	zoom(page, 60.4674, 22.026, 11)
	corners := page.MustElement("#shape-points").MustProperty("value").String()
	page.MustElement(`[data-do="move"]`).MustClick()
	dragMap(page, 60.45, 22.0, 60.43, 21.95)
	waitFor(t, page, `(was) => (document.querySelector("#shape-points") || {value: was}).value !== was`, corners)
	waitText(t, page, "#ground-facts", " km at its widest")
}

// What people typed is text on the map too, whatever it looks like.
func TestNamesOnTheMapAreText(t *testing.T) {
	s := demoShop(t)
	page := s.open(t, "/shop", 1280, 800)
	typeOver(page, "#name-workshop", "<b id=bold>Workshop</b>")
	waitText(t, page, "#undo", "Workshop")
	page = mapOf(t, s, "/map", 1280, 800)
	zoom(page, 60.4674, 22.026, 11)
	page.MustReload().MustWaitLoad()
	drawnMap(t, page)
	zoom(page, 60.4674, 22.026, 11)
	page.MustElement(`#ground .pin-shop[title*="Workshop"]`).MustHover()
	waitText(t, page, ".leaflet-tooltip-pane", "<b id=bold>Workshop</b>")
	assert.Empty(t, page.MustElements("#bold"))
}

// In a shop that has nothing yet the map shows the world, and the first zone may be drawn on it.
func TestTheFirstZoneIsDrawn(t *testing.T) {
	s := ownShop(t)
	page := mapOf(t, s, "/map", 1280, 800)
	if into := os.Getenv("WORLD"); into != "" {
		picture(t, page, into)
	}
	zoom(page, 60.5, 22.2, 9)
	page.MustElement(`[data-draw="area"]`).MustClick()
	for _, c := range [][2]float64{{60.3, 21.9}, {60.3, 22.4}, {60.6, 22.4}, {60.3, 21.9}} {
		clickMap(page, c[0], c[1])
	}
	waitText(t, page, ".ground-zone h2", "Area")
	waitText(t, page, "#ground-facts", "no listed code or town inside")
	page.MustElement(`.ground-zone .link`).MustClick()
	waitFor(t, page, `() => !document.querySelector(".ground-zone")`)
	clickMap(page, 60.4, 22.3)
	waitText(t, page, ".pin-till-name", "taken by Area")
}

// A second corner that is dragged while the first is on its way to the server is not lost.
func TestNoCornerIsLostWhileAnotherIsSaved(t *testing.T) {
	s := demoShop(t)
	page := mapOf(t, s, "/map?zone=van-round", 1280, 800)
	zoom(page, 60.47, 22.05, 11)
	page.MustElement(`[data-draw="area"]`).MustClick()
	for _, c := range [][2]float64{{60.43, 21.98}, {60.43, 22.1}, {60.50, 22.1}, {60.50, 21.98}, {60.43, 21.98}} {
		clickMap(page, c[0], c[1])
	}
	waitText(t, page, ".shapes", "Area 1")
	drawnMap(t, page)
	slow(t, page)
	dragCorner(t, page, 60.50, 22.1, 60.52, 22.13)
	from, to := onMap(page, 60.43, 21.98), onMap(page, 60.41, 21.95)
	page.Mouse.MustMoveTo(from.X, from.Y)
	page.Mouse.MustDown(proto.InputMouseButtonLeft)
	page.Mouse.MustMoveTo(from.X-5, from.Y+5)
	time.Sleep(1500 * time.Millisecond) // the first is saved meanwhile, and its answer comes
	page.Mouse.MustMoveTo(to.X, to.Y)
	page.Mouse.MustUp(proto.InputMouseButtonLeft)
	waitFor(t, page, `() => {
		const lines = (document.querySelector("#shape-points") || {value: ""}).value.split("\n");
		return lines.some((l) => l.startsWith("60.52") || l.startsWith("60.519")) &&
			lines.some((l) => l.startsWith("60.41") || l.startsWith("60.409"));
	}`)
}
