package web

import (
	"bytes"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/store"
	"diadrom/internal/tables/productlist"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func (s *site) product(sku string) *store.Product { return s.draft.State().File.Product(sku) }

func (s *site) text(sku string, field productlist.Field) string {
	return productlist.Text(s.draft.State().File, s.product(sku), field)
}

func TestEveryFieldOfAProductIsTyped(t *testing.T) {
	s := lauha(t)
	for _, c := range []struct{ sku, field, was, text, want string }{
		{"LADLE-B", "weight", "0.4", "450 g", "0.45"}, {"LADLE-B", "weight", "0.45", "2 lb 3 oz", "0.992233309375"},
		{"LADLE-B", "length", "46", "18 in", "45.72"},
		{"LADLE-B", "width", "12", "120mm", "12"}, {"LADLE-B", "price", "24.00", "€ 24,50", "24.50"},
		{"LADLE-B", "class", "", "bulky", "Bulky"}, {"LADLE-B", "class", "Bulky", "", ""},
		{"LADLE-B", "needs_shipping", "yes", "no", "no"}, {"LADLE-B", "own_parcel", "no", "x", "yes"},
		{"LADLE-B", "name", "Birch ladle", " Birch  ladle, long ", "Birch ladle, long"},
	} {
		status, body := s.post("/goods/cell", "sku", c.sku, "field", c.field, "was", c.was, "text", c.text)
		require.Equal(t, http.StatusOK, status, "%v %s", c, body)
		assert.Equal(t, c.want, s.text(c.sku, productlist.Field(c.field)), c.field)
	}
	for _, c := range [][3]string{{"weight", "heavy", "is no weight"}, {"length", "3 kg", "is no unit of length"},
		{"class", "Odd", "there is no class"}, {"own_parcel", "perhaps", "neither yes nor no"},
		{"price", "-1", "below 0"}, {"sku", "X", "cannot be changed here"}} {
		status, body := s.post(
			"/goods/cell",
			"sku",
			"STONE-20",
			"field",
			c[0],
			"was",
			s.text("STONE-20", productlist.Field(c[0])),
			"text",
			c[1],
		)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
		holds(t, body, c[2], `value="`+c[1]+`"`)
	}
}

func TestAWholeColumnIsPasted(t *testing.T) {
	s := lauha(t)
	status, body := s.post(
		"/goods/paste",
		"sku",
		"TOWEL-70",
		"field",
		"weight",
		"block",
		"400 g\t31\r\n200 g\t25\r\nheavy\t\r\n",
	)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "5 cells taken, 1 not", `value="heavy"`, "is no weight")
	assert.Equal(
		t,
		[]string{"0.4", "31", "0.2", "25", "0.12", ""},
		[]string{
			s.text("TOWEL-70", "weight"),
			s.text("TOWEL-70", "length"),
			s.text("TOWEL-50", "weight"),
			s.text("TOWEL-50", "length"),
			s.text("SEAT-1", "weight"),
			s.text("SEAT-1", "length"),
		},
	)
	status, body = s.post("/goods/paste", "sku", "GIFT-50", "field", "price", "block", "51\n1\n2\n3")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "2 rows of what was pasted lie below the last product")
	status, body = s.post("/goods/paste", "sku", "GIFT-50", "field", "price", "block", "a\nb")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "none of the pasted cells can be taken", `value="a"`)
	_, _ = s.post("/undo")
	assert.Equal(t, "50.00", s.text("GIFT-50", "price"))
	_, body = s.post("/undo")
	holds(t, body, "Undone: Linen towel, 70 × 140, weight: 0.35 kg → 0.4 kg, and 4 more")
	assert.Equal(t, "0.35", s.text("TOWEL-70", "weight"))
}

func TestSelectedGoodsAreSetAtOnce(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/goods/set", "selected", "LADLE-C", "field", "class", "value", "Bulky")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "1 product changed", "4 products</a>")
	status, body = s.post("/goods/set", "all", "on", "field", "weight", "value", "1 kg")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "25 products changed")
	status, body = s.post("/goods/set", "selected", "LADLE-C", "field", "weight", "value", "no")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(
		t,
		body,
		"is no weight",
		`value="LADLE-C" checked`,
		`<option value="weight" selected>`,
		`value="no" aria-invalid="true"`,
	)
	assert.NotContains(t, body, "changed</p>")
	status, body = s.post("/goods/set", "field", "class", "value", "Bulky")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "select the products first")
	_, _ = s.post("/goods/set", "selected", "LADLE-C", "field", "remove")
	assert.Nil(t, s.product("LADLE-C"))
	_, _ = s.post("/undo")
	assert.NotNil(t, s.product("LADLE-C"))
	_, _ = s.post("/redo")
	assert.Nil(t, s.product("LADLE-C"))
}

