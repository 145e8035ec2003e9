package ratelist

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/rate"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/tables/notes"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
	"pgregory.net/rapid"
)

// told is all that a reading says: its table, zones, questions, refused lines and what it tells of the file.
func told(r *Reading) (table, rest string) {
	if r.Plan != nil {
		f := storetest.Small.Store()
		table = tableText(r.Plan, f)
		for i := range r.Plan.Zones {
			table += "; " + r.Plan.Zones[i].Name + "=" + wordsOf(r.Plan.Zones[i].Places)
		}
		for i := range r.Plan.Lines {
			if l := &r.Plan.Lines[i]; l.Status != Taken {
				rest += fmt.Sprintf("\n%d %d %s %s", l.Line, l.Status, l.Says, l.Text)
			}
		}
	}
	return table, fmt.Sprint(r.Missing, r.Asks, r.Currency, r.Unit, r.Found, rest)
}

// Each cell of a list has an account. Where a digit of a price or of what a price is for changes, the table changes, or
// a question, or a line is refused; and no cell with a digit is set aside but in a column whose heading says that it is
// no price.
func TestNoNumberOfAListIsPassedOver(t *testing.T) {
	lists := collection(t)
	f := storetest.Lauha(t)
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.SampledFrom(lists).Draw(t, "list")
		open := func(text string) *Reading {
			r, err := Open(grid.Bytes(text), f, typed.For(f, nil), Choices{})
			require.NoError(t, err)
			return r
		}
		was := open(c.list)
		if was.Plan == nil || was.Ledger == nil {
			t.Skip("it is asked about as a whole")
		}
		for _, row := range was.Ledger.Left() {
			assert.Fail(t, "cells without an account", "%s: line %d: %s", c.name, row.Line, row.Said())
		}
		var digits []int
		for i := range len(c.list) {
			if isDigit(c.list[i]) {
				digits = append(digits, i)
			}
		}
		at := rapid.SampledFrom(digits).Draw(t, "digit")
		to := byte('0' + rapid.IntRange(0, 9).Draw(t, "to"))
		if c.list[at] == to {
			t.Skip("the same")
		}
		line := 1 + strings.Count(c.list[:at], "\n")
		begin := strings.LastIndexByte(c.list[:at], '\n') + 1
		separator := string(was.Grid.Separator)
		if strings.Contains(c.list[begin:begin+strings.IndexByte(c.list[begin:], '\n')], `"`) {
			t.Skip("cells in quotes")
		}
		column := strings.Count(c.list[begin:at], separator)
		account := was.Ledger.At(line, column)
		is := open(c.list[:at] + string(to) + c.list[at+1:])
		tableWas, restWas := told(was)
		tableIs, restIs := told(is)
		same := tableWas == tableIs && restWas == restIs
		if was.Mapping.By == rate.ByQuantity && c.list[at]-'0' < 2 && to-'0' < 2 {
			return // nobody orders no items
		}
		switch account {
		case grid.AsPrice, grid.AsBound, grid.AskedAbout:
			assert.False(t, same, "%s: line %d, column %d is %d, and nothing changed:\n%s", c.name, line, column, account,
				c.list)
		case grid.AsHead: // a date, or what the reading says of the whole
			assert.True(t, !same || strings.Join(was.Found, "") != strings.Join(is.Found, "") ||
				notes.Dates.MatchString(c.list[begin:]) ||
				strings.Contains(fmt.Sprint(is.Heads, is.Skipped), string(to)), "%s: line %d, column %d:\n%s", c.name, line,
				column, c.list)
		case grid.SetAside:
			if column < len(was.Heads) && heads.HoldsAny(foldedHead(was.Heads[column]), slices.Concat(heads.Asides, changeWords)) {
				return // its heading says that it is no price
			}
			assert.Fail(t, "a digit was set aside", "%s: line %d, column %d:\n%s", c.name, line, column, c.list)
		default:
			assert.Fail(t, "no account", "%s: line %d, column %d:\n%s", c.name, line, column, c.list)
		}
	})
}

// A question that was answered is not asked again in other words, wherever in the file it stood.
func TestWhatWasAnsweredIsSetAside(t *testing.T) {
	f := storetest.Lauha(t)
	const list = "Prices from 1 January 2027\nWeight (kg);Finland;Zone 3\n0-2;7,20;9,40\n2-5;8,60;11,40\nFuel surcharge 4 %\n\n" +
		"Zone;Countries\nZone 3;Norway\n"
	read := func(settled ...string) *Reading {
		r, err := Open(grid.Bytes(list), f, typed.For(f, nil), Choices{Settled: settled})
		require.NoError(t, err)
		return r
	}
	r := read()
	require.Len(t, r.Asks, 1)
	assert.Equal(t, AskSurcharge, r.Asks[0].Code)
	assert.Equal(t, map[grid.Account]int{grid.AsPrice: 4, grid.AsBound: 4, grid.AsHead: 6, grid.AskedAbout: 1},
		r.Ledger.Counts())
	r = read(AskSurcharge)
	assert.Empty(t, r.Asks)
	assert.Equal(t, grid.SetAside, r.Ledger.At(5, 0))
	assert.Zero(t, r.Ledger.Counts()[grid.Unread])
}

