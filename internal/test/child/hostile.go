package child

import (
	"archive/zip"
	"bytes"
	"compress/flate"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"
)

// Hostile is a file that takes far more to read than it holds, or that is far more than a shop has.
type Hostile struct {
	Name string
	Kind string // of reading: table, areas, store, promises
	Make func() []byte
	Slow bool // it takes seconds to make or to refuse
}

// Hostiles are files that were sent to bring a shop down.
var Hostiles = []Hostile{
	{"160,000 cells that share a string of 100 kB", "table", func() []byte {
		return workbook(strings.Repeat("x", 100_000), 400, 400, "")
	}, false},
	{"one string of 390 MB", "table", func() []byte { return workbook(strings.Repeat("x", 390<<20), 1, 1, "") }, true},
	{"10 million cells", "table", func() []byte { return workbook("x", 20_000, 500, "") }, true},
	{"100,000 merged cells over the whole sheet", "table", func() []byte {
		return workbook("x", 5_000, 100, strings.Repeat(`<mergeCell ref="A1:CV5000"/>`, 100_000))
	}, true},
	{"a sheet that unpacks to 1 GB of blanks", "table", func() []byte {
		return packed(map[string]func(io.Writer){"content.xml": func(w io.Writer) {
			blank := []byte(strings.Repeat(" ", 1<<20))
			for range 1 << 10 {
				w.Write(blank) //nolint:errcheck // it is in memory
			}
		}})
	}, false},
	{"OpenDocument rows that are repeated a million times", "table", func() []byte {
		return packed(map[string]func(io.Writer){"content.xml": func(w io.Writer) {
			fmt.Fprint(w, `<x xmlns:table="t"><table:table table:name="A">`)
			for range 1000 {
				fmt.Fprint(w, `<table:table-row table:number-rows-repeated="1000000"><table:table-cell `+
					`table:number-columns-repeated="400"><p>x</p></table:table-cell></table:table-row>`)
			}
			fmt.Fprint(w, `</table:table></x>`)
		}})
	}, false},
	{"entities that grow a billion times", "table", func() []byte {
		var text strings.Builder
		text.WriteString(`<?xml version="1.0"?><!DOCTYPE x [<!ENTITY a0 "lol">`)
		for i := 1; i < 10; i++ {
			fmt.Fprintf(&text, `<!ENTITY a%d "%s">`, i, strings.Repeat(fmt.Sprintf("&a%d;", i-1), 10))
		}
		text.WriteString(`]><x xmlns:table="t"><table:table table:name="A"><table:table-row><table:table-cell><p>&a9;</p>` +
			`</table:table-cell></table:table-row></table:table></x>`)
		return packed(map[string]func(io.Writer){"content.xml": func(w io.Writer) { io.WriteString(w, text.String()) }}) //nolint:errcheck
	}, false},
	{"a page whose cells span 500 columns and rows each", "table", func() []byte {
		return []byte("<table>" + strings.Repeat(`<tr>`+strings.Repeat(
			`<td colspan=500 rowspan=500>`+strings.Repeat("x", 1000)+`</td>`, 20)+`</tr>`, 1000) + "</table>")
	}, true},
	{"a page nested 200,000 deep", "table", func() []byte {
		return []byte("<table>" + strings.Repeat("<tr><td>1<td><table>", 200_000))
	}, false},
	{"a table of 10 million empty cells", "table", func() []byte {
		return []byte(strings.Repeat(strings.Repeat(",", 499)+"x\n", 20_000))
	}, false},
	{"GeoJSON nested 1,000,000 deep", "areas", func() []byte {
		return []byte(`{"type":"Polygon","coordinates":` + strings.Repeat("[", 1_000_000))
	}, false},
	{"a collection of collections of collections", "areas", func() []byte {
		return []byte(strings.Repeat(`{"type":"GeometryCollection","geometries":[`, 9_000) + strings.Repeat("]}", 9_000))
	}, false},
	{"a star of 20,000 corners that crosses itself everywhere", "areas", func() []byte {
		return []byte(`{"type":"Polygon","coordinates":[` + star(20_000) + `]}`)
	}, false},
	{"500 such stars", "areas", func() []byte {
		one := `{"type":"Feature","properties":{},"geometry":{"type":"Polygon","coordinates":[` + star(3_000) + `]}}`
		return []byte(`{"type":"FeatureCollection","features":[` + strings.Repeat(one+",", 499) + one + `]}`)
	}, true},
	{"KML of 4 million positions", "areas", func() []byte {
		return []byte(`<kml><Placemark><Polygon><outerBoundaryIs><LinearRing><coordinates>` +
			strings.Repeat("1,2 ", 4_000_000) + `</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark></kml>`)
	}, true},
	{"a store file nested 1,000,000 deep", "store", func() []byte { return []byte(strings.Repeat(`{"a":`, 1_000_000)) }, false},
	{"a store file of 8 million numbers", "store", func() []byte {
		return []byte(`{"zones":[` + strings.Repeat("1,", 8_000_000) + "1]}")
	}, true},
	{"promises of 2 million members", "promises", func() []byte {
		return []byte(`[` + strings.Repeat(`{},`, 2_000_000) + `{}]`)
	}, false},
}

