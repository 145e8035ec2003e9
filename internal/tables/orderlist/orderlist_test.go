package orderlist

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"
)

// said is an order in a line, to compare.
func said(o *past.Order) string {
	text := fmt.Sprintf("%s %s %s %s %s|", o.ID, o.To.Country, o.To.City, o.To.Postcode, o.Method)
	for _, l := range o.Lines {
		text += fmt.Sprintf(" %d×%s", l.Quantity, l.SKU)
		if l.Price != nil {
			text += " at " + l.Price.String()
		}
	}
	if o.Paid != nil {
		text += " paid " + o.Paid.String()
	}
	if o.Cost != nil {
		text += " cost " + o.Cost.String()
	}
	if len(o.Coupons) > 0 {
		text += " " + strings.Join(o.Coupons, "+")
	}
	return text
}

// read reads a text on one goroutine.
func read(t require.TestingT, text string, change func(*Options)) (list []string, result *Result) {
	head, sep, rest, err := Open(strings.NewReader(text))
	require.NoError(t, err)
	columns, _, err := Contract(head)
	require.NoError(t, err)
	o := &Options{Columns: columns, Separator: sep, Numbers: measure.Column{Decimal: '.'}, Currency: "EUR", Skip: 1}
	if change != nil {
		change(o)
	}
	result, err = Each(context.Background(), rest, o, []func(*past.Order) error{func(o *past.Order) error {
		list = append(list, said(o))
		return nil
	}}, nil)
	require.NoError(t, err)
	return list, result
}

func reasons(r *Result) (list []string) {
	for _, line := range r.Refused {
		list = append(list, fmt.Sprintf("%d: %s", line.Line, line.Reason))
	}
	return list
}

func TestLinesThatFollowOneAnotherAreOneOrder(t *testing.T) {
	list, result := read(t, `order,at,country,city,postcode,sku,quantity,price,coupon,method,paid,cost
1,2026-03-02,FI,Naantali,21100,LADLE,2,24.00,LÖYLY,parcel,6.90,5.45
1,,,,,SOAP,1,,,,,
1,2026-03-02,FI,Naantali,21100,CAP,3.0,,OTHER,parcel,6.90,5.45

2,2026-03-02,fi,"Naantali, old town",21100,"LADLE ""L""",1,,,letter,0,
1,2026-03-02,FIN,Naantali,21100,LADLE,1,,,parcel,6.90,
`, nil)
	assert.Equal(t, []string{
		"1 FI Naantali 21100 parcel| 2×LADLE at 24 1×SOAP 3×CAP paid 6.9 cost 5.45 LÖYLY+OTHER",
		`2 FI Naantali, old town 21100 letter| 1×LADLE "L" paid 0`,
		"1 FI Naantali 21100 parcel| 1×LADLE paid 6.9",
	}, list, "the last 1 is another order: it does not follow the first")
	assert.Equal(t, []any{3, 5, 0, 0}, []any{result.Orders, result.Lines, result.RefusedLines, result.Refunds})
}

func TestLinesThatAreRefused(t *testing.T) {
	for line, want := range map[string]string{
		"1,,FI,A,x,,,":           `2: quantity: "x" is not a number`,
		"1,,FI,A,,,,":            "2: it does not say how many",
		"1,,FI,A,0,,,":           `2: quantity: "0" is not a whole number from 1 on`,
		"1,,FI,A,1.5,,,":         `2: quantity: "1.5" is not a whole number from 1 on`,
		"1,,FI,A,1000001,,,":     `2: quantity: "1000001" is more than 1000000`,
		"1,,FI,,1,,,":            "2: it names no product",
		"1,,,A,1,,,":             "2: it does not say which country it went to",
		"1,,Narnia,A,1,,,":       `2: country: there is no country "Narnia"`,
		",,FI,A,1,,,":            "2: it has no order number; where it belongs to the order above, that one lacks it",
		"1,,FI,A,1,6;90,,":       `2: price: "6;90" is not a number`,
		"1,,FI,A,1,,6 kg,":       `2: paid: "6 kg" has "kg" beside its number`,
		"1,,FI,A,1,\"6,90\",,":   `2: price: its decimal sign is not the point that was set`,
		"1,,FI,A,1,,,SEK":        "2: it is in SEK; the store is in EUR",
		"1,,FI,A,1,,":            "2: it has 7 cells; the first line has 8",
		"1,,FI,A,1,,,,":          "2: it has 9 cells; the first line has 8",
		"1,yesterday,FI,A,1,,,":  `2: at: "yesterday" is not a date such as 2026-03-02 or 2.3.2026`,
		"1,2026-02-30,FI,A,1,,,": `2: at: "2026-02-30" is not a date such as 2026-03-02`,
		"1,03/04/2026,FI,A,1,,,": `2: at: "03/04/2026" is 3 April or 4 March: say which comes first`,
		"1,,FI,A \"x,1,,,":       "2: a quote is not closed, or stands in the middle of a cell that is not quoted",
		"1,,FI,\"A,1,,,":         "2: a quote is not closed, or stands in the middle of a cell that is not quoted",
	} {
		list, result := read(t, "order,at,country,sku,quantity,price,paid,currency\n"+line+"\n9,,FI,A,1,,,\n", nil)
		assert.Equal(t, []string{want}, reasons(result), line)
		assert.Len(t, list, 1, "the next order is read: %s", line)
		assert.Equal(t, []int{2, 1}, []int{result.Lines, result.RefusedLines}, line)
	}
}

