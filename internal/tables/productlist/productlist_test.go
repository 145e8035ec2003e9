package productlist

import (
	"bytes"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func table(t require.TestingT, text string) *sheet.Table {
	parsed, err := sheet.Read([]byte(text))
	require.NoError(t, err)
	return parsed
}

func written(t require.TestingT, f *store.File) string {
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Write(f)))
	return b.String()
}

func readAs(t require.TestingT, f *store.File, text string) []Row {
	parsed := table(t, text)
	m := Guess(parsed, &f.Store)
	require.Empty(t, m.Missing())
	return Read(parsed, m, f, func(int) {})
}

func TestTheExportOfAnImportIsTheSameList(t *testing.T) {
	f := storetest.Lauha(t)
	out := written(t, f)
	assert.True(
		t,
		strings.HasPrefix(
			out,
			"sku,name,price (EUR),weight (kg),length (cm),width (cm),height (cm),class,needs shipping,ships "+
				"free,own parcel,upright,from\nTOWEL-70,\"Linen towel, 70 × 140\",29.00,0.35,30,22,4,Soft and "+
				"flat,yes,no,no,no,\n",
		),
		out[:200],
	)
	rows := readAs(t, f, out)
	assert.Equal(t, map[Status]int{Same: len(f.Products)}, Count(rows))
	empty := storetest.Lauha(t)
	empty.Products = nil
	Apply(empty, readAs(t, empty, out))
	assert.Equal(t, out, written(t, empty))
	assert.Equal(t, string(f.Write()), string(empty.Write()))
}

func TestListsOfManyShops(t *testing.T) {
	for name, text := range map[string]string{
		"our own heads": "sku,name,price,weight,length\nA,Stone,39.00,20,40\n",
		"semicolons":    "Article number;Title;Unit price;Weight (kg);Length (cm)\nA;Stone;39,00;20;40\n",
		"other units": "code\tproduct name\tretail price (EUR)\tWeight " +
			"[g]\tlength_mm\nA\tStone\t39\t20000\t400\n",
		"units in the cell": "item,description,price,weight in g,depth\nA,Stone,EUR 39.00,20 kg,400 mm\n",
		"columns astray":    "length (cm),weight_kg,colour,name,sku,price\n40,20,grey,Stone,A,39\n",
	} {
		f := storetest.Lauha(t)
		rows := readAs(t, f, text)
		require.Len(t, rows, 1, name)
		require.Equal(t, New, rows[0].Status, "%s: %s", name, rows[0].What)
		p := rows[0].Product
		assert.Equal(
			t,
			[]string{"A", "Stone", "39.00", "20", "40"},
			[]string{p.SKU, p.Name, p.Price.Fixed(2), p.Weight.String(), p.Length.String()},
			name,
		)
		assert.True(t, p.NeedsShipping, name)
	}
}

func TestWhatARowWouldChange(t *testing.T) {
	f := storetest.Lauha(t)
	rows := readAs(
		t,
		f,
		"sku,price,weight,class,needs shipping,name\nTOWEL-70,31,,Bulky,,\nTOWEL-50,14.5,0.160,soft,y,Linen hand "+
			"towel\nNEW,1,2 lb 3 oz,Must not fly,no,New one\n",
	)
	assert.Equal(t, []Status{Changed, Same, New}, []Status{rows[0].Status, rows[1].Status, rows[2].Status})
	assert.Equal(t, "price 29.00 → 31.00 EUR; weight 0.35 → none; class Soft and flat → Bulky", rows[0].What)
	assert.Equal(t, "0.992233309375", rows[2].Product.Weight.String())
	Apply(f, rows)
	assert.Equal(t, "Linen towel, 70 × 140", f.Products[0].Name, "an empty name leaves what was")
	assert.Nil(t, f.Products[0].Weight)
	assert.Equal(t, "0.16", f.Products[1].Weight.String(), "numbers written otherwise change nothing")
	assert.False(t, f.Products[len(f.Products)-1].NeedsShipping)
}

