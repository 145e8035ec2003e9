package web

import (
	"context"
	"net/http"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/review/warnings"
	"diadrom/internal/shop/draft"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const (
	taxKey   = "tax_missing store/tax/rates"
	entryKey = "entry_swallowed zones/van-round/places/0 FI"
	daysKey  = "days_inverted methods/parcel/days locker"
)

func TestThePageOfWarningsShowsWhatShowsThem(t *testing.T) {
	s := lauha(t)
	status, body := s.get("/warnings")
	require.Equal(t, http.StatusOK, status)
	holds(
		t,
		body,
		"4 warnings about the whole shop",
		`Buyers pay too little <span class="count">2</span>`,
		`Buyers notice nothing <span class="count">2</span>`,
		"Prices include tax, and no rate says how much in Austria, Belgium",
		`<span>Parcel to your door</span>`,
		`<span class="num">€16.00</span>`,
		`<span class="num">none</span>`,
		"Parcel to your door, 4 to 7 working days",
		"Parcel locker near you, 1 to 3 working days",
		"Van round: FI 21710 is inside another entry of this zone.",
		"Remove FI 21710 from Van round: another entry covers it",
		"Parcel to the door: to Åland Islands it is dearer than Parcel locker and takes longer. Found by trying",
		`<a href="/warnings" class="warning-count">4 warnings</a>`,
	)
	assert.Less(
		t,
		strings.Index(body, "Prices include tax"),
		strings.Index(body, "FI 21710 is inside"),
		"the worst first",
	)
}

func TestAMendIsAnEditThatIsUndone(t *testing.T) {
	s := lauha(t)
	before := string(s.draft.State().File.Write())
	status, body := s.post("/warnings/mend", "key", entryKey)
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "Done: Remove FI 21710 from Van round: another entry covers it", "3 warnings")
	assert.NotContains(t, body, "FI 21710 is inside")
	status, body = s.post("/warnings/mend", "key", entryKey)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "this warning is gone")
	_, _ = s.post("/undo")
	assert.Equal(t, before, string(s.draft.State().File.Write()))
	_, body = s.get("/warnings")
	holds(t, body, "FI 21710 is inside")
	status, body = s.post("/warnings/mend", "key", taxKey)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "there is not one clear way to mend this")
	_, body = s.part("/warnings/mend?key=" + strings.ReplaceAll(entryKey, " ", "%20"))
	holds(t, body, "takes no more FI 21710", "none changes for buyers")
}

// The carriers of the demo are not running here: once they were asked, the page says that they fail.
func TestACarrierThatFailsIsAWarning(t *testing.T) {
	s := lauha(t)
	_, body := s.get("/warnings")
	assert.NotContains(t, body, "gives no prices at present", "nobody asked yet")
	_, _ = s.get("/checkout")
	_, _ = s.part("/warnings/mend?key=" + strings.ReplaceAll(entryKey, " ", "%20")) // asks sample quotes
	_, body = s.get("/warnings")
	holds(t, body, "Overseas cargo: Vaaru Cargo gives no prices at present", "so buyers are not offered this method",
		"Parcel abroad: Kuikka gives no prices at present", "the price lists stand in")
}

func TestWhatIsMeantStaysQuietUntilTheFactsChange(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/warnings/meant", "key", taxKey, "note", "  ")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "say in a few words why it is meant")
	status, body = s.post("/warnings/meant", "key", taxKey, "note", strings.Repeat("x", 301))
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "a note has at most 300 letters", strings.Repeat("x", 301))
	status, body = s.post("/warnings/meant", "key", taxKey, "note", "we sell less than 10,000 euro a year there")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, "3 warnings", "we sell less than 10,000 euro a year there", "Warn again")
	_, body = s.get("/zones")
	assert.NotContains(
		t,
		body,
		">Shop <span class=\"count\">2</span></span><em>",
		"nothing is wrong at the shop any more",
	)

	_, _ = s.post("/shop/tax", "tax", "Austria 20 %")
	_, body = s.get("/warnings")
	holds(t, body, "4 warnings", "no rate says how much in Belgium, Bulgaria")
	assert.NotContains(t, body, "Warn again", "it is another warning by now")
	_, _ = s.post("/undo")
	_, body = s.get("/warnings")
	holds(t, body, "3 warnings", "Warn again")
	status, body = s.post("/warnings/unmeant", "key", taxKey)
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "4 warnings")
	assert.NotContains(t, body, "Warn again")
}

