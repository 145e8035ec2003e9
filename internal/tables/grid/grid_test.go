package grid

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"regexp"
	"strings"
	"testing"

	"diadrom/internal/tables/sheet"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// texts are the cells of a grid.
func texts(g *Grid) (rows [][]string) {
	for _, r := range g.Rows {
		var row []string
		for _, c := range r.Cells {
			row = append(row, c.Text)
		}
		rows = append(rows, row)
	}
	return rows
}

// workbookOf makes a workbook; fill fills its first sheet, "Prices".
func workbookOf(t testing.TB, fill func(f *excelize.File)) []byte {
	f := excelize.NewFile()
	require.NoError(t, f.SetSheetName("Sheet1", "Prices"))
	fill(f)
	b, err := f.WriteToBuffer()
	require.NoError(t, err)
	return b.Bytes()
}

func style(t testing.TB, f *excelize.File, format string) int {
	s, err := f.NewStyle(&excelize.Style{CustomNumFmt: &format})
	require.NoError(t, err)
	return s
}

// A number of a workbook is what it is, with the unit or the currency that its format shows beside it. Formats: ISO/IEC
// 29500-1, 18.8.31.
func TestNumbersOfAWorkbook(t *testing.T) {
	for _, tt := range []struct {
		value  any
		format string
		want   string
	}{
		{6.9, "", "6.9"},
		{6.9, "0.00", "6.9"},
		{6.9, "0", "6.9"}, // shown as 7, and 6.90 all the same
		{6.9, `#,##0.00 "€"`, "6.9 €"},
		{6.9, `[$€-407] #,##0.00`, "6.9 €"},
		{6.9, `#,##0.00\ [$kr-41D]`, "6.9 kr"},
		{6.9, `_-* #,##0.00\ "€"_-;-* #,##0.00\ "€"_-`, "6.9 €"},
		{2, `0.0" kg"`, "2 kg"},
		{500, `0 "g"`, "500 g"},
		{0.185, "0.0%", "18.5 %"},
		{1234.5, "#,##0.00", "1234.5"},
		{1e-3, "General", "0.001"},
		{0.1 + 0.2, "", "0.3"},
		{-4, "", "-4"},
		{2000000, "", "2000000"},
		{46023, "yyyy-mm-dd", "2026-01-01"},
		{"01067", "", "01067"}, // a postcode that is a text keeps its zero
		{"6,90", "", "6,90"},
		{"  two\nlines ", "", "two lines"},
		{true, "", "TRUE"},
	} {
		data := workbookOf(t, func(f *excelize.File) {
			require.NoError(t, f.SetCellValue("Prices", "A1", tt.value))
			if tt.format != "" {
				require.NoError(t, f.SetCellStyle("Prices", "A1", "A1", style(t, f, tt.format)))
			}
		})
		g, err := Read(data, Options{})
		require.NoError(t, err)
		if got := g.Rows[0].Cells[0].Text; !strings.EqualFold(got, tt.want) {
			t.Errorf("%v as %q: %q, want %q", tt.value, tt.format, got, tt.want)
		}
	}
}

