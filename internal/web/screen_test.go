package web

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"diadrom/internal/edit"
	"diadrom/internal/shop/draft"
	"diadrom/internal/tables/sheet"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestEveryPageAnswers(t *testing.T) {
	for name, s := range map[string]*site{"demo": lauha(t), "empty": opened(t, draft.Empty(), false)} {
		for _, path := range []string{"/", "/shop", "/zones", "/goods", "/methods", "/carriers", "/rates", "/extras",
			"/quotes", "/promises",
			"/live", "/people"} {
			status, body := s.get(path)
			assert.Equal(t, http.StatusOK, status, "%s %s", name, path)
			assert.Contains(t, body, `id="till"`)
			assert.NotContains(t, body, "style=", "the policy forbids inline styles")
			assert.NotContains(t, body, "onclick")
		}
	}
	s := lauha(t)
	for _, path := range []string{"/nowhere", "/rates/nothing"} {
		status, body := s.get(path)
		assert.Equal(t, http.StatusNotFound, status)
		assert.Contains(t, body, "There is no")
	}
}

// Whoever opens a part of a page by itself comes to the page.
func TestEveryAddressShowsAWholePage(t *testing.T) {
	s := lauha(t)
	for _, path := range []string{"/lists", "/live/changes", "/live/1/again", "/suggest/places?text=a",
		"/suggest/addresses?text=a", "/suggest/goods?text=a", "/rates/parcel/list/read?x=2",
		"/rates/parcel/list/aside"} {
		status, body := s.get(path)
		assert.Equal(t, http.StatusOK, status, path)
		assert.Contains(t, body, `id="course"`, path)
		_, body = s.part(path)
		assert.NotContains(t, body, "<html", path)
	}
}

func TestWhatIsTypedIsEscaped(t *testing.T) {
	s := lauha(t)
	nasty := `<script>alert(1)</script>"'`
	for _, c := range [][]string{{"/zones/aland/name", "name", nasty}, {"/methods/letter/name", "field", "label",
		"value", nasty}, {"/goods/cell", "sku", "SEAT-1", "field", "name", "was", "Linen seat cover", "text", nasty},
		{"/zones", "places", nasty}, {"/till/destination", "to", nasty}, {"/till/add", "sku", nasty}} {
		req, err := http.NewRequest(http.MethodPost, s.URL+c[0], strings.NewReader(func() string {
			form := url.Values{}
			for i := 1; i < len(c); i += 2 {
				form.Set(c[i], c[i+1])
			}
			return form.Encode()
		}()))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
		resp, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		body, err := io.ReadAll(resp.Body)
		resp.Body.Close()
		require.NoError(t, err)
		assert.NotContains(t, string(body), "<script>alert", c[0])
		assert.Contains(t, string(body), "alert(1)", "%s shows what was typed", c[0])
	}
}

func TestZonesAreTypedNamedSwitchedAndRemoved(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/zones", "places", "NO, SJ, not NO 9*")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "Norway and 1 more")
	z := s.draft.State().File.Zone("norway-and-1-more")
	require.NotNil(t, z)
	assert.Len(t, z.Except, 1)

	status, body = s.post("/zones/norway-and-1-more/places", "places", "9170, 9171, NO 0150 to 0159")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "NO 0150 to 0159")
	for _, c := range []struct{ path, field, typed, says string }{
		{"/zones/norway-and-1-more/places", "places", "9170", "in this zone already"},
		{"/zones/norway-and-1-more/places", "places", "917", "not a whole postcode of Norway"},
		{"/zones/norway-and-1-more/name", "name", "", "a name is needed"},
		{"/zones/norway-and-1-more/name", "name", "lapland", "another zone is called Lapland"},
		{"/zones/norway-and-1-more/name", "name", strings.Repeat("x", 81), "at most 80 letters"},
		{"/zones", "places", "not Sweden", "what the zone takes"},
		{"/zones", "places", "Georgia", "US-GA"},
		{"/zones/finland/remove", "", "", "has prices in Letter"},
		{"/zones/nothing/name", "name", "x", "removed meanwhile"},
		{"/zones/norway-and-1-more/remove-place", "key", "places/0/7", "not in this zone any more"},
	} {
		status, body := s.post(c.path, c.field, c.typed)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c.path)
		assert.Contains(t, body, c.says)
		if c.typed != "" && c.field != "key" && !strings.Contains(c.path, "nothing") {
			kept := strings.Contains(body, `value="`+c.typed+`"`) ||
				strings.Contains(body, ">"+c.typed+"</textarea>")
			assert.True(t, kept, "what was typed is kept: %s", c.typed)
		}
	}
	status, _ = s.post("/zones/norway-and-1-more/remove-place", "key", "places/2/1", "text", "NO 9171")
	assert.Equal(t, http.StatusOK, status)
	s.post("/zones/norway-and-1-more/enabled")
	z = s.draft.State().File.Zone("norway-and-1-more")
	assert.False(t, z.Enabled)
	assert.Equal(t, []string{"NO 9170", "NO 0150 to 0159"}, z.Places[2].Words())
	status, _ = s.post("/zones/norway-and-1-more/remove")
	assert.Equal(t, http.StatusOK, status)
	z = s.draft.State().File.Zone("norway-and-1-more")
	assert.Nil(t, z)
}

