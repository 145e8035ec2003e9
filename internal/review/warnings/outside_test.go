package warnings

import (
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"
	"diadrom/internal/review/promise"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// beside is what is found with what lies outside of a store file.
func beside(t *testing.T, f *store.File, o Outside) (list []string) {
	t.Helper()
	r := of(f, nil)
	found := r.With(o)
	for i := range found {
		assert.True(t, found[i].Holds(r.engine), found[i].Message)
	}
	for _, m := range messages(found) {
		if _, rest, ok := strings.Cut(m, " "); ok {
			list = append(list, rest)
		}
	}
	return list
}

func TestADraftThatWaitsForLongIsNamed(t *testing.T) {
	f := read(t, sound)
	live := quote.Compile(f, nil)
	kept := []promise.Promise{{ID: "a", Method: "none"}}
	o := Outside{Now: moment, Served: true, Live: live, Published: moment.Add(-Waits), Promises: kept, Ahead: 3}
	assert.Empty(t, beside(t, f, o), "30 days are not too long")
	o.Now = moment.Add(time.Minute)
	assert.Equal(
		t,
		[]string{"not_published /store: 3 changes of the draft have waited for 30 days: publish them, or undo them."},
		beside(t, f, o),
	)
	o.Ahead = 1
	assert.Equal(
		t,
		[]string{"not_published /store: 1 change of the draft has waited for 30 days: publish it, or undo it."},
		beside(t, f, o),
	)
	o.Ahead = 0
	assert.Empty(t, beside(t, f, o), "there is nothing to publish")
	o.Live, o.Promises = nil, nil
	assert.Equal(t, []string{"unpublished /store: Nothing is published yet, so buyers get no quotes.",
		"no_promises /store: No promise is kept: a price that must stay as it is tells when a change breaks it."},
		beside(t, f, o))
}

func TestAnAnnouncementThatIsPromisedAndNotSoIsNamed(t *testing.T) {
	f := read(t, sound)
	announced := func(amount, price string) Outside {
		_, list := promise.Read([]byte(`{"format": "diadrom-promises/1", "promises": []}`))
		require.Empty(t, list)
		kept, faults := promise.Read(
			[]byte(`{"format": "diadrom-promises/1", "promises": [{"id": "free", "name": "Free from 80",
			"request": {"to": {"country": "FI"}, "lines": [{"price": "` + price + `", "weight": "1",
			"quantity": 1}]}, "holds": "at_most",
			"method": "parcel", "amount": "` + amount + `"}]}`),
		)
		require.Empty(t, faults)
		return Outside{Now: moment, Promises: kept}
	}
	assert.Equal(t, []string{"free_untrue /methods/0: Parcel: “Free from 80” is promised to be free and is 7.00 EUR."},
		beside(t, f, announced("0", "80")))
	assert.Empty(t, beside(t, f, announced("0", "100")), "it is free from 100")
	assert.Empty(t, beside(t, f, announced("1", "80")), "what is not said to be free is a promise alone")
}

func TestAColumnThatWasLiveAndIsGoneIsNamed(t *testing.T) {
	live := quote.Compile(read(t, sound), nil)
	f := read(
		t,
		sound,
		[2]string{"methods.0.tables.0.zones.0", ""},
		[2]string{"methods.0.tables.0.rows.0.charges.0", ""},
		[2]string{"methods.0.tables.0.rows.1.charges.0", ""},
		[2]string{"methods.0.tables.0.rows.2.charges.0", ""},
	)
	o := Outside{Now: moment, Served: true, Live: live, Published: moment, Promises: []promise.Promise{{ID: "a"}}}
	found := beside(t, f, o)
	assert.Contains(
		t,
		found,
		"column_gone /methods/0/tables: Parcel to North: its own prices were removed, so buyers there pay those of "+
			"Finland.",
	)
	o.Live = quote.Compile(f, nil)
	assert.NotContains(t, strings.Join(beside(t, f, o), " "), "column_gone", "it is live by now")
}

func TestACarrierThatFailsIsNamed(t *testing.T) {
	asking := [][2]string{{"carriers", `[{"id": "post", "name": "Post", "url": "https://post.example"}]`},
		{"methods.1.kind", `"carrier"`}, {"methods.1.carrier", `{"id": "post", "services": [{"code": "eco"}]}`}}
	f := read(t, sound, asking...)
	assert.Empty(t, beside(t, f, Outside{Now: moment}))
	failing := Outside{Now: moment, Failing: map[string]string{"post": "no answer in time", "other": "it is another's"}}
	assert.Equal(
		t,
		[]string{
			"carrier_fails /methods/1/carrier: Slow parcel: Post gives no prices at present (no answer in time), so " +
				"buyers are not offered this method.",
		},
		beside(t, f, failing),
	)
	f = read(t, sound, append(asking, [2]string{"methods.1.carrier.fallback", "true"})...)
	assert.Equal(
		t,
		[]string{
			"carrier_fails /methods/1/carrier: Slow parcel: Post gives no prices at present (no answer in time): " +
				"the price lists stand in.",
		},
		beside(t, f, failing),
	)
}
