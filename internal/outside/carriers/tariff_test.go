package carriers

import (
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/outside/asking"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const tariffCSV = `service,name,to,up_to_kg,longest_cm,price,currency,min_days,max_days
parcel,Ferry parcel,FI,2,,5.10,EUR,2,4
parcel,Ferry parcel,FI,20,,7.20,EUR,2,4
parcel,Ferry parcel,EE LV,20,,11.00,EUR,,
parcel,Ferry parcel,*,20,,25.50,EUR,,
letter,,FI,1,35,2.40,EUR,,
`

func TestATariffFileIsReadOnceADay(t *testing.T) {
	var read atomic.Int64
	var body atomic.Value
	body.Store(tariffCSV)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		read.Add(1)
		if body.Load() == "" {
			w.WriteHeader(http.StatusBadGateway)
			return
		}
		w.Write([]byte(body.Load().(string))) //nolint:errcheck
	}))
	defer s.Close()
	c := New(Options{Local: true})
	url := s.URL + "/prices/tariff.csv"
	to := func(country string, kilograms ...string) string {
		a := ask(url, kilograms...)
		a.To.Country = country
		return words(c.Rates([]quote.CarrierAsk{a})[0])
	}
	assert.Equal(t, "parcel 5.10, letter 2.40", to("FI", "0.5"))
	assert.Equal(t, "parcel 5.10", to("FI", "2"), "a letter weighs up to 1 kg")
	assert.Equal(t, "parcel 7.20 5.10", to("FI", "2.001", "1"), "each parcel by its own line")
	assert.Equal(t, "parcel 11.00", to("LV", "2"))
	assert.Equal(t, "parcel 25.50", to("NO", "2"), "everywhere else")
	assert.Equal(t, "", to("FI", "21"))
	long := ask(url, "0.5")
	long.Parcels[0].Centimetres = []decimal.Decimal{decimal.FromInt(36), decimal.One, decimal.One}
	assert.Equal(t, "parcel 5.10", words(c.Rates([]quote.CarrierAsk{long})[0]), "longer than a letter may be")
	assert.Equal(t, int64(1), read.Load())

	file := newTariff(url, asking.Options{Local: true, Timeout: time.Second}, nil)
	now := time.Now()
	file.now = func() time.Time { return now }
	rates := func() (string, error) {
		a, err := file.Rates(t.Context(), &Question{Currency: "EUR", To: Address{Country: "FI"},
			Parcels: []Parcel{{Weight: "1"}}})
		if err != nil {
			return "", err
		}
		return a.Rates[0].Amounts[0], nil
	}
	first, err := rates()
	require.NoError(t, err)
	assert.Equal(t, "5.1", first)
	body.Store(strings.ReplaceAll(tariffCSV, "5.10", "5.60"))
	now = now.Add(23 * time.Hour)
	first, _ = rates()
	assert.Equal(t, "5.1", first, "the file of today")
	now = now.Add(2 * time.Hour)
	first, _ = rates()
	assert.Equal(t, "5.6", first)
	body.Store("")
	now = now.Add(30 * time.Hour)
	first, err = rates()
	require.NoError(t, err)
	assert.Equal(t, "5.6", first, "a file that cannot be read again counts for another day")
	now = now.Add(20 * time.Hour)
	_, err = rates()
	assert.ErrorContains(t, err, "status 502")
}

func TestTariffFilesThatCannotBeRead(t *testing.T) {
	head := "service,to,up_to_kg,price,currency\n"
	for name, tt := range map[string][2]string{
		"nothing":            {"", "names no columns"},
		"no prices":          {head, "without prices"},
		"no currency column": {"service,to,up_to_kg,price\n", `without the column "currency"`},
		"an unknown column":  {"service,to,up_to_kg,price,currency,zone\n", `column "zone"`},
		"a column twice":     {"service,to,to,up_to_kg,price,currency\n", `column "to"`},
		"a decimal comma": {head + "a,FI,2,\"5,10\",EUR\n",
			`line 2 has a price that is not a decimal number of 0 or more: "5,10"`},
		"a negative price":   {head + "a,FI,2,5,EUR\na,FI,3,-1,EUR\n", "line 3 has a price"},
		"no weight":          {head + "a,FI,,5,EUR\n", "line 2 has a up_to_kg"},
		"an unknown country": {head + "a,XX,2,5,EUR\n", "line 2 has a country that is not known"},
		"no country":         {head + "a,,2,5,EUR\n", "does not say where to"},
		"two currencies":     {head + "a,FI,2,5,EUR\na,SE,2,5,SEK\n", "another currency than those above"},
		"too few cells":      {head + "a,FI,2\n", "cannot be read in line 2"},
		"no service":         {head + ",FI,2,5,EUR\n", "names no service"},
		"a web page":         {"<!doctype html><title>Gone</title>", "not known"},
		"days that are no day": {"service,to,up_to_kg,price,currency,min_days\na,FI,2,5,EUR,x\n",
			"min_days that is not"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := readTariff([]byte(tt[0]))
			assert.ErrorContains(t, err, tt[1])
		})
	}
	f, err := readTariff([]byte("\ufeff" + strings.ReplaceAll(tariffCSV, "\n", "\r\n")))
	require.NoError(t, err, "as a spreadsheet writes it")
	assert.Len(t, f.lines, 5)
}

func FuzzTariff(f *testing.F) {
	f.Add([]byte(tariffCSV), "FI", "1")
	f.Add([]byte("service,to,up_to_kg,price,currency\na,*,2,5,EUR\n"), "SE", "2.1")
	f.Fuzz(func(t *testing.T, body []byte, to, weight string) {
		file, err := readTariff(body)
		if err != nil {
			require.Less(t, len(err.Error()), 400)
			return
		}
		for _, s := range file.services {
			price, err := file.price(s.Code, to, &Parcel{Weight: weight})
			if err == nil && price != "" {
				d, err := decimal.Parse(price)
				require.NoError(t, err)
				require.False(t, d.Sign() < 0)
			}
		}
	})
}
