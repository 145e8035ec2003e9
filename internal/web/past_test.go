package web

import (
	"context"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/shop/demo"
	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// withPast is the demo shop with its invented orders.
func withPast(t *testing.T) *site {
	t.Helper()
	s := lauha(t)
	require.NoError(t, demo.FillOrders(context.Background(), s.history, s.draft.State().File,
		time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)))
	status, _ := s.post("/past/method", "name", "Home parcel", "method", "parcel") // an old name of it
	require.Less(t, status, 400)
	return s
}

// rated asks for a page or a part until its orders are rated, as the screen does by itself.
func (s *site) rated(ask func(string) (int, string), path string) (body string) {
	s.t.Helper()
	for range 300 {
		if _, body = ask(path); !strings.Contains(body, "Rating the orders") {
			return body
		}
		time.Sleep(50 * time.Millisecond)
	}
	require.Fail(s.t, "the orders are not rated", path)
	return ""
}

// taken waits until a file is taken in.
func (s *site) taken() (page string) {
	s.t.Helper()
	for range 1500 {
		if _, page = s.get("/past/files"); !strings.Contains(page, "<progress") {
			return page
		}
		time.Sleep(20 * time.Millisecond)
	}
	require.Fail(s.t, "the file is not taken in")
	return ""
}

func TestAnEmptyShopIsToldHowToBeginWithPastOrders(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	for _, path := range []string{"/past", "/past/free", "/past/list"} {
		status, page := s.get(path)
		assert.Equal(t, 200, status, path)
		holds(t, page, "Does shipping pay?", "Names, streets and customers are not kept")
	}
	status, page := s.get("/past/ahead")
	assert.Equal(t, 200, status)
	assert.NotContains(t, page, "last 90 days")
}

