package ratelist

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
	"testing"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// csvOf is a table as it is saved.
func csvOf(t require.TestingT, rows [][]string) []byte {
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, rows))
	return b.Bytes()
}

// withTables is the demo shop with tables of every measure, side and kind of charge, drawn at random.
func withTables(t *rapid.T) *store.File {
	f := storetest.Lauha(t)
	words := f.Words()
	one := rapid.SampledFrom([]string{"no", "free", "6.90", "0.50", "3.00 + 1.00 per item", "5 % of goods",
		"4.00 first item, 1.50 each next", "0.80 per kg", "9.90 + 0.80 per started 0.5 kg above 10", "1.2", "12"})
	var ids []string
	for i := range f.Zones {
		ids = append(ids, f.Zones[i].ID)
	}
	if rapid.Bool().Draw(t, "two of a name") {
		f.Zones[1].Name = f.Zones[0].Name
	}
	for i := range f.Methods {
		for j := range f.Methods[i].Tables {
			table := &f.Methods[i].Tables[j]
			table.By = rapid.SampledFrom(rate.Measures).Draw(t, "by")
			table.Edges = rapid.SampledFrom([]rate.Edges{rate.UpTo, rate.From}).Draw(t, "edges")
			table.Graduated = false
			table.Zones = rapid.SliceOfNDistinct(rapid.SampledFrom(ids), 1, 4, rapid.ID[string]).Draw(t, "zones")
			table.Rows = nil
			n := rapid.IntRange(1, 5).Draw(t, "rows")
			if table.By == rate.ByOrder {
				n, table.Edges = 1, ""
			}
			at := decimal.Zero
			for r := range n {
				row := rate.Row{}
				switch {
				case table.By == rate.ByOrder:
				case table.Edges == rate.UpTo && r == n-1 && rapid.Bool().Draw(t, "open"):
				default:
					step := rapid.SampledFrom([]string{"1", "0.50", "2", "10"}).Draw(t, "step")
					if table.By == rate.ByQuantity && step == "0.50" {
						step = "1"
					}
					if r > 0 || table.Edges == rate.UpTo { // tables that count from their breaks begin at 0
						at = at.Add(decimal.MustParse(step))
					}
					bound := at
					row.At = &bound
				}
				for range table.Zones {
					c, err := charge.Parse(one.Draw(t, "charge"), words)
					require.NoError(t, err)
					row.Charges = append(row.Charges, c)
				}
				table.Rows = append(table.Rows, row)
			}
		}
	}
	_, faults := store.Read(f.Write())
	require.Empty(t, faults)
	return f
}

// Whatever the rate tables of a shop are, the table of all of them reads back to the same store, byte for byte, and
// nothing is asked or refused; into a shop whose prices are others it brings them back.
func TestTheTableOfAllListsReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := withTables(t)
		want := string(f.Write())
		table := csvOf(t, Cells(f, f.Methods))
		r, err := Open(grid.Bytes(table), f, typed.For(f, nil), Choices{})
		require.NoError(t, err)
		require.Empty(t, r.Problem())
		for _, u := range r.Updates {
			assert.True(t, u.Same, u.Method)
		}
		r.Apply(f)
		assert.Equal(t, want, string(f.Write()))

		other := f.Clone()
		for i := range other.Methods {
			for j := range other.Methods[i].Tables {
				for _, row := range other.Methods[i].Tables[j].Rows {
					for k := range row.Charges {
						d := decimal.MustParse("99.5")
						row.Charges[k] = &rate.Charge{Base: &d}
					}
				}
			}
		}
		r, err = Open(grid.Bytes(table), other, typed.For(other, nil), Choices{Settled: []string{AskPrices}})
		require.NoError(t, err)
		require.Empty(t, r.Problem())
		r.Apply(other)
		assert.Equal(t, want, string(other.Write()))
	})
}

// A list as it looks reads back too, into the list that it is of.
func TestAListAsItLooksReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := withTables(t)
		want := string(f.Write())
		for i := range f.Methods {
			for j := range f.Methods[i].Tables {
				table := f.Methods[i].Tables[j]
				r, err := Open(grid.Bytes(csvOf(t, Grid(f, &table))), f, typed.For(f, nil),
					Choices{Into: f.Methods[i].ID, Table: table.ID})
				require.NoError(t, err)
				require.Empty(t, r.Problem(), "%v", Grid(f, &table))
				require.Len(t, r.Updates, 1)
				r.Apply(f)
				assert.Equal(t, want, string(f.Write()))
			}
		}
	})
}

