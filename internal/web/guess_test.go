package web

import (
	"html"
	"net/http"
	"net/url"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/web/till"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	xhtml "golang.org/x/net/html"
)

// What a table says counts, what was chosen by hand is kept to the end, and what was read is shown before it is
// taken.
func TestColumnsChosenByHandArriveInTheShop(t *testing.T) {
	s := lauha(t)
	_, page := s.send("/goods/file", "foreign.csv", "number,what,Grams\nX-1,Sponge,180\n")
	assert.Contains(t, page, "no column is the sku")
	_, page = s.get("/goods/file/1?c0=sku&c1=name&c2=weight")
	holds(t, page, "Weight, kg", "0.18", "What was read")
	_, page = s.get("/goods/file/1?c0=sku&c1=name&c2=weight&f2=length&u2=mm")
	assert.Contains(t, page, ">0.18", "a unit that was chosen when the column held something else does not count")
	status, _ := s.get("/goods/file/1/refused")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "without a sku column there are no rows to give back")
	_, page = s.get("/goods/file/1?c0=sku&c1=name&c2=weight")
	action := between(page, `<form action="`, `" method="post">`)
	require.True(t, strings.HasPrefix(action, "/goods/file/1?"), action)
	s.post(action)
	require.Eventually(t, func() bool {
		_, progress := s.get("/goods/file/1/progress")
		return strings.Contains(progress, "1 new")
	}, 10*time.Second, 10*time.Millisecond)
	p := s.draft.State().File.Product("X-1")
	require.NotNil(t, p)
	assert.Equal(t, "0.18", p.Weight.String())
	_, _ = s.post("/undo")
	require.Nil(t, s.draft.State().File.Product("X-1"))
	s.post(action)
	require.Eventually(
		t,
		func() bool { return s.draft.State().File.Product("X-1") != nil },
		10*time.Second,
		10*time.Millisecond,
		"a list that was undone is taken again",
	)

	_, page = s.send("/rates-file", "carrier.csv", "where,kilos,standard,express\nNO,2,19,29\n")
	assert.Contains(t, page, "no column is the price")
	_, page = s.get("/rates-file/2?c0=country&c1=to&c2=price&by=weight&edges=up_to")
	form := regexp.MustCompile(`<form action="([^"]*)" method="post" class="grow">`).FindStringSubmatch(page)
	require.NotNil(t, form)
	action = html.UnescapeString(form[1])
	status, page = s.post(action, "name", "Post")
	assert.Equal(t, http.StatusUnprocessableEntity, status, "the price for express is left out")
	assert.Contains(t, page, "Line 2: “29” is not used")
	status, page = s.post(action+"&ok=note", "name", "Post")
	assert.Equal(t, http.StatusOK, status, page)
	require.NotNil(t, s.draft.State().File.Method("post"))
	assert.Equal(t, "2", s.draft.State().File.Method("post").Tables[0].Rows[0].At.String())
}

// between is what stands between two texts, the last time that both do.
func between(text, from, to string) string {
	i := strings.LastIndex(text, from)
	if i < 0 {
		return ""
	}
	rest := text[i+len(from):]
	j := strings.Index(rest, to)
	if j < 0 {
		return ""
	}
	return rest[:j]
}

// No value that was accepted makes a page fail: a cart of the dearest product, a promise of it, a price in percent.
func TestNoNumberMakesAPageFail(t *testing.T) {
	s := lauha(t)
	_, err := s.draft.Edit(t.Context(), func(f *store.File) error {
		five := decimal.FromInt(5)
		for i := range f.Methods[1].Tables[0].Rows {
			for j := range f.Methods[1].Tables[0].Zones {
				f.Methods[1].Tables[0].Rows[i].Charges[j] = &rate.Charge{Percent: &five}
			}
		}
		return nil
	})
	require.NoError(t, err)
	status, page := s.send("/promises/file", "promises.json", `{"format":"diadrom-promises/1","promises":[
		{"id":"dear","name":"Dear","holds":"price","method":"parcel","amount":"999999999999999",
		"request":{"to":{"country":"FI","postcode":"00100"},"lines":[{"price":"999999999999999",
		"weight":"999999999999999","quantity":1000000}]}},
		{"id":"cheap","name":"Cheap","holds":"at_most","method":"parcel","amount":"5","request":{"to":{"country":"FI",
		"postcode":"00100"},"lines":[{"price":"999999999999999.999999999999","weight":"0.000000000001",
		"quantity":1000000}]}}]}`)
	require.Equal(t, http.StatusOK, status, page)
	for _, path := range []string{"/zones", "/goods", "/methods", "/rates", "/quotes", "/quotes?over=quantity",
		"/quotes?over=weight", "/promises", "/warnings", "/live", "/people", "/checkout", "/checkout/element"} {
		status, body := s.get(path)
		assert.Equal(t, http.StatusOK, status, path)
		assert.NotContains(t, body, "could not be shown", path)
	}
	s.post("/promises/dear/try")
	for _, path := range []string{"/zones", "/goods", "/quotes", "/quotes?over=quantity", "/quotes?over=weight",
		"/quotes?over=subtotal", "/quotes.csv", "/rates/parcel"} {
		status, body := s.get(path)
		assert.Equal(t, http.StatusOK, status, path)
		assert.NotContains(t, body, "could not be shown", path)
	}
}

