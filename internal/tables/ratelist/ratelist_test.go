package ratelist

import (
	"bytes"
	"strings"
	"testing"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/quote"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ownHead is the head of a table that Cells writes.
const ownHead = "method,list,by,edges,row,zone,charge,graduated,classes,per\n"

func TestListsAreWrittenByCellAndAsTheyLook(t *testing.T) {
	f := storetest.Lauha(t)
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Cells(f, f.Methods)))
	assert.Contains(t, b.String(), ownHead)
	assert.Contains(t, b.String(), "parcel,list,weight,up_to,2,finland,6.90,no,,parcel\n")
	assert.Contains(t, b.String(), "parcel,list,weight,up_to,,finland,9.90 + 0.80 per started kg above 10,no,,parcel\n")
	b.Reset()
	require.NoError(t, sheet.Write(&b, Grid(f, &f.Methods[2].Tables[0])))
	assert.Equal(t, "weight (kg) up to,Finland,Åland,Baltic neighbours\n5,5.90,7.90,9.90\n15,7.90,9.90,14.90\n",
		b.String())
}

// A table from before lists could price the whole order says nothing of it: a list that does goes on to.
func TestAnOlderTableLeavesWhatAListPrices(t *testing.T) {
	for per, want := range map[string]rate.Per{"": rate.PerOrder, "parcel": rate.PerParcel, "order": rate.PerOrder} {
		f := storetest.Lauha(t)
		m := f.Method("parcel")
		m.Tables[0].Per = rate.PerOrder
		rows := Cells(f, []store.Method{*m})
		for i := range rows {
			rows[i] = rows[i][:9]
			if per != "" {
				rows[i] = append(rows[i], map[bool]string{true: "per", false: per}[i == 0])
			}
		}
		r, err := Open(grid.Bytes(csvOf(t, rows)), f, typed.For(f, nil), Choices{})
		require.NoError(t, err)
		require.Empty(t, r.Problem())
		require.Len(t, r.Updates, 1)
		assert.Equal(t, want == rate.PerOrder, r.Updates[0].Same)
		r.Apply(f)
		assert.Equal(t, want, f.Method("parcel").Tables[0].Per, per)
	}
}

// made reads a list and says what its table and its lines became.
func made(t *testing.T, f *store.File, text string, change ...func(*Choices)) (*Reading, string) {
	t.Helper()
	var c Choices
	for _, one := range change {
		one(&c)
	}
	r, err := Open(grid.Bytes([]byte(text)), f, typed.For(f, nil), c)
	require.NoError(t, err, text)
	if r.Plan == nil {
		return r, r.Missing
	}
	return r, tableText(r.Plan, f)
}

// tableText is the table of a plan in one line: its zones, then each row with its bound and its charges.
func tableText(p *Plan, f *store.File) string {
	var b strings.Builder
	for _, id := range p.Table.Zones {
		b.WriteString(id + " ")
	}
	for i := range p.Table.Rows {
		b.WriteString("| " + bound(&p.Table.Rows[i]))
		for _, c := range p.Table.Rows[i].Charges {
			b.WriteString(" " + charge.Format(c, f.Words()))
		}
		b.WriteByte(' ')
	}
	return strings.TrimSpace(b.String())
}

// Shapes of lists as carriers and shops hand them round; common practice, no source.
func TestAnyListBecomesZonesAndATable(t *testing.T) {
	for _, c := range []struct{ name, list, want string }{
		{"upper bounds", "country,weight to,price\nFinland,2,6.90\nFinland,10,9.90\nSE,2,12.00\n",
			"finland sweden | 2 6.90 12.00 | 10 9.90 no"},
		{"an open end", "country;up to kg;price\nFI;2;6,90\nFI;;9,90\n", "finland | 2 6.90 |  9.90"},
		{"lower bounds that are left out", "Country,Weight over (kg),Price\nFI,0,6.90\nFI,5,8.40\n",
			"finland | 5 6.90 |  8.40"},
		{"upper bounds that are left out", "Country,Weight under (kg),Price\nFI,5,6.90\nFI,10,8.40\n",
			"finland | 0 6.90 | 5 8.40 | 10 no"},
		{"lower bounds", "Country,Weight and above,Shipping price\nFI,0,6.90\nFI,5,8.40\n*,0,20\n",
			"finland everywhere | 0 6.90 20.00 | 5 8.40 20.00"},
		{"both, a hair apart", "country,min weight,max weight,rate\nFI,0,1.99,5\nFI,2,4.99,7\nFI,5,10,9\n",
			"finland | 1.99 5.00 | 4.99 7.00 | 10 9.00"},
		{"both, touching", "country,from,to,price\nFI,0,2,5\nFI,2,5,7\n", "finland | 2 5.00 | 5 7.00"},
		{"postcodes narrow", "country,zip,to,price\nFI,22*,5,12\nFI,96000-99999,5,14\nFI,*,5,7\n",
			"fi-22 lapland finland | 5 12.00 14.00 7.00"},
		{"regions by name and code", "country,state,to,price\nUS,IL,5,9\nUS,California,5,11\n",
			"illinois california | 5 9.00 11.00"},
		{"zones of the shop", "zone,to,price\nBaltic neighbours,5,9\nlapland,5,11\n", "baltic lapland | 5 9.00 11.00"},
		{"charges in words", "country,to,price\nFI,5,3.00 + 1.00 per item\nFI,10,no\n",
			"finland | 5 3.00 + 1.00 per item | 10 no"},
		{"lines in any order", "country,to,price\nFI,10,9.90\nFI,2,6.90\n", "finland | 2 6.90 | 10 9.90"},
	} {
		r, got := made(t, storetest.Lauha(t), c.list)
		assert.Equal(t, c.want, got, c.name)
		assert.Empty(t, r.Problem(), c.name)
	}
	r, got := made(t, storetest.Lauha(t), "country,from,to,price\nFI,0,2,5\nFI,2,5,7\n",
		func(c *Choices) { c.Edges = rate.From })
	assert.Equal(t, "finland | 0 5.00 | 2 7.00 | 5 no", got)
	assert.Equal(t, []bool{false}, r.Plan.New, "Finland is a zone of the shop")
	_, got = made(t, storetest.Lauha(t), "country,quantity from,price\nFI,1,5\nFI,4,7\n")
	assert.Equal(t, "finland | 0 5.00 | 4 7.00", got, "no order has less than one item")
	_, got = made(t, storetest.Lauha(t), "country,price\nFI,5\nSE,7\n", func(c *Choices) { c.By = rate.ByOrder })
	assert.Equal(t, "finland sweden |  5.00 7.00", got)
}

