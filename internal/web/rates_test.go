package web

import (
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/calendar"
	"diadrom/internal/core/charge"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/terms"
	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// list is a price list as text: a line a row, its break point in front.
func (s *site) list(method, table string) string {
	f := s.draft.State().File
	m := f.Method(method)
	var b strings.Builder
	for i := range m.Tables {
		if t := &m.Tables[i]; t.ID == table {
			for _, r := range t.Rows {
				b.WriteString(edit.AtText(r.At))
				for _, c := range r.Charges {
					b.WriteString(" | " + charge.Format(c, f.Words()))
				}
				b.WriteByte('\n')
			}
		}
	}
	return b.String()
}

func TestBlocksArePastedIntoAPriceList(t *testing.T) {
	s := lauha(t)
	path := "/rates/locker/list/paste" // Finland, Åland, Baltic up to 5, up to 15
	status, body := s.post(path, "at", "5", "zone", "aland", "block", "8,10\t10.20\r\n10.40\tcheap\r\n1\t2\n")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "3 cells taken, 1 cell not", "1 row lie below the last row", ">cheap</textarea>")
	assert.Equal(t, "5 | 5.90 | 8.10 | 10.20\n15 | 7.90 | 10.40 | 14.90\n", s.list("locker", "list"))
	_, body = s.post(path, "at", "5", "zone", "baltic", "block", "9\t9\t9")
	holds(t, body, "1 cell taken; 2 columns of what was pasted lie right of the last zone")
	// Break points in front bring their rows along.
	status, _ = s.post(
		path,
		"at",
		"5",
		"zone",
		"",
		"block",
		"2\t3.00\t4.00\t5.00\n5 kg\t6.00\nup to 10\t7.00\t8.00\n",
	)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(
		t,
		"2 | 3.00 | 4.00 | 5.00\n5 | 6.00 | 8.10 | 9.00\n10 | 7.00 | 8.00 | 14.90\n15 | 7.90 | 10.40 | 14.90\n",
		s.list("locker", "list"),
	)
	before := s.list("locker", "list")
	for _, c := range [][]string{{"at", "5", "zone", "", "block", "1e400\t3"}, {"at", "5", "zone", "", "block",
		"heavy\t3"}, {"at", "99", "zone", "aland", "block", "3"}, {"at", "5", "zone", "mars", "block", "3"},
		{"at", "5", "zone", "aland", "block", "cheap\ncheaper"}} {
		status, _ := s.post(path, c...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
	}
	assert.Equal(t, before, s.list("locker", "list"))
	_, _ = s.post("/undo")
	_, _ = s.post("/undo")
	assert.Equal(t, "5 | 5.90 | 8.10 | 10.20\n15 | 7.90 | 10.40 | 14.90\n", s.list("locker", "list"))
}

func TestColumnsAreMadeMovedAndListsShaped(t *testing.T) {
	s := lauha(t)
	base := "/rates/locker/list/"
	_, _ = s.post(base+"column-as", "zone", "baltic", "from", "finland", "change", "plus 20 %")
	assert.Equal(t, "5 | 5.90 | 7.90 | 7.08\n15 | 7.90 | 9.90 | 9.48\n", s.list("locker", "list"))
	status, body := s.post(base+"column-as", "zone", "baltic", "from", "finland", "change", "dearer")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "write the change as plus 20 %", `value="dearer"`)
	_, _ = s.post(base+"move-column", "zone", "baltic", "step", "left")
	assert.Equal(t, "5 | 5.90 | 7.08 | 7.90\n15 | 7.90 | 9.48 | 9.90\n", s.list("locker", "list"))
	status, _ = s.post(base+"move-column", "zone", "finland", "step", "left")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	_, body = s.post(base+"shape", "field", "edges", "value", "from")
	holds(t, body, "under 5 kg", "15 kg and over")
	assert.Equal(t, "0 | 5.90 | 7.08 | 7.90\n5 | 7.90 | 9.48 | 9.90\n15 | no | no | no\n", s.list("locker", "list"))
	_, _ = s.post(base+"shape", "field", "edges", "value", "up_to")
	assert.Equal(t, "5 | 5.90 | 7.08 | 7.90\n15 | 7.90 | 9.48 | 9.90\n", s.list("locker", "list"), "there and back")
	_, body = s.post(base+"shape", "field", "by", "value", "quantity")
	holds(t, body, "Number of items")
	status, body = s.post(base+"shape", "field", "by", "value", "order")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "remove the others first")
	_, _ = s.post(base+"shape", "field", "by", "value", "weight")
	_, _ = s.post(base+"shape", "field", "graduated", "value", "on")
	assert.True(t, s.draft.State().File.Method("locker").Tables[0].Graduated)
	_, body = s.post(base+"shape", "field", "per", "value", "on")
	holds(t, body, "by weight, for the whole order")
	assert.Equal(t, rate.PerOrder, s.draft.State().File.Method("locker").Tables[0].Per)
	_, body = s.post(base+"shape", "field", "per", "value", "")
	assert.NotContains(t, body, "for the whole order")

	_, body = s.post("/rates/locker/lists", "classes", "Bulky", "by", "billed_weight")
	holds(t, body, "for goods of class Bulky", "for all other goods", "added up")
	m := s.draft.State().File.Method("locker")
	require.Len(t, m.Tables, 2)
	assert.Equal(t, store.Add, m.Classes)
	_, _ = s.post("/rates/locker/combine", "how", "dearest")
	assert.Equal(t, store.Dearest, s.draft.State().File.Method("locker").Classes)
	_, _ = s.post("/methods/locker/term", "zone", "aland", "field", "minimum", "was", "", "text", "2.00")
	require.Contains(t, s.draft.State().File.Method("locker").Terms, "aland")
	_, _ = s.post("/rates/locker/bulky/remove-column", "zone", "aland")
	assert.Contains(
		t,
		s.draft.State().File.Method("locker").Terms,
		"aland",
		"the other list has the zone still",
	)
	_, _ = s.post("/undo")
	for _, c := range [][]string{{"classes", "Odd", "by", "subtotal"}, {"classes", "", "by", "subtotal"},
		{"classes", "bulky", "by", "subtotal"}} {
		status, body := s.post("/rates/locker/lists", c...)
		holds(t, body, `value="subtotal" selected`)
		assert.Equal(
			t,
			http.StatusUnprocessableEntity,
			status,
			"%v: no such class, none, and one that a list has already",
			c,
		)
	}
	_, _ = s.post("/rates/locker/bulky/remove")
	assert.Equal(t, store.Together, s.draft.State().File.Method("locker").Classes)
	status, _ = s.post("/rates/locker/bulky/remove-row", "at", "1")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "a list that is gone")
}

