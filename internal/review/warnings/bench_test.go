package warnings

import (
	"fmt"
	"os"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/review/coverage"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/require"
)

// largeStore is a store of so many zones with 100 entries each, and 50 methods with lists of 60 rows and 40 columns.
func largeStore(zones int) []byte {
	var b strings.Builder
	b.WriteString(
		`{"format":"diadrom-store/1","store":{"currency":"EUR","sells_to":[{"country":"FI"}],` +
			`"tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}},` +
			`"locations":[{"id":"shop","country":"FI","lat":"60.4","lon":"22.1","ships_from":true}],` +
			`"products":[`,
	)
	for i := range 500 {
		fmt.Fprintf(
			&b,
			`%s{"sku":"P%d","name":"Goods %d","price":"%d.50","weight":"0.%d","length":"30","width":"20","height":"5"}`,
			comma(i),
			i,
			i,
			10+i%90,
			1+i%9,
		)
	}
	b.WriteString(`],"zones":[`)
	for i := range zones {
		fmt.Fprintf(&b, `%s{"id":"z%d","name":"Zone %d","places":[{"country":"FI","postcodes":[`, comma(i), i, i)
		for j := range 100 {
			fmt.Fprintf(&b, `%s"%05d"`, comma(j), (i*100+j)%100000)
		}
		b.WriteString(`]}]}`)
	}
	b.WriteString(`,{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],"methods":[`)
	for i := range 50 {
		fmt.Fprintf(
			&b,
			`%s{"id":"m%d","name":"Way %d","days":{"min":%d,"max":%d},"free":{"subtotal":"150"},`+
				`"tables":[{"id":"list","zones":["fi"`,
			comma(i),
			i,
			i,
			1+i%4,
			2+i%4,
		)
		for j := range 39 {
			fmt.Fprintf(&b, `,"z%d"`, (i*20+j)%zones)
		}
		b.WriteString(`],"by":"weight","edges":"up_to","rows":[`)
		for row := range 60 {
			fmt.Fprintf(&b, `%s{"at":"%d","charges":[`, comma(row), row+1)
			for j := range 40 {
				fmt.Fprintf(&b, `%s"%d.%02d"`, comma(j), 3+row+i%4, j)
			}
			b.WriteString(`]}`)
		}
		b.WriteString(`]}]}`)
	}
	b.WriteString(`],"surcharges":[],"agreed":[]}`)
	return []byte(b.String())
}

func comma(i int) string {
	if i == 0 {
		return ""
	}
	return ","
}

// Reading a very large store, beside checking and compiling it, and beside reading it again after one cell was edited.
func BenchmarkReading(b *testing.B) {
	data := largeStore(1000)
	f, faults := store.Read(data)
	require.Empty(b, faults)
	b.Run("check and compile", func(b *testing.B) {
		for b.Loop() {
			read, faults := store.Read(data)
			require.Empty(b, faults)
			quote.Compile(read, nil)
		}
	})
	e := quote.Compile(f, nil)
	b.Run("read", func(b *testing.B) {
		for b.Loop() {
			Read(Input{Engine: e, Coverage: coverage.Of(e), Now: moment}, nil)
		}
	})
	parts := f.Split()
	m := coverage.Of(e)
	before := Read(Input{Engine: e, Coverage: m, Parts: parts, Now: moment}, nil)
	after := f.Clone()
	price := decimal.MustParse("77")
	after.Methods[7].Tables[0].Rows[3].Charges[5] = &rate.Charge{Base: &price}
	next, faults := after.SplitAgain(f, parts)
	require.Empty(b, faults)
	engine := quote.Compile(after, nil)
	covered := coverage.After(engine, m)
	b.Run("read after an edit of a cell", func(b *testing.B) {
		for b.Loop() {
			Read(Input{Engine: engine, Coverage: covered, Parts: next, Now: moment}, before)
		}
	})
}

// Reading the demo shop with its list of places.
func BenchmarkReadingTheDemoShop(b *testing.B) {
	data, err := os.ReadFile("../../shop/demo/data/store.json")
	require.NoError(b, err)
	f, faults := store.Read(data)
	require.Empty(b, faults)
	g, err := demo.Gazetteer()
	require.NoError(b, err)
	e, parts := quote.Compile(f, g), f.Split()
	for b.Loop() {
		Read(Input{Engine: e, Coverage: coverage.Of(e), Parts: parts, Now: time.Now()}, nil)
	}
}