func TestHundredsOfCodesArePastedAtOnce(t *testing.T) {
	s := lauha(t)
	var b strings.Builder
	for i := range 297 {
		fmt.Fprintf(&b, "%05d\r\n", 50000+i)
	}
	b.WriteString("5000\r\n500000\r\nABCDE\r\n50001")
	status, body := s.post("/zones", "places", b.String())
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "297 taken, 50001 already there")
	assert.Contains(t, body, "3 parts not taken: 5000 is not a whole postcode of Finland")
	assert.Contains(t, body, ">5000, 500000, ABCDE</textarea>", "the impossible ones stay, to be mended")
	status, body = s.post("/zones/finland-50000-and-296-more/places", "places", "50296 50297 50298")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "2 taken, FI 50296 already there")
	z := s.draft.State().File.Zone("finland-50000-and-296-more")
	assert.Len(t, z.Places[0].Postcodes, 299)
	status, body = s.post("/zones", "places", "1, 2, 3, 4, 5")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "none of these can be taken")
	assert.Contains(t, body, "and 2 more")
}

func TestAPinnedZoneComesBeforeNarrowerOnes(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/zones/finland/pinned", "pinned", "on")
	require.Equal(t, http.StatusOK, status)
	assert.Regexp(t, `(?s)Pinned before all others</h2>.*id="zone-finland".*Postcodes</h2>`, body)
	assert.Contains(t, body, "Our own van", "methods keep the zones that they serve")
	s.post("/zones/lapland/pinned", "pinned", "on")
	lapland := s.draft.State().File.Zone("lapland")
	finland := s.draft.State().File.Zone("finland")
	assert.Less(t, *lapland.Rank, *finland.Rank, "the last one pinned comes first")
	s.post("/zones/finland/pinned")
	s.post("/zones/lapland/pinned")
	for _, z := range s.draft.State().File.Zones {
		assert.Nil(t, z.Rank)
	}
}

func TestTheTillsAddressIsTriedOnAllZones(t *testing.T) {
	s := lauha(t)
	s.post("/till/destination", "to", "21660 Nauvo")
	_, body := s.get("/zones")
	_, tried, _ := strings.Cut(body, `id="tried"`)
	assert.Regexp(
		t,
		`21660 Nauvo</b> is taken by .*Finland</b> \(country FI\), then .*European Union</b> \(group EU\), `+
			`then .*Rest of the world`,
		tried,
	)
	assert.Regexp(t, `Van round</b> leaves out FI 21660`, tried)
	assert.Regexp(t, `Åland</b> nearest is FI 22\*`, tried)
	s.post("/till/destination", "to", "Russia")
	_, body = s.get("/zones")
	assert.Contains(t, body, "is taken by no zone")
	assert.Regexp(t, `Rest of the world</b> leaves out Russia`, body)
}

const cellPath = "/rates/parcel/list/cell"

