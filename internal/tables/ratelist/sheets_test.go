package ratelist

import (
	"fmt"
	"testing"
	"time"

	"diadrom/internal/core/typed"
	"diadrom/internal/tables/destination"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// A carrier's chart of 300 zones by postcode on a sheet of its own says where the zones of the prices are. Codes that a
// workbook has as numbers have lost the zeros that they begin with.
func TestChartsByPostcodeOnASheetOfTheirOwn(t *testing.T) {
	book := func(title string) []byte {
		f := excelize.NewFile()
		require.NoError(t, f.SetSheetName("Sheet1", "Prices"))
		require.NoError(t, f.SetSheetRow("Prices", "A1", &[]any{"Zone", "2 kg", "10 kg"}))
		_, err := f.NewSheet("Zones")
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow("Zones", "A1", &[]any{title}))
		require.NoError(t, f.SetSheetRow("Zones", "A3", &[]any{"PLZ von", "PLZ bis", "Zone"}))
		for i := range 300 {
			require.NoError(t, f.SetSheetRow("Prices", fmt.Sprintf("A%d", i+2), &[]any{i + 1, 5.5 + float64(i)/10, 9.5 + float64(i)/10}))
			require.NoError(t, f.SetSheetRow("Zones", fmt.Sprintf("A%d", i+4), &[]any{1000 + i*300, 1000 + i*300 + 299, i + 1}))
		}
		b, err := f.WriteToBuffer()
		require.NoError(t, err)
		return b.Bytes()
	}
	f := storetest.Lauha(t)
	reader := typed.For(f, nil)
	r, err := Open(grid.Bytes(book("Zones 2027")), f, reader, Choices{})
	require.NoError(t, err)
	require.Empty(t, r.Asks)
	require.Len(t, r.Plan.Zones, 300)
	assert.Equal(t, "Zone 1", r.Plan.Zones[0].Name)
	assert.Equal(t, "FI 01000 to 01299", wordsOf(r.Plan.Zones[0].Places))
	assert.Equal(t, "FI 90700 to 90999", wordsOf(r.Plan.Zones[299].Places))
	assert.Empty(t, r.Ledger.Left())
	r, err = Open(grid.Bytes(book("Zonenplan Deutschland")), f, reader, Choices{})
	require.NoError(t, err)
	require.Len(t, r.Asks, 1)
	assert.Contains(t, r.Asks[0].Message, "The sheet Zones says “Zonenplan Deutschland” in line 1")
	home := reader
	home.Home = "DE"
	r, err = Open(grid.Bytes(book("Zonenplan Deutschland")), f, home, Choices{Zeros: destination.ZerosLost})
	require.NoError(t, err)
	assert.Empty(t, r.Asks)
	assert.Equal(t, "DE 01000 to 01299", wordsOf(r.Plan.Zones[0].Places))
}

// What the format of a number shows beside it counts as if it were typed, and what nobody can have meant is asked about
// (ISO/IEC 29500-1, 18.8.31).
func TestFormatsOfNumbersCount(t *testing.T) {
	f := storetest.Lauha(t)
	for format, want := range map[string]string{
		`0.00`:                "2 6.90 | 5 8.90",
		`0.00" €"`:            "2 6.90 | 5 8.90",
		`[$-407]0.00 "€"`:     "2 6.90 | 5 8.90",
		`#,##0.00`:            "2 6.90 | 5 8.90",
		`0.00;-0.00;"–"`:      "2 6.90 | 5 8.90",
		`0.00E+00`:            "2 6.90 | 5 8.90",
		`0.00" €/kg"`:         "2 6.90 per kg | 5 8.90 per kg",
		`0.00" €/100 g"`:      "ask price",
		`0 %`:                 "ask price",
		`0.00" CHF"`:          "ask currency",
		`0.00,`:               "ask price",
		`#,##0.0,," million"`: "ask price",
		`0.00" ct"`:           "ask price",
		`0.00" kg"`:           "ask price",
		`"from "0.00`:         "ask price",
		`"free"`:              "ask price",
		`;;;`:                 "ask price",
		`d.m`:                 "ask price",
	} {
		x := excelize.NewFile()
		require.NoError(t, x.SetSheetRow("Sheet1", "A1", &[]any{"kg", "Finland"}))
		require.NoError(t, x.SetSheetRow("Sheet1", "A2", &[]any{2, 6.9}))
		require.NoError(t, x.SetSheetRow("Sheet1", "A3", &[]any{5, 8.9}))
		style, err := x.NewStyle(&excelize.Style{CustomNumFmt: &format})
		require.NoError(t, err)
		require.NoError(t, x.SetCellStyle("Sheet1", "B2", "B3", style))
		b, err := x.WriteToBuffer()
		require.NoError(t, err)
		r, err := Open(grid.Bytes(b.Bytes()), f, typed.For(f, nil), Choices{})
		require.NoError(t, err, format)
		if len(r.Asks) > 0 {
			assert.Equal(t, want, "ask "+r.Asks[0].Code, "%s: %v", format, r.Asks)
			continue
		}
		require.NotNil(t, r.Plan, format)
		assert.Equal(t, "finland | "+want, tableText(r.Plan, f), format)
	}
}

// A program takes bands such as 1-2 for days: they are refused with what they are now.
func TestBandsThatBecameDates(t *testing.T) {
	f := storetest.Lauha(t)
	x := excelize.NewFile()
	for i, row := range [][]any{{"kg", "Finland"}, {"0-1", 5.9}, {time.Date(2026, 2, 1, 0, 0, 0, 0, time.UTC), 6.9}, {"5-10", 9.9}} {
		require.NoError(t, x.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	b, err := x.WriteToBuffer()
	require.NoError(t, err)
	r, err := Open(grid.Bytes(b.Bytes()), f, typed.For(f, nil), Choices{})
	require.NoError(t, err)
	assert.NotEmpty(t, r.Problem())
	assert.Equal(t, Refused, r.Plan.Lines[1].Status)
	assert.Contains(t, r.Plan.Lines[1].Says, "(a date)")
}
