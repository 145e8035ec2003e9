package sheet

import (
	"bytes"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"pgregory.net/rapid"
)

func cells(t *testing.T, data string) (rows [][]string) {
	t.Helper()
	table, err := Read([]byte(data))
	require.NoError(t, err)
	for _, r := range table.Rows {
		rows = append(rows, r.Cells)
	}
	return rows
}

func TestTablesAsSpreadsheetsWriteThem(t *testing.T) {
	want := [][]string{{"sku", "name"}, {"1", "Löyly, large"}}
	latin, err := charmap.ISO8859_1.NewEncoder().String("sku;name\r\n1;\"Löyly, large\"\r\n")
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewEncoder().String(
		"sku\tname\n1\tLöyly, large\n",
	)
	require.NoError(t, err)
	for name, data := range map[string]string{
		"commas":           "sku,name\n1,\"Löyly, large\"\n",
		"mark and CRLF":    "\ufeffsku,name\r\n1,\"Löyly, large\"\r\n",
		"Latin-1":          latin,
		"UTF-16 with tabs": wide,
		"empty lines":      "\n\nsku,name\n\n1,\"Löyly, large\"",
		"spaces around":    "sku , name\n 1 ,\"Löyly, large\"\n",
	} {
		assert.Equal(t, want, cells(t, data), name)
	}
}

func TestLinesAreCountedThroughQuotes(t *testing.T) {
	table, err := Read([]byte("a,b\n1,\"two\nlines\"\n\n3,4\n"))
	require.NoError(t, err)
	assert.Equal(t, []int{1, 2, 5}, []int{table.Rows[0].Line, table.Rows[1].Line, table.Rows[2].Line})
}

func TestWhatIsNoTable(t *testing.T) {
	for data, says := range map[string]string{"": "empty", "\n \n": "empty", "a,b\n1,\"2": "line 2: a quote",
		"a,b\n1,2\"3\n": "line 2: a quote"} {
		_, err := Read([]byte(data))
		assert.ErrorContains(t, err, says, "%q", data)
	}
}

// Cells that begin with =, +, - or @ start formulas in spreadsheets: OWASP, CSV injection.
func TestNothingThatIsWrittenStartsAFormula(t *testing.T) {
	for cell, want := range map[string]string{"=1+1": "'=1+1", "+358 40": "'+358 40", "-5": "-5", "-5.50": "-5.50",
		"-5+cmd": "'-5+cmd", "@SUM(A1)": "'@SUM(A1)", "'=x": "''=x", "plain": "plain", "it's": "it's"} {
		assert.Equal(t, want, guarded(cell))
		assert.Equal(t, cell, bare(guarded(cell)))
	}
}

func TestWhatIsWrittenReadsBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		cell := rapid.Custom(func(t *rapid.T) string {
			s := rapid.OneOf(
				rapid.StringMatching(`[=+@'-]{0,3}[a-z0-9;,"äÅ ]{0,8}`),
				rapid.String(),
			).Draw(t, "cell")
			return strings.TrimSpace(strings.Map(func(r rune) rune {
				if r == '\r' || r == '\ufeff' || r == '\ufffd' {
					return -1
				}
				return r
			}, s))
		})
		rows := rapid.SliceOfN(rapid.SliceOfN(cell, 2, 4), 1, 5).Draw(t, "rows")
		rows[0] = []string{"a", "b"}
		var b bytes.Buffer
		require.NoError(t, Write(&b, rows))
		table, err := Read(b.Bytes())
		require.NoError(t, err)
		for i, r := range table.Rows {
			assert.Equal(t, rows[i], r.Cells)
		}
	})
}

// A separator that stands in more cells than commas do parts nothing.
func TestOtherSeparatorsInCellsAreQuoted(t *testing.T) {
	rows := [][]string{{"a", "b"}, {"x", "y", "1;2"}, {"x", "y", "z", "3;4"}, {"x|y", "t\tu", "z"}, {"sep=;", ""}}
	var b bytes.Buffer
	require.NoError(t, Write(&b, rows))
	assert.Equal(t, "a,b\nx,y,\"1;2\"\nx,y,z,\"3;4\"\n\"x|y\",\"t\tu\",z\n\"sep=;\",\n", b.String())
	table, err := Read(b.Bytes())
	require.NoError(t, err)
	for i, r := range table.Rows {
		assert.Equal(t, rows[i], r.Cells)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("a;b\n1;'=2\n"))
	f.Add([]byte("\xff\xfea\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		table, err := Read(data)
		if err != nil {
			return
		}
		rows := make([][]string, len(table.Rows))
		for i, r := range table.Rows {
			rows[i] = r.Cells
		}
		if err := Write(&bytes.Buffer{}, rows); err != nil {
			t.Fatal(err)
		}
	})
}

// A cell that another spreadsheet would part, and take the rest of for a formula, is guarded, and reads back as
// it was. A table of more rows, columns or cells than any shop has is refused where that shows.
func TestFormulasWithinCellsAndTooMuch(t *testing.T) {
	for _, cell := range []string{"x;=1+1", "x;'=1+1", "x; =1+1", "a\t@SUM(1)", "x;y", "1;-2", "=1;=2", "a\n=b", ";=",
		"it's; fine"} {
		var b bytes.Buffer
		require.NoError(t, Write(&b, [][]string{{"head", "other"}, {"first", cell}}))
		for _, part := range []string{";=", "; =", "\t@", ";-", "\n="} {
			assert.NotContains(t, b.String(), part, cell)
		}
		table, err := Read(b.Bytes())
		require.NoError(t, err)
		assert.Equal(t, strings.TrimSpace(cell), table.Rows[1].Cells[1])
	}
	for name, c := range map[string][2]string{
		"columns": {"a" + strings.Repeat(",a", MaxColumns), "line 1: it has 501 columns"},
		"rows":    {strings.Repeat("a\n", MaxRows+1), "line 300001: a table has at most 300000 rows"},
		"cells":   {strings.Repeat(strings.Repeat(",", 400)+"\n", MaxCells/400), "a table has at most 3000000 cells"},
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := Read([]byte(c[0]))
		runtime.ReadMemStats(&after)
		require.ErrorContains(t, err, c[1], name)
		assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(400<<20), name)
	}
}
