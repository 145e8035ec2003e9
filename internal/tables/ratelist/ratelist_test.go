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
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// ownHead is the head of a table that Cells writes.
const ownHead = "method,list,by,edges,row,zone,charge,graduated,classes\n"

func TestListsAreWrittenByCellAndAsTheyLook(t *testing.T) {
	f := storetest.Lauha(t)
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Cells(f, f.Methods)))
	assert.Contains(t, b.String(), ownHead)
	assert.Contains(t, b.String(), "parcel,list,weight,up_to,2,finland,6.90,no,\n")
	assert.Contains(t, b.String(), "parcel,list,weight,up_to,,finland,9.90 + 0.80 per started kg above 10,no,\n")
	b.Reset()
	require.NoError(t, sheet.Write(&b, Grid(f, &f.Methods[2].Tables[0])))
	assert.Equal(t, "weight,Finland,Åland,Baltic neighbours\n5,5.90,7.90,9.90\n15,7.90,9.90,14.90\n", b.String())
}

// made reads a list and says what its table and its lines became.
func made(t *testing.T, f *store.File, text string, change ...func(*Mapping)) (*Plan, string) {
	t.Helper()
	parsed, err := sheet.Read([]byte(text))
	require.NoError(t, err)
	m := Guess(parsed)
	for _, c := range change {
		c(&m)
	}
	require.Empty(t, m.Missing(parsed))
	p := Make(parsed, m, f, typed.For(f, nil))
	return p, tableText(p, f)
}

// tableText is the table of a plan in one line: its zones, then each row with its bound and its charges.
func tableText(p *Plan, f *store.File) string {
	var b strings.Builder
	for _, id := range p.Table.Zones {
		b.WriteString(id + " ")
	}
	for i := range p.Table.Rows {
		b.WriteString("| " + at(&p.Table.Rows[i]))
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
		p, got := made(t, storetest.Lauha(t), c.list)
		assert.Equal(t, c.want, got, c.name)
		assert.True(t, p.Usable, c.name)
	}
	p, got := made(
		t,
		storetest.Lauha(t),
		"country,from,to,price\nFI,0,2,5\nFI,2,5,7\n",
		func(m *Mapping) { m.Edges = rate.From },
	)
	assert.Equal(t, "finland | 0 5.00 | 2 7.00 | 5 no", got)
	assert.Equal(t, []bool{false}, p.New, "Finland is a zone of the shop")
	_, got = made(t, storetest.Lauha(t), "country,quantity from,price\nFI,1,5\nFI,4,7\n")
	assert.Equal(t, "finland | 0 no | 1 5.00 | 4 7.00", got, "nothing is said below the first bound")
	_, got = made(t, storetest.Lauha(t), "country,price\nFI,5\nSE,7\n", func(m *Mapping) { m.By = rate.ByOrder })
	assert.Equal(t, "finland sweden |  5.00 7.00", got)
}