func TestAWorkbookAsItIsSent(t *testing.T) {
	data := workbookOf(t, func(f *excelize.File) {
		set := func(cell string, value any) { require.NoError(t, f.SetCellValue("Prices", cell, value)) }
		set("A1", "Price list 2026")
		set("A3", "valid from January")
		set("A5", "Weight")
		set("B5", "Zone")
		set("B6", "1")
		set("C6", "2")
		require.NoError(t, f.MergeCell("Prices", "A5", "A6"))
		require.NoError(t, f.MergeCell("Prices", "B5", "C5"))
		set("A7", 2)
		set("B7", 6.9)
		require.NoError(t, f.SetCellFormula("Prices", "C7", "B7*2"))
		_, err := f.NewSheet("Notes")
		require.NoError(t, err)
		require.NoError(t, f.SetCellValue("Notes", "A1", "see page 2"))
		_, err = f.NewSheet("Old")
		require.NoError(t, err)
		require.NoError(t, f.SetSheetVisible("Old", false))
	})
	g, err := Read(data, Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"Prices", "Notes"}, g.Sheets)
	assert.Equal(t, [][]string{{"Price list 2026"}, {"valid from January"}, {"Weight", "Zone", "Zone"},
		{"Weight", "1", "2"}, {"2", "6.9", "=B7*2"}}, texts(g))
	assert.Equal(t, []int{1, 3, 5, 6, 7}, []int{g.Rows[0].Line, g.Rows[1].Line, g.Rows[2].Line, g.Rows[3].Line,
		g.Rows[4].Line}, "as a spreadsheet counts")
	assert.Equal(t, 2, g.Head())
	table, err := ReadTable(Bytes(data))
	require.NoError(t, err)
	assert.Equal(t, []string{"Weight", "Zone", "Zone"}, table.Rows[0].Cells)
	assert.Equal(t, []string{"The sheet “Prices” was read; the workbook has Notes too.",
		"The column headings are in line 5. Above them: Price list 2026 · valid from January.",
		"Hidden sheets were not read: Old. Unhide them in a spreadsheet if you need them.",
		"Merged cells count for each row and column that they cover.", "1 formula has no saved value. Open the workbook in " +
			"a spreadsheet, save it and choose it again."}, table.Found)
	g, err = Read(data, Options{Sheet: "notes"})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"see page 2"}}, texts(g))
	_, err = Read(data, Options{Sheet: "2027"})
	require.ErrorContains(t, err, `no sheet "2027": it has Prices, Notes`)
}

// A formula whose value was not saved with it is no empty cell; one that gives an empty text is.
func TestAFormulaWithoutAValueIsNotEmpty(t *testing.T) {
	book := workbookOf(t, func(f *excelize.File) {
		require.NoError(t, f.SetSheetRow("Prices", "A1", &[]any{"SKU", "Price", "Name"}))
		require.NoError(t, f.SetSheetRow("Prices", "A2", &[]any{"X-1", 1, ""}))
	})
	for cell, want := range map[string]string{
		`<c r="B2"><f>A1*2</f></c>`:                     "=A1*2",
		`<c r="B2"><f>A1*2</f><v></v></c>`:              "=A1*2",
		`<c r="B2"><f>A1*2</f><v/></c>`:                 "=A1*2",
		`<c r="B2" t="str"><f>A1&amp;"a"</f></c>`:       `=A1&"a"`,
		`<c r="B2" t="str"><f>A1</f><v></v></c>`:        "",
		`<c r="B2" t="str"><f>A1</f><v/></c>`:           "",
		`<c r="B2"><f>A1*2</f><v>6.9</v></c>`:           "6.9",
		`<c r="B2" t="e"><f>A1/0</f><v>#DIV/0!</v></c>`: "#DIV/0!",
		`<c r="B2"/>`: "",
		`<c r="B2" t="str"><f>A1</f><v>a</v></c><c r="C2" s="0"/>`:          "a",
		`<c r="B2"><f t="shared" ref="B2:B3" si="0">A2</f></c><c r="C2" />`: "=A2",
	} {
		g, err := Read(rewritten(t, book, regexp.MustCompile(`<c r="B2".*?</c>`), cell), Options{})
		require.NoError(t, err, cell)
		require.Len(t, g.Rows, 2, cell)
		assert.Equal(t, want, append(g.Rows[1].Cells, Cell{})[1].Text, cell)
	}
	table, err := ReadTable(Bytes(rewritten(t, book, regexp.MustCompile(`<c r="B2".*?</c>`), `<c r="B2"><f>A1*2</f></c>`)))
	require.NoError(t, err)
	assert.Equal(t, 2, table.Rows[1].Formula)
	assert.Contains(t, strings.Join(table.Found, " "), "1 formula has no saved value")

	g, err := Read(openDocument(t, `<table:table table:name="A"><table:table-row><table:table-cell
	table:formula="of:=[.A2]*2"/><table:table-cell table:formula="of:=[.A2]" office:value-type="string"/><table:table-cell
	table:formula="of:=3" office:value-type="float" office:value="3"><text:p>3</text:p></table:table-cell>
	</table:table-row></table:table>`), Options{})
	require.NoError(t, err)
	assert.Equal(t, [][]string{{"=[.A2]*2", "", "3"}}, texts(g))
}