func TestMethodsAreOrderedCopiedSwitchedAndRemoved(t *testing.T) {
	s := lauha(t)
	order := func() string {
		var ids []string
		for _, m := range s.draft.State().File.Methods {
			ids = append(ids, m.ID)
		}
		return strings.Join(ids, " ")
	}
	was := order()
	_, _ = s.post("/methods/parcel/move", "step", "up")
	assert.Equal(t, "parcel letter locker freight van workshop market abroad overseas", order())
	_, _ = s.post("/methods/parcel/move", "before", "van")
	assert.Equal(t, "letter locker freight parcel van workshop market abroad overseas", order())
	_, _ = s.post("/methods/market/move", "before", "letter")
	_, _ = s.post("/methods/market/move", "step", "up")
	assert.Equal(t, "market letter locker freight parcel van workshop abroad overseas", order())
	for range 3 {
		_, _ = s.post("/undo")
	}
	assert.Equal(t, was, order(), "a move that changed nothing is no edit to undo")
	_, _ = s.post("/methods/parcel/copy")
	m := s.draft.State().File.Method("parcel-to-the-door-copy")
	require.NotNil(t, m)
	assert.False(t, m.Enabled)
	assert.Equal(t, s.draft.State().File.Method("parcel").Tables, m.Tables)
	_, _ = s.post("/methods/parcel-to-the-door-copy/remove")
	assert.Equal(t, was, order())
	for _, field := range []string{"taxable", "enabled"} {
		_, _ = s.post("/methods/parcel/switch", "field", field, "value", "")
	}
	_, body := s.post("/methods/parcel/switch", "field", "tells", "value", "on")
	_, _ = s.post("/methods/parcel/switch", "field", "refused", "value", "Too long for the parcel service.")
	_, _ = s.post("/methods/locker/switch", "field", "preselected", "value", "on")
	_, _ = s.post("/methods/letter/switch", "field", "preselected", "value", "on")
	holds(t, body, `id="method-parcel"`)
	f := s.draft.State().File
	p := f.Method("parcel")
	assert.Equal(
		t,
		[]any{false, false, store.Tell, "Too long for the parcel service."},
		[]any{p.Taxable, p.Enabled, p.WhenRefused, p.RefusedText},
	)
	assert.Equal(
		t,
		[]bool{true, false},
		[]bool{f.Method("letter").Preselected, f.Method("locker").Preselected},
		"one at most",
	)
	_, body = s.post("/methods", "name", "Bike courier", "by", "distance", "kind", "delivery")
	holds(t, body, "No buyer is offered this: its list has no price yet")
	_, _ = s.post("/methods", "name", "Fetch it", "by", "order", "kind", "pickup")
	assert.Equal(t, store.Pickup, s.draft.State().File.Method("fetch-it").Kind)
	status, _ := s.get("/methods/nothing")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestTermsAreTypedInTheirGrid(t *testing.T) {
	s := lauha(t)
	post := func(zone, field, was, text string) (int, string) {
		return s.post("/methods/locker/term", "zone", zone, "field", field, "was", was, "text", text)
	}
	status, body := post("aland", "days", "", "3 to 6")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, ">3 to 6 working days</textarea>")
	_, body = post("", "free", "from 90.00", "from 80 or with coupon löyly")
	holds(t, body, "Free from 80.00 or with coupon löyly.", `placeholder="from 80.00 or with coupon löyly"`)
	_, body = post("aland", "weight", "", "up to 10")
	holds(t, body, "up to 10 kg")
	for _, c := range [][4]string{{"aland", "days", "3 to 6 working days", "soon"}, {"", "weight", "up to 15 kg",
		"heavy"}, {"aland", "days", "1 day", "2"}, {"mars", "days", "", "2"}, {"", "only_classes", "", "Odd"}} {
		status, body := post(c[0], c[1], c[2], c[3])
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
		holds(t, body, ">"+c[3]+"</textarea>", "slip-note")
	}
	text, own := terms.Text(s.draft.State().File, s.draft.State().File.Method("locker"), "aland", terms.Weight)
	assert.Equal(t, "up to 10 kg", text)
	assert.True(t, own)
}