func TestAWitnessLiesInTheTillAtOnce(t *testing.T) {
	s := lauha(t)
	status, body := s.post("/warnings/try", "key", taxKey)
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, `value="Austria"`, "Goods")
	status, body = s.post("/warnings/try", "key", "nothing of this kind")
	assert.Equal(t, http.StatusUnprocessableEntity, status)
	holds(t, body, "this warning is gone")

	// a cart with a class and a parcel of its own keeps both
	_, _ = s.post("/rates/freight/bulky/cell", "zone", "finland", "at", "30", "was", "59.00", "text", "20.00")
	for _, w := range s.draft.State().Warnings().Warnings {
		if w.Code != warnings.PriceFalls {
			continue
		}
		status, body = s.post("/warnings/try", "key", w.Key)
		require.Equal(t, http.StatusOK, status, body)
		holds(t, body, "Goods", `value="30"`, "Bulky", "parcel of its own", "€24.00")
		till, _, err := s.db.LoadTill(context.Background())
		require.NoError(t, err)
		assert.Equal(t, "bulky", till.Cart[0].Class)
		assert.True(t, till.Cart[0].OwnParcel)
		return
	}
	assert.Fail(t, "the price falls", "%v", s.draft.State().Warnings().Warnings)
}

func TestNewWarningsStandFirstBeforePublishing(t *testing.T) {
	s := lauha(t)
	s.price("6.90", "16.90")
	_, body := s.get("/live")
	holds(
		t,
		body,
		"New warnings",
		"<b>Buyers pay too little.</b> Parcel to the door to Finland: at 2 kg the price falls from €16.90 to €8.40",
	)
	assert.NotContains(t, body, "Prices include tax, and no rate", "what is live has that too")
	assert.Less(t, strings.Index(body, "New warnings"), strings.Index(body, `id="h-changes"`))
	s.price("16.90", "6.90")
	s.price("6.90", "7.00")
	_, body = s.get("/live")
	holds(t, body, "No new warnings", "4 warnings")
}

// A column that goes is named before it is published: a broader zone's prices hold there then.
func TestAColumnThatWasRemovedIsNamedBeforePublishing(t *testing.T) {
	s := lauha(t)
	_, err := s.draft.Edit(context.Background(), func(f *store.File) error {
		t := &f.Method("parcel").Tables[0]
		at := 2 // Lapland
		t.Zones = append(t.Zones[:at:at], t.Zones[at+1:]...)
		for i := range t.Rows {
			t.Rows[i].Charges = append(t.Rows[i].Charges[:at:at], t.Rows[i].Charges[at+1:]...)
		}
		return nil
	})
	require.NoError(t, err)
	_, body := s.get("/live")
	holds(t, body, "Parcel to the door to Lapland: its own prices were removed, so buyers there pay those of Finland")
	_, body = s.get("/warnings")
	holds(
		t,
		body,
		"its own prices were removed",
		"terms here and no price, so buyers get the terms and prices of Finland",
	)
}

// People who are signed in get the same over HTTP.
func TestWarningsComeOverHTTP(t *testing.T) {
	s := lauha(t)
	s.price("6.90", "16.90")
	status, body := s.get("/api/v1/review?of=draft")
	require.Equal(t, http.StatusOK, status, body)
	holds(t, body, `"code":"price_falls","severity":"loses","path":"/methods/1/tables/0/rows/1/charges/0"`)
	_, body = s.get("/api/v1/review")
	assert.NotContains(t, body, "price_falls", "what is live has not got it")
	_, _ = s.post("/warnings/meant", "key", taxKey, "note", "small sums")
	_, body = s.get("/api/v1/review?of=draft")
	assert.NotContains(t, body, "tax_missing", "it is meant")
}

func TestAnEmptyShopIsToldWhatKeepsBuyersFromOrdering(t *testing.T) {
	s := opened(t, draft.Empty(), false)
	status, body := s.get("/warnings")
	require.Equal(t, http.StatusOK, status)
	holds(t, body, "No zone takes an address: say where you deliver", "No delivery method with a price list is on",
		"Nothing is published yet, so buyers get no quotes", "Set-up:")
}
