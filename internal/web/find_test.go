package web

import (
	"net/http"
	"net/url"
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAnythingOfTheShopIsFoundFromOneField(t *testing.T) {
	b := benchOf(t, storetest.Size{Zones: 40, Codes: 20, Products: 60, Methods: 4, Rows: 2, Columns: 3}, t.TempDir())
	typed := func(text string) string {
		r, err := http.NewRequest(http.MethodGet, "/find/as-typed?text="+url.QueryEscape(text), nil)
		require.NoError(t, err)
		r.Header.Set("HX-Request", "true")
		return strings.Join(strings.Fields(b.do(r, http.StatusOK)), " ")
	}
	first := func(text string) string {
		first, _, _ := strings.Cut(typed(text), "</li>")
		return first
	}
	assert.Contains(
		t,
		first("Zone 7"),
		`data-href="/zones?zone=z7#zone-z7"`,
		"what is called so comes before what begins so",
	)
	assert.Contains(t, first("z31"), "Zone 31", "by its id")
	assert.Contains(t, first("p42"), `data-href="/goods?find=P42"`, "a product by its sku")
	assert.Contains(t, first("goods 17"), "P17")
	assert.Contains(t, first("method 3"), `data-href="/methods/m3"`)
	assert.Contains(t, first("backup"), `data-href="/backups"`, "a page")
	assert.Contains(
		t,
		first("00145"),
		"Zone 7</b> <span>takes 00145: postcode FI 00145",
		"the zone that counts for a code",
	)
	assert.Contains(t, typed("00145"), "Finland</b> <span>takes 00145 too: country FI")
	assert.Contains(t, first("0014"), "has FI 00140", "a code that is typed half")
	assert.Contains(t, first("SE 11122"), "in no zone")
	assert.LessOrEqual(t, strings.Count(typed("zone"), "<li"), 10)
	assert.Empty(t, typed(" "))
	assert.NotContains(t, typed(`<script>"`), "<script>")

	page := b.get("/find?text=zone")
	assert.Equal(t, 41, strings.Count(page, "<small>"), "all 40 zones, and the page of zones")
	assert.Contains(t, b.get("/find?text=nowhere"), "Nothing in the shop is")
	assert.Contains(t, b.get("/zones?zone=z39"), `id="zone-z39"`, "a link leads to a zone that is not among the first")
	assert.NotContains(t, b.get("/zones"), `id="zone-z39"`)
}