// The prices of a matrix that is written in another shape stay those of the matrix, whatever they are.
func TestAMatrixIsTheSameInEveryShape(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f := storetest.Lauha(t)
		names := []string{"Finland", "Lapland", "Baltic neighbours"}[:rapid.IntRange(1, 3).Draw(t, "zones")]
		n := rapid.IntRange(2, 6).Draw(t, "rows")
		sign := rapid.SampledFrom([]string{".", ","}).Draw(t, "sign")
		number := func(cents int) string { return fmt.Sprintf("%d%s%02d", cents/100, sign, cents%100) }
		down := "Weight (kg)"
		across := "Zone"
		lines := "Zone;From kg;To kg;Price\n"
		want := ""
		for _, name := range names {
			down += ";" + name
			want += map[string]string{"Finland": "finland ", "Lapland": "lapland ",
				"Baltic neighbours": "baltic "}[name]
		}
		down += "\n"
		prices := make([][]int, n)
		for i := range prices {
			across += fmt.Sprintf(";%d–%d kg", i, i+1)
			down += fmt.Sprintf("%d–%d", i, i+1)
			want += fmt.Sprintf("| %d", i+1)
			for j := range names {
				prices[i] = append(prices[i], rapid.IntRange(1, 9999).Draw(t, "price"))
				down += ";" + number(prices[i][j])
				lines += fmt.Sprintf("%s;%d;%d;%s\n", names[j], i, i+1, number(prices[i][j]))
				want += " " + fmt.Sprintf("%d.%02d", prices[i][j]/100, prices[i][j]%100)
			}
			down += "\n"
			want += " "
		}
		across += "\n"
		for j, name := range names {
			across += name
			for i := range prices {
				across += ";" + number(prices[i][j])
			}
			across += "\n"
		}
		for _, text := range []string{down, across, lines, "Prices of " + strconv.Itoa(2027) + "\n\n" + down +
			"\nA note\n"} {
			// Drawn prices jump as no carrier's do.
			r, err := Open(grid.Bytes([]byte(text)), f, typed.For(f, nil), Choices{Settled: []string{AskJump}})
			require.NoError(t, err)
			require.NotNil(t, r.Plan, "%s\n%s", text, r.Missing)
			assert.Equal(t, strings.TrimSpace(want), tableText(r.Plan, f), text)
			assert.Empty(t, r.Problem(), text)
		}
	})
}

func TestAListUpdatesAMethod(t *testing.T) {
	f := storetest.Lauha(t)
	into := func(c *Choices) { c.Into = "parcel" }
	r, _ := made(t, f, "Weight (kg),Finland,Norway\n2,7.20,15\n5,8.40,17\n8,9.60,no\n", into)
	require.Empty(t, r.Problem())
	u := &r.Updates[0]
	var said []string
	for _, c := range u.Changes {
		said = append(said, fmt.Sprintf("%s %s: %s → %s %s %s", c.Zone, c.Row, c.Was, c.Is, c.Kind, c.Percent))
	}
	assert.Equal(t, []string{
		"finland up to and including 2 kg: 6.90 → 7.20 raised +4.3 %",
		"norway up to and including 2 kg: no → 15.00 new ",
		"finland up to and including 5 kg: 8.40 → 8.40 same ",
		"norway up to and including 5 kg: no → 17.00 new ",
		"finland up to and including 8 kg: 9.90 → 9.60 lowered −3 %",
		"norway up to and including 8 kg: no → no same ",
		"finland up to and including 10 kg: 9.90 → no gone ",
		"norway up to and including 10 kg: no → no same ",
		"finland above 10 kg: 9.90 + 0.80 per started kg above 10 → no gone ",
		"norway above 10 kg: no → no same ",
	}, said)
	assert.Equal(t, []string{"aland", "lapland", "baltic", "eu"}, u.Kept)
	before := f.Method("parcel").Tables[0]
	was := func(t rate.Table, zone, weight string) string {
		d := decimal.MustParse(weight)
		return charge.Format(at(&t, zone, &d), f.Words())
	}
	assert.Equal(t, 1, r.Apply(f))
	after := f.Method("parcel").Tables[0]
	for _, zone := range u.Kept {
		for _, weight := range []string{"0.1", "2", "4", "7", "9", "30"} {
			assert.Equal(t, was(before, zone, weight), was(after, zone, weight), zone+" "+weight)
		}
	}
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
}