// Without one of its lines an order would be another, and so would its price.
func TestAnOrderIsRefusedWhole(t *testing.T) {
	for _, broken := range []string{"1,FI,B,x,", "1,FI,B", "1,FI,B \"x,1,", "1,SE,B,1,"} {
		list, result := read(t, "order,country,sku,quantity,paid\n1,FI,A,1,\n"+broken+"\n1,FI,C,1,\n2,FI,D,1,\n", nil)
		assert.Equal(t, []string{"2 FI   | 1×D"}, list, broken)
		assert.Equal(t, 3, result.RefusedLines)
		require.Len(t, result.Refused, 3)
		assert.Equal(t, "line 3 of the same order is refused", result.Refused[0].Reason)
		assert.Equal(t, "1,FI,A,1,", result.Refused[0].Text)
		assert.Equal(t, result.Refused[0].Reason, result.Refused[2].Reason)
	}
}

func TestRefundsAreKeptApart(t *testing.T) {
	list, result := read(t, `order,country,sku,quantity,price,paid,cost
1,FI,A,-1,,-6.90,
2,FI,A,1,-5.00,,
3,FI,A,1,,−4.00,
4,FI,A,1,,,-1
5,FI,A,1,,4.00,
`, nil)
	assert.Equal(t, []string{"5 FI   | 1×A paid 4"}, list)
	assert.Equal(t, []any{4, "-10.9", 0}, []any{result.Refunds, result.Refunded.String(), result.RefusedLines})
}

func TestDatesInSeveralForms(t *testing.T) {
	helsinki, err := time.LoadLocation("Europe/Helsinki")
	require.NoError(t, err)
	for text, want := range map[string][2]string{ // with the day first, with the month first
		"2026-03-02":                {"2026-03-02T12:00:00+02:00", ""},
		"2026-3-2 9:05":             {"2026-03-02T09:05:00+02:00", ""},
		"2026-03-02T10:00:00+01:00": {"2026-03-02T10:00:00+01:00", ""},
		"2026-03-02 10:00:00 +0100": {"2026-03-02T10:00:00+01:00", ""},
		"2026-03-02T10:00:00.123Z":  {"2026-03-02T10:00:00Z", ""},
		"2.3.2026":                  {"2026-03-02T12:00:00+02:00", ""},
		"02.03.2026 14.30":          {"2026-03-02T14:30:00+02:00", ""},
		"2.7.2026, 9:05":            {"2026-07-02T09:05:00+03:00", ""},
		"03/04/2026":                {"2026-04-03T12:00:00+03:00", "2026-03-04T12:00:00+02:00"},
		"03-04-2026 1:05 PM":        {"2026-04-03T13:05:00+03:00", "2026-03-04T13:05:00+02:00"},
		"13/04/2026":                {"2026-04-13T12:00:00+03:00", "no"},
		"04/13/2026":                {"no", "2026-04-13T12:00:00+03:00"},
		"04/04/2026":                {"2026-04-04T12:00:00+03:00", ""},
		"12:00":                     {"no", ""},
		"2026-13-01":                {"no", ""},
		"2026-03-02 25:00":          {"no", ""},
		"31.4.2026":                 {"no", ""},
	} {
		for i, order := range []DateOrder{DayFirst, MonthFirst} {
			if i == 1 && want[1] == "" {
				want[1] = want[0]
			}
			at, err := ParseDate(text, order, helsinki)
			if want[i] == "no" {
				assert.Error(t, err, text)
				continue
			}
			require.NoError(t, err, text)
			assert.Equal(t, want[i], at.Format(time.RFC3339), text)
		}
	}
	for text, open := range map[string]bool{"03/04/2026": true, "13/04/2026": false, "04/13/2026": false,
		"05/05/2026": false} {
		_, err := ParseDate(text, DatesUnknown, helsinki)
		assert.Equal(t, open, err != nil, text)
	}
}