// Features are n drawn areas of six corners each, by names of their own, as GeoJSON or as KML. Each can be read.
func Features(n int, kml bool) []byte {
	var b bytes.Buffer
	for i := range n {
		var ring []string
		for k := range 7 {
			angle := 2 * math.Pi * float64(k%6) / 6
			x, y := 20+float64(i%100)*0.05+0.02*math.Cos(angle), 60+float64(i/100)*0.05+0.02*math.Sin(angle)
			at := strconv.FormatFloat(x, 'f', 4, 64) + "," + strconv.FormatFloat(y, 'f', 4, 64)
			if !kml {
				at = "[" + at + "]"
			}
			ring = append(ring, at)
		}
		if kml {
			fmt.Fprintf(&b, "<Placemark><name>Area %d</name><Polygon><outerBoundaryIs><LinearRing><coordinates>%s"+
				"</coordinates></LinearRing></outerBoundaryIs></Polygon></Placemark>", i, strings.Join(ring, " "))
			continue
		}
		fmt.Fprintf(&b, `,{"type":"Feature","properties":{"name":"Area %d"},"geometry":{"type":"Polygon",`+
			`"coordinates":[[%s]]}}`, i, strings.Join(ring, ","))
	}
	if kml {
		return []byte("<kml>" + b.String() + "</kml>")
	}
	return []byte(`{"type":"FeatureCollection","features":[` + b.String()[1:] + `]}`)
}

func star(corners int) string {
	var b strings.Builder
	for i := range corners {
		angle := float64(i) * (math.Pi - 0.001)
		fmt.Fprintf(&b, "[%.6f,%.6f],", 25+math.Cos(angle), 62+math.Sin(angle))
	}
	return "[" + b.String() + "[26,62]]"
}

// workbook is an Office Open XML workbook whose cells all have one shared string.
func workbook(text string, rows, columns int, merged string) []byte {
	const office = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
	const main = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
	const package_ = "http://schemas.openxmlformats.org/package/2006/"
	write := func(text string) func(io.Writer) {
		return func(w io.Writer) { io.WriteString(w, text) } //nolint:errcheck // it is in memory
	}
	return packed(map[string]func(io.Writer){
		"[Content_Types].xml": write(`<Types xmlns="` + package_ + `content-types"><Default Extension="xml" ` +
			`ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType=` +
			`"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/></Types>`),
		"_rels/.rels": write(`<Relationships xmlns="` + package_ + `relationships"><Relationship Id="r1" Type="` + office +
			`/officeDocument" Target="xl/workbook.xml"/></Relationships>`),
		"xl/workbook.xml": write(`<workbook xmlns="` + main + `" xmlns:r="` + office +
			`"><sheets><sheet name="A" sheetId="1" r:id="r1"/></sheets></workbook>`),
		"xl/_rels/workbook.xml.rels": write(`<Relationships xmlns="` + package_ + `relationships"><Relationship Id="r1" ` +
			`Type="` + office + `/worksheet" Target="worksheets/sheet1.xml"/><Relationship Id="r2" Type="` + office +
			`/sharedStrings" Target="sharedStrings.xml"/></Relationships>`),
		"xl/sharedStrings.xml": write(`<sst xmlns="` + main + `"><si><t>` + text + `</t></si></sst>`),
		"xl/worksheets/sheet1.xml": func(w io.Writer) {
			fmt.Fprint(w, `<worksheet xmlns="`+main+`"><sheetData>`)
			for i := range rows {
				fmt.Fprintf(w, `<row r="%d">`, i+1)
				for j := range columns {
					fmt.Fprintf(w, `<c r="%s%d" t="s"><v>0</v></c>`, column(j), i+1)
				}
				fmt.Fprint(w, `</row>`)
			}
			fmt.Fprint(w, `</sheetData>`)
			if merged != "" {
				fmt.Fprint(w, `<mergeCells>`+merged+`</mergeCells>`)
			}
			fmt.Fprint(w, `</worksheet>`)
		},
	})
}

// column is the letters of a column, from 0.
func column(n int) string {
	if n < 26 {
		return string(rune('A' + n))
	}
	return column(n/26-1) + string(rune('A'+n%26))
}

func packed(parts map[string]func(io.Writer)) []byte {
	var b bytes.Buffer
	z := zip.NewWriter(&b)
	z.RegisterCompressor(zip.Deflate, func(w io.Writer) (io.WriteCloser, error) {
		return flate.NewWriter(w, flate.BestSpeed)
	})
	for name, write := range parts {
		w, err := z.Create(name)
		if err != nil {
			panic(err) // it is in memory
		}
		write(w)
	}
	if err := z.Close(); err != nil {
		panic(err)
	}
	return b.Bytes()
}
