package web

import (
	"net/http"
	"regexp"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// book is a workbook whose first sheet is Info and whose second has rows.
func book(t *testing.T, rows ...[]any) string {
	t.Helper()
	return string(storetest.Workbook(t, "2026", "Notes", "Prices without tax", rows...))
}

// A list that comes as a workbook with a title is read like any other, and what had to be made out is told.
func TestListsComeAsWorkbooks(t *testing.T) {
	s := lauha(t)
	status, body := s.send("/rates-file", "carrier.xlsx", book(t, []any{"Carrier prices 2026"}, nil,
		[]any{"country", "weight to", "price"}, []any{"FI", 2, 6.9}, []any{"FI", 10, 9.9}, []any{"SE", 2, 12}))
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "The sheet “2026” was read; the workbook has Notes too.",
		"The column headings are in line 3. Above them: Carrier prices 2026.", "6.90", "9.90", "12.00")

	// A matrix, as most carriers send it, becomes a working method.
	status, body = s.send("/rates-file", "matrix.xlsx", book(t, []any{"Prices 2026"},
		[]any{"Weight", "Finland", "Sweden"}, []any{"0–2 kg", 6.9, 12}, []any{"2–10 kg", 9.9, 18},
		[]any{"each further kg", 0.8, 1.2},
		[]any{"Without islands"}))
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "Zones are in columns, and weights in rows.", "Line 6 is a note: Without islands.",
		"9.90 + 0.80 per started kg above 10", "18.00 + 1.20 per started kg above 10")
	file := regexp.MustCompile(`action="(/rates-file/[0-9]+)"`).FindStringSubmatch(body)
	require.NotNil(t, file, body)
	holds(t, body, "The sheet Notes is not used. It says “Prices without tax”.")
	status, _ = s.post(file[1], "name", "By matrix")
	require.Equal(t, http.StatusUnprocessableEntity, status, "a question is open")
	status, _ = s.post(file[1]+"?ok=note", "name", "By matrix")
	require.Less(t, status, 400)
	m := s.draft.State().File.Method("by-matrix")
	require.NotNil(t, m)
	assert.Len(t, m.Tables[0].Rows, 3)

	_, body = s.send("/goods/file", "goods.xlsx", book(t, []any{"sku", "name", "weight"},
		[]any{"NEW-1", "Felt slippers", 0.345}, []any{"NEW-2", "Sauna bell", 1.234}))
	holds(t, body, "NEW-1", "NEW-2", "The sheet “2026” was read")
	_, body = s.send("/zones/file", "zones.xlsx", book(t, []any{"zone", "place"}, []any{"Sweden", "SE"}))
	holds(t, body, "Sweden")
	_, body = s.send("/book/file", "book.xlsx", book(t, []any{"name", "postcode", "city", "country"},
		[]any{"Inn Kaisla", "20100", "Turku", "FI"}))
	holds(t, body, "Inn Kaisla")

	for name, data := range map[string]string{"list.pdf": "%PDF-1.7", "list.png": "\x89PNG\r\n",
		"list.xls": "\xd0\xcf\x11\xe0\xa1\xb1"} {
		_, body = s.send("/rates-file", name, data)
		holds(t, body, "Nothing was imported: this is a")
	}
	assert.Nil(t, s.draft.State().File.Method("carrier"), "a preview changes nothing")
}