func TestOrdersLeaveByTheShopsOwnDays(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	set := func(field, value string, more ...string) (int, string) {
		return s.post(
			"/shop/dispatch",
			append([]string{"field", field, "value", value, "browser_zone", "Europe/Helsinki"}, more...)...)
	}
	status, _ := set("day", "sat", "on", "on")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "there is no cut-off yet")
	_, _ = s.post("/zones", "places", "Finland")
	status, body := set("cut-off", "15.30")
	require.Equal(t, http.StatusOK, status)
	holds(
		t,
		body,
		`value="15:30"`,
		`value="Europe/Helsinki"`,
		`<option value="FI" selected>Finland</option>`,
		"An order placed now leaves on ",
	)
	_, _ = set("day", "sat", "on", "on")
	_, body = set("closed", "24.12.2026 to 26.12.2026, 2027-01-02")
	holds(t, body, `value="2026-12-24 to 2026-12-26, 2027-01-02"`)
	_, _ = set("holidays", "SE")
	want := &calendar.Plan{
		TimeZone: "Europe/Helsinki",
		CutOff:   "15:30",
		Weekdays: []string{"mon", "tue", "wed", "thu", "fri", "sat"},
		Holidays: "SE",
		Closed:   []string{"2026-12-24", "2026-12-25", "2026-12-26", "2027-01-02"},
	}
	assert.Equal(t, want, s.draft.State().File.Store.Dispatch)
	for field, typed := range map[string]string{"cut-off": "noon", "zone": "Europe/Naantali", "closed": "Christmas",
		"holidays": "XX"} {
		status, body := set(field, typed)
		assert.Equal(t, http.StatusUnprocessableEntity, status, field)
		holds(t, body, "slip-note")
		if field != "holidays" {
			holds(t, body, `value="`+typed+`"`)
		}
	}
	assert.Equal(t, want, s.draft.State().File.Store.Dispatch, "what cannot be changes nothing")
	for _, day := range calendar.Weekdays[:5] {
		_, _ = set("day", day)
	}
	status, body = set("day", "sat")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "has to work on some day")
	_, body = set("cut-off", "")
	assert.Nil(t, s.draft.State().File.Store.Dispatch)
	holds(t, body, "without one they read days")
	_, _ = s.post("/undo")
	assert.Equal(t, []string{"sat"}, s.draft.State().File.Store.Dispatch.Weekdays)
}