// What a workbook hides and what says something is named; it is read like the rest.
func TestHiddenLinesAndColumnsAreNamed(t *testing.T) {
	book := workbookOf(t, func(f *excelize.File) {
		for i := range 9 {
			require.NoError(t, f.SetSheetRow("Prices", fmt.Sprintf("A%d", i+1), &[]any{i, 6.9, "", i * 2}))
		}
		for _, line := range []int{3, 5, 6, 7, 20} {
			require.NoError(t, f.SetRowVisible("Prices", line, false))
		}
		require.NoError(t, f.SetColVisible("Prices", "C:D", false))
	})
	g, err := Read(book, Options{})
	require.NoError(t, err)
	assert.Len(t, g.Rows, 9)
	assert.Equal(t, []int{3, 5, 6, 7}, g.Hidden)
	assert.Equal(t, []int{3}, g.HiddenColumns)
	assert.Contains(t, g.HiddenSaid(), "Hidden in the workbook, but read: lines 3, 5 to 7 and column D.")

	g, err = Read(openDocument(t, `<table:table table:name="A"><table:table-column table:number-columns-repeated="2"/>
	<table:table-column table:visibility="collapse"/><table:table-row><table:table-cell><text:p>a</text:p></table:table-cell>
	<table:table-cell/><table:table-cell><text:p>b</text:p></table:table-cell></table:table-row><table:table-row
	table:number-rows-repeated="2" table:visibility="filter"><table:table-cell><text:p>1</text:p></table:table-cell>
	</table:table-row><table:table-row table:number-rows-repeated="1048570" table:visibility="collapse"><table:table-cell/>
	</table:table-row></table:table>`), Options{})
	require.NoError(t, err)
	assert.Equal(t, []int{2, 3}, g.Hidden)
	assert.Equal(t, []int{2}, g.HiddenColumns)
	g, err = Read([]byte("a,b\n1,2\n"), Options{})
	require.NoError(t, err)
	assert.Empty(t, g.HiddenSaid())
}

// rewritten is a workbook with a part of its first sheet written otherwise.
func rewritten(t testing.TB, book []byte, old *regexp.Regexp, text string) []byte {
	in, err := zip.NewReader(bytes.NewReader(book), int64(len(book)))
	require.NoError(t, err)
	var b bytes.Buffer
	out := zip.NewWriter(&b)
	for _, f := range in.File {
		r, err := f.Open()
		require.NoError(t, err)
		part, err := io.ReadAll(r)
		require.NoError(t, err)
		if strings.HasSuffix(f.Name, "sheet1.xml") {
			require.Regexp(t, old, string(part))
			part = old.ReplaceAllLiteral(part, []byte(text))
		}
		w, err := out.Create(f.Name)
		require.NoError(t, err)
		_, err = w.Write(part)
		require.NoError(t, err)
	}
	require.NoError(t, out.Close())
	return b.Bytes()
}

// openDocument is a workbook as the standard has it (OpenDocument 1.2, part 1, 9.1).
func openDocument(t testing.TB, content string) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	for name, text := range map[string]string{"mimetype": "application/vnd.oasis.opendocument.spreadsheet",
		"content.xml": `<?xml version="1.0"?><office:document-content xmlns:office="o" xmlns:table="t" xmlns:text="x">
		<office:body><office:spreadsheet>` + content + `</office:spreadsheet></office:body>
		</office:document-content>`} {
		w, err := z.Create(name)
		require.NoError(t, err)
		_, err = w.Write([]byte(text))
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	return b.Bytes()
}