func TestNamesOfMethodsAreMapped(t *testing.T) {
	list, _ := read(t, "order,country,sku,quantity,method\n1,FI,A,1,Home Delivery\n2,FI,A,1,van\n", func(o *Options) {
		o.Methods = map[string]string{"home delivery": "parcel"}
	})
	assert.Equal(t, []string{"1 FI   parcel| 1×A", "2 FI   van| 1×A"}, list)
}

func TestOrdersThatSayNoCountry(t *testing.T) {
	list, result := read(t, "order,country,sku,quantity\n1,,A,1\n2,SE,A,1\n", func(o *Options) { o.Country = "FI" })
	assert.Equal(t, []string{"1 FI   | 1×A", "2 SE   | 1×A"}, list)
	assert.Zero(t, result.RefusedLines)
}

func TestEncodingsAndSeparators(t *testing.T) {
	const text = "order;country;city;sku;quantity\r\n1;FI;Jyväskylä;A;1\r\n"
	latin, err := charmap.Windows1252.NewEncoder().String(text)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(text)
	require.NoError(t, err)
	for _, data := range []string{text, "\ufeff" + text, latin, wide, strings.ReplaceAll(text, ";", "\t")} {
		list, _ := read(t, data, nil)
		assert.Equal(t, []string{"1 FI Jyväskylä  | 1×A"}, list)
	}
}

func TestWhatIsNoListOfOrders(t *testing.T) {
	for text, want := range map[string]string{
		"":                               "this file is empty",
		"a,b\n1,2\n":                     `there is no column "order": the first line names the columns, such as order,country,postcode,sku,quantity`,
		"order,country,quantity\n":       `there is no column "sku": nothing says what was ordered`,
		"order,country,sku,quantity,SKU": `there are two columns "sku"`,
	} {
		head, _, _, err := Open(strings.NewReader(text))
		if err == nil {
			_, _, err = Contract(head)
		}
		assert.EqualError(t, err, want, text)
	}
	_, ignored, err := Contract([]string{"Order", " country ", "Shoe size", "sku", "quantity", ""})
	require.NoError(t, err)
	assert.Equal(t, []string{"Shoe size"}, ignored)
}

// Blocks of any size have the same lines, whole orders, and nothing twice.
func TestBlocksCutNoOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var text strings.Builder
		for i := range rapid.IntRange(0, 30).Draw(t, "orders") {
			for range rapid.IntRange(1, 4).Draw(t, "lines") {
				fmt.Fprintf(
					&text,
					"%d,%s\n",
					i,
					rapid.SampledFrom([]string{"a", `"b, c"`, "\"two\nlines\"", `"x""y"`, "",
						`stray " quote`, "\n"}).Draw(t, "cell"),
				)
			}
		}
		whole := text.String()
		if rapid.Bool().Draw(t, "no line end") {
			whole = strings.TrimSuffix(whole, "\n")
		}
		b := newBlocks(iotest(whole, rapid.IntRange(1, 9).Draw(t, "read")), 2, ',', 0)
		b.size = rapid.IntRange(1, 60).Draw(t, "size")
		var joined bytes.Buffer
		line, last := 2, ""
		for {
			block, err := b.next()
			if err == io.EOF {
				break
			}
			require.NoError(t, err)
			assert.Equal(t, line, block.line)
			line += bytes.Count(block.data, []byte("\n"))
			first := idIn(string(block.data[:bytes.IndexByte(append(block.data, '\n'), '\n')]), ',', 0)
			if first != "" {
				assert.NotEqual(t, last, first, "an order is cut")
			}
			rows := strings.Split(strings.TrimSpace(string(block.data)), "\n")
			for _, row := range rows {
				if id := idIn(row, ',', 0); id != "" && id[0] >= '0' && id[0] <= '9' {
					last = id
				}
			}
			joined.Write(block.data)
			assert.Equal(t, joined.Len(), block.bytes)
		}
		assert.Equal(t, whole, joined.String())
	})
}

// iotest reads a text in small pieces.
func iotest(text string, size int) io.Reader { return &pieces{text, size} }

type pieces struct {
	text string
	size int
}

func (p *pieces) Read(b []byte) (int, error) {
	if p.text == "" {
		return 0, io.EOF
	}
	n := copy(b[:min(len(b), p.size)], p.text)
	p.text = p.text[n:]
	return n, nil
}