// The dates that the Till shows are those of the calendar for an order of now.
func TestTheTillShowsDates(t *testing.T) {
	s := lauha(t)
	plan := s.draft.State().File.Store.Dispatch
	c, err := calendar.New(plan)
	require.NoError(t, err)
	dates := func() string {
		leaves := c.Leaves(time.Now())
		return calendar.Format(c.After(leaves, 2, true), c.After(leaves, 4, true))
	}
	before := dates()
	_, body := s.get("/zones")
	if before == dates() { // not at the very moment of the cut-off
		holds(t, body, `<span class="dates" title="2 to 4 working days">`+before+`</span>`)
	}
	_, body = s.post("/shop/dispatch", "field", "cut-off", "value", "")
	holds(t, body, `<div class="sub">2 to 4 working days</div>`)
}

func TestOddThingsStandWhereTheyAre(t *testing.T) {
	s := lauha(t)
	_, _ = s.post("/rates/parcel/list/cell", "zone", "finland", "at", "10", "was", "9.90", "text", "5.00")
	_, body := s.get("/rates/parcel")
	holds(t, body, "Finland: at 5 kg the price falls from €8.40 to €5.00, so that a heavier parcel costs less")
	_, _ = s.post("/methods/locker/term", "zone", "", "field", "free", "was", "from 90.00", "text", "from 5")
	_, body = s.get("/methods")
	holds(t, body, "Free from €5.00 is always free: the cheapest product costs €9.50.")
}

func TestTheShippingPolicyIsServed(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/policy")
	holds(t, body, "<h1>Shipping at Lauha</h1>", "<h2>Parcel to your door</h2>")
	_, body = s.get("/policy.md")
	holds(t, body, "# Shipping at Lauha", "## Parcel locker near you")
	_, body = s.get("/policy.html")
	holds(t, body, "<!doctype html>", "<h2>Parcel locker near you</h2>")
	assert.NotContains(t, body, "<script")
	empty := opened(t, draft.Empty(), false)
	status, _ := empty.get("/policy")
	assert.Equal(t, http.StatusOK, status)
}