func TestPriceListsGrowAndShrink(t *testing.T) {
	s := lauha(t)
	table := func() (rows []string, zones []string) {
		m := s.draft.State().File.Method("parcel")
		for _, r := range m.Tables[0].Rows {
			rows = append(rows, edit.AtText(r.At))
		}
		return rows, m.Tables[0].Zones
	}
	status, _ := s.post("/rates/parcel/list/rows", "at", "7,5 kg")
	require.Equal(t, http.StatusOK, status)
	rows, _ := table()
	assert.Equal(t, []string{"2", "5", "7.5", "10", ""}, rows, "where it belongs")
	m := s.draft.State().File.Method("parcel")
	assert.Equal(
		t,
		m.Tables[0].Rows[3].Charges,
		m.Tables[0].Rows[2].Charges,
		"with the charges that held there until now",
	)
	for _, c := range []struct{ path, field, typed, says string }{
		{"/rates/parcel/list/rows", "at", "7.50", "a row at 7.5 already"}, {"/rates/parcel/list/rows", "at", "heavy",
			"not a number"}, {"/rates/parcel/list/rows", "at", "-1", "below 0"},
		{"/rates/parcel/list/rows", "at", strings.Repeat("9", 41), "too long"}, {"/rates/parcel/list/rows", "at",
			strings.Repeat("9", 20), "digits"},
		{"/rates/parcel/list/columns", "zone", "finland", "a column already"}, {"/rates/parcel/list/columns", "zone",
			"atlantis", "no zone is called atlantis"},
		{"/rates/parcel/list/remove-row", "at", "77", "not there any more"}, {"/rates/parcel/list/remove-column",
			"zone", "world", "not there any more"},
		{"/rates/workshop/list/remove-row", "at", "", "keeps one row"},
	} {
		status, body := s.post(c.path, c.field, c.typed)
		assert.Equal(t, http.StatusUnprocessableEntity, status, "%s %s", c.path, c.typed)
		assert.Contains(t, body, c.says)
	}
	s.post("/rates/parcel/list/remove-row", "at", "7.5")
	s.post("/rates/parcel/list/columns", "zone", "world")
	rows, zones := table()
	assert.Equal(t, []string{"2", "5", "10", ""}, rows)
	assert.Equal(t, []string{"finland", "aland", "lapland", "baltic", "eu", "world"}, zones)
	status, body := s.post("/rates/parcel/list/remove-column", "zone", "aland")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "Åland lies in Finland, whose prices would count there")
	assert.Contains(
		t,
		body,
		"Without this column, buyers in Åland are offered this method at the prices of Finland",
	)
	assert.Contains(
		t,
		s.draft.State().File.Method("parcel").ServedZones(),
		"aland",
		"nothing is changed before it is agreed to",
	)
	s.post("/rates/parcel/list/close-column", "zone", "lapland")
	assert.Nil(
		t,
		s.draft.State().File.Method("parcel").Tables[0].Rows[0].Charges[2],
		"no in every row keeps a method from a zone",
	)
	s.post("/rates/parcel/list/remove-column", "zone", "aland", "agreed", "yes")
	m = s.draft.State().File.Method("parcel")
	assert.NotContains(t, m.Terms, "aland", "terms of a zone go with its last column")
	assert.Len(t, m.Tables[0].Rows[0].Charges, 5)
	status, _ = s.post("/rates/parcel/list/at", "at", "3", "was", "2")
	assert.Equal(t, http.StatusOK, status)
	for typed, says := range map[string]string{"10": "at 10 already", "12": "above the next row", "x": "not a number"} {
		status, body := s.post("/rates/parcel/list/at", "at", typed, "was", "3")
		assert.Equal(t, http.StatusUnprocessableEntity, status)
		assert.Contains(t, body, says)
	}
}

func TestAnEditIsAnsweredWithTheTillRequoted(t *testing.T) {
	s := lauha(t)
	status, body := s.post(cellPath, "zone", "finland", "at", "2", "was", "6.90", "text", "5 + 1 per item")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, `hx-swap-oob="true"`)
	assert.Contains(t, body, "5.00 + 1.00 per item</textarea>", "in its canonical form")
	assert.Contains(t, body, "5.00 + 1.00 × 3 items = 8.00")
	assert.Contains(t, body, "was €6.90")
	assert.Contains(t, body, "Saved")
	assert.Contains(t, body, `id="curve-list" hx-swap-oob="true"`, "the curve follows")
	assert.Contains(t, body, "this cart with its box: 1.45 kg, 8.00")
	_, body = s.post(cellPath, "zone", "finland", "at", "2", "was", "5.00 + 1.00 per item", "text", "no")
	assert.Contains(t, body, "Not offered any more: Parcel to your door")
	_, body = s.post(cellPath, "zone", "finland", "at", "2", "was", "no", "text", "free")
	assert.Contains(t, body, "newly offered")
}

