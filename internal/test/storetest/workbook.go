package storetest

import (
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// Workbook is a workbook (.xlsx) whose first sheet has rows; another has a text.
func Workbook(t require.TestingT, sheet, other, text string, rows ...[]any) []byte {
	f := excelize.NewFile()
	require.NoError(t, f.SetSheetName("Sheet1", sheet))
	for i := range rows {
		cell, err := excelize.CoordinatesToCellName(1, i+1)
		require.NoError(t, err)
		require.NoError(t, f.SetSheetRow(sheet, cell, &rows[i]))
	}
	_, err := f.NewSheet(other)
	require.NoError(t, err)
	require.NoError(t, f.SetCellValue(other, "A1", text))
	b, err := f.WriteToBuffer()
	require.NoError(t, err)
	return b.Bytes()
}