func TestAForeignPriceListIsLookedAtAndMade(t *testing.T) {
	s := lauha(t)
	_, body := s.send(
		"/rates-file",
		"carrier.csv",
		"country,weight to,price\nFI,2,6.90\nNorway,2,19.00\nFI,10,9.90\n*,2,29\n",
	)
	holds(
		t,
		body,
		"up to and including 2 kg",
		"Norway <small>new zone</small>",
		`value="carrier"`,
		"Import as a method called",
		"19.00",
	)
	before := s.draft.State().Revision
	path := body[strings.Index(body, `action="/rates-file/`)+8:]
	path = path[:strings.IndexByte(path, '"')]
	_, body = s.get(path + "?edges=from&by=quantity")
	holds(t, body, "under 2 items")
	_, body = s.get(path + "?c2=")
	holds(t, body, "no column is the price")
	assert.Equal(t, before, s.draft.State().Revision, "looking makes nothing")
	status, body := s.post(path, "name", "")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a name is needed")
	_, body = s.post(path, "name", "Carrier parcels")
	holds(t, body, "Carrier parcels, by weight")
	assert.Equal(t, "2 | 6.90 | 19.00 | 29.00\n10 | 9.90 | no | no\n", s.list("carrier-parcels", "list"))
	_, table := s.get("/rates-file?method=carrier-parcels&grid=list")
	assert.Equal(t, "weight (kg) up to,Finland,Norway,everywhere\n2,6.90,19.00,29.00\n10,9.90,no,no\n", table)
	_, table = s.get("/rates-file")
	holds(t, table, "carrier-parcels,list,weight,up_to,2,norway,19.00,no,,parcel\n", "letter,list,")
	_, body = s.send("/rates-file", "bad.csv", "country,to,price\nFI,2,6.90\nFI,2,7.90\nFI,5,cheap\n")
	holds(
		t,
		body,
		"2 of its prices cannot be used, or contradict others",
		"line 2 says 6.90 for the same, this one 7.90",
	)
	assert.NotContains(t, body, "Import as a method called")
	_, body = s.send("/rates-file", "empty.csv", "")
	holds(t, body, "this file is empty")
	status, _ = s.get("/rates-file?method=nothing")
	assert.Equal(t, http.StatusNotFound, status)
}

func TestACurveIsReadWhereOnePoints(t *testing.T) {
	s := lauha(t)
	_, body := s.part("/rates/parcel/list/read?x=2")
	holds(t, body, "2 kg", "Finland", "6.90", "9.90")
	_, body = s.part("/rates/parcel/list/read?x=2.1")
	holds(t, body, "8.40")
	_, body = s.part("/rates/parcel/list/read?x=11")
	holds(t, body, "not offered", "10.70")
	for _, x := range []string{"", "-1", "1e400", "x"} {
		status, body := s.part("/rates/parcel/list/read?x=" + x)
		assert.Equal(t, http.StatusOK, status)
		assert.Empty(t, body)
	}
	_, _ = s.post("/rates/parcel/list/rows", "at", "2000")
	_, body = s.get("/rates/parcel")
	holds(t, body, "The scale is logarithmic", "data-log")
}

func TestACurveNamesItsAxesAndWaitsForAPrice(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/rates/van")
	holds(t, body, ">charge, EUR</text>", ">distance, km</text>", `<a href="/extras"`)
	_, _ = s.post("/methods", "name", "Fresh", "by", "quantity")
	_, body = s.get("/rates/fresh")
	holds(t, body, "The curve is drawn here once the list has a price.")
	assert.NotContains(t, body, "data-curve")
	_, body = s.post("/rates/fresh/list/cell", "zone", "finland", "at", "", "was", "no", "text", "5.00")
	holds(t, body, `id="curve-list" hx-swap-oob="true"`, ">number of items</text>", "data-curve")
}

func TestDatesOfAMethodThatHavePassed(t *testing.T) {
	s := lauha(t)
	_, _ = s.post("/methods/letter/term", "zone", "", "field", "available", "was", "",
		"text", "2021-12-01 to 2021-12-24")
	_, body := s.get("/methods")
	holds(t, body, "This has ended, so no buyer is offered it: it was available 1 December 2021 to 24 December 2021.")
}