func TestCurvesOfEveryDemoList(t *testing.T) {
	s := lauha(t)
	for _, m := range s.draft.State().File.Methods {
		status, body := s.get("/rates/" + m.ID)
		require.Equal(t, http.StatusOK, status)
		assert.NotContains(t, body, "NaN")
		assert.NotContains(t, body, "Inf")
		for _, table := range m.Tables {
			drawn := strings.Contains(body, `id="curve-`+table.ID+`"`)
			assert.Equal(t, table.By != "order", drawn, "%s %s", m.ID, table.ID)
		}
	}
	_, body := s.get("/rates/van")
	assert.Contains(t, body, "this cart: 8.941 km, 9.00")
}

func TestAPriceThatCannotBeKeepsWhatIsSaved(t *testing.T) {
	s := lauha(t)
	before := string(s.draft.State().File.Write())
	for typed, says := range map[string]string{"": "6.90", "1e400": "does not belong", "cheap": "how a term begins",
		"1.200,50": "1200.50", "-3": "below 0", "2 per mile": "kg and km", strings.Repeat("9", 400): "digits"} {
		status, body := s.post(cellPath, "zone", "finland", "at", "2", "was", "6.90", "text", typed)
		assert.Equal(t, http.StatusUnprocessableEntity, status, typed)
		assert.Contains(t, body, says)
		assert.Contains(t, body, ">"+typed+"</textarea>")
	}
	for _, c := range [][]string{{"zone", "finland", "at", "99"}, {"zone", "mars", "at", "2"}, {"zone", "finland", "at",
		"2", "was", "6.80"}} {
		status, _ := s.post(cellPath, append(c, "text", "1.00")...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
	}
	assert.Equal(t, before, string(s.draft.State().File.Write()), "nothing was changed")
}

func TestGoodsAreTypedInPlace(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/goods/cell", "sku", "LADLE-B", "field", "weight", "was", "0.4", "text", "0,55 kg")
	require.Equal(t, http.StatusOK, status, body)
	assert.Contains(t, body, "1.25 kg", "the Till's cart weighs more at once")
	status, body = s.post("/goods/cell", "sku", "LADLE-B", "field", "weight", "was", "0.55", "text", "")
	require.Equal(t, http.StatusOK, status)
	assert.Contains(
		t,
		body,
		`<em>1<span class="noun"> warning</span></em>`,
		"the course line says that something is wrong",
	)
	assert.Contains(t, body, "Birch ladle has no weight and counts as 0 kg")
	for _, c := range [][]string{
		{"/goods/cell", "sku", "LADLE-B", "field", "weight", "was", "", "text", "-1", "below 0"},
		{"/goods/cell", "sku", "LADLE-B", "field", "price", "was", "24.00", "text", "1.200,5",
			"is not a number: write a price as 12.50"},
		{"/goods/cell", "sku", "LADLE-B", "field", "price", "was", "1.00", "text", "2", "changed to 24.00"},
		{"/goods/cell", "sku", "NONE", "field", "price", "text", "2", "removed meanwhile"},
		{"/goods", "sku", "", "name", "", "price", "1", "needs a sku"}, {"/goods", "sku", "LADLE-B", "name", "X",
			"price", "1",
			"already"}, {"/goods", "sku", "NEW", "name", "", "price", "1", "a name is needed"},
		{"/goods/set", "selected", "NONE", "field", "remove", "select the products first"},
	} {
		status, body := s.post(c[0], c[1:len(c)-1]...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
		assert.Contains(t, body, c[len(c)-1])
	}
	status, _ = s.post("/goods", "sku", "NEW-1", "name", "New thing", "price", "9", "weight", "1.5")
	assert.Equal(t, http.StatusOK, status)
	_, body = s.post("/till/add", "sku", "new thing")
	assert.Contains(t, body, "New thing")
	status, _ = s.post("/goods/set", "selected", "NEW-1", "field", "remove")
	assert.Equal(t, http.StatusOK, status)
	status, body = s.get("/goods")
	assert.Equal(t, http.StatusOK, status, "the Till leaves out what is gone")
	assert.NotContains(t, body, `value="New thing"`)
}

func TestMethodsAndTheShopItself(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	_, body := s.post("/methods", "name", "Parcel", "by", "weight")
	assert.Contains(t, body, "make a zone first")
	status, _ := s.post("/shop", "name", "Mine", "currency", "sek", "weight", "g", "distance", "mi")
	require.Equal(t, http.StatusOK, status)
	status, body = s.post("/shop", "name", "Mine", "currency", "XXX", "weight", "g", "distance", "mi")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "no currency")
	s.post("/zones", "places", "Sweden")
	for i, by := range []string{"order", "weight", "subtotal", "quantity", "distance"} {
		status, body := s.post("/methods", "name", "Parcel", "by", by)
		require.Equal(t, http.StatusOK, status, body)
		id := "parcel"
		if i > 0 {
			id = fmt.Sprintf("parcel-%d", i+1)
		}
		status, body = s.get("/rates/" + id)
		require.Equal(t, http.StatusOK, status)
		assert.Contains(t, body, `data-grid`)
	}
	status, body = s.post("/methods", "name", "Parcel", "by", "colour")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "choose what")
	status, body = s.post("/shop", "name", "Mine", "currency", "EUR", "weight", "g", "distance", "mi")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	assert.Contains(t, body, "would change what they mean")
	s.post("/methods/parcel/switch", "field", "enabled")
	s.post("/methods/parcel/name", "field", "label", "value", "To your door")
	m := s.draft.State().File.Method("parcel")
	assert.False(t, m.Enabled)
	assert.Equal(t, "To your door", m.Label)
}

