package productlist

import (
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// opened reads a list and says what its products became, in one line, and what is asked.
func opened(t *testing.T, f *store.File, text string, c Choices) (r *Reading, got, asks string) {
	t.Helper()
	r, err := Open(grid.Bytes([]byte(text)), f, c, func(int) {})
	require.NoError(t, err, text)
	var rows, codes []string
	for i := range r.Rows {
		row := &r.Rows[i]
		if row.Status == Refused {
			rows = append(rows, row.Product.SKU+" refused: "+row.What)
			continue
		}
		p := &row.Product
		line := []string{p.SKU, p.Name, p.Price.Fixed(2)}
		for _, field := range []Field{Weight, Length, Width, Height} {
			if text := Text(f, p, field); text != "" {
				line = append(line, text)
			}
		}
		if !p.NeedsShipping {
			line = append(line, "not shipped")
		}
		if p.ShipsFree {
			line = append(line, "ships free")
		}
		rows = append(rows, strings.Join(line, " "))
	}
	for _, a := range r.Asks {
		codes = append(codes, a.Code)
	}
	if r.Missing != "" {
		rows = append(rows, r.Missing)
	}
	return r, strings.Join(rows, " | "), strings.Join(codes, " ")
}

// Product lists as shops have them, each with what a careful person would type from it; common practice, no source. The
// shop weighs in kg and measures in cm.
func TestProductListsThatPeopleHave(t *testing.T) {
	for _, c := range []struct{ name, list, want, asks string }{
		{"German",
			"Artikelnummer;Bezeichnung;Verkaufspreis;Gewicht (g);Maße (mm);Versandpflichtig;Versandkostenfrei\n" +
				"A1;Leinentuch;29,00;350;300x220x40;ja;nein\nA2;Gutschein;25,00;;;nein;nein\n",
			"A1 Leinentuch 29.00 0.35 30 22 4 | A2 Gutschein 25.00 not shipped", ""},
		{"French", "Référence;Désignation;Prix TTC;Poids (kg);Longueur;Largeur;Hauteur;Livraison gratuite\n" +
			"A1;Serviette;29,00;0,35;30;22;4;oui\n", "A1 Serviette 29.00 0.35 30 22 4 ships free", ""},
		{"Spanish", "Código;Nombre;Precio;Peso;Medidas (cm);Requiere envío\nA1;Toalla;29,00;350 g;30 x 22 x 4;sí\n",
			"A1 Toalla 29.00 0.35 30 22 4", ""},
		{"Finnish", "Tuotekoodi;Tuotenimi;Hinta (sis. ALV);Paino (g);Mitat;Toimitetaan\n" +
			"A1;Pellavapyyhe;29,00;350;30×22×4 cm;kyllä\nA2;Lahjakortti;25,00;;;ei\n",
			"A1 Pellavapyyhe 29.00 0.35 30 22 4 | A2 Lahjakortti 25.00 not shipped", ""},
		{"Swedish",
			"Artikelnummer;Benämning;Pris;Vikt (kg);Längd;Bredd;Höjd;Fraktfritt\nA1;Handduk;29,00;0,35;30;22;4;nej\n",
			"A1 Handduk 29.00 0.35 30 22 4", ""},
		{"titles and notes", "Price list of our goods\n\nsku,name,price,weight (kg)\nTowels\nA1,Linen towel,29,0.35\n" +
			"Stones\nA2,Sauna stones,39,20\nAll prices in euros\n",
			"A1 Linen towel 29.00 0.35 | A2 Sauna stones 39.00 20", ""},
		{"variants with the name once", "Product,Variant,SKU,Price,Weight (g)\nLinen towel,70 × 140,A1,29,350\n" +
			",50 × 70,A2,14.50,160\nLadle,,A3,24,400\n",
			"A1 Linen towel, 70 × 140 29.00 0.35 | A2 Linen towel, 50 × 70 14.50 0.16 | A3 Ladle 24.00 0.4", ""},
		{"variants by size and colour", "Name,Size,Colour,SKU,Price\nRobe,S,white,A1,80\nRobe,M,white,A2,80\n",
			"A1 Robe, S, white 80.00 | A2 Robe, M, white 80.00", ""},
		{"sides with a unit each", "sku,dimensions\nA1,30 cm x 22 cm x 40 mm\nA2,12 in x 10 in x 2 in\n",
			"A1  0.00 30 22 4 | A2  0.00 30.48 25.4 5.08", ""},
		{"sides with letters", "sku,dimensions\nA1,L30 x W22 x H4 cm\n", "A1  0.00 30 22 4", ""},
		{"two sides are no size", "sku,dimensions\nA1,30x22 cm\nA2,30x22x4\nA3,1x2x3\n",
			`A1 refused: size: "30x22 cm" is no size: write length × width × height | ` +
				"A2  0.00 30 22 4 | A3  0.00 1 2 3", ""},
		{"grams without a unit", "sku,name,price,weight\nA1,Towel,29,350\nA2,Ladle,24,400\nA3,Stone,9,1200\n",
			"A1 Towel 29.00 350 | A2 Ladle 24.00 400 | A3 Stone 9.00 1200", "unit"},
		{"grams for kilograms of a known product", "sku,weight (kg)\nTOWEL-70,350\n",
			"TOWEL-70 Linen towel, 70 × 140 29.00 " +
				"350 30 22 4", "unit"},
		{"millimetres for centimetres", "sku,length,width,height\nTOWEL-70,300,220,40\n",
			"TOWEL-70 Linen towel, 70 × 140 29.00 0.35 300 220 40", "unit"},
		{"cents for euros", "sku,price\nTOWEL-70,2900\n", "TOWEL-70 Linen towel, 70 × 140 2900.00 0.35 30 22 4",
			"prices"},
		{"a thousand or one", "sku,weight (g)\nA1,1.200\nA2,2.400\n",
			"A1 refused: weight: 1.200 is 1200 or 1.200: choose the decimal sign | " +
				"A2 refused: weight: 2.400 is 2400 or 2.400: choose the decimal sign", "decimal"},
		{"a price without tax", "sku,Net price excl. VAT\nA1,10\n", "A1  10.00", "tax"},
		{"heads again", "sku,name,price\nA1,Towel,29\nsku,name,price\nA2,Ladle,24\n",
			"A1 Towel 29.00 | A2 Ladle 24.00", ""},
		{"weights with units in the cells", "sku,weight\nA1,350 g\nA2,1.2 kg\nA3,2 lb 3 oz\n",
			"A1  0.00 0.35 | A2  0.00 1.2 | A3  0.00 0.992233309375", ""},
		{"a thousand or one with the unit", "sku,weight\nA1,1.200 g\nA2,800 g\n",
			"A1 refused: weight: 1.200 g is 1200 or " +
				"1.200: choose the decimal sign | A2  0.00 0.8", "decimal"},
		{"variants that stand in the name by chance", "Name,Size,SKU\nT-Shirt,S,A1\nT-Shirt,M,A2\n",
			"A1 T-Shirt, S 0.00 | A2 T-Shirt, M 0.00", ""},
		{"letters for sides", "SKU;L;B;H\nA1;10;8;6\n", "A1  0.00 10 8 6", ""},
		{"sides in French", "Code produit;L x l x h (cm)\nA1;10x8x6\n", "A1  0.00 10 8 6", ""},
		{"weights that nobody knows", "sku,weight\nA1,n/a\nA2,-\nA3,0\n", "A1  0.00 | A2  0.00 | A3  0.00 0", "zero"},
		{"no sku", "name,price\nTowel,29\n", "no column is the sku, by which products are known: choose which one is",
			""},
		{"true and false", "sku,needs shipping,free shipping\nA1,TRUE,FALSE\nA2,FALSE,TRUE\n",
			"A1  0.00 | A2  0.00 not shipped ships free", ""},
		{"two heads for one field", "sku,weight,gross weight\nA1,0.35,0.4\n", "A1  0.00 0.35", "columns"},
		{"a page",
			"<table><tr><th>SKU</th><th>Name</th><th>Weight</th></tr><tr><td>A1</td><td>Towel</td><td>350 g</td></tr>" +
				"</table>", "A1 Towel 0.00 0.35", ""},
	} {
		_, got, asks := opened(t, storetest.Lauha(t), c.list, Choices{})
		assert.Equal(t, c.want, got, c.name)
		assert.Equal(t, c.asks, asks, c.name)
	}
}

// In a shop that starts empty there is nothing to hold a list against but what goods usually weigh and measure.
func TestJumpsInAnEmptyShop(t *testing.T) {
	for list, asks := range map[string]string{
		"sku,weight\nA1,350\nA2,400\nA3,1200\n":        "unit",
		"sku,weight\nA1,0.35\nA2,0.4\nA3,1.2\n":        "",
		"sku,weight (kg)\nA1,350\nA2,400\nA3,1200\n":   "",
		"sku,weight\nA1,350 g\nA2,400 g\n":             "",
		"sku,size\nA1,300x220x40\nA2,800x600x400\n":    "unit",
		"sku,length,width,height\nA1,300,400,500\n":    "unit",
		"sku,length mm,width mm,height mm\nA1,9,9,9\n": "",
	} {
		f := storetest.Lauha(t)
		f.Products = nil
		_, _, got := opened(t, f, list, Choices{})
		assert.Equal(t, asks, got, list)
	}
}

// What somebody chooses counts, and a question that was settled is not asked again.
func TestChoicesOfAProductList(t *testing.T) {
	list := "number,what,weight\nA1,Towel,350\n"
	f := storetest.Lauha(t)
	c := Choices{Columns: map[int]Field{0: SKU, 1: Name}, Units: map[int]string{2: "g"}}
	_, got, asks := opened(t, f, list, c)
	assert.Equal(t, "A1 Towel 0.00 0.35", got)
	assert.Empty(t, asks)
	c.OnlyColumns = true
	_, got, _ = opened(t, f, list, c)
	assert.Equal(t, "A1 Towel 0.00", got)
	_, _, asks = opened(t, f, "sku,weight\nTOWEL-70,350\n", Choices{Settled: []string{AskUnit}})
	assert.Empty(t, asks)
	_, got, _ = opened(t, f, "sku,weight\nA1,\"1,200\"\n", Choices{Decimal: ','})
	assert.Equal(t, "A1  0.00 1.2", got)
	_, got, _ = opened(t, f, "a,b\nsku,name\nA1,Towel\n", Choices{Head: 2})
	assert.Equal(t, "A1 Towel 0.00", got)
}

// Shipping classes of a list that the shop does not have are made where somebody says so; a list whose headings are not
// understood makes no products without a name that cost nothing.
func TestClassesAreMadeAndNothingIsMadeOfHeadingsThatAreNotUnderstood(t *testing.T) {
	f := storetest.Small.Store()
	const list = "sku,name,price,class\nNEW-1,Cup,12.90,Very bulky\nNEW-2,Plate,15.90,fragile\nNEW-3,Bowl,9.90,Very bulky\n"
	r, err := Open(grid.Bytes(list), f, Choices{}, func(int) {})
	require.NoError(t, err)
	require.Len(t, r.Asks, 1)
	assert.Equal(t, AskClasses, r.Asks[0].Code)
	assert.Contains(t, r.Asks[0].Message, "Very bulky, fragile")
	assert.Equal(t, 3, Count(r.Rows)[Refused])
	r, err = Open(grid.Bytes(list), f, Choices{MakeClasses: true}, func(int) {})
	require.NoError(t, err)
	assert.Empty(t, r.Asks)
	assert.Equal(t, 3, Count(r.Rows)[New])
	had := len(f.Classes)
	r.Apply(f)
	require.Len(t, f.Classes, had+2)
	assert.Equal(t, f.Product("NEW-1").Class, f.Product("NEW-3").Class)
	assert.Equal(t, "Very bulky", f.ClassName(f.Product("NEW-1").Class))
	_, faults := store.Read(f.Write())
	assert.Empty(t, faults)
	again, err := Open(grid.Bytes(list), f, Choices{}, func(int) {})
	require.NoError(t, err)
	assert.Empty(t, again.Asks, "they are there now")
	assert.Equal(t, 3, Count(again.Rows)[Same])

	r, err = Open(grid.Bytes("sku,qwert,asdf\nX-1,Cup,12.90\nX-2,Plate,15.90\n"), f, Choices{}, func(int) {})
	require.NoError(t, err)
	require.Len(t, r.Asks, 1)
	assert.Equal(t, AskLacking, r.Asks[0].Code)
	assert.Equal(t, "2 new products would have no name and a price of 0: no column has it. Columns that are not used: qwert, "+
		"asdf. Choose what they hold.", r.Asks[0].Message)
	r, err = Open(grid.Bytes("sku,weight\nNEW-1,2\nNEW-2,3\n"), f, Choices{}, func(int) {})
	require.NoError(t, err)
	assert.Empty(t, r.Asks, "weights of products that are there")
}