func FuzzOrders(f *testing.F) {
	f.Add("1,FI,A,1,6.90\n1,,B,2,\n\"x\n2,FI,C,-1,\n")
	f.Add("1;FI;\"A\"\"B\";1;\n\n1;FI;A;1;")
	f.Fuzz(func(t *testing.T, body string) {
		list, result := read(t, "order,country,sku,quantity,paid\n"+body, nil)
		assert.Len(t, list, result.Orders)
		assert.LessOrEqual(t, result.RefusedLines+result.Orders+result.Refunds, result.Lines)
		assert.GreaterOrEqual(t, result.RefusedLines, min(len(result.Refused), MaxListed))
	})
}

func TestColumnsAreFoundByWhatShopsCallThem(t *testing.T) {
	for head, want := range map[string][]Field{
		"Order no.;Placed;Delivery country;Postcode;Item;Qty;Unit price;Delivery method;Delivery charge;Carrier cost;Colour": {
			OrderID, At, Country, Postcode, SKU, Quantity, Price, Method, Paid, Cost, ""},
		"Tilausnumero;Päiväys;Maa;Postinumero;Tuotekoodi;Määrä;À-hinta;Toimitustapa;Toimituskulut;Rahtikulu": {
			OrderID, At, Country, Postcode, SKU, Quantity, Price, Method, Paid, Cost},
		"order;at;country;region;city;postcode;street;sku;quantity;price;customer;group;coupon;method;paid;cost": {
			OrderID, At, Country, Region, City, Postcode, Street, SKU, Quantity, Price, Customer, Group, Coupon, Method, Paid,
			Cost},
		"Bestellnummer;Bestelldatum;Lieferland;PLZ;Artikelnummer;Menge;Versandart;Versandkosten": {
			OrderID, At, Country, Postcode, SKU, Quantity, Method, Paid},
	} {
		assert.Equal(t, want, Guess(strings.Split(head, ";")), head)
		assert.Empty(t, codesOf(want, ""), head)
	}
	assert.Equal(t, "goods", codesOf([]Field{OrderID, Country, SKU}, ""))
	assert.Equal(t, "goods", codesOf([]Field{OrderID, Country, Quantity, Price}, ""))
	assert.Equal(t, "country", codesOf([]Field{OrderID, Quantity, SKU}, ""))
	assert.Empty(t, codesOf([]Field{OrderID, Quantity, SKU}, "FI"))
	assert.Equal(t, "twice", codesOf([]Field{OrderID, Quantity, SKU, Country, "", SKU}, ""))
	assert.Empty(t, codesOf([]Field{OrderID, Country, Value, TotalWeight, Items}, ""))
	assert.Equal(t, "totals", codesOf([]Field{OrderID, Country, Value}, ""))
}

// codesOf are the codes of what is asked about columns.
func codesOf(columns []Field, country string) string {
	var codes []string
	for _, a := range Make(make([]string, len(columns)), nil, Choices{Columns: columns, Country: country}).Asks {
		codes = append(codes, a.Code)
	}
	return strings.Join(codes, " ")
}

func TestHowAListIsWritten(t *testing.T) {
	columns := []Field{At, Paid}
	for name, c := range map[string]struct {
		rows [][]string
		want Sample
	}{
		"decimal commas and days first": {[][]string{{"31/12/2026", "6,90"}, {"01/02/2026", ""}},
			Sample{Numbers: measure.Column{Decimal: ','}, Dates: DayFirst, Forms: 1}},
		"points and three forms": {[][]string{{"2026-12-31", "-6.90"}, {"31.12.2026", "1"}, {"01/02/2026", ""}},
			Sample{Numbers: measure.Column{Decimal: '.'}, Ambiguous: "01/02/2026", Forms: 3}},
		"a thousand or one": {[][]string{{"", "1.200"}}, Sample{TwoWays: "1.200"}},
		"whole numbers":     {[][]string{{"", "12"}}, Sample{Numbers: measure.Column{Decimal: '.'}}},
	} {
		assert.Equal(t, c.want, Look(c.rows, columns), name)
	}
}