func TestTheTillsBounds(t *testing.T) {
	s := lauha(t)
	for _, c := range [][]string{
		{"/till/line", "line", "0", "field", "quantity", "value", "0", "from 1 to 1000000"}, {"/till/line", "line", "0",
			"field", "quantity", "value", "1000000000", "from 1 to 1000000"},
		{"/till/line", "line", "0", "field", "quantity", "value", "two", "whole number"}, {"/till/line", "line", "9",
			"field", "quantity", "value", "1", "not in the cart"},
		{"/till/destination", "to", "", "type where"}, {"/till/destination", "to", "2110 Naantali", "5 digits"},
		{"/till/destination", "to", strings.Repeat("x", 300), "at most 200"},
		{"/till/cart", "cart", "none", "choose a cart"}, {"/till/add", "sku", "none", "no product"},
	} {
		status, body := s.post(c[0], c[1:len(c)-1]...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
		assert.Contains(t, body, c[len(c)-1])
	}
	status, body := s.post("/till/line", "line", "0", "field", "quantity", "value", "1000000")
	assert.Equal(t, http.StatusOK, status)
	assert.Contains(t, body, "29000024.00")
	_, body = s.post("/till/cart", "cart", "gift")
	assert.Contains(t, body, "Nothing in this cart needs shipping")
	_, _ = s.post("/till/destination", "to", "Russia")
	s.post("/till/cart", "cart", "letter")
	_, body = s.get("/quotes")
	assert.Contains(t, body, "We do not deliver to Russia.")
}

// Numbers at the edge of what can be typed are reckoned and drawn, and no page is lost to them.
func TestTheLargestNumbersThatCanBeTyped(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	s.post("/zones", "places", "Finland")
	s.post("/methods", "name", "Parcel", "by", "weight")
	largest := strings.Repeat("9", 15)
	for _, c := range [][]string{
		{"/till/line", "line", "0", "field", "weight", "value", largest}, {"/till/line", "line", "0", "field", "price",
			"value", largest}, {"/till/line", "line", "0", "field", "quantity", "value", "1000000"},
		{"/rates/parcel/list/rows", "at", "999999999999998"}, {"/rates/parcel/list/cell", "zone", "fi", "at", ""},
		{"/rates/parcel/list/cell", "zone", "finland", "at", "", "was", "no", "text", largest +
			" + 0.01 per started 0.001 kg"},
	} {
		status, body := s.post(c[0], c[1:]...)
		assert.NotEqual(t, http.StatusInternalServerError, status, c)
		assert.NotContains(t, body, "NaN", c)
	}
	for _, path := range []string{"/zones", "/goods", "/methods", "/rates/parcel", "/quotes"} {
		status, _ := s.get(path)
		assert.Equal(t, http.StatusOK, status, path)
	}
}

// Many edits at once: each is there, none is half there.
func TestEditsFromManyWindows(t *testing.T) {
	s := lauha(t)
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Go(func() { s.post("/zones", "places", fmt.Sprintf("SE %05d", 10000+i)) })
	}
	wg.Wait()
	assert.Len(t, s.draft.State().File.Zones, 28)
	assert.EqualValues(t, 21, s.draft.State().Revision)
}

