package quote

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"diadrom/internal/core/store"

	"github.com/stretchr/testify/require"
)

// madeStore writes a store of so many zones, each with so many postcode entries of Finland, and eight methods
// that serve all of them. Made-up data for benchmarks and properties.
func madeStore(zones, entries int) []byte {
	r := rand.New(rand.NewPCG(1, 2))
	var b strings.Builder
	b.WriteString(
		`{"format":"diadrom-store/1","store":{"name":"Made","currency":"EUR","tax":{"prices_include_tax":true,
		"rates":[{"country":"FI","percent":"25.5"}]}},`,
	)
	b.WriteString(
		`"locations":[{"id":"w","country":"FI","lat":"60.46","lon":"22.02","ships_from":true}],
		"classes":[{"id":"bulky"}],"products":[`,
	)
	for i := range 20 {
		fmt.Fprintf(
			&b,
			`%s{"sku":"P%d","name":"Product %d","price":"%d.90","weight":"%d.%d"}`,
			comma(i),
			i,
			i,
			i+3,
			i%7,
			i%10,
		)
	}
	b.WriteString(`],"zones":[`)
	var ids, charges, more []string
	for i := range zones {
		fmt.Fprintf(&b, `%s{"id":"z%d","name":"Zone %d","places":[{"country":"FI","postcodes":[`, comma(i), i, i)
		for j := range entries {
			b.WriteString(comma(j))
			switch n := r.IntN(100000); {
			case j%20 == 19:
				fmt.Fprintf(&b, `"%05d to %05d"`, n, min(n+r.IntN(30), 99999))
			case j%20 == 18:
				fmt.Fprintf(&b, `"%04d*"`, n/10)
			default:
				fmt.Fprintf(&b, `"%05d"`, n)
			}
		}
		b.WriteString(`]}]}`)
		ids, charges = append(ids, fmt.Sprintf(`"z%d"`, i)), append(charges, fmt.Sprintf(`"%d.90"`, i%9+4))
		more = append(more, `{"base":"9.90","per_weight":{"amount":"0.80","above":"10","part":"started"}}`)
	}
	fmt.Fprintf(&b, `%s{"id":"fi","name":"Finland","places":[{"country":"FI"}]}],"methods":[`, comma(zones))
	ids, charges, more = append(ids, `"fi"`), append(charges, `"6.90"`), append(more, `"19.00"`)
	for i := range 8 {
		fmt.Fprintf(
			&b,
			`%s{"id":"m%d","name":"Method %d","handling":{"amount":"0.50"},"free":{"subtotal":"500"},
			"days":{"min":1,"max":3},"tables":[{"id":"t","name":"Price list","zones":[%s],
			"by":"weight","edges":"up_to","rows":[`,
			comma(i),
			i,
			i,
			strings.Join(ids, ","),
		)
		for j, at := range []string{`"2"`, `"5"`, `"10"`} {
			fmt.Fprintf(&b, `%s{"at":%s,"charges":[%s]}`, comma(j), at, strings.Join(charges, ","))
		}
		fmt.Fprintf(&b, `,{"at":null,"charges":[%s]}]}]}`, strings.Join(more, ","))
	}
	b.WriteString(`]}`)
	return []byte(b.String())
}

func comma(i int) string {
	if i == 0 {
		return ""
	}
	return ","
}

// madeRequest is a cart of five lines.
const madeRequest = `{"to":{"country":"FI","region":"","city":"Naantali","postcode":"21100","street":"","lat":"",
		"lon":""},
 "lines":[{"sku":"P1","quantity":2},{"sku":"P4","quantity":1},{"sku":"P9","quantity":3},{"sku":"P12","quantity":1},
 {"name":"Ladle","price":"24.00","weight":"0.4","class":"","quantity":1}],"coupons":[],"customer":"","group":"",
		"at":"2026-03-02T10:00:00+02:00"}`

func compiled(t testing.TB, data []byte) *Engine {
	t.Helper()
	f, faults := store.Read(data)
	require.Empty(t, faults)
	return Compile(f, nil)
}

func read(t testing.TB, e *Engine, request string) *Request {
	t.Helper()
	requests, _, faults := e.ReadRequest([]byte(request))
	require.Empty(t, faults)
	return &requests[0]
}