func TestAMinimumTypedIntoACellIsOfferedAsATerm(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/rates/parcel/list/cell", "zone", "finland", "at", "2", "was", "6.90", "text", "5 %, min 4",
		"dom", "c-1")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a cell has no minimum or maximum", "minimum 4.00", "for Finland", "5 %, min 4</textarea>")
	status, body = s.post("/rates/parcel/list/bounds", "zone", "finland", "at", "2", "was", "6.90", "rest", "5 %",
		"minimum", "4.00", "maximum", "")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "At least 4.00")
	assert.Equal(t, "4", s.draft.State().File.Method("parcel").TermsIn("finland").Minimum.String())
	status, _ = s.post("/rates/parcel/list/bounds", "zone", "finland", "at", "2", "was", "6.90", "rest", "7 %")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "the cell is another by now")
}

// form is the address of the form that applies a preview.
func form(t *testing.T, page string) string {
	t.Helper()
	m := regexp.MustCompile(`<form action="([^"]*)" method="post" class="grow">`).FindStringSubmatch(page)
	require.NotNil(t, m)
	return html.UnescapeString(m[1])
}

// What a list leaves open stands above it with what answers it, and nothing is imported before.
func TestQuestionsOfAPriceListAreAnswered(t *testing.T) {
	s := lauha(t)
	before := s.draft.State().Revision
	_, page := s.send("/rates-file", "carrier.csv", "Prices in USD\n\nWeight;Zone 1;Zone 2;Fuel %\n"+
		"0-500;7,00;9,00;10\n"+
		"500-2000;8,00;11,00;10\n\nZone;Countries\nZone 2;Estonia\n")
	holds(t, page, "The prices are in USD", "Not ready to import", `name="rate"`)
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.get(file + "?rate=0,5")
	holds(t, page, "Where is “Zone 1”?", "Nothing says in which unit the weights are", "Add 10 %", "unit=g", "Zone 2")
	status, page := s.post(file+"?rate=0,5", "name", "Too early")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, page, "a question is open")
	assert.Equal(t, before, s.draft.State().Revision)
	_, page = s.get(file + "?rate=0,5&z:Zone+1=Lapland&percent=5&answer=" +
		url.QueryEscape("percent=10&ok=surcharge"))
	holds(t, page, `name="z:Zone 1" value="Lapland"`, `name="percent"`, `value="10"`, `name="ok" value="surcharge"`)
	_, page = s.get(file + "?rate=0,5&unit=g&z:Zone+1=Nowhere+at+all")
	holds(t, page, "“Nowhere at all” is not understood")
	_, page = s.get(file + "?rate=0,5&unit=g&percent=10&ok=surcharge&z:Zone+1=Lapland")
	holds(t, page, "3.85", "4.40", "up to and including 0.5 kg", `name="z:Zone 1" value="Lapland"`,
		"1 USD is 0.5 EUR")
	status, _ = s.post(form(t, page), "name", "Kuura")
	assert.Less(t, status, 400)
	assert.Equal(t, "0.5 | 3.85 | 4.95\n2 | 4.40 | 6.05\n", s.list("kuura", "list"))
	m := s.draft.State().File.Method("kuura")
	assert.Equal(t, []string{"lapland", "zone-2"}, m.Tables[0].Zones)
	_, page = s.get("/rates-file/99?rate=x")
	holds(t, page, "not kept any more")
}

func TestAPriceListShowsWhereItsNewZonesAre(t *testing.T) {
	s := lauha(t)
	_, page := s.send("/rates-file", "carrier.csv", "kg;Iberia;Norway;ES, FR, GR, IT, PL, PT\n"+
		"2;7,00;9,00;8,00\n5;8;10;9\n")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.get(file + "?z:Iberia=Atlantida")
	holds(t, page, "Atlántida <small>new zone</small> <small>Atlántida (HN-AT)</small>",
		"Norway <small>new zone</small></th>",
		"<small>new zone</small> <small>Spain, France, Greece, Italy, Poland and 1 more</small>")
	_, page = s.get(file + "?z:Iberia=" + url.QueryEscape("PT, AD"))
	holds(t, page, "<small>new zone</small> <small>Portugal, Andorra</small>")
}