// A part that cannot be shown does not take the page with it.
func TestAPartThatFailsIsSaidAndTheRestIsShown(t *testing.T) {
	s := lauha(t)
	state := *s.draft.State()
	state.Engine = nil // what no shop has: every quote panics
	v, err := till.New(s.server.shell, s.draft, s.db).View(t.Context(), &state, till.Slips{})
	require.NoError(t, err)
	assert.True(t, v.Failed)
	assert.Contains(t, string(s.server.shell.Render("till", v)), "The Till could not be shown")
}

// What a preview shows as found is sent with every other answer: that does not make it the owner's choice, and what is
// asked stays asked.
func TestAnswersDoNotAnswerOtherQuestions(t *testing.T) {
	for _, one := range []struct{ screen, text, asked string }{
		{"/rates-file", "country,up to kg,price,qwert\nNO,2,19,29\n", "Line 2: “29” is not used"},
		{"/rates-file", "country,up to kg (spanned),price\nNO,2,19\n", "I do not understand “spanned”"},
		{"/rates-file", "country,up to kg,price,price\nNO,2,19,29\n", "Two columns look like"},
		{"/goods/file", "sku,name,weight,Weight\nX-1,Cup,0.2,0.3\n", "Two columns look like"},
		{"/goods/file", "sku,qwert,asdf\nX-1,Cup,12.90\n", "no column has it"},
		{"/goods/file", "sku,name,price,sale price\nX-1,Cup,12.90,9.90\n", "are not used: “sale price”"},
		{"/zones/file", "zone,country,qwert\nX,NO,Y\n", "are not used: “qwert”"},
		{"/book/file", "name,street,qwert\nX,Road 1,Y\n", "are not used: “qwert”"},
		{"/past/files", "order,country,sku,quantity,express surcharge\n1,FI,CAP-FELT,1,4.00\n", "are not used: “express surcharge”"},
	} {
		s := lauha(t)
		_, page := s.send(one.screen, "list.csv", one.text)
		if !assert.Contains(t, page, one.asked, one.text) {
			continue
		}
		again := one.screen + "/1?percent=10&" + formValues(t, page).Encode()
		_, page = s.get(again)
		assert.Contains(t, page, one.asked, "%s: it was not answered", one.text)
		_, page = s.get(one.screen + "/1?" + formValues(t, page).Encode())
		assert.Contains(t, page, one.asked, "%s: nor the next time", one.text)
	}
}

// formValues are what the form of a preview sends as it stands: its hidden values, and what its choices show.
func formValues(t *testing.T, page string) url.Values {
	t.Helper()
	node, err := xhtml.Parse(strings.NewReader(between(page, `method="get" class="mapping">`, "</form>")))
	require.NoError(t, err)
	values, name := url.Values{}, ""
	for n := range node.Descendants() {
		attr := map[string]string{}
		for _, a := range n.Attr {
			attr[a.Key] = a.Val
		}
		_, chosen := attr["selected"]
		switch {
		case n.Data == "input" && attr["type"] != "checkbox" && attr["name"] != "percent":
			values.Add(attr["name"], attr["value"])
		case n.Data == "select":
			name = attr["name"]
		case n.Data == "option" && n.Type == xhtml.ElementNode && (chosen || !values.Has(name)):
			value, ok := attr["value"]
			if !ok && n.FirstChild != nil {
				value = strings.TrimSpace(n.FirstChild.Data)
			}
			values.Set(name, value)
		}
	}
	require.NotEmpty(t, values)
	return values
}