// A price list is read as it says, or it is refused: a unit, a currency, a word around a number is never passed over.
func TestNothingOfAListIsPassedOver(t *testing.T) {
	for _, c := range []struct{ name, list, want string }{
		{"charges in words", "country,to,price\nFI,2,1.00 per item\nFI,5,5 % of goods\nFI,7,0.80 per kg\nFI,9,0.80 " +
			"per started kg\n", "finland | 2 1.00 per item | 5 5 % of goods | 7 0.80 per kg | 9 0.80 per started kg"},
		{"grams in the head", "country,weight to (g),price\nFI,500,5\nFI,2000,7\n", "finland | 0.5 5.00 | 2 7.00"},
		{"grams in the cells", "country,to,price\nFI,500 g,5\nFI,2 kg,7\n", "finland | 0.5 5.00 | 2 7.00"},
		{"pounds", "country,weight to (lb),price\nFI,1,5\nFI,10,7\n", "finland | 0.45359237 5.00 | 4.5359237 7.00"},
		{"our currency", "country,to,price (EUR)\nFI,2,5.00 EUR\nFI,5,€ 7\n", "finland | 2 5.00 | 5 7.00"},
		{"words that say what the column says", "country,to,price\nFI,up to 2 kg,5\nFI,≤ 5,7\n",
			"finland | 2 5.00 | 5 7.00"},
	} {
		r, got := made(t, storetest.Lauha(t), c.list)
		assert.Equal(t, c.want, got, c.name)
		assert.Empty(t, r.Problem(), c.name)
	}
	for list, why := range map[string]string{
		"country,to,price\nFI,2,$5\n":                       "The prices are in $",
		"country,to,price\nFI,2,5 CHF\n":                    "The prices are in CHF",
		"country,to,price\nFI,2,5\nFI,3,5 CHF\nFI,4,€ 6\n":  "not in EUR",
		"country,to,price (USD)\nFI,2,5\n":                  "The prices are in USD",
		"country,to,price\nFI,2,$5 per item\n":              "The prices are in $",
		"country,to,price\nFI,2,3\nFI,over 30,5\nFI,9,4\n":  "covers what lies between 9 (line 4) and 30 (line 3)",
		"country,to,price\nFI,1.000,5\n":                    "1.000 is 1000 or 1.000: choose the decimal sign",
		"country,to,price\nFI,2,1.000\n":                    "1.000 is 1000 or 1.000: choose the decimal sign",
		"country,to,price\nFI,2,\"1,200 per item\"\n":       "1,200 per item is 1200 or 1.200",
		"country,to,price\nFI,2 stone,5\n":                  `"2 stone": write the number alone`,
		"country,weight to kg or lb,price\nFI,2,5\n":        "names several units",
		"country,subtotal to,price\nFI,$50,5\n":             `"$50" is in $`,
		"country,quantity to,price\nFI,2.5,5\n":             "items are counted whole",
		"zone,to,price\nFinland,2,5\n,5,7\n":                "1 line has no destination, line 3 first",
		"zone,to,price\n,5,7\nFinland,2,5\n":                "it has no destination",
		"country,zip,to,price\n,22*,2,5\n":                  "it has no country",
		"country;to;price\nFI;2;5,50\nFI;5;1.50 per item\n": "the other prices have a comma",
		ownHead + "a,b,weight,up_to,2,nowhere,5,no,\n":      "this shop has no zone",
		ownHead + "a,b,weight,up_to,2,finland,5,no,\n" +
			"a,b,weight,from,5,finland,5,no,\n": "goes by weight up_to in line 2",
		ownHead + "a,b,weight,up_to,2,finland,5,no,\n" +
			"a,b,weight,up_to,2,finland,6,no,\n": "line 2 has this cell already",
		ownHead + "a,b,weight,up_to,2,finland,5,no,,order\n" +
			"a,b,weight,up_to,5,finland,6,no,,parcel\n": "the lines of a list price per order, or per parcel: not as in line 2",
		ownHead + "a,b,weight,up_to,2,finland,5,no,,box\n": `per "parcel" or per "order", not per "box"`,
	} {
		r, _ := made(t, storetest.Lauha(t), list)
		assert.NotEmpty(t, r.Problem(), list)
		var said []string
		for _, a := range r.Asks {
			said = append(said, a.Message)
		}
		if r.Plan != nil {
			for _, l := range r.Plan.Lines {
				said = append(said, l.Result(storetest.Lauha(t).Words()))
			}
		}
		assert.Contains(t, strings.Join(said, "\n"), why, list)
	}
}

