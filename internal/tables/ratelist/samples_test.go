package ratelist

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Prices are read back from the table with the line of the file that says so.
func TestPricesAreReadBack(t *testing.T) {
	f := storetest.Lauha(t)
	for _, c := range []struct{ list, want string }{
		{"Weight (kg);Finland;Germany\n2;6,90;14,50\n5;8,90;18,00\n", "1 kg to Finland 6.90 line 2 cheapest | " +
			"1 kg to Germany 14.50 line 2 in the middle | 3 kg to Germany 18.00 line 3 dearest"},
		{"country;from;to;price\nFI;0;1;5,00\nFI;1;1,5;7,00\n", "0.6 kg to Finland 5.00 line 2 cheapest | " +
			"1.3 kg to Finland 7.00 line 3 in the middle"},
		{"country;price\nFI;5,00\nSE;9,00\n", "An order to Finland 5.00 line 2 cheapest | An order to Sweden 9.00 line 3 in the middle"},
		{"Items;Finland\n1;5,00\n3;7,00\n", "1 item to Finland 5.00 line 2 cheapest | 3 items to Finland 7.00 line 3 in the middle"},
		{"country;weight (kg);price per kg\nFI;10;2,00\n", "6 kg to Finland 12.00 line 2 cheapest"},
	} {
		r, err := Open(grid.Bytes(c.list), f, typed.For(f, nil), Choices{})
		require.NoError(t, err)
		var got []string
		for _, s := range r.Samples() {
			got = append(got, fmt.Sprintf("%s %s line %d %s", s.Words(r, f), s.Price.Fixed(2), s.Line, s.Why))
		}
		assert.Equal(t, c.want, strings.Join(got, " | "), c.list)
	}
	r, err := Open(grid.Bytes("Weight (kg);Finland\n2;6,90\n5;8,90\n"), f, typed.For(f, nil), Choices{})
	require.NoError(t, err)
	s := r.Quote(r.Plan.Zones[0].ID, decimal.FromInt(2))
	assert.Equal(t, "6.90 line 2", fmt.Sprintf("%s line %d", s.Price.Fixed(2), s.Line), "up to and including the bound")
	assert.False(t, func() bool { s := r.Quote(r.Plan.Zones[0].ID, decimal.FromInt(6)); return s.Offered }(), "above the last bound")
	assert.False(t, func() bool { s := r.Quote("nowhere", decimal.FromInt(1)); return s.Offered }())
}

// What is read back is what the file says: for each list of the collection, the price of a sample is in the charge of its
// line.
func TestWhatIsReadBackIsWhatTheFileSays(t *testing.T) {
	f := storetest.Lauha(t)
	for _, c := range collection(t) {
		r, err := Open(grid.Bytes(c.list), f, typed.For(f, nil), Choices{})
		require.NoError(t, err)
		if r.Plan == nil || len(r.Updates) > 0 || len(r.Asks) > 0 {
			continue
		}
		lines := map[int]string{}
		for i := range r.Plan.Lines {
			if l := &r.Plan.Lines[i]; l.Status == Taken {
				lines[l.Line] += " " + charge.Format(l.charge, f.Words())
			}
		}
		samples := r.Samples()
		for _, s := range samples {
			assert.NotZero(t, s.Line, c.name)
			if one := lines[s.Line]; r.Plan.Table.By != rate.ByOrder && !strings.ContainsAny(one, "+×/") && !strings.Contains(one, "per") {
				assert.Contains(t, strings.ReplaceAll(one, "free", "0.00"), s.Price.Fixed(2), c.name)
			}
			if !r.Plan.Table.Graduated {
				assert.Equal(t, s.Line, r.Quote(s.Zone, s.At).Line, "%s: %s", c.name, s.At)
			}
		}
		if len(samples) > 1 {
			assert.False(t, samples[len(samples)-1].Price.Less(samples[0].Price), c.name)
		}
	}
}