// Orders of a shop: sent, looked at, the open questions answered, taken in, forgotten.
func TestOrdersAreTakenInFromAFile(t *testing.T) {
	s := lauha(t)
	const list = "Order;Placed;Buyer;Country;Postcode;Item;Qty;Delivery method;Delivery charge;Cost\n" +
		"1;03/04/2026;Aino Made-Up;FI;00100;LADLE-B;1;Home parcel;6,90;5,45\n" +
		"1;;;;;TOWEL-50;2;;;\n2;03/05/2026;Aino Made-Up;FI;00100;LADLE-B;many;parcel;6,90;5,45\n"
	_, page := s.send("/past/files", "orders.csv", list)
	holds(
		t,
		page,
		"What orders.csv has",
		"What comes first in dates such as 03/04/2026: the day or the month?",
		`aria-label="What the column Buyer holds"`,
	)
	assert.NotContains(t, page, "Import the orders")
	path := regexp.MustCompile(`action="(/past/files/[0-9]+)"`).FindStringSubmatch(page)[1]
	status, page := s.post(path)
	assert.Equal(t, 422, status)
	holds(t, page, "What comes first", "Not ready to import")
	_, page = s.get(path + "?dates=day")
	holds(t, page, "Of the first 3 lines: 1 order read, 1 line refused", "1 × LADLE-B", "3 Apr 2026", "€6.90",
		`"many" is not a number`, "Import the orders")
	assert.Equal(t, 1, strings.Count(page, "Aino Made-Up"), "only as an example of the column")
	_, page = s.get(path + "?dates=month&c0=order&c1=at&c2=&c3=&c4=postcode&c5=sku&c6=quantity&c7=&c8=&c9=")
	holds(t, page, "Which column has the country")
	status, _ = s.post(path + "?dates=day")
	assert.Less(t, status, 400)
	page = s.taken()
	holds(t, page, "1 order imported", "1 line not imported", "1 order, 3 April 2026 to 3 April 2026 are kept")
	assert.NotContains(t, page, "Aino")
	_, page = s.send("/past/invoices", "invoice.csv", "Order,Net\n1,7.25\n9,1.00\n")
	holds(t, page, "1 line of invoice.csv matched orders; 1 order had another cost before; 1 line matched no order",
		"no order and no parcel of that number is here")
	page = s.rated(s.get, "/past")
	holds(t, page, "Home parcel", "Methods that the shop does not have", "1 order names a method that this shop does not have",
		"choose the method", "none of them: the cheapest option")
	assert.NotContains(t, page, "€7.25", "no total before it is known which method it was")
	assert.NotContains(t, page, "past-groups")
	status, _ = s.post("/past/method", "name", "Home parcel", "method", "")
	assert.Equal(t, 422, status, "none is proposed")
	status, _ = s.post("/past/method", "name", "Home parcel", "method", "parcel")
	assert.Less(t, status, 400)
	page = s.rated(s.get, "/past")
	assert.NotContains(t, page, "Methods that the shop does not have")
	holds(t, page, "€7.25")
	_, page = s.send("/past/files", "bare.csv", "Order,Country,Item,Qty\nb1,FI,LADLE-B,1\n")
	path = regexp.MustCompile(`action="(/past/files/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, _ = s.post(path)
	s.taken()
	page = s.rated(s.get, "/past?days=")
	holds(t, page, "No method</b>", "charged by the cheapest option, collection too")
	_, _ = s.post("/past/method", "name", "", "method", "locker")
	page = s.rated(s.get, "/past?days=&by=method")
	assert.NotContains(t, page, "No method</b>")
	holds(t, page, "Parcel locker")
	status, page = s.post("/past/forget")
	assert.Equal(t, 422, status)
	holds(t, page, "cannot be brought back")
	_, _ = s.post("/past/forget", "sure", "yes")
	page = s.rated(s.get, "/past")
	holds(t, page, "Does shipping pay?")
	_, page = s.send(
		"/past/files",
		"long.csv",
		list+strings.Repeat("7;03/04/2026;A;FI;00100;CAP-FELT;1;parcel;6,90;5,45\n", 60_000),
	)
	holds(t, page, "What long.csv has")
	status, page = s.send("/past/files", "none.csv", " ")
	assert.Equal(t, 422, status)
	holds(t, page, "this file is empty")
	_, page = s.send("/past/files", "orders.csv", list)
	path = regexp.MustCompile(`action="(/past/files/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, _ = s.post(path + "/stop")
	status, _ = s.get(path)
	assert.Equal(t, 404, status, "it was thrown away")
}

// A list with a line for each order has what its goods come to. What is not clear about it is answered one by one, and
// cancelled orders are kept apart.
func TestOrdersWithTheirTotalsAreTakenIn(t *testing.T) {
	s := lauha(t)
	const list = "Order;Date;Status;Country;Postcode;Order value;Weight;Items;Shipping;Payment method\n" +
		"1;2.3.2026;completed;DE;1067;58,00;18,22;6;5,90;card\n2;3.3.2026;phase 3;FI;00100;24,00;1,10;1;12,00;card\n" +
		"3;4.3.2026;cancelled;FI;00100;24,00;1,10;1;12,00;card\n"
	_, page := s.send("/past/files", "orders.csv", list)
	holds(t, page, "A line is an order", "The postcode 1067 has 4 digits", "Do orders that are “phase 3” count?", "They count",
		"Not ready to import")
	assert.NotContains(t, page, "Import the orders")
	path := regexp.MustCompile(`action="(/past/files/[0-9]+)"`).FindStringSubmatch(page)[1]
	_, page = s.get(path + "?zeros=lost&answer=" + url.QueryEscape("s:phase 3=no"))
	holds(t, page, "Import the orders", "6 items, 18.22 kg, €58.00", "DE 01067", `name="s:phase 3" value="no"`,
		"1 order read, 2 refunded or cancelled orders kept apart")
	status, _ := s.post(path + "?zeros=lost&" + "s:phase%203=no")
	assert.Less(t, status, 400)
	holds(t, s.taken(), "1 order imported, 2 refunded or cancelled orders kept apart")
}

func TestPastOrdersAreRatedUnderStores(t *testing.T) {
	s := withPast(t)
	page := s.rated(s.get, "/past")
	holds(
		t,
		page,
		"What is left by zone",
		"The orders that lose most",
		"Products that the shop does not have",
		"SOAP-OLD",
		"Cost over charge",
		"Baltic neighbours",
	)
	assert.NotContains(t, page, "would have earned", "the draft is what is live")
	holds(t, page, "In June 2026 every order is said to have cost 0. Was that so, or was it not known yet?")
	_, _ = s.post("/past/zeros", "month", "2026-06")
	page = s.rated(s.get, "/past")
	assert.NotContains(t, page, "said to have cost 0")
	assert.Equal(t, 20, strings.Count(page, "Try in the Till"))
	s.post("/rates/parcel/list/cell", "at", "2", "zone", "finland", "was", "6.90", "text", "7.90", "dom", "c-list-0-0")
	page = s.rated(s.get, "/past?days=90")
	verdict := regexp.MustCompile(`The draft would have earned €[0-9.,]+ more; [0-9]+ buyers would have paid more\.`)
	assert.Regexp(t, verdict, page)
	holds(t, page, "How many buyers would pay more or less")
	ahead := s.rated(s.part, "/past/ahead")
	assert.Regexp(
		t,
		`On the [0-9]+ orders of the last 90 days: the draft would have earned €[0-9.,]+ more; [0-9]+ buyers would `+
			`have paid more\. <a href="/past\?of=draft`,
		ahead,
	)
	page = s.rated(s.get, "/past?of=edition-1&than=live")
	holds(t, page, "Edition 1 changes nothing for these orders")
	for _, by := range []string{"method", "month", "method,zone", "country", "weight", "class"} {
		page := s.rated(s.get, "/past?than=&by="+by)
		assert.Contains(t, page, "past-groups", by)
	}
	status, _ := s.get("/past?of=edition-9")
	assert.Equal(t, 404, status)
	status, page = s.send("/past/store", "store.json", "{}")
	assert.Equal(t, 422, status)
	holds(t, page, "is no store file of Diadrom")
	_, page = s.send(
		"/past/store?than=live",
		"cheap.json",
		strings.Replace(string(s.draft.State().File.Write()), `"7.9"`, `"1"`, 1),
	)
	if later := regexp.MustCompile(`hx-get="(/past/rated\?[^"]*)"`).FindStringSubmatch(page); later != nil {
		page += s.rated(s.part, later[1])
	}
	holds(t, page, "cheap.json", "less; ", "buyers would have paid less")
	page = s.rated(s.part, "/past/rated?by=month")
	holds(t, page, "October 2026")
	_, page = s.post("/past/stop")
	holds(t, page, "Stopped.")
}

func TestAnOrderGoesIntoTheTill(t *testing.T) {
	s := withPast(t)
	page := s.rated(s.get, "/past")
	number := regexp.MustCompile(`name="order" value="([0-9]+)"`).FindStringSubmatch(page)[1]
	status, _ := s.post("/past/till", "order", number)
	assert.Less(t, status, 400)
	o, ok, err := s.history.DB().Order(context.Background(), number)
	require.NoError(t, err)
	require.True(t, ok)
	_, page = s.get("/zones")
	holds(t, page, o.To.Postcode)
	till, _, err := s.db.LoadTill(context.Background())
	require.NoError(t, err)
	require.Len(t, till.Cart, len(o.Lines))
	assert.Equal(t, o.Lines[0].SKU, till.Cart[0].SKU)
	status, _ = s.post("/past/till", "order", "none")
	assert.Equal(t, 404, status)
}

// A threshold is tried while it moves, and what is tried can be made.
func TestWhatIfIsTriedAndMade(t *testing.T) {
	s := withPast(t)
	page := s.rated(s.get, "/past/free")
	holds(t, page, "The draft has free delivery from €120.00", "By Parcel to the door", "just under it", "data-slider")
	at := s.rated(s.part, "/past/free/at?method=parcel&kind=free&value=40")
	holds(t, at, "This would have earned €", "less", "buyers would have paid less", "carts lay just under it")
	at = s.rated(s.part, "/past/free/at?method=parcel&kind=free&value=x")
	holds(t, at, "“x” is not a number")
	at = s.rated(s.part, "/past/free/at?method=parcel&kind=handling&value=1,50")
	holds(t, at, "This would have earned €", " more; ")
	at = s.rated(s.part, "/past/free/at?method=parcel&kind=percent&zone=finland&value=10")
	holds(t, at, " more; ")
	at = s.rated(s.part, "/past/free/at?method=parcel&kind=percent&value=-200")
	holds(t, at, "makes prices below 0")
	status, _ := s.post("/past/free?method=parcel&kind=handling&value=1.50")
	assert.Less(t, status, 400)
	assert.Equal(t, "1.5", s.draft.State().File.Method("parcel").Handling.Amount.String())
	at = s.rated(s.part, "/past/free/at?method=parcel&kind=free&value=120")
	holds(t, at, "This changes nothing for these orders.")
	_, _ = s.post("/past/free?method=parcel&kind=free&value=80")
	m := s.draft.State().File.Method("parcel")
	assert.Equal(t, []string{"80", "200"}, []string{m.Free.Subtotal.String(), m.Terms["aland"].Free.Subtotal.String()})
	_, _ = s.post("/past/free?method=parcel&kind=free&zone=*&value=90")
	m = s.draft.State().File.Method("parcel")
	assert.Equal(t, []string{"90", "90"}, []string{m.Free.Subtotal.String(), m.Terms["aland"].Free.Subtotal.String()})
	_, _ = s.post("/past/free?method=parcel&kind=handling&zone=lapland&value=2")
	m = s.draft.State().File.Method("parcel")
	assert.Equal(
		t,
		[]string{"2", "1.5"},
		[]string{m.Terms["lapland"].Handling.Amount.String(), m.Handling.Amount.String()},
	)
	page = s.rated(s.get, "/past/free?method=parcel&kind=handling&zone=lapland")
	holds(t, page, "The draft has handling of €2.00.", "zones without their own")
	_, _ = s.post("/past/free?method=parcel&kind=percent&zone=finland&value=10")
	assert.Equal(t, "7.59", s.draft.State().File.Method("parcel").Tables[0].Rows[0].Charges[0].Base.String())
	status, _ = s.post("/past/free?method=parcel&kind=percent&value=-200")
	assert.Equal(t, 422, status)
	least := regexp.MustCompile(`data-use="([0-9.]+)"`)
	at = s.rated(s.part, "/past/free/at?method=locker&kind=free&value=90&days=")
	if found := least.FindStringSubmatch(at); found != nil {
		at = s.rated(s.part, "/past/free/at?method=locker&kind=free&days=&value="+found[1])
		assert.NotRegexp(t, `Left by this method: −`, at)
	}
}

func TestAListIsProposedAndTaken(t *testing.T) {
	s := withPast(t)
	_, page := s.get("/past/list?method=parcel&zone=finland&rows=3&endings=0.90&margin=5&days=")
	holds(t, page, "these prices would have earned", "list-new", "list-now", "Its column gets these prices", ".90")
	_, page = s.get("/past/list?method=parcel&rows=none")
	holds(t, page, "“none” is no such number")
	_, page = s.get("/past/list?method=market&zone=home")
	holds(t, page, "has a known cost")
	status, _ := s.post("/past/list?method=parcel&zone=finland&rows=3&endings=0.90&margin=5&days=")
	assert.Less(t, status, 400)
	list := s.draft.State().File.Method("parcel").Tables[0]
	assert.Greater(t, len(list.Rows), 4, "rows were added to those that were there")
	last := list.Rows[len(list.Rows)-1]
	assert.Nil(t, last.At)
	assert.Nil(t, last.Charges[0], "nothing costs more than was ever sent")
	_, _ = s.post("/undo")
	status, _ = s.post("/past/list?method=letter&zone=&rows=2&by=weight&days=")
	assert.Less(t, status, 400)
	letter := s.draft.State().File.Method("letter").Tables[0]
	assert.Len(t, letter.Rows, 2)
	assert.Len(t, letter.Zones, 5)
	status, page = s.post("/past/list?method=freight&zone=&rows=2&days=")
	assert.Equal(t, 422, status)
	holds(t, page, "several price lists")
}