// Every list of the demo that is not for some classes reads back as it is; so does a graduated one.
func TestAListThatWasWrittenHereReadsBack(t *testing.T) {
	f := storetest.Lauha(t)
	f.Methods[1].Tables[0].Graduated = true
	for i := range f.Methods[1].Tables[0].Rows {
		for j, c := range f.Methods[1].Tables[0].Rows[i].Charges {
			if c != nil && c.PerWeight != nil {
				f.Methods[1].Tables[0].Rows[i].Charges[j] = nil // started weights cannot be graduated
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Cells(f, f.Methods)))
	parsed, err := sheet.Read(b.Bytes())
	require.NoError(t, err)
	m := Guess(parsed)
	assert.Contains(t, m.Missing(parsed), "several price lists")
	read := 0
	for i := range f.Methods {
		for _, table := range f.Methods[i].Tables {
			m.List = f.Methods[i].ID + "/" + table.ID
			require.Empty(t, m.Missing(parsed))
			p := Make(parsed, m, f, typed.For(f, nil))
			if len(table.Classes) > 0 {
				assert.False(t, p.Usable, m.List)
				continue
			}
			require.True(t, p.Usable, "%s: %+v", m.List, p.Lines)
			assert.Equal(t, Grid(f, &table), Grid(f, &p.Table), m.List)
			assert.Equal(
				t,
				[]any{table.By, table.Edges, table.Graduated},
				[]any{p.Table.By, p.Table.Edges, p.Table.Graduated},
				m.List,
			)
			read++
		}
	}
	assert.Equal(t, 9, read)
}

// A price list is read as it says, or it is refused: a unit, a currency, a word around a number is never passed over.
func TestNothingOfAListIsPassedOver(t *testing.T) {
	for _, c := range []struct{ name, list, want string }{
		{"charges in words", "country,to,price\nFI,2,1.00 per item\nFI,5,5 % of goods\nFI,7,0.80 per kg\nFI,9,0.80 " +
			"per started kg\n", "finland | 2 1.00 per item | 5 5 % of goods | 7 0.80 per kg | 9 0.80 per started kg"},
		{"grams in the head", "country,weight to (g),price\nFI,500,5\nFI,2000,7\n", "finland | 0.5 5.00 | 2 7.00"},
		{"grams in the cells", "country,to,price\nFI,500 g,5\nFI,2 kg,7\n", "finland | 0.5 5.00 | 2 7.00"},
		{"pounds", "country,weight to (lb),price\nFI,1,5\nFI,10,7\n", "finland | 0.453592 5.00 | 4.535924 7.00"},
		{"our currency", "country,to,price (EUR)\nFI,2,5.00 EUR\nFI,5,€ 7\n", "finland | 2 5.00 | 5 7.00"},
		{"words that say what the column says", "country,to,price\nFI,up to 2 kg,5\nFI,≤ 5,7\n",
			"finland | 2 5.00 | 5 7.00"},
	} {
		p, got := made(t, storetest.Lauha(t), c.list)
		assert.Equal(t, c.want, got, c.name)
		assert.True(t, p.Usable, c.name)
	}
	for list, why := range map[string]string{
		"country,to,price\nFI,2,$5\n":                       "not in EUR",
		"country,to,price\nFI,2,5 CHF\n":                    "not in EUR",
		"country,to,price (USD)\nFI,2,5\n":                  "the column is in USD",
		"country,to,price\nFI,2,$5 per item\n":              "is not in EUR, the currency of this shop",
		"country,to,price\nFI,over 30,5\n":                  `"over 30": write the number alone`,
		"country,to,price\nFI,30+,5\n":                      `"30+": write the number alone`,
		"country,to,price\nFI,under 30,5\n":                 `"under 30": write the number alone`,
		"country,weight from,price\nFI,over 30,5\n":         `"over 30": write the number alone`,
		"country,to,price\nFI,1.000,5\n":                    "1.000 is 1000 or 1.000: choose the decimal sign",
		"country,to,price\nFI,2,1.000\n":                    "1.000 is 1000 or 1.000: choose the decimal sign",
		"country,to,price\nFI,2,\"1,200 per item\"\n":       "1,200 per item is 1200 or 1.200",
		"country,to,price\nFI,2 stone,5\n":                  `"2 stone": write the number alone`,
		"country,weight to kg or lb,price\nFI,2,5\n":        "names several units",
		"country,distance to (mi),price\nFI,2,5\n":          "this shop measures distances in km",
		"country,subtotal to,price\nFI,$50,5\n":             `"$50": write the number alone`,
		"country,quantity to,price\nFI,2.5,5\n":             "items are counted whole",
		"zone,to,price\nFinland,2,5\n,5,7\n":                "it has no destination",
		"country,zip,to,price\n,22*,2,5\n":                  "it has no country",
		"country;to;price\nFI;2;5,50\nFI;5;1.50 per item\n": "the other prices have a comma",
		ownHead + "a,b,weight,up_to,2,nowhere,5,no,\n":      "this shop has no zone",
		ownHead + "a,b,weight,up_to,2,finland,5,no,\n" +
			"a,b,weight,from,5,finland,5,no,\n": "goes by weight up_to in line 2",
		ownHead + "a,b,weight,up_to,2,finland,5,no,\n" +
			"a,b,weight,up_to,2,finland,6,no,\n": "line 2 has this cell already",
	} {
		p, _ := made(t, storetest.Lauha(t), list)
		assert.False(t, p.Usable, list)
		assert.Contains(t, p.Lines[len(p.Lines)-1].Says, why, list)
	}
}

func TestLinesThatContradictOneAnotherAreNamed(t *testing.T) {
	p, _ := made(
		t,
		storetest.Lauha(t),
		"country,from,to,price\nFI,0,2,5\nFI,0,2,6\nFI,0,2,5\nFI,1,4,7\nXX,0,2,5\nFI,5,3,1\nFI,8,9,much\nFI,8,9,8\n",
	)
	var said []string
	for _, l := range p.Lines {
		said = append(said, l.Says)
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
	assert.Equal(t, []string{"Finland: no line covers what lies between 2 and 8"}, p.Gaps)
}

func TestAPlanBecomesAMethod(t *testing.T) {
	f := storetest.Lauha(t)
	p, _ := made(t, f, "country,to,price\nNO,5,19\nFI,5,7\nNO,10,25\n")
	m := p.Apply(f, "From a list")
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
	parsed, err := sheet.Read([]byte("country,weight\nFI,2\n"))
	require.NoError(t, err)
	m := Guess(parsed)
	assert.Contains(t, m.Missing(parsed), "no column is the price")
	m.Columns = []Field{Country, Price}
	assert.Contains(t, m.Missing(parsed), "no column is a bound")
	m.Columns = []Field{To, Price}
	assert.Contains(t, m.Missing(parsed), "no column says where parcels go")
	m.Columns = []Field{Price, Price}
	assert.Contains(t, m.Missing(parsed), "two columns are the price")
}