func TestAnOpenDocumentWorkbook(t *testing.T) {
	data := openDocument(t, `<table:table table:name="Empty"><table:table-row table:number-rows-repeated="1048576">
	<table:table-cell table:number-columns-repeated="1024"/></table:table-row></table:table>
	<table:table table:name="2026"><table:table-row><table:table-cell><text:p>Prices</text:p></table:table-cell>
	</table:table-row><table:table-row table:number-rows-repeated="2"><table:table-cell/></table:table-row>
	<table:table-row><table:table-cell><text:p>kg</text:p></table:table-cell><table:table-cell
	table:number-columns-spanned="2"><text:p>Finland</text:p></table:table-cell><table:covered-table-cell/>
	</table:table-row><table:table-row><table:table-cell office:value-type="float"
	office:value="2"><text:p>2,00 kg</text:p>
	</table:table-cell><table:table-cell office:value-type="currency" office:currency="EUR"
	office:value="6.9"><text:p>6,90 €</text:p>
	</table:table-cell><table:table-cell office:value-type="percentage" office:value="0.185"><text:p>18,5 %</text:p>
	</table:table-cell></table:table-row><table:table-row table:number-rows-repeated="2"><table:table-cell
	office:value-type="float" office:value="5"><text:p>5</text:p></table:table-cell><table:table-cell
	office:value-type="string"><text:p>01067</text:p></table:table-cell><table:table-cell
	table:number-columns-repeated="1000"/>
	</table:table-row></table:table>`)
	g, err := Read(data, Options{})
	require.NoError(t, err)
	assert.Equal(t, "2026", g.Sheet)
	assert.Equal(t, [][]string{{"Prices"}, {"kg", "Finland", "Finland"}, {"2 kg", "6.9 EUR", "18.5 %"}, {"5", "01067"},
		{"5", "01067"}}, texts(g))
	assert.Equal(t, []int{1, 4, 5, 6, 7}, []int{g.Rows[0].Line, g.Rows[1].Line, g.Rows[2].Line, g.Rows[3].Line,
		g.Rows[4].Line})
}

func TestATableOfAPage(t *testing.T) {
	g, err := Read([]byte(`<html><body><table><tr><td>menu</td></tr></table><table><caption>Prices</caption><thead><tr>
	<th rowspan=2>Weight<br>kg</th><th colspan=2>Finland</th></tr><tr><th>parcel</th><th>letter</th></tr></thead>
	<tbody><tr><td>2&nbsp;kg</td><td> 6,90 € </td><td>–</td></tr></tbody></table>`), Options{})
	require.NoError(t, err)
	assert.Equal(t, Page, g.Format)
	assert.Equal(t, [][]string{{"Weight kg", "Finland", "Finland"}, {"Weight kg", "parcel", "letter"},
		{"2 kg", "6,90 €", "–"}}, texts(g))
}

func TestTheSeparatorOfAText(t *testing.T) {
	for name, tt := range map[string]struct {
		text string
		want rune
	}{
		"named":                        {"sep=;\r\na;b\r\n1;2\r\n", ';'},
		"decimal commas in every cell": {"to;FI;SE\n1,5;6,90;7,20\n2,5;7,90;8,20\n", ';'},
		"a title with commas":          {"Prices, 2026, valid at once\nto;FI\n2;6\n5;8\n", ';'},
		"a head with a comma":          {"Weight, kg;Price\n2;6,90\n5;8,10\n", ';'},
		"bars":                         {"a|b\n1|2\n", '|'},
		"tabs":                         {"a\tb, c\n1\t2\n", '\t'},
		"commas":                       {"a,b;c\n1,2\n3,4\n", ','},
	} {
		g, err := Read([]byte(tt.text), Options{})
		require.NoError(t, err, name)
		assert.Equal(t, string(tt.want), string(g.Separator), name)
	}
	table, err := ReadTable(Bytes([]byte("sep=;\nto;FI\n2;6\n")))
	require.NoError(t, err)
	assert.Equal(t, 2, table.Rows[0].Line, "lines are counted with the one that names the separator")
	assert.Equal(t, []string{"The file was read as UTF-8 text with semicolons between the cells."}, table.Found)
}

// 1.234 of a workbook is a bit more than one, which nobody is to take for thousands.
func TestDecimalsOfAWorkbookAreNoThousands(t *testing.T) {
	data := workbookOf(t, func(f *excelize.File) {
		require.NoError(t, f.SetSheetRow("Prices", "A1", &[]any{"to", "price"}))
		require.NoError(t, f.SetSheetRow("Prices", "A2", &[]any{1.234, 12.5}))
	})
	table, err := ReadTable(Bytes(data))
	require.NoError(t, err)
	assert.Equal(t, []string{"1.2340", "12.5"}, table.Rows[1].Cells)
}