func TestLinesThatContradictOneAnotherAreNamed(t *testing.T) {
	r, _ := made(
		t,
		storetest.Lauha(t),
		"country,from,to,price\nFI,0,2,5\nFI,0,2,6\nFI,0,2,5\nFI,1,4,7\nXX,0,2,5\nFI,5,3,1\nFI,8,9,much\nFI,8,9,8\n",
	)
	p := r.Plan
	var said []string
	for _, l := range p.Lines {
		said = append(said, l.Result(storetest.Lauha(t).Words()))
	}
	assert.False(t, p.Usable)
	assert.Equal(t, "5.00", said[0])
	assert.Equal(t, "line 2 says 5.00 for the same, this one 6.00", said[1])
	assert.Equal(t, "says the same as line 2", said[2])
	assert.Equal(t, "it begins at 1, where line 2 still reaches to 2", said[3])
	assert.Equal(
		t,
		[]Status{Taken, Contradicts, Repeats, Contradicts, Refused, Refused, Refused, Taken},
		[]Status{
			p.Lines[0].Status,
			p.Lines[1].Status,
			p.Lines[2].Status,
			p.Lines[3].Status,
			p.Lines[4].Status,
			p.Lines[5].Status,
			p.Lines[6].Status,
			p.Lines[7].Status,
		},
	)
	assert.Contains(t, said[5], "runs backwards")
	assert.Contains(t, said[6], "price:")
	assert.Equal(t, []string{"Finland: no line covers what lies between 2 (line 2) and 8 (line 9)"}, p.Gaps)
}

func TestAPlanBecomesAMethod(t *testing.T) {
	f := storetest.Lauha(t)
	r, _ := made(t, f, "country,to,price\nNO,5,19\nFI,5,7\nNO,10,25\n")
	m := r.Plan.Apply(f, "From a list")
	assert.Equal(t, "from-a-list", m.ID)
	written, faults := store.Read(f.Write())
	require.Empty(t, faults)
	assert.Equal(t, "norway", written.Zones[len(written.Zones)-1].ID)
	e := quote.Compile(written, nil)
	q, _, faults := e.ReadRequest(
		[]byte(`{"to":{"country":"NO"},"lines":[{"name":"x","price":"1","weight":"6","quantity":1}]}`),
	)
	require.Empty(t, faults)
	var offered []string
	for _, o := range e.Quote(&q[0]).Options {
		offered = append(offered, o.Method+" "+o.Charge)
	}
	assert.Equal(t, []string{"from-a-list 25.00"}, offered)
}

func TestColumnsThatAreMissing(t *testing.T) {
	for _, c := range []struct {
		columns []Field
		want    string
	}{
		{nil, "no column is the price"},
		{[]Field{Country, Price}, "no column is a bound"},
		{[]Field{Price, Price}, "two columns are the price"},
		{[]Field{Price, Prices}, "one column is the price of the line and others are prices"},
	} {
		r, _ := made(t, storetest.Lauha(t), "country,what,more\nFI,2,3\n", func(choices *Choices) {
			choices.By, choices.Columns = rate.ByWeight, map[int]Field{}
			for i, field := range c.columns {
				choices.Columns[i] = field
			}
		})
		assert.Contains(t, r.Missing, c.want)
	}
	r, _ := made(t, storetest.Lauha(t), "to,price\n2,5\n")
	require.Len(t, r.Asks, 1)
	assert.Equal(t, AskDestination, r.Asks[0].Code)
	_, got := made(t, storetest.Lauha(t), "to,price\n2,5\n",
		func(c *Choices) { c.Places = map[string]string{"": "finland"} })
	assert.Equal(t, "finland | 2 5.00", got)
}
