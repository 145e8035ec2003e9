package web

import (
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestATermIsSetForSeveralMethods(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/defaults?term=handling")
	holds(t, body, "Terms for several methods", "4.00, its own", `value="freight"> <b>Freight`,
		`value="letter" checked> <b>Letter`)
	revision := s.draft.State().Revision
	form := []string{"term", "handling", "text", "1.50", "how", "default", "method", "parcel"}
	status, body := s.post("/defaults/preview", form...)
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "Preview: nothing is saved yet", "€8.40", "was €6.90", "Parcel to the door, handling: nothing → "+
		"1.50",
		"dearer", "breaks", "costs €6.90", `value="1.50"`)
	assert.Equal(t, revision, s.draft.State().Revision, "a preview is not kept")
	_, body = s.get("/zones")
	assert.NotContains(t, body, "Preview: nothing")

	status, body = s.post("/defaults", form...)
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "promises broken", "<b>1.50</b>", "1.50, from the shop")
	_, body = s.get("/methods/parcel")
	holds(t, body, `placeholder="1.50"`, "the shop's default")
	status, body = s.post("/methods/parcel/term", "zone", "", "field", "handling", "was", "", "text", "none")
	require.Equal(t, http.StatusOK, status, body)
	assert.Nil(t, s.draft.State().File.Method("parcel").Handling)
	_, body = s.get("/methods/parcel")
	holds(t, body, ">none</textarea>")

	for _, c := range [][]string{
		{"term", "handling", "text", "much", "how", "default"},
		{"term", "days", "text", "2-4", "how", "once"},
		{"term", "days", "text", "2-4", "how", "default", "zone", "aland"},
	} {
		for _, path := range []string{"/defaults", "/defaults/preview"} {
			status, body = s.post(path, c...)
			assert.Equal(t, http.StatusUnprocessableEntity, status, c)
			holds(t, body, `role="alert"`, `value="`+c[3]+`"`)
		}
	}
	status, body = s.post("/defaults", "term", "days", "text", "9", "how", "once", "method", "parcel", "zone", "aland")
	require.Equal(t, http.StatusOK, status, body)
	assert.EqualValues(t, 9, s.draft.State().File.Method("parcel").TermsIn("aland").Days.Max)
}
