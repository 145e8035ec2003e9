package ratelist

import (
	"strings"
	"testing"

	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
)

// unfolded makes of a file what the preview does: its table, and the lines that are refused.
func unfolded(t *testing.T, text string) (got string, refused, found []string) {
	t.Helper()
	r, got := made(t, storetest.Lauha(t), text)
	if r.Plan != nil {
		for _, l := range r.Plan.Lines {
			if l.Status != Taken {
				refused = append(refused, l.Says)
			}
		}
	}
	for _, a := range r.Asks {
		refused = append(refused, a.Message)
	}
	return got, refused, r.Found
}

// Lists in the shapes in which carriers hand them round, each with what a careful person would type from it; common
// practice, no source.
func TestListsInTheShapesOfTheTrade(t *testing.T) {
	const two = "finland baltic | 2 6.90 12.50 | 10 9.90 18.00"
	for _, c := range []struct{ name, list, want string }{
		{"zones across, bounds down", "Weight (kg),Finland,Baltic neighbours\n2,6.90,12.50\n10,9.90,18.00\n", two},
		{"bands down", "kg;Finland;Baltic neighbours\n0–2;6,90;12,50\n2–10;9,90;18,00\n", two},
		{"bands a hair apart", "kg;Finland;Baltic neighbours\n0-1,99;6,90;12,50\n2-10;9,90;18,00\n",
			"finland baltic | 1.99 6.90 12.50 | 10 9.90 18.00"},
		{"from and to", "From kg;To kg;Finland;Baltic neighbours\n0;2;6,90;12,50\n2;10;9,90;18,00\n", two},
		{"the currency beside the zones", "kg;Finland (EUR);Baltic neighbours €\n2;6,90;12,50\n10;9,90;18,00\n", two},
		{"units in the cells", "Weight;Finland;Baltic neighbours\nup to 2 kg;6,90;12,50\nup to 10 kg;9,90;18,00\n",
			two},
		{"grams", "Weight g;Finland;Baltic neighbours\n0-2000;6,90;12,50\n2001-10000;9,90;18,00\n", two},
		{"grams in the cells",
			"Weight;Finland;Baltic neighbours\nup to 2000 g;6,90;12,50\nup to 10000 g;9,90;18,00\n", two},
		{"currency in the cells", "kg;Finland;Baltic neighbours\n2;6,90 €;12,50 €\n10;9,90 €;18,00 €\n", two},
		{"bands across", "Zone,up to 2 kg,up to 10 kg\nFinland,6.90,9.90\nBaltic neighbours,12.50,18.00\n", two},
		{"numbers across", "Zone / kg,2,10\nFinland,6.90,9.90\nBaltic neighbours,12.50,18.00\n", two},
		{"a title and notes",
			"Prices of 2026\n\nkg;Finland;Baltic neighbours\n2;6,90;12,50\n10;9,90;18,00\nWithout islands\n",
			two},
		{"countries across", "kg,FI,SE\n2,6.90,12.00\n", "finland sweden | 2 6.90 12.00"},
		{"not offered", "kg;Finland;Baltic neighbours\n2;6,90;12,50\n10;9,90;on request\n",
			"finland baltic | 2 6.90 12.50 | 10 9.90 no"},
		{"an empty cell", "kg;Finland;Baltic neighbours\n2;6,90;\n5;8,90;11,00\n",
			"finland baltic | 2 6.90 no | 5 8.90 11.00"},
		{"an empty cell across", "Zone;0-2 kg;2-5 kg\nFinland;6,90;8,90\nBaltic neighbours;;11,00\n",
			"finland baltic | 2 6.90 no | 5 8.90 11.00"},
		{"what lies above the second", "kg;Finland;Baltic neighbours\nup to 2;6,90;12,50\nup to 10;9,90;18,00\n" +
			"over 10;15;20\n", "finland baltic | 2 6.90 12.50 | 10 9.90 18.00 |  15.00 20.00"},
		{"what lies above", "kg;Finland;Baltic neighbours\nup to 2;6,90;12,50\nover 2;9,90;18,00\n",
			"finland baltic | 2 6.90 12.50 |  9.90 18.00"},
		{"each further kilogram",
			"kg;Finland;Baltic neighbours\n2;6,90;12,50\n10;9,90;18,00\neach further kg;0,80;1,20\n",
			two + " |  9.90 + 0.80 per started kg above 10 18.00 + 1.20 per started kg above 10"},
		{"bands and each further kilogram", "kg;Finland;Baltic neighbours\n0–2;6,90;12,50\n2–10;9,90;18,00\n" +
			"each further 0.5 kg;0,80;1,20\n", "finland baltic | 2 6.90 12.50 | 10 9.90 18.00 |  9.90 + 0.80 per " +
			"started 0.5 kg above 10 18.00 + 1.20 per started 0.5 kg above 10"},
		{"German",
			"Gewicht;Finland;Baltic neighbours\nbis 2 kg;6,90;12,50\nbis 10 kg;9,90;18,00\nje weitere kg;0,80;1,20\n",
			two + " |  9.90 + 0.80 per started kg above 10 18.00 + 1.20 per started kg above 10"},
		{"French", "Poids;Finland;Baltic neighbours\njusqu'à 2 kg;6,90;12,50\njusqu'à 10 kg;9,90;18,00\n", two},
		{"Finnish", "Paino;Finland;Baltic neighbours\nenintään 2 kg;6,90;12,50\nenintään 10 kg;9,90;18,00\n", two},
		{"Swedish", "Vikt;Finland;Baltic neighbours\nupp till 2 kg;6,90;12,50\nupp till 10 kg;9,90;18,00\n", two},
		{"a price a line, bands in a column", "zone;weight;price\nFinland;0-2 kg;6,90\nFinland;2-10 kg;9,90\n" +
			"Baltic neighbours;0-2 kg;12,50\nBaltic neighbours;2-10 kg;18,00\n", two},
		{"a price a line already", "zone,to,price\nFinland,2,6.90\nFinland,10,9.90\nBaltic neighbours,2,12.50\n" +
			"Baltic neighbours,10,18.00\n", two},
		{"a page",
			"<table><tr><th>kg</th><th>Finland</th><th>Baltic neighbours</th></tr><tr><td>0–2</td><td>6,90</td>" +
				"<td>12,50</td></tr><tr><td>2–10</td><td>9,90</td><td>18,00</td></tr></table>", two},
	} {
		got, refused, _ := unfolded(t, c.list)
		assert.Equal(t, c.want, got, c.name)
		assert.Empty(t, refused, c.name)
	}
}