// A shop that starts empty may begin with a carrier's list: it makes the zones, the method and its prices.
func TestAnEmptyShopBeginsWithACarriersList(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, page := s.get("/rates")
	holds(t, page, "Or begin with a carrier's price list")
	_, page = s.send("/rates-file", "Kuura.csv", "Weight (kg);Finland;Zone 2\n2;6,90;12,00\n5;8,40;15,00\n\n"+
		"Zone;Countries\nZone 2;Estonia, Latvia\n")
	holds(t, page, "Finland <small>new zone</small>", "Zone 2 <small>new zone</small>")
	status, _ := s.post(form(t, page), "name", "Kuura")
	assert.Less(t, status, 400)
	assert.Equal(t, "2 | 6.90 | 12.00\n5 | 8.40 | 15.00\n", s.list("kuura", "list"))
	f := s.draft.State().File
	assert.Len(t, f.Zones, 2)
	assert.Len(t, f.Zones[1].Places, 2)
}

// How a file was read is how the next one of the same list is read at first; what was added to its prices is asked
// again.
func TestTheNextFileOfAListIsReadAsTheLast(t *testing.T) {
	s := lauha(t)
	_, page := s.send("/rates-file?into=parcel/list", "one.csv", "Weight;Zone 1;Finland\n500;7,00;6,90\n"+
		"2000;8,00;7,90\n"+
		"Fuel surcharge 10 %\n")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.get(file + "?into=parcel/list&unit=g&percent=10&ok=surcharge&z:Zone+1=Lapland")
	status, _ := s.post(form(t, page))
	require.Less(t, status, 400)
	_, page = s.send("/rates-file?into=parcel/list", "two.csv", "Weight;Finland;Zone 1\n500;7,90;8,00\n"+
		"2000;8,90;9,00\n"+
		"Fuel surcharge 10 %\n")
	holds(t, page, "As with the last file of this list: weights in g; “Zone 1” is Lapland.", "up to and including 0.5 kg",
		"Fuel surcharge 10 %. Add it", "was 7.59")
	assert.NotContains(t, page, "Where is")
	_, page = s.send("/rates-file", "two.csv", "Weight;Finland;Zone 1\n500;7,90;8,00\n2000;8,90;9,00\n")
	holds(t, page, "Where is “Zone 1”?")
}

// Each text that is not understood is asked about once: where it is, which price it means, or whether its lines are left out.
// The answers hold for the next file of the list, and are taken back.
func TestTextsThatAreNotUnderstoodAreAnswered(t *testing.T) {
	s := lauha(t)
	const list = "Country;up to kg;Price\nFinland;2;6,90\nFinland;5;quote\nGermnay;2;14,50\nGermnay;5;quote\nNowhereland;2;9,00\n"
	_, page := s.send("/rates-file?into=parcel/list", "one.csv", list)
	holds(t, page, "Lines 3, 5: “quote” is not a price. What does it mean?", "Not offered", "Leave these lines out",
		"Where is “Germnay”?", "Where is “Nowhereland”?", "Not ready to import")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	answers := url.Values{"into": {"parcel/list"}, "p:quote": {"not offered"}, "z:Germnay": {"Germany"}, "l:Nowhereland": {"yes"},
		"ok": {"prices", "overlap", "jump"}}
	_, page = s.get(file + "?" + answers.Encode())
	holds(t, page, "“quote” means not offered. ", "“Germnay” is Germany. ", "Lines with “Nowhereland” are left out. ", "Take back",
		"left out, as you said")
	assert.NotContains(t, page, "What does it mean?")
	assert.NotContains(t, page, "Where is")
	status, _ := s.post(form(t, page))
	require.Less(t, status, 400)
	_, page = s.send("/rates-file?into=parcel/list", "two.csv", list)
	holds(t, page, "As with the last file of this list: ", "“quote” means not offered", "“Germnay” is Germany")
	file = regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	back := regexp.MustCompile(`value="([^"]*)" aria-label="Take back: “quote” means`).FindStringSubmatch(page)[1]
	_, page = s.get(file + "?" + answers.Encode() + "&answer=" + url.QueryEscape(html.UnescapeString(back)))
	holds(t, page, "“quote” is not a price. What does it mean?", "“Germnay” is Germany. ")
}

