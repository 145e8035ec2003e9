package web

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAKnownPlaceIsFoundByNameInTheTill(t *testing.T) {
	s := lauha(t)
	for field, c := range map[string][]string{
		"name":    {"name", "", "address", "20100 Turku"},
		"address": {"name", "Hotel Aurora", "address", "2010 Turku"},
	} {
		status, body := s.post("/book", c...)
		assert.Equal(t, http.StatusUnprocessableEntity, status, field)
		holds(t, body, `role="alert"`, `value="`+c[3]+`"`)
	}
	status, body := s.post("/book", "name", "Hotel Aurora", "address", "Rantakatu 2, 21100 Naantali", "customer",
		"C-1007")
	require.Equal(t, http.StatusOK, status, body)
	status, body = s.post("/book", "name", "hotel aurora", "address", "20100")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "Hotel Aurora is in the book already")

	_, body = s.part("/suggest/addresses?text=auro")
	holds(t, body, "Hotel Aurora", "Rantakatu 2, 21100 Naantali, customer C-1007")
	status, body = s.post("/till/destination", "to", "hotel aurora")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, `value="Rantakatu 2, 21100 Naantali"`, `value="C-1007"`, "Hotel contract: agreed 10.00")

	status, body = s.post("/extras/agreed", "name", "Aurora", "place", "Hotel Aurora", "amount", "5")
	require.Equal(t, http.StatusOK, status, body)
	agreed := s.draft.State().File.Agreed
	assert.Equal(t, "Rantakatu 2", agreed[len(agreed)-1].Place.Street, "a known place is named and its address is kept")

	status, body = s.post("/book/entry", "name", "Hotel Aurora", "field", "address", "value",
		"Rantakatu 4, 21100 Naantali")
	require.Equal(t, http.StatusOK, status, body)
	status, body = s.post("/book/entry", "name", "Hotel Aurora", "field", "address", "value", "99 Naantali")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, `value="99 Naantali"`)
	_, body = s.get("/book")
	holds(t, body, `value="Rantakatu 4, 21100 Naantali"`, "4 entries")
	assert.NotContains(t, string(s.draft.State().File.Write()), "Rantakatu 4", "the book is no part of the store file")
	status, _ = s.post("/book/remove", "name", "Hotel Aurora")
	require.Equal(t, http.StatusOK, status)
	_, body = s.get("/book?find=aurora")
	holds(t, body, "Nobody is called that")
}

func TestALongAddressBookIsImportedWithoutItsWrongLines(t *testing.T) {
	s := lauha(t)
	var b strings.Builder
	b.WriteString("name,street,postcode\n")
	for i := range 20_000 {
		code := fmt.Sprintf("%05d", 20000+i%900)
		if i%500 == 7 {
			code = "2010"
		}
		fmt.Fprintf(&b, "Inn %d,Road %d,%s\n", i, i, code)
	}
	status, body := s.send("/book/file", "book.csv", b.String())
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "19960 new", "2010 cannot be a postcode of Finland", `class="num">9<`, "Has it lost a zero?", "Not ready to import",
		"0 left")
	at := strings.Index(body, `action="/book/file/`)
	require.Positive(t, at)
	path := strings.SplitN(body[at+len(`action="`):], `"`, 2)[0]
	_, body = s.get(path + "?zeros=lost")
	holds(t, body, "20000 new")
	_, body = s.get(path + "?zeros=prefix")
	holds(t, body, "Import 19960 new")
	status, body = s.post(path + "?zeros=prefix")
	require.Equal(t, http.StatusOK, status, body)
	_, body = s.get("/book")
	holds(t, body, "19963 entries") // three were there
	_, body = s.get("/book.csv")
	assert.Equal(t, 19_964, strings.Count(body, "\n"))
	status, body = s.post("/book/paste", "rows", "  ")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "paste rows from a spreadsheet")
	status, _ = s.post("/book/paste", "rows", "name\tpostcode\nClinic\t20100\n")
	assert.Equal(t, http.StatusNoContent, status)
}