// An edit that arrived whole is made, though the window that sent it is closed before it is answered.
func TestAnEditIsMadeThoughItsWindowIsClosed(t *testing.T) {
	s := lauha(t)
	var wg sync.WaitGroup
	for i := range 20 {
		wg.Go(func() {
			conn, err := net.Dial("tcp", s.Listener.Addr().String())
			if !assert.NoError(t, err) {
				return
			}
			defer conn.Close()
			body := fmt.Sprintf("places=SE+%05d", 10000+i)
			_, err = fmt.Fprintf(conn, "POST /zones HTTP/1.1\r\nHost: shop\r\nHX-Request: true\r\nContent-Type: "+
				"application/x-www-form-urlencoded\r\nContent-Length: %d\r\n\r\n%s", len(body), body)
			assert.NoError(t, err)
		})
	}
	wg.Wait()
	assert.Eventually(t, func() bool { return len(s.draft.State().File.Zones) == 28 }, 20*time.Second,
		10*time.Millisecond, "every one of them is there")
}

func TestQuotesOverARunAndAsATable(t *testing.T) {
	s := lauha(t) // two towels of 29.00 and 0.35 kg, a ladle of 24.00; to Merimasku
	_, body := s.get("/quotes?over=quantity")
	holds(
		t,
		body,
		`aria-current="page">Quantities</a>`,
		"So many of Linen towel, 70 × 140 to 21160 Merimasku",
		`<span class="num">3 items</span>`,
		`<td class="differs"><b class="num">Free</b>`,
		"5 kg and over</span>",
	)
	_, body = s.get("/quotes?over=weight")
	holds(
		t,
		body,
		`<span class="num">2.001 kg</span> <span class="near">just over</span>`,
		`<td class="differs"><b class="num">€8.40</b>`,
	)
	_, body = s.get("/quotes?over=distance")
	holds(t, body, `aria-current="page">Destinations</a>`)
	table := func(path string) [][]string {
		status, body := s.get(path)
		require.Equal(t, http.StatusOK, status)
		read, err := sheet.Read([]byte(body))
		require.NoError(t, err)
		var rows [][]string
		for _, r := range read.Rows {
			rows = append(rows, r.Cells)
		}
		return rows
	}
	rows := table("/quotes.csv?over=quantity")
	assert.Equal(
		t,
		[]string{"Quantity", "First zone", "Letter", "Parcel to the door", "Parcel locker"},
		rows[0][:5],
	)
	charges := map[string]string{}
	for _, r := range rows[1:] {
		charges[r[0]] = r[3] + " " + r[4]
	}
	// Free from 90.00 by locker, from 120.00 to the door: 3 are 87.00, 4 are 116.00, 5 are 145.00.
	assert.Equal(
		t,
		[]string{"6.90 5.90", "6.90 0.00", "0.00 0.00"},
		[]string{charges["3"], charges["4"], charges["5"]},
	)
	assert.Equal(t, "Weight, kg", table("/quotes.csv?over=weight")[0][0])
	assert.NotEmpty(t, table("/quotes.csv")[1][1], "destinations have their zones")
	_, _ = s.post("/till/destination", "to", "")
	_, body = s.get("/quotes?over=weight")
	holds(t, body, "<h1>Quotes</h1>")

	empty := opened(t, draft.Empty(), false)
	_, body = empty.get("/quotes?over=weight")
	holds(t, body, "There is nothing to quote yet")
}