// Prices are read back from the table before it is imported, with the line that says so, and any other that one types.
func TestAListIsReadBackBeforeItIsImported(t *testing.T) {
	s := lauha(t)
	_, page := s.send("/rates-file", "one.csv", "Weight (kg);Finland;Germany\n2;6,90;14,50\n5;8,90;18,00\n")
	holds(t, page, "Read back", "1 kg to Finland", "€6.90", "line 2", "cheapest", "3 kg to Germany", "dearest")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.get(file + "?try=4500+g&try-zone=finland")
	holds(t, page, "4.5 kg to Finland", "€8.90", "line 3", "as you typed it")
	_, page = s.get(file + "?try=9&try-zone=finland")
	holds(t, page, "9 kg to Finland", "not offered")
	_, page = s.get(file + "?try=heavy")
	holds(t, page, `value="heavy"`, `aria-invalid="true"`, `role="alert"`)
}

// Where the zones of a list are may come in a second file.
func TestZonesOfAPriceListFromAnotherFile(t *testing.T) {
	s := lauha(t)
	_, page := s.send("/rates-file", "carrier.csv", "kg;Zone 1;Zone 2\n2;7,00;9,00\n5;8,00;11,00\n")
	holds(t, page, "Where is “Zone 1”?", "Where is “Zone 2”?")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.send(file+"/key?decimal=,", "zones.csv", "Country;Zone\nEstonia;1\nSweden;2\n")
	holds(t, page, "Zone 1 <small>new zone</small>", "Another file that says where its zones are")
	assert.NotContains(t, page, "Where is")
	status, _ := s.post(form(t, page), "name", "Kuura")
	assert.Less(t, status, 400)
	assert.Equal(t, "2 | 7.00 | 9.00\n5 | 8.00 | 11.00\n", s.list("kuura", "list"))
	_, page = s.send(file+"/key", "zones.csv", "a,b\nc,d\n")
	holds(t, page, "not kept any more")
	_, page = s.send("/rates-file", "carrier.csv", "kg;Zone 1\n2;7,00\n")
	file = regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.send(file+"/key", "zones.csv", "a,b\nc,d\n")
	holds(t, page, "does not say where zones are")
}

// A table of all rate tables comes back as it went out; what was changed in it changes that alone, in one edit.
func TestTheTableOfAllRatesIsChangedAndComesBack(t *testing.T) {
	s := lauha(t)
	_, table := s.get("/rates-file")
	_, page := s.send("/rates-file", "rates.csv", table)
	holds(t, page, "nothing changes", "Update the rates")
	before := string(s.draft.State().File.Write())
	status, _ := s.post(form(t, page))
	assert.Less(t, status, 400)
	assert.Equal(t, before, string(s.draft.State().File.Write()))
	changed := strings.Replace(table, "up_to,2,finland,6.90,", "up_to,2,finland,7.30,", 1)
	_, page = s.send("/rates-file", "rates.csv", changed)
	holds(t, page, "1 price raised")
	_, _ = s.post(form(t, page))
	after := string(s.draft.State().File.Write())
	was, is := strings.Split(before, "\n"), strings.Split(after, "\n")
	require.Len(t, is, len(was))
	differs := 0
	for i := range was {
		if was[i] != is[i] {
			differs++
		}
	}
	assert.Equal(t, 1, differs, "one cell is another, and nothing else")
	_, _ = s.post("/undo")
	assert.Equal(t, before, string(s.draft.State().File.Write()))
	_, grid := s.get("/rates-file?method=van&grid=round")
	_, page = s.send("/rates-file?into=van/round", "van.csv", grid)
	holds(t, page, "nothing changes")
	_, page = s.send("/rates-file?into=parcel/list", "van.csv", grid)
	holds(t, page, "the file goes by distance, this list by weight")
}
