package ratelist

import (
	"fmt"
	"testing"

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