func TestWhatIsMissingStandsOnTop(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/goods")
	holds(t, body, "All products have weights")
	for _, sku := range []string{"TOWEL-70", "TOWEL-50", "GIFT-50"} {
		_, body = s.post("/goods/cell", "sku", sku, "field", "weight", "was", s.text(sku, "weight"), "text", "")
	}
	holds(t, body, "2 products have no weight: they quote as 0 kg") // a gift card needs none
	_, body = s.post("/goods/cell", "sku", "STONE-20", "field", "height", "was", "20", "text", "")
	holds(t, body, "1 product lacks a size: it takes no room in a box, and its volume is not billed")
	_, body = s.post("/goods/setting", "setting", "assumed", "value", "500 g")
	holds(t, body, "they quote as 0.5 kg, the assumed weight")
	status, body := s.post("/goods/setting", "setting", "assumed", "value", "-1")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "below 0", `value="-1"`)
	_, body = s.get("/goods?lack=weight")
	holds(t, body, "1 to 2 of 2", `data-sku="TOWEL-50"`)
	assert.NotContains(t, body, `data-sku="STONE-20"`)
	status, body = s.post("/goods/setting", "setting", "divisor", "value", "0")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "such as 5000 or 6000")
	_, _ = s.post("/goods/setting", "setting", "divisor", "value", "6,000")
	assert.Equal(t, "6000", s.draft.State().File.Store.Volumetric.String())
	_, _ = s.post("/goods/setting", "setting", "divisor", "value", "")
	assert.Nil(t, s.draft.State().File.Store.Volumetric)
}

func TestClassesAreNamedNotedAndRemoved(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/goods")
	holds(
		t,
		body,
		"8 products</a>, taken by Letter",
		"3 products</a>, priced in Freight",
		"no list prices it by itself",
	)
	_, body = s.post("/goods/classes", "name", "Fragile")
	holds(t, body, `id="class-fragile"`, "no product is in it, and no list prices it")
	for _, c := range [][]string{{"/goods/classes", "name", " fragile ", "there is a class called Fragile already"},
		{"/goods/classes", "name", "", "a name is needed"},
		{"/goods/classes/fragile", "field", "name", "value", "Bulky", "another class is called Bulky already"},
		{"/goods/classes/nothing", "field", "name", "value", "X", "removed meanwhile"},
		{"/goods/classes/bulky/remove", "names this class: remove it there first"}} {
		status, body := s.post(c[0], c[1:len(c)-1]...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, c)
		holds(t, body, c[len(c)-1])
	}
	_, _ = s.post("/goods/classes/fragile", "field", "note", "value", "bubble wrap")
	assert.Equal(t, "bubble wrap", s.draft.State().File.Class("fragile").Note)
	_, _ = s.post("/goods/classes/no-fly/remove")
	assert.Empty(t, s.product("OIL-TAR").Class, "its goods are without a class")
	_, _ = s.post("/undo")
	assert.Equal(t, "no-fly", s.product("OIL-TAR").Class)
}

func TestManyGoodsAreShownInPagesFilteredAndSorted(t *testing.T) {
	s := opened(t, storetest.WithProducts(1234), false)
	first := regexp.MustCompile(`<tr data-sku="([^"]*)"`)
	for path, want := range map[string][]string{
		"/goods":                                 {"1 to 50 of 1234", "SKU-00000"},
		"/goods?page=25":                         {"1201 to 1234 of 1234", "SKU-01200"},
		"/goods?page=99":                         {"1201 to 1234 of 1234", "SKU-01200"},
		"/goods?find=thing+12":                   {"1 to 46 of 46", "SKU-00000"},
		"/goods?find=sku-00012":                  {"1 to 1 of 1", "SKU-00012"},
		"/goods?class=small":                     {"1 to 50 of 411", "SKU-00001"},
		"/goods?class=-&sort=-weight":            {"1 to 50 of 412", "SKU-00027"},
		"/goods?sort=-sku":                       {"1 to 50 of 1234", "SKU-01233"},
		"/goods?sort=name&find=thing":            {"1 to 50 of 1234", "SKU-01233"},
		"/goods?sort=price&page=2":               {"51 to 100 of 1234", ""},
		"/goods?find=nothing+of+the+kind":        {"none", ""},
		"/goods?find=thing+1&class=large&page=2": {"51 to 100 of ", ""},
	} {
		_, body := s.get(path)
		holds(t, body, want[0])
		if want[1] != "" {
			require.NotNil(t, first.FindStringSubmatch(body), path)
			assert.Equal(t, want[1], first.FindStringSubmatch(body)[1], path)
		}
	}
	// A column is pasted over the page's end, in the order that is shown.
	_, body := s.post("/goods/paste", "sku", "SKU-00040", "field", "class", "block", strings.Repeat("large\n", 20))
	holds(t, body, "20 cells taken")
	assert.Equal(t, "large", s.product("SKU-00059").Class)
}