// What hardly fits the list that it is to update is asked about, and another measure is refused.
func TestAnUpdateThatHardlyFits(t *testing.T) {
	for _, c := range []struct{ name, list, want string }{
		{"cents for euros", "Weight (kg),Finland\n2,690\n5,840\n", AskPrices},
		{"grams for kilograms", "Weight,Finland,Åland,Lapland,Baltic neighbours,European Union\n" +
			"2000,7,10,9,14,18\n5000,8,12,10,15,19\n", AskUnit},
		{"under for up to", "Weight (kg),Finland\nunder 2,6.90\nunder 5,8.40\n", AskEdges},
	} {
		r, _ := made(t, storetest.Lauha(t), c.list, func(c *Choices) { c.Into = "parcel" })
		var codes []string
		for _, a := range r.Asks {
			codes = append(codes, a.Code)
		}
		assert.Contains(t, codes, c.want, c.name)
		assert.NotEmpty(t, r.Problem(), c.name)
	}
	r, _ := made(t, storetest.Lauha(t), "Order value,Finland\nup to 50,6.90\n", func(c *Choices) { c.Into = "parcel" })
	assert.Contains(t, r.Problem(), "the file goes by order value, this list by weight")
	_, err := Open(grid.Bytes([]byte("a,b\n1,2\n")), storetest.Lauha(t), typed.Reader{}, Choices{Into: "nothing"})
	assert.ErrorContains(t, err, "no delivery method")
}

// Answers to questions change what is read, and nothing else.
func TestAnswers(t *testing.T) {
	half, ten := decimal.MustParse("0.5"), decimal.MustParse("10")
	for _, c := range []struct {
		name, list, want string
		change           func(*Choices)
	}{
		{"an exchange rate", "kg,Finland (USD)\n2,7.01\n10,10\n", "finland | 2 3.51 | 10 5.00",
			func(c *Choices) { c.Rate = &half }},
		{"an exchange rate for order values", "Order value (USD),Finland (USD)\nup to 50,8\nup to 90,6\n",
			"finland | 25 4.00 | 45 3.00", func(c *Choices) { c.Rate = &half }},
		{"a percentage on top", "kg,Finland\n2,6.95\n10,9.90\nFuel surcharge 10 %\n", "finland | 2 7.65 | 10 10.89",
			func(c *Choices) { c.Percent, c.Settled = &ten, []string{AskSurcharge} }},
		{"a unit", "Weight,Finland\n500,6.95\n2000,9.90\n", "finland | 0.5 6.95 | 2 9.90",
			func(c *Choices) { c.Unit = "g" }},
		{"the decimal sign", "Weight,Finland\n1.000,6\n2.000,9\n", "finland | 1 6.00 | 2 9.00",
			func(c *Choices) { c.Decimal = '.' }},
		{"where a zone is", "kg,Zone 7\n2,6.95\n10,9.90\n", "lapland | 2 6.95 | 10 9.90",
			func(c *Choices) { c.Places = map[string]string{"zone 7": "lapland"} }},
		{"where a zone is, typed", "kg,Zone 7\n2,6.95\n10,9.90\n", "norway | 2 6.95 | 10 9.90",
			func(c *Choices) { c.Places = map[string]string{"zone 7": "Norway"} }},
		{"one of two lists", "A\nkg,Finland\n2,6\n5,7\nB\nkg,Finland\n2,8\n5,9\n", "finland | 2 8.00 | 5 9.00",
			func(c *Choices) { c.List = 2 }},
		{"the line of the heads", "kg,Finland\n2,6\nkg,Lapland\n2,7\n3,8\n", "lapland | 2 7.00 | 3 8.00",
			func(c *Choices) { c.Head = 3 }},
		{"the zones of another file", "kg,Zone 1\n2,6\n5,7\n", "zone-1 | 2 6.00 | 5 7.00",
			func(c *Choices) { c.Key = grid.Bytes("Country,Zone\nEE,1\nSE,2\n") }},
		{"the country of codes", "kg,20*,80*\n2,6,7\n5,7,8\n", "de-20 de-80 | 2 6.00 7.00 | 5 7.00 8.00",
			func(c *Choices) { c.Country = "DE" }},
		{"only the columns that are named", "a,b,c,d\nFinland,2,6,x\nFinland,5,7,y\n", "finland | 2 6.00 | 5 7.00",
			func(c *Choices) {
				c.OnlyColumns, c.Columns = true, map[int]Field{0: Zone, 1: To, 2: Price}
			}},
	} {
		r, got := made(t, storetest.Lauha(t), c.list, c.change)
		if !assert.Equal(t, c.want, got, c.name) {
			t.Log(r.Asks, r.Missing)
		}
		assert.Empty(t, r.Problem(), c.name)
	}
}