func TestEveryRowThatIsRefusedSaysWhy(t *testing.T) {
	f := storetest.Lauha(t)
	text := strings.Join(
		[]string{
			"sku,name,price,weight,class,own parcel",
			"A,x,\"1,200.50\",1,,",
			"B,x,\"1.200,50\",1,,",
			"C,x,1,-2,,",
			",x,1,1,,",
			"A,x,1,1,,",
			"D,x,1,1,No such,",
			"E,=1+1,1,1,,",
			"F,x,1,2 cm,,",
			"G,x,1,1,,perhaps",
			"H,x,much,1,,",
			"I,'=x,1,1,,",
		},
		"\n",
	)
	parsed := table(t, text)
	rows := Read(parsed, Guess(parsed, &f.Store), f, func(int) {})
	for i, says := range []string{"", "price: its decimal sign is the other way round than in line 2 (1,200.50)",
		"weight: it is below 0", "it has no sku", "the sku A stands in line 2 already",
		`class: there is no class "No such"`,
		"name: =1+1 is a formula", `weight: "cm" is no unit of weight`, `own parcel: "perhaps" is neither yes nor no`,
		`price: "much" is not a number`, ""} {
		if says == "" {
			assert.Equal(t, New, rows[i].Status, rows[i].What)
			continue
		}
		assert.Equal(t, Refused, rows[i].Status, says)
		assert.Contains(t, rows[i].What, says)
	}
	back := Back(parsed, rows)
	assert.Len(t, back, 10)
	assert.Equal(t, []string{"sku", "name", "price", "weight", "class", "own parcel", "reason"}, back[0])
	assert.Equal(t, []string{"C", "x", "1", "-2", "", "", "weight: it is below 0"}, back[2])
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, back))
	again := table(t, b.String())
	assert.Len(
		t,
		Read(again, Guess(again, &f.Store), f, func(int) {}),
		9,
		"what comes back can be mended and read again: the reasons are no column",
	)
}

func TestColumnsArePutRightByHand(t *testing.T) {
	f := storetest.Lauha(t)
	parsed := table(t, "number,what,grams\nA,Stone,20000\n")
	m := Guess(parsed, &f.Store)
	assert.Contains(t, m.Missing(), "no column is the sku")
	m.Columns, m.Units = []Field{SKU, Name, Weight}, []string{"", "", "g"}
	require.Empty(t, m.Missing())
	rows := Read(parsed, m, f, func(int) {})
	assert.Equal(t, "20", rows[0].Product.Weight.String())
	m.Columns[1] = SKU
	assert.Contains(t, m.Missing(), "two columns are the sku")
	m = Mapping{Columns: []Field{SKU, "", Price}, Units: make([]string, 3), Decimal: ','}
	rows = Read(table(t, "a,b,c\nA,,\"1,200\"\n"), m, f, func(int) {})
	assert.Equal(t, "1.20", rows[0].Product.Price.Fixed(2))
}

// What a list says of its units and its currency counts; what it does not say is asked.
func TestUnitsAndCurrenciesOfAList(t *testing.T) {
	for _, c := range []struct{ field, head, unit string }{
		{"weight", "Grams", "g"}, {"weight", "Net weight (g)", "g"}, {"weight", "Pounds", "lb"},
		{"weight", "weight in kg", "kg"}, {"weight", "Mass", ""},
		{"weight", "kg or lb", ""}, {"length", "Length in", "in"}, {"length", "side in mm", "mm"},
		{"name", "Grams", ""},
	} {
		assert.Equal(t, c.unit, HeadUnit(Field(c.field), c.head), c.head)
	}
	f := storetest.Lauha(t)
	rows := readAs(
		t,
		f,
		"sku,price,weight,own parcel\nN1,\"3,50\",180 g,no\nN2,$4.00,1,\nN3,€ 5.00,1,\nN4,5.00 CHF,1,\nN5,1.200,1,\n",
	)
	assert.Equal(t, []string{"3.50", "0.18"}, []string{rows[0].Product.Price.Fixed(2), rows[0].Product.Weight.String()})
	assert.Equal(
		t,
		[]Status{New, Refused, Refused, Refused, New},
		[]Status{rows[0].Status, rows[1].Status, rows[2].Status, rows[3].Status, rows[4].Status},
	)
	assert.Equal(t, "1200.00", rows[4].Product.Price.Fixed(2), "the column shows a decimal comma")
	rows = readAs(t, f, "sku,price,weight\nN2,$4.00,1\nN3,€ 5.00,1\nN4,5.00 CHF,1\nN5,5,1.200\nN6,5,30\n")
	assert.Equal(t, `price: "$4.00" is not in EUR, the currency of this shop`, rows[0].What)
	assert.Equal(t, []Status{New, Refused}, []Status{rows[1].Status, rows[2].Status})
	assert.Equal(t, "weight: 1.200 is 1200 or 1.200: choose the decimal sign", rows[3].What)
	assert.Equal(t, New, rows[4].Status)
	for head, other := range map[string]string{"price (USD)": "USD", "price ($)": "$", "price (EUR)": "", "price": ""} {
		r, err := Open(grid.Bytes([]byte("sku,"+head+"\nA,10\n")), f, Choices{}, func(int) {})
		require.NoError(t, err)
		if other == "" {
			assert.Empty(t, r.Asks, head)
			continue
		}
		require.Len(t, r.Asks, 1, head)
		assert.Equal(t, AskCurrency, r.Asks[0].Code)
		assert.Contains(t, r.Asks[0].Message, "is in "+other+", this shop's prices are in EUR")
		assert.Empty(t, r.Rows, "nothing is read until it is answered")
		half := decimal.MustParse("0.5")
		r, err = Open(grid.Bytes([]byte("sku,"+head+"\nA,10\n")), f, Choices{Rate: &half}, func(int) {})
		require.NoError(t, err)
		assert.Equal(t, "5.00", r.Rows[0].Product.Price.Fixed(2))
	}
}

func TestAnyProductsReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := storetest.Lauha(t)
		f.Products = nil
		word := rapid.StringMatching(`[=+'@-]?[A-Za-z0-9äö,;"]{1,8}( [a-z]{1,5})?`)
		number := rapid.SampledFrom([]string{"", `"0.5"`, `"12"`, `"1200.25"`})
		var list []string
		for i := range rapid.IntRange(1, 6).Draw(t, "products") {
			quote := func(s string) string { return `"` + strings.ReplaceAll(s, `"`, `\"`) + `"` }
			fields := []string{
				`"sku":` + quote(word.Draw(t, "sku")+string(rune('a'+i))),
				`"name":` + quote(word.Draw(t, "name")),
				`"price":"` + rapid.SampledFrom([]string{"0", "1200.5", "3"}).Draw(t, "price") + `"`,
			}
			for _, field := range []string{"weight", "length", "width", "height"} {
				if n := number.Draw(t, field); n != "" {
					fields = append(fields, `"`+field+`":`+n)
				}
			}
			fields = append(
				fields,
				`"class":`+rapid.SampledFrom([]string{`""`, `"soft"`, `"bulky"`}).Draw(t, "class"),
				`"own_parcel":`+rapid.SampledFrom([]string{"true", "false"}).Draw(t, "own"),
				`"upright":`+rapid.SampledFrom([]string{"true", "false"}).Draw(t, "upright"),
				`"from":`+rapid.SampledFrom([]string{`""`, `"hall"`, `"shed"`}).Draw(t, "from"),
			)
			list = append(list, "{"+strings.Join(fields, ",")+"}")
		}
		with, faults := store.Read(
			[]byte(
				`{"format":"diadrom-store/1","store":{"currency":"EUR"},"locations":[{"id":"hall","name":"Shed"},
		{"id":"shed","name":"shed"}],"classes":[{"id":"soft","name":"Bulky"},
		{"id":"bulky","name":"bulky"}],"products":[` + strings.Join(
					list,
					",",
				) + `]}`,
			),
		)
		require.Empty(t, faults)
		out := written(t, with)
		empty := *with
		empty.Products = nil
		Apply(&empty, readAs(t, &empty, out))
		assert.Equal(t, out, written(t, &empty))
		assert.Equal(t, string(with.Write()), string(empty.Write()))
	})
}

func TestTablesWithoutTheLatestColumnsHavePoints(t *testing.T) {
	f := storetest.Lauha(t)
	rows := Write(f)
	head := strings.Join(rows[0][:olderFields], ",")
	m := Guess(table(t, head+"\nX,Cap,1.200,1.200,1,1,1,,yes,no,no\n"), &f.Store)
	assert.Equal(t, byte('.'), m.Decimal, "such a table was written before there were more columns")
}

func TestWhereProductsLeaveFromIsReadByName(t *testing.T) {
	f := storetest.Lauha(t)
	rows := readAs(t, f, "sku,leaves from,this way up\nTOWEL-70,Workshop,yes\nTOWEL-50,Barn,no\n")
	assert.Equal(t, "workshop", rows[0].Product.From)
	assert.True(t, rows[0].Product.Upright)
	assert.Equal(t, Refused, rows[1].Status)
	assert.Contains(t, rows[1].What, `the shop has no place "Barn": it has Workshop, `)
}