// Programs that write workbooks keep formulas without their values: such a price, bound or zone is refused or asked
// about, and never an empty cell.
func TestAFormulaWithoutAValueIsNoEmptyCell(t *testing.T) {
	f := storetest.Lauha(t)
	for cell, want := range map[string]string{
		"B2": `price: "=C9*2" is not a number`,
		"A3": `band: "=C9*2" is no band`,
		"B1": "Nothing says where “=C9*2” is",
	} {
		book := excelize.NewFile()
		for i, row := range [][]any{{"Weight (kg)", "Germany", "France"}, {2, 6.9, 9.9}, {5, 8.9, 12.9}, {10, 9.9, 14.9}} {
			require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
		}
		require.NoError(t, book.SetCellValue("Sheet1", cell, nil))
		require.NoError(t, book.SetCellFormula("Sheet1", cell, "C9*2"))
		data, err := book.WriteToBuffer()
		require.NoError(t, err)
		r, err := Open(grid.Bytes(data.Bytes()), f, typed.For(f, nil), Choices{})
		require.NoError(t, err)
		_, rest := told(r)
		assert.Contains(t, rest, want, cell)
		assert.Contains(t, rest, "1 formula has no saved value", cell)
	}
}

// Lines that a workbook hides are read, and asked about: they may be prices that are not for sale any more.
func TestHiddenLinesAreAskedAbout(t *testing.T) {
	f := storetest.Lauha(t)
	book := excelize.NewFile()
	for i, row := range [][]any{{"Weight (kg)", "Germany"}, {2, 6.9}, {5, 8.9}, {10, 9.9}} {
		require.NoError(t, book.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row))
	}
	require.NoError(t, book.SetRowVisible("Sheet1", 3, false))
	data, err := book.WriteToBuffer()
	require.NoError(t, err)
	r, err := Open(grid.Bytes(data.Bytes()), f, typed.For(f, nil), Choices{})
	require.NoError(t, err)
	require.Len(t, r.Asks, 1)
	assert.Equal(t, AskHidden, r.Asks[0].Code)
	assert.Contains(t, r.Asks[0].Message, "Hidden in the workbook, but read: line 3")
	r, err = Open(grid.Bytes(data.Bytes()), f, typed.For(f, nil), Choices{Settled: []string{AskHidden}})
	require.NoError(t, err)
	assert.Empty(t, r.Asks)
	assert.Len(t, r.Plan.Lines, 3)
}

// A sheet that nothing is made of is asked about where it says something that may count.
func TestSheetsThatAreNotReadAreAskedAbout(t *testing.T) {
	f := storetest.Lauha(t)
	chosen := ""
	open := func(sheets map[string][][]any, names ...string) *Reading {
		book := excelize.NewFile()
		for _, name := range names {
			_, err := book.NewSheet(name)
			require.NoError(t, err)
			for i, row := range sheets[name] {
				require.NoError(t, book.SetSheetRow(name, fmt.Sprintf("A%d", i+1), &row))
			}
		}
		require.NoError(t, book.DeleteSheet("Sheet1"))
		data, err := book.WriteToBuffer()
		require.NoError(t, err)
		r, err := Open(grid.Bytes(data.Bytes()), f, typed.For(f, nil), Choices{Options: grid.Options{Sheet: chosen}})
		require.NoError(t, err)
		return r
	}
	sheets := map[string][][]any{
		"Prices":     {{"Weight (kg)", "1", "2"}, {2, 6.9, 8.9}, {5, 8.9, 9.9}},
		"Zones":      {{"Zone", "Countries"}, {"1", "Germany"}, {"2", "France"}},
		"Surcharges": {{"Fuel", "12 %"}, {"As from", "January"}},
		"Thanks":     {{"Thank you for your order"}},
	}
	assert.Empty(t, open(sheets, "Prices", "Zones", "Thanks").Asks)
	for _, names := range [][]string{{"Prices", "Zones", "Surcharges"}, {"Surcharges", "Zones", "Prices"}} {
		r := open(sheets, names...)
		require.NotNil(t, r.Plan, names)
		require.Len(t, r.Asks, 1, names)
		assert.Contains(t, r.Asks[0].Message, "The sheet Surcharges is not used. It says “Fuel · 12 %”", names)
	}
	many := []string{"Prices", "Zones"}
	for i := range maxOtherSheets {
		many = append(many, fmt.Sprintf("More%c", 'A'+i))
	}
	r := open(sheets, many...)
	require.Len(t, r.Asks, 1)
	assert.Contains(t, r.Asks[0].Message, "the last 2 were not read")
	chosen = "Prices"
	r = open(sheets, "Zones", "Prices", "Surcharges")
	require.NotNil(t, r.Plan)
	assert.Empty(t, r.Asks, "the sheet was chosen; the zones of the other count")
}
