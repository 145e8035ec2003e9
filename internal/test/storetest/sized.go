package storetest

import (
	"fmt"
	"strings"

	"diadrom/internal/core/store"
)

// Size says how large a made-up shop is.
type Size struct {
	Zones    int // with Codes postcode entries each, and one of the whole country beside
	Codes    int
	Products int
	Methods  int // with one list of Rows by Columns prices each
	Rows     int
	Columns  int
}

// Small is a shop as most are, Large one with as much of everything as Diadrom is made for.
var (
	Small = Size{Zones: 10, Codes: 10, Products: 50, Methods: 3, Rows: 6, Columns: 4}
	Large = Size{Zones: 1000, Codes: 100, Products: 10_000, Methods: 50, Rows: 60, Columns: 40}
)

// Text is the store file of such a shop: zones "z0" and on with the name "Zone 0", and "fi"; products "P0"; methods "m0"
// with the list "list", whose first column is "fi". Made-up data.
func (s Size) Text() []byte {
	var b strings.Builder
	comma := func(i int) string {
		if i == 0 {
			return ""
		}
		return ","
	}
	b.WriteString(`{"format":"diadrom-store/1","store":{"name":"Made up","currency":"EUR","sells_to":[{"country":"FI"}],` +
		`"tax":{"prices_include_tax":true,"rates":[{"country":"FI","percent":"25.5"}]}},` +
		`"locations":[{"id":"shop","name":"Shop","country":"FI","lat":"60.4","lon":"22.1","ships_from":true}],` +
		`"classes":[{"id":"small","name":"Small"},{"id":"large","name":"Large"}],"products":[`)
	for i := range s.Products {
		fmt.Fprintf(&b, `%s{"sku":"P%d","name":"Goods %d","price":"%d.50","weight":"0.%d","length":"30","width":"20",`+
			`"height":"5","class":"%s"}`, comma(i), i, i, 10+i%90, 1+i%9, []string{"", "small", "large"}[i%3])
	}
	b.WriteString(`],"zones":[`)
	for i := range s.Zones {
		fmt.Fprintf(&b, `{"id":"z%d","name":"Zone %d","places":[{"country":"FI","postcodes":[`, i, i)
		for j := range s.Codes {
			switch n := (i*s.Codes + j) % 100_000; {
			case j%20 == 19:
				fmt.Fprintf(&b, `%s"%05d to %05d"`, comma(j), n, min(n+25, 99_999))
			default:
				fmt.Fprintf(&b, `%s"%05d"`, comma(j), n)
			}
		}
		b.WriteString(`]}]},`)
	}
	b.WriteString(`{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],"methods":[`)
	for i := range s.Methods {
		fmt.Fprintf(&b, `%s{"id":"m%d","name":"Method %d","days":{"min":%d,"max":%d},"free":{"subtotal":"%d"},`+
			`"tables":[{"id":"list","zones":["fi"`, comma(i), i, i, 1+i%4, 2+i%4, 150+i)
		for j := range s.Columns - 1 {
			fmt.Fprintf(&b, `,"z%d"`, (i*20+j)%s.Zones)
		}
		b.WriteString(`],"by":"weight","edges":"up_to","rows":[`)
		for row := range s.Rows {
			fmt.Fprintf(&b, `%s{"at":"%d","charges":[`, comma(row), row+1)
			for j := range s.Columns {
				fmt.Fprintf(&b, `%s"%d.%02d"`, comma(j), 3+row+i%4, j)
			}
			b.WriteString(`]}`)
		}
		b.WriteString(`]}]}`)
	}
	b.WriteString(`],"surcharges":[],"agreed":[]}`)
	return []byte(b.String())
}

// Store is such a shop's store file, read.
func (s Size) Store() *store.File {
	f, faults := store.Read(s.Text())
	if len(faults) > 0 {
		panic(faults)
	}
	return f
}