// What cannot be read as it stands is refused and says why, and never read as something else.
func TestNothingOfAShapeIsReadWrongly(t *testing.T) {
	for _, c := range []struct{ name, list, want string }{
		{"another currency in the cells", "kg;Finland\n2;$6.90\n10;$9.90\n", "prices are in $"},
		{"another currency in the corner", "kg (USD);Finland;Baltic neighbours\n2;6.90;7\n10;9.90;8\n",
			"prices are in USD"},
		{"another currency in the title", "Prices in USD\nkg;Finland;Baltic neighbours\n2;6.90;7\n10;9.90;8\n",
			"prices are in USD"},
		{"dollars in the head of the prices", "zone;to;price ($)\nFinland;2;6.90\n", "prices are in $"},
		{"pounds in the head of the prices", "zone;to;price £\nFinland;2;6.90\n", "prices are in £"},
		{"dollars beside the zones", "kg;Finland ($);Baltic neighbours ($)\n2;6.90;7\n10;9.90;8\n", "prices are in $"},
		{"a zone that nobody knows", "kg;Zone 7;Finland\n2;6.90;7\n10;9.90;8\n", "Zone 7"},
		{"a band that is none", "kg;Finland;Baltic neighbours\n2;6.90;7\n5;8;9\nten;9.90;8\n10;9;8\n12;9;8\n", "ten"},
		{"steps without a bound before", "kg;Finland;Baltic neighbours\neach further kg;0.80;0.90\n2;6.90;7\n",
			"no band with a price and an end stands before it"},
		{"bands that overlap", "kg;Finland;Baltic neighbours\n0-5;6.90;7\n3-10;9.90;8\n", "still reaches"},
		{"a negative price", "kg;Finland;Baltic neighbours\n0-5;-6.90;7\n5-10;9.90;8\n", "price"},
	} {
		got, refused, _ := unfolded(t, c.list)
		assert.Contains(t, got+strings.Join(refused, "; "), c.want, c.name)
		assert.NotEmpty(t, refused, c.name)
	}
	_, _, found := unfolded(t,
		"Carrier prices 2026\nkg;Finland;Baltic neighbours\n2;6,90;12,50\n10;9,90;18,00\nWithout islands\n")
	assert.Equal(t, []string{"The file was read as UTF-8 text with semicolons between the cells.",
		"The column headings are in line 2. Above them: Carrier prices 2026.",
		"Line 5 is a note: Without islands.", "Zones are in columns, and weights in rows.",
		"A number alone counts as “up to”."}, found)
}
