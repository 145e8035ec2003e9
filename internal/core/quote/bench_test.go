package quote

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/store"

	"github.com/expr-lang/expr"
	"github.com/expr-lang/expr/vm"
	"github.com/stretchr/testify/require"
)

// requestJSON is the request as encoding/json decodes it.
type requestJSON struct {
	To    struct{ Country, Region, City, Postcode, Street, Lat, Lon string }
	Lines []struct {
		SKU, Name, Price, Weight, Class string
		Quantity                        int
	}
	Coupons         []string
	Customer, Group string
	At              string
}

// A quote of five lines against 20 zones and 8 methods, beside decoding that request and encoding that answer.
func BenchmarkQuoteAgainstJSON(b *testing.B) {
	e := compiled(b, madeStore(19, 10))
	q := read(b, e, madeRequest)
	require.Len(b, e.Quote(q).Options, 8)
	b.Run("quote", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			e.Quote(q)
		}
	})
	answer := e.Quote(q)
	b.Run("json", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			var into requestJSON
			if err := json.Unmarshal([]byte(madeRequest), &into); err != nil {
				b.Fatal(err)
			}
			if _, err := json.Marshal(answer); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// The same quote with few and with very many zones and entries.
func BenchmarkQuoteBySize(b *testing.B) {
	for _, size := range []struct{ zones, entries int }{{10, 10}, {1000, 100}} {
		e := compiled(b, madeStore(size.zones, size.entries))
		q := read(b, e, madeRequest)
		b.Run(fmt.Sprintf("%dx%d", size.zones, size.entries), func(b *testing.B) {
			for b.Loop() {
				e.Quote(q)
			}
		})
	}
}

// Checking and compiling the large store, beside decoding it with encoding/json.
func BenchmarkCompileAgainstJSON(b *testing.B) {
	data := madeStore(1000, 100)
	b.Run("check and compile", func(b *testing.B) {
		for b.Loop() {
			f, faults := store.Read(data)
			if len(faults) > 0 {
				b.Fatal(faults)
			}
			Compile(f, nil)
		}
	})
	b.Run("json", func(b *testing.B) {
		for b.Loop() {
			var into fileJSON
			if err := json.Unmarshal(data, &into); err != nil {
				b.Fatal(err)
			}
		}
	})
}

// fileJSON is the parts of a store file that the made store has, as encoding/json decodes them.
type fileJSON struct {
	Format    string
	Store     map[string]any
	Locations []map[string]any
	Classes   []map[string]any
	Products  []struct{ SKU, Name, Price, Weight string }
	Zones     []struct {
		ID, Name string
		Places   []struct {
			Country   string
			Postcodes []string
		}
	}
	Methods []struct {
		ID, Name string
		Handling map[string]string
		Free     map[string]string
		Days     map[string]int
		Tables   []struct {
			ID, Name string
			Zones    []string
			By       string
			Edges    string
			Rows     []struct {
				At      *string
				Charges []any
			}
		}
	}
}

// The rules of the small store as conditions of a general expression engine, each compiled once: a condition
// for each cell of a price list (in this zone, in this row), asked in the order of narrowness until one holds,
// and the charge as another expression. The engine gets floats, no exceptions, no ranks, and owes no reckoning.
func BenchmarkQuoteAgainstExpr(b *testing.B) {
	data := madeStore(19, 10)
	e := compiled(b, data)
	q := read(b, e, madeRequest)
	var file fileJSON
	require.NoError(b, json.Unmarshal(data, &file))
	env := map[string]any{"country": "", "postcode": "", "weight": 0.0, "subtotal": 0.0}
	compile := func(code string) *vm.Program {
		p, err := expr.Compile(code, expr.Env(env))
		require.NoError(b, err)
		return p
	}
	type rule struct{ holds, charge *vm.Program }
	methods := make([][]rule, len(file.Methods))
	for i, m := range file.Methods {
		t := m.Tables[0]
		for column, z := range file.Zones {
			for row, bounds := range []string{"weight <= 2", "weight > 2 && weight <= 5", "weight > 5 && weight <= 10",
				"weight > 10"} {
				charge, fixed := t.Rows[row].Charges[column].(string)
				if !fixed {
					charge = "9.9 + 0.8 * ceil(weight - 10)"
				}
				methods[i] = append(methods[i], rule{
					compile(inZone(z.Places[0].Country, z.Places[0].Postcodes) + " && " + bounds),
					compile("subtotal >= 500 ? 0 : 0.5 + " + charge),
				})
			}
		}
	}
	b.Run("quote", func(b *testing.B) {
		for b.Loop() {
			e.Quote(q)
		}
	})
	b.Run("expr", func(b *testing.B) {
		var machine vm.VM
		for b.Loop() {
			weight, subtotal := 0.0, 0.0
			for _, l := range q.Lines {
				weight += l.Product.Weight.Float64() * float64(l.Quantity)
				subtotal += l.Product.Price.Float64() * float64(l.Quantity)
			}
			env := map[string]any{
				"country":  q.To.Country,
				"postcode": q.To.Postcode,
				"weight":   weight,
				"subtotal": subtotal,
			}
			offered := 0
			for _, rules := range methods {
				for _, r := range rules {
					holds, err := machine.Run(r.holds, env)
					if err != nil {
						b.Fatal(err)
					}
					if holds.(bool) {
						if _, err := machine.Run(r.charge, env); err != nil {
							b.Fatal(err)
						}
						offered++
						break
					}
				}
			}
			if offered != len(methods) {
				b.Fatal(offered)
			}
		}
	})
}

// inZone writes a zone's places as a condition.
func inZone(country string, codes []string) string {
	condition := `country == "` + country + `"`
	for i, c := range codes {
		if i == 0 {
			condition += " && ("
		} else {
			condition += " || "
		}
		switch {
		case c[len(c)-1] == '*':
			condition += `postcode startsWith "` + c[:len(c)-1] + `"`
		case len(c) > 5:
			condition += `(postcode >= "` + c[:5] + `" && postcode <= "` + c[len(c)-5:] + `")`
		default:
			condition += `postcode == "` + c + `"`
		}
	}
	if len(codes) > 0 {
		condition += ")"
	}
	return "(" + condition + ")"
}

// madeBoxes is a made store whose methods pack into four kinds of boxes, or into none.
func madeBoxes(b testing.TB, boxes bool) *Engine {
	text := string(madeStore(20, 50))
	sizes := []string{"3,12,9,5", "2,20,15,8", "9,30,20,12", "5,15,10,10"}
	for i := range 20 {
		s := strings.Split(sizes[i%4], ",")
		text = strings.Replace(text, fmt.Sprintf(`{"sku":"P%d",`, i),
			fmt.Sprintf(`{"sku":"P%d","length":"%s","width":"%s","height":"%s",`, i, s[1], s[2], s[3]), 1)
	}
	if boxes {
		text = strings.Replace(text, `"products":[`, `"boxes":[
		{"id":"a","length":"25","width":"18","height":"10","weight":"0.1"},
		{"id":"b","length":"35","width":"25","height":"15","weight":"0.2"},
		{"id":"c","length":"45","width":"35","height":"25","weight":"0.4"},
		{"id":"d","length":"60","width":"40","height":"40","weight":"0.7"}],"products":[`, 1)
		text = strings.ReplaceAll(text, `"handling":{"amount":"0.50"}`,
			`"handling":{"amount":"0.50"},"parcels":{"all_boxes":true}`)
	}
	return compiled(b, []byte(text))
}

// BenchmarkParcels quotes 20 units without boxes, packed into boxes, and packed as before.
func BenchmarkParcels(b *testing.B) {
	request := `{"to":{"country":"FI","postcode":"21100"},"lines":[{"sku":"P1","quantity":5},{"sku":"P4","quantity":4},
	{"sku":"P6","quantity":2},{"sku":"P8","quantity":6},{"sku":"P11","quantity":3}]}`
	for _, way := range []string{"without", "packed", "remembered"} {
		b.Run(way, func(b *testing.B) {
			e := madeBoxes(b, way != "without")
			q := read(b, e, request)
			for b.Loop() {
				if way == "packed" {
					e.plans[0].known = packings{}
				}
				if a := e.Quote(q); len(a.Options) != 8 {
					b.Fatal(a.Refused)
				}
			}
		})
	}
}