func TestWhatIsNoTable(t *testing.T) {
	var bomb bytes.Buffer
	z := zip.NewWriter(&bomb)
	for _, name := range []string{"xl/workbook.xml", "xl/worksheets/sheet1.xml"} {
		_, err := z.CreateRaw(&zip.FileHeader{Name: name, Method: zip.Deflate, UncompressedSize64: 250 << 20})
		require.NoError(t, err)
	}
	require.NoError(t, z.Close())
	many := workbookOf(t, func(f *excelize.File) {
		for i := range 200 {
			_, err := f.NewSheet(fmt.Sprint("Sheet ", i))
			require.NoError(t, err)
		}
	})
	protected := func() []byte {
		f := excelize.NewFile()
		var b bytes.Buffer
		require.NoError(t, f.Write(&b, excelize.Options{Password: "secret"}))
		return b.Bytes()
	}
	var archive bytes.Buffer
	z = zip.NewWriter(&archive)
	_, err := z.Create("readme.txt")
	require.NoError(t, err)
	require.NoError(t, z.Close())
	for name, tt := range map[string]struct {
		data []byte
		want string
	}{
		"a bomb":             {bomb.Bytes(), "unpacks to more than 400 MB"},
		"200 sheets":         {many, "201 sheets; at most 150"},
		"a password":         {protected(), "a password protects"},
		"an archive":         {archive.Bytes(), "no workbook in it"},
		"a broken workbook":  {workbookOf(t, func(*excelize.File) {})[:300], "damaged"},
		"a PDF":              {[]byte("%PDF-1.7\n"), "this is a PDF"},
		"a picture":          {[]byte("\x89PNG\r\n"), "this is a picture"},
		"60 MB":              {make([]byte, 60<<20), "has 60 MB"},
		"nothing":            {nil, "empty"},
		"an empty workbook":  {workbookOf(t, func(*excelize.File) {}), "empty"},
		"a broken document":  {openDocument(t, "<table:table>")[:200], "damaged"},
		"a document cut off": {openDocument(t, "<table:table><table:table-row>"), "damaged"},
	} {
		_, err := Read(tt.data, Options{})
		require.ErrorContains(t, err, tt.want, name)
	}
	require.ErrorIs(t, func() error { _, err := Read([]byte(" \n"), Options{}); return err }(), sheet.ErrEmpty)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("sep=;\na;b\n1;2,5\n"))
	f.Add([]byte("<table><tr><td rowspan=3 colspan=99999>a</td></tr><tr></tr></table>"))
	f.Add(workbookOf(f, func(w *excelize.File) { _ = w.SetCellValue("Prices", "B2", 6.9) }))
	f.Add(openDocument(f, `<table:table table:name="a"><table:table-row table:number-rows-repeated="99999999">
	<table:table-cell table:number-columns-repeated="400"><text:p>1</text:p></table:table-cell></table:table-row>
	</table:table>`))
	f.Fuzz(func(t *testing.T, data []byte) {
		g, err := Read(data, Options{})
		if err != nil {
			return
		}
		head := g.Head()
		table := g.Table(head)
		if len(table.Rows) != len(g.Rows)-head {
			t.Fatal("rows are lost")
		}
		line := 0
		for _, r := range g.Rows {
			if r.Line <= line || len(r.Cells) > sheet.MaxColumns {
				t.Fatalf("line %d behind %d, %d cells", r.Line, line, len(r.Cells))
			}
			line = r.Line
		}
	})
}

// Reading a workbook of 20,000 rows, beside the library's own reading of it.
func BenchmarkWorkbook(b *testing.B) {
	data := workbookOf(b, func(f *excelize.File) {
		for i := range 20_000 {
			row := []any{fmt.Sprint("SKU-", i), "Linen towel", 0.35 + float64(i%7), "01067", 29.9}
			require.NoError(b, f.SetSheetRow("Prices", fmt.Sprint("A", i+1), &row))
		}
	})
	b.Run("grid", func(b *testing.B) {
		for range b.N {
			if _, err := Read(data, Options{}); err != nil {
				b.Fatal(err)
			}
		}
	})
	b.Run("library", func(b *testing.B) {
		for range b.N {
			f, err := excelize.OpenReader(bytes.NewReader(data))
			if err != nil {
				b.Fatal(err)
			}
			if _, err := f.GetRows("Prices"); err != nil {
				b.Fatal(err)
			}
			f.Close()
		}
	})
}