// Parts are the orders of the whole, each with how far the text has been read: reading goes on behind any of them.
func TestReadingGoesOnBehindAPart(t *testing.T) {
	var text strings.Builder
	for i := range 40_000 {
		fmt.Fprintf(&text, "%d,FI,A,1,\n%d,,B,%d,\n", i, i, i%7)
	}
	o := &Options{
		Columns:   []Field{OrderID, Country, SKU, Quantity, Paid},
		Separator: ',',
		Numbers:   measure.Column{Decimal: '.'},
		Skip:      1,
	}
	read := func(skip, from int) (parts []Part, orders []string) {
		o.Skip = skip
		require.NoError(t, Parts(context.Background(), strings.NewReader(text.String()[from:]), o,
			func(o *past.Order, line int) error {
				orders = append(orders, fmt.Sprint(o.ID, " ", line))
				return nil
			}, func(p *Part) error {
				parts = append(parts, *p)
				return nil
			}))
		return parts, orders
	}
	parts, all := read(1, 0)
	require.Greater(t, len(parts), 2)
	first := parts[0]
	rest, behind := read(first.Line, first.Bytes)
	assert.Equal(t, all[len(all)-len(behind):], behind)
	assert.NotEmpty(t, behind)
	assert.Len(t, rest, len(parts)-1)
	assert.Equal(t, first.Orders+len(behind), len(all))
	assert.Equal(t, 80_001, parts[len(parts)-1].Line)
	assert.Equal(t, text.Len(), parts[len(parts)-1].Bytes)
}

// What is kept of a refused line has no names and streets.
func TestRefusedLinesKeepNobodysName(t *testing.T) {
	head, sep, rest, err := Open(strings.NewReader("order,name,street,customer,country,sku,quantity\n" +
		"1,Aino Made-Up,Road 1,C-1,FI,A,x\n2,Aino Made-Up,Road 1,C-1,FI\n,Aino Made-Up,Road 1,C-1,FI,A,1\n"))
	require.NoError(t, err)
	columns, _, err := Contract(head)
	require.NoError(t, err)
	o := &Options{Columns: columns, Separator: sep, Numbers: measure.Column{Decimal: '.'}, Skip: 1, Private: true}
	result, err := Each(
		context.Background(),
		rest,
		o,
		[]func(*past.Order) error{func(*past.Order) error { return nil }},
		nil,
	)
	require.NoError(t, err)
	require.Len(t, result.Refused, 3)
	assert.Equal(t, []string{"1, FI, A, x", "", ", FI, A, 1"},
		[]string{result.Refused[0].Text, result.Refused[1].Text, result.Refused[2].Text})
}

// What an order comes to is not what sending it cost, and "Shipping 5.90" is what was paid.
func TestTotalsAndNumbersAreTakenForWhatTheyAre(t *testing.T) {
	row := func(cells ...string) [][]string { return [][]string{cells, cells} }
	for _, c := range []struct {
		head string
		rows [][]string
		want string
	}{
		{"Order,Country,SKU,Qty,Shipping,Total", row("1", "FI", "A", "2", "5.90", "63.90"),
			"order country sku quantity paid "},
		{"Order,Country,SKU,Qty,Shipping,Order total", row("1", "FI", "A", "2", "€5.90", "63.90"),
			"order country sku quantity paid "},
		{"Order,Country,SKU,Qty,Shipping,Subtotal", row("1", "FI", "A", "2", "Parcel", "58.00"),
			"order country sku quantity method value"},
		{"Order,Country,SKU,Qty,Shipping,Shipping method", row("1", "FI", "A", "2", "5.90", "Parcel"),
			"order country sku quantity paid method"},
		{"Order,Country,SKU,Qty,Shipping method,Carrier cost", row("1", "FI", "A", "2", "Parcel", "4.10"),
			"order country sku quantity method cost"},
		{"Order,Country,SKU,Qty,Total,Cost", row("1", "FI", "A", "2", "63.90", "4.10"), "order country sku quantity  cost"},
	} {
		var got []string
		for _, f := range GuessOrders(strings.Split(c.head, ","), c.rows) {
			got = append(got, string(f))
		}
		assert.Equal(t, c.want, strings.Join(got, " "), c.head)
	}
}

// A list in the columns of docs/model.md is read to its letter: a product may be called SHIPPING, and a code is as it
// stands there.
func TestTheContractIsReadToItsLetter(t *testing.T) {
	list, result := read(t, "order,country,postcode,sku,quantity,price\n1,DE,1067,A,1,5\n1,DE,1067,SHIPPING,1,5.90\n", nil)
	assert.Equal(t, []string{"1 DE  1067 | 1×A at 5 1×SHIPPING at 5.9"}, list)
	assert.Zero(t, result.RefusedLines)
	_, ignored, err := Contract([]string{"order", "country", "sku", "quantity", "status", "total_weight"})
	require.NoError(t, err)
	assert.Equal(t, []string{"status", "total_weight"}, ignored)
}