func TestAProductListIsLookedAtMappedAndTakenIn(t *testing.T) {
	s := lauha(t)
	list := "Article number;What;Unit price;Weight (g);Class\r\nTOWEL-70;Towel;31,00;350;Soft and " +
		"flat\r\nNEW-1;New;1,50;2;\r\nBAD-1;Bad;1,50;-2;\r\nNEW-1;Again;1;1;\r\nBAD-2;Bad;2;2;Odd\r\n"
	status, body := s.send("/goods/file", "list.csv", list)
	require.Equal(t, http.StatusOK, status)
	holds(
		t,
		body,
		"3 refused",
		"1 changed",
		"1 new",
		"weight: it is below 0",
		"the sku NEW-1 stands in line 3 already",
		"1 new product would have no name: no column has it. Columns that are not used: What.",
	)
	id := regexp.MustCompile(`/goods/file/(\d+)`).FindStringSubmatch(body)[1]
	_, body = s.get("/goods/file/" + id + "?c1=name&show=changed")
	holds(t, body, "<small>was Linen towel, 70 × 140</small>", "31.00", "<small>was 29.00</small>",
		"Import 1 new and 1 changed")
	_, body = s.get("/goods/file/" + id + "?c0=&show=changed")
	holds(t, body, "no column is the sku")
	_, body = s.get("/goods/file/" + id + "?decimal=.")
	holds(t, body, "its decimal sign is not the point that was set")
	before := s.draft.State().Revision
	_, back := s.get("/goods/file/" + id + "/refused?c1=name")
	assert.Equal(
		t,
		"Article number,What,Unit price,Weight (g),Class,reason\nBAD-1,Bad,\"1,50\",-2,,weight: it is below "+
			"0\nNEW-1,Again,1,1,,the sku NEW-1 stands in line 3 already\nBAD-2,Bad,2,2,Odd,\"class: there is no "+
			"class \"\"Odd\"\": make it first, or mend the cell\"\n",
		back,
	)
	assert.Equal(t, before, s.draft.State().Revision, "looking changes nothing")
	_, body = s.post("/goods/file/" + id + "?c1=name")
	for range 300 {
		if strings.Contains(body, "One Undo takes all of it back") {
			break
		}
		time.Sleep(10 * time.Millisecond)
		_, body = s.get("/goods/file/" + id + "/progress")
	}
	holds(t, body, "1 new, 1 changed", "3 refused")
	assert.Equal(
		t,
		[]string{"Towel", "31.00", "0.35"},
		[]string{s.text("TOWEL-70", "name"), s.text("TOWEL-70", "price"), s.text("TOWEL-70", "weight")},
	)
	assert.Equal(t, "0.002", s.text("NEW-1", "weight"))
	_, _ = s.post("/undo")
	assert.Nil(t, s.product("NEW-1"))
	assert.Equal(t, "29.00", s.text("TOWEL-70", "price"))

	_, out := s.get("/goods/file")
	holds(t, out, "sku,name,price (EUR),weight (kg)")
	_, body = s.send("/goods/file", "same.csv", out)
	holds(t, body, "25 same", "Nothing to import")
	for name, c := range map[string][2]string{"empty": {"", "this file is empty"},
		"quote": {"sku\n\"x", "a quote is not closed"}, "header": {"price\n1\n", "no column is the sku"}} {
		_, body := s.send("/goods/file", name, c[0])
		holds(t, body, c[1])
	}
	_, body = s.send("/goods/file", "large.csv", "sku\n"+strings.Repeat(strings.Repeat("x", 1023)+"\n", 33<<10))
	holds(t, body, "a table has at most 32 MB")
	status, _ = s.get("/goods/file/99999")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

func TestSampleCartsAreKeptAndForgotten(t *testing.T) {
	s := lauha(t)
	_, _ = s.post("/till/add", "sku", "OIL-TAR")
	_, body := s.post("/till/carts", "name", "Towels and tar")
	holds(t, body, "Delete this sample cart", `<option value="towels-and-tar" selected>Towels and tar</option>`)
	_, _ = s.post("/till/line", "line", "0", "field", "quantity", "value", "7")
	status, body := s.post("/till/carts", "name", "towels and TAR")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "there is a sample cart called Towels and tar already", `value="towels and TAR"`)
	_, body = s.post("/till/cart", "cart", "towels-and-tar")
	holds(t, body, "Tar scent, 100 ml")
	_, body = s.post("/till/carts/towels-and-tar/forget")
	holds(t, body, "Save as a sample cart", "Tar scent, 100 ml")
	assert.NotContains(t, body, `value="towels-and-tar"`)
	status, _ = s.post("/till/carts/towels-and-tar/forget")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	status, body = s.part("/suggest/goods?text=tar")
	assert.Equal(t, http.StatusOK, status)
	holds(t, body, `data-text="OIL-TAR"`)
}

func TestNothingIsTakenBackTwice(t *testing.T) {
	s := lauha(t)
	_, body := s.post("/undo")
	holds(t, body, "Nothing to undo")
	_, _ = s.post("/zones/aland/name", "name", "The islands")
	_, body = s.get("/methods")
	holds(t, body, "Undo<span class=\"what-of\">: The islands, name: “Åland” → “The islands”")
	_, body = s.post("/undo")
	holds(t, body, "Undone: The islands, name: “Åland” → “The islands”", "Redo")
	z := s.draft.State().File.Zone("aland")
	assert.Equal(t, "Åland", z.Name)
	assert.True(t, bytes.Contains([]byte(body), []byte(`id="till"`)), "the Till is quoted again")
}
