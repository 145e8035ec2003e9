package edit_test

import (
	"fmt"
	"strings"
	"testing"

	"diadrom/internal/core/charge"
	"diadrom/internal/core/decimal"
	"diadrom/internal/core/rate"
	"diadrom/internal/core/store"
	"diadrom/internal/edit"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// shop is a shop with one method whose list is given as text: rows parted by "; ", a break point ("" for
// above) and charges parted by " | ", columns for the zones a, b and c.
func shop(
	t require.TestingT,
	by rate.By,
	edges rate.Edges,
	rows string,
) (*store.File, *store.Method, *rate.Table) {
	f := storetest.Lauha(t)
	f.Zones = []store.Zone{
		{ID: "a", Name: "A"},
		{ID: "b", Name: "B"},
		{ID: "c", Name: "C"},
		{ID: "d", Name: "D"},
	}
	f.Classes = []store.Class{{ID: "bulky", Name: "Bulky goods"}}
	f.Products, f.Surcharges, f.Agreed = nil, nil, nil
	list := rate.Table{ID: "list", By: by, Edges: edges}
	for _, line := range strings.Split(rows, "; ") {
		cells := strings.Split(line, " | ")
		row := rate.Row{}
		if cells[0] != "" {
			at, err := edit.ParseBreak(cells[0], edit.Unit(f, by))
			require.NoError(t, err)
			row.At = at
		}
		for _, text := range cells[1:] {
			c, err := charge.Parse(text, f.Words())
			require.NoError(t, err)
			row.Charges = append(row.Charges, c)
		}
		list.Rows = append(list.Rows, row)
	}
	list.Zones = []string{"a", "b", "c"}[:len(list.Rows[0].Charges)]
	f.Methods = []store.Method{
		{
			ID:      "post",
			Classes: store.Together,
			Tables:  []rate.Table{list},
			Terms:   map[string]store.Terms{"a": {}, "b": {}},
		},
	}
	return f, &f.Methods[0], &f.Methods[0].Tables[0]
}

// text writes a list as [shop] reads it.
func text(f *store.File, t *rate.Table) string {
	rows := make([]string, len(t.Rows))
	for i, r := range t.Rows {
		rows[i] = edit.AtText(r.At)
		for _, c := range r.Charges {
			rows[i] += " | " + charge.Format(c, f.Words())
		}
	}
	return strings.Join(rows, "; ")
}

func TestEditsOfAList(t *testing.T) {
	const list = "2 | 4.90 | 6.90; 10 | 8.90 | no;  | no | 19.00"
	type edits = func(*store.File, *store.Method, *rate.Table) error
	cell := func(at, zone, was, typed string) edits {
		return func(f *store.File, _ *store.Method, t *rate.Table) error {
			_, _, err := edit.SetCell(f, t, edit.Cell{At: at, Zone: zone}, was, typed)
			return err
		}
	}
	moved := func(was, typed string) edits {
		return func(f *store.File, _ *store.Method, t *rate.Table) error {
			_, err := edit.MoveBreak(f, t, was, typed)
			return err
		}
	}
	added := func(typed string) edits {
		return func(f *store.File, _ *store.Method, t *rate.Table) error { return edit.AddRow(f, t, typed) }
	}
	removed := func(at string) edits {
		return func(_ *store.File, _ *store.Method, t *rate.Table) error { return edit.RemoveRow(t, at) }
	}
	pasted := func(at, zone, block string) edits {
		return func(f *store.File, _ *store.Method, t *rate.Table) error {
			_, err := edit.Paste(f, t, edit.Cell{At: at, Zone: zone}, "", block)
			return err
		}
	}
	copied := func(zone, from, change string) edits {
		return func(f *store.File, _ *store.Method, t *rate.Table) error {
			return edit.CopyColumn(f, t, zone, from, change)
		}
	}
	measured := func(by rate.By) edits {
		return func(_ *store.File, m *store.Method, t *rate.Table) error { return edit.SetBy(m, t, by) }
	}
	for name, c := range map[string]struct {
		edit     edits
		is, says string
	}{
		"a charge": {cell("2", "a", "4.90", "3 + 1 per item"), "2 | 3.00 + 1.00 per item | 6.90; " +
			"10 | 8.90 | no;  | no | 19.00", ""},
		"the last row has no break": {cell("", "a", "no", "12"), "2 | 4.90 | 6.90; 10 | 8.90 | no;  | 12.00 | 19.00",
			""},
		"what another window set":   {cell("2", "a", "4.50", "5"), "", "this was changed to 4.90 in another window"},
		"both windows set the same": {cell("2", "a", "4.50", "4,9"), list, ""},
		"a slip is told after that": {cell("2", "a", "4.90", "4.9O"), "", `"O" does not belong here`},
		"a row that is gone":        {cell("3", "a", "4.90", "5"), "", "the row 3 is not there any more"},
		"a column that is gone":     {cell("2", "c", "4.90", "5"), "", "column was removed meanwhile"},
		"a break point":             {moved("2", "5 kg"), "5 | 4.90 | 6.90; 10 | 8.90 | no;  | no | 19.00", ""},
		"beyond the next row":       {moved("2", "12"), "", "rows ascend: 12 lies above the next row (10)"},
		"below the row before":      {moved("10", "1"), "", "rows ascend: 1 lies below the row before (2)"},
		"onto another":              {moved("2", "10.0"), "", "there is a row at 10 already"},
		"below nothing":             {moved("2", "-1"), "", "cannot be below 0"},
		"in another unit":           {moved("2", "500 g"), "0.5 | 4.90 | 6.90; 10 | 8.90 | no;  | no | 19.00", ""},
		"in what is no weight": {moved("2", "500 km"), "", "this list is in kg: write 500 km in kg, as a number " +
			"alone"},
		"not a number":  {moved("2", "two"), "", `"two" is not a number`},
		"too long":      {moved("2", strings.Repeat("9", 41)), "", "too long"},
		"a row between": {added("5"), "2 | 4.90 | 6.90; 5 | 8.90 | no; 10 | 8.90 | no;  | no | 19.00", ""},
		"a row above": {added("20"), "2 | 4.90 | 6.90; 10 | 8.90 | no; 20 | no | 19.00;  | no | 19.00",
			""},
		"a row that is there":        {added("2"), "", "there is a row at 2 already"},
		"without a row":              {removed("2"), "10 | 8.90 | no;  | no | 19.00", ""},
		"without a row that is gone": {removed("3"), "", "not there any more"},
		"a block": {pasted("2", "a", "1\t2\n3\t\n"), "2 | 1.00 | 2.00; 10 | 3.00 | no;  | no | " +
			"19.00", ""},
		"a block that sticks out": {pasted("", "b", "1\t2\n3"), "2 | 4.90 | 6.90; 10 | 8.90 | no;  | no | 1.00", ""},
		"a block with break points": {pasted("2", "", "up to 2 kg\t1\n5000 g\t3"), "2 | 1.00 | 6.90; 5 | 3.00 | no; " +
			"10 | 8.90 | no;  | no | 19.00", ""},
		"a block that counts the other way": {pasted("2", "", "from 5\t3"), "", "5 belongs to the row up to 5"},
		"a block with a bad break":          {pasted("2", "", "2\t1\nx\t3"), "", "line 2 of what was pasted"},
		"a block of nothing":                {pasted("2", "a", "x\ty"), "", "none of the pasted cells can be taken"},
		"a block beside the list":           {pasted("7", "a", "1"), "", "not there any more"},
		"a column as another": {copied("a", "b", "plus 10 %"), "2 | 7.59 | 6.90; 10 | no | no;  | 20.90 | 19.00",
			""},
		"a change nobody knows":    {copied("a", "b", "twice"), "", "write the change as plus 20 %"},
		"as a column that is gone": {copied("a", "c", "plus 1"), "", "choose two columns"},
		"one price, three rows":    {measured(rate.ByOrder), "", "remove the others first"},
		"by a measure nobody has":  {measured("colour"), "", "choose what the price goes by"},
		"by distance":              {measured(rate.ByDistance), list, ""},
	} {
		t.Run(name, func(t *testing.T) {
			f, m, table := shop(t, rate.ByWeight, rate.UpTo, list)
			err := c.edit(f, m, table)
			if c.says != "" {
				require.ErrorContains(t, err, c.says)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.is, text(f, table))
		})
	}
}

func TestAConflictSaysWhatIsThereNow(t *testing.T) {
	f, _, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90")
	_, _, err := edit.SetCell(f, list, edit.Cell{At: "2", Zone: "a"}, "1.00", "5")
	var conflict *edit.Conflict
	require.ErrorAs(t, err, &conflict)
	assert.Equal(t, "4.90", conflict.Now)
}

func TestWhatDidNotFitIsCounted(t *testing.T) {
	f, _, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90; 10 | 8.90 | no")
	p, err := edit.Paste(f, list, edit.Cell{At: "10", Zone: "b"}, "", "1\t2\t3\nx\n4\n")
	require.NoError(t, err)
	assert.Equal(t, edit.Pasted{Taken: 1, Zones: map[string]int{"b": 1}, Below: 2, Beside: 2, Slips: map[edit.Cell]edit.Typed{}}, p)
	p, err = edit.Paste(f, list, edit.Cell{At: "2", Zone: "a"}, "", "5\t x ")
	require.NoError(t, err)
	require.Contains(t, p.Slips, edit.Cell{At: "2", Zone: "b"})
	assert.Equal(t, "x", p.Slips[edit.Cell{At: "2", Zone: "b"}].Text, "it stays in its cell")
	assert.Equal(t, "2 | 5.00 | 6.90; 10 | 8.90 | 1.00", text(f, list))
}

// A page may show the columns from one on: what is pasted at a break point goes where it is seen to go.
func TestABlockWithBreakPointsGoesBesideThem(t *testing.T) {
	f, _, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90; 10 | 8.90 | 9.90")
	_, err := edit.Paste(f, list, edit.Cell{At: "2"}, "b", "2\t7.00\n5\t8.00")
	require.NoError(t, err)
	assert.Equal(t, "2 | 4.90 | 7.00; 5 | 8.90 | 8.00; 10 | 8.90 | 9.90", text(f, list))
	_, err = edit.Paste(f, list, edit.Cell{At: "2"}, "gone", "2\t1.00")
	require.ErrorContains(t, err, "not there any more")
}

func TestColumns(t *testing.T) {
	f, m, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90")
	require.ErrorContains(t, edit.AddColumn(f, list, "a"), "has a column already")
	require.ErrorContains(t, edit.AddColumn(f, list, "x"), "no zone is called x")
	require.ErrorContains(t, edit.AddColumn(f, list, " "), "choose a zone")
	f.Zone("c").Name = "Coast"
	require.NoError(t, edit.AddColumn(f, list, " coast"), "by the name, too")
	assert.Equal(t, "2 | 4.90 | 6.90 | no", text(f, list), "nothing is offered before it has a price")
	require.NoError(t, edit.MoveColumn(list, "c", false))
	assert.Equal(t, []string{"a", "c", "b"}, list.Zones)
	assert.Equal(t, "2 | 4.90 | no | 6.90", text(f, list))
	require.ErrorContains(t, edit.MoveColumn(list, "a", false), "cannot go further")
	require.ErrorContains(t, edit.MoveColumn(list, "b", true), "cannot go further")
	after := edit.WithoutColumn(m, "list", "b")
	assert.Equal(t, []string{"a", "c"}, after.Tables[0].Zones)
	assert.Equal(t, []string{"a", "c", "b"}, list.Zones, "the method stays as it is")
	assert.Contains(t, m.Terms, "b")
	require.NoError(t, edit.CloseColumn(list, "a"))
	assert.Equal(t, "2 | no | no | 6.90", text(f, list))
	require.NoError(t, edit.RemoveColumn(m, list, "b"))
	assert.Equal(t, "2 | no | no", text(f, list))
	assert.NotContains(t, m.Terms, "b", "its terms go with the last column")
	assert.Contains(t, m.Terms, "a")
	require.ErrorContains(t, edit.RemoveColumn(m, list, "b"), "not there any more")
	require.ErrorContains(t, edit.CloseColumn(list, "b"), "not there any more")
}

func TestListsOfAMethod(t *testing.T) {
	f, m, _ := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90")
	require.ErrorContains(t, edit.AddTable(f, m, rate.ByWeight, ""), "which class")
	require.ErrorContains(t, edit.AddTable(f, m, rate.ByWeight, "glass"), "add it under Products")
	require.ErrorContains(t, edit.AddTable(f, m, "colour", "bulky"), "choose what")
	require.NoError(t, edit.AddTable(f, m, rate.BySubtotal, "bulky goods"))
	assert.Equal(t, "0 | no | no", text(f, &m.Tables[0]), "by price rows begin at 0")
	assert.Equal(t, []string{"bulky"}, m.Tables[0].Classes)
	assert.Equal(t, "Bulky goods", m.Tables[0].Name)
	assert.Equal(t, store.Add, m.Classes, "two lists need a way to come together")
	_, _, err := edit.Table(f, "post", m.Tables[0].ID)
	require.NoError(t, err)
	require.ErrorContains(t, edit.SetClasses(f, &m.Tables[1], "glass"), "no class")
	require.NoError(t, edit.RemoveColumn(m, &m.Tables[1], "b"))
	assert.Contains(t, m.Terms, "b", "another list prices it")
	edit.RemoveTable(m, m.Tables[0].ID)
	assert.Equal(t, store.Together, m.Classes)
	assert.NotContains(t, m.Terms, "b")
	_, _, err = edit.Table(f, "post", "bulky-goods")
	require.ErrorContains(t, err, "this price list was removed")
	_, _, err = edit.Table(f, "van", "list")
	require.ErrorContains(t, err, "this method was removed")
}

func TestOnePriceForEveryOrderIsOneHoweverManyParcelsItMakes(t *testing.T) {
	f, m, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90")
	require.NoError(t, edit.SetBy(m, list, rate.ByOrder))
	assert.Equal(t, rate.PerOrder, list.Per)
	require.NoError(t, edit.SetBy(m, list, rate.ByWeight))
	assert.Equal(t, rate.PerParcel, list.Per, "a carrier's prices are for a parcel")
	require.NoError(t, edit.AddMethod(f, "Letter", rate.ByOrder, store.Delivery))
	assert.Equal(t, rate.PerOrder, f.Methods[len(f.Methods)-1].Tables[0].Per)

	m = f.Method(m.ID)
	require.NoError(t, edit.AddTable(f, m, rate.ByWeight, "bulky"))
	edit.SetPer(m, &m.Tables[0], true)
	assert.Equal(t, rate.PerParcel, m.Tables[1].Per, "lists that are added price what they say")
	edit.SetPer(m, &m.Tables[0], false)
	m.Classes = store.Dearest
	edit.SetPer(m, &m.Tables[1], true)
	assert.Equal(t, rate.PerOrder, m.Tables[0].Per, "the dearest is the dearest of the order")
	f.Classes = append(f.Classes, store.Class{ID: "glass", Name: "Glass"})
	require.NoError(t, edit.AddTable(f, m, rate.ByWeight, "glass"))
	assert.Equal(t, rate.PerOrder, m.Tables[0].Per)
	require.NoError(t, edit.SetBy(m, &m.Tables[0], rate.ByOrder))
	require.NoError(t, edit.SetBy(m, &m.Tables[0], rate.ByWeight))
	assert.Equal(t, rate.PerOrder, m.Tables[0].Per, "it has to be as the others")
}

func TestTheFirstRowFromZeroStaysThere(t *testing.T) {
	f, m, list := shop(t, rate.BySubtotal, rate.From, "0 | 6.90; 50 | 3.90; 100 | free")
	require.NoError(t, edit.RemoveRow(list, "0"))
	assert.Equal(t, "0 | 3.90; 100 | free", text(f, list))
	require.NoError(t, edit.RemoveRow(list, "100"))
	require.ErrorContains(t, edit.RemoveRow(list, "0"), "keeps one row")
	require.NoError(t, edit.SetBy(m, list, rate.ByOrder))
	assert.Equal(t, " | 3.90", text(f, list), "one price for every order has no break point")
	require.NoError(t, edit.SetBy(m, list, rate.ByWeight))
	assert.Equal(t, rate.UpTo, list.Edges)
}

// priced writes what a list charges in zone a for a measure.
func priced(f *store.File, t *rate.Table, x decimal.Decimal) string {
	i, ok := t.Row(x)
	if !ok {
		return "no"
	}
	return charge.Format(t.Rows[i].Charges[0], f.Words())
}

// drawn is a list of a few rows by weight, each with another charge.
func drawn(t *rapid.T) (*store.File, *rate.Table) {
	n := rapid.IntRange(1, 5).Draw(t, "rows")
	edges := rapid.SampledFrom([]rate.Edges{rate.UpTo, rate.From}).Draw(t, "edges")
	rows := make([]string, n)
	for i := range rows {
		at := fmt.Sprint(2 * (i + 1))
		switch {
		case edges == rate.From:
			at = fmt.Sprint(2 * i)
		case i == n-1 && rapid.Bool().Draw(t, "above"):
			at = ""
		}
		rows[i] = fmt.Sprintf("%s | %d.00", at, i+1)
	}
	f, _, list := shop(t, rate.ByWeight, edges, strings.Join(rows, "; "))
	return f, list
}

func TestANewRowChangesNoPrice(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f, list := drawn(t)
		added := fmt.Sprint(rapid.IntRange(0, 11).Draw(t, "break"))
		before := f.Clone().Methods[0].Tables[0]
		if edit.AddRow(f, list, added) != nil {
			return
		}
		for half := range 24 {
			x := decimal.MustParse(fmt.Sprintf("%d.%d", half/2, half%2*5))
			was, is := priced(f, &before, x), priced(f, list, x)
			if _, covered := before.Row(x); covered {
				assert.Equal(t, was, is, "%s with %s", x, added)
			}
		}
	})
}

func TestRowsOnTheOtherSideOfTheirBreaksKeepPricesBetweenThem(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f, list := drawn(t)
		before := f.Clone().Methods[0].Tables[0]
		other := rate.From
		if list.Edges == rate.From {
			other = rate.UpTo
		}
		edit.SetEdges(list, other)
		for odd := range 6 { // no break point is odd
			x := decimal.MustParse(fmt.Sprint(2*odd + 1))
			assert.Equal(t, priced(f, &before, x), priced(f, list, x), x)
		}
		edit.SetEdges(list, before.Edges)
		assert.Equal(t, text(f, &before), text(f, list), "and back")
	})
}

func TestAListPastedOverItselfStaysAsItIs(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		f, list := drawn(t)
		was := text(f, list)
		var block []string
		for _, r := range list.Rows {
			block = append(block, charge.Format(r.Charges[0], f.Words()))
		}
		p, err := edit.Paste(
			f,
			list,
			edit.Cell{At: edit.AtText(list.Rows[0].At), Zone: "a"},
			"",
			strings.Join(block, "\r\n"),
		)
		require.NoError(t, err)
		assert.Equal(t, edit.Pasted{Taken: len(block), Zones: map[string]int{"a": len(block)}, Slips: map[edit.Cell]edit.Typed{}}, p)
		assert.Equal(t, was, text(f, list))
	})
}

func FuzzPaste(f *testing.F) {
	f.Add("2", "a", "1\t2\n3")
	f.Add("", "", "5 kg\t1\r\nup to 7\tfree")
	f.Fuzz(func(t *testing.T, at, zone, block string) {
		file, _, list := shop(t, rate.ByWeight, rate.UpTo, "2 | 4.90 | 6.90;  | 8.90 | no")
		if _, err := edit.Paste(file, list, edit.Cell{At: at, Zone: zone}, "", block); err != nil {
			return
		}
		for i := range list.Rows {
			require.Len(t, list.Rows[i].Charges, len(list.Zones))
			if i > 0 && list.Rows[i].At != nil {
				require.True(t, list.Rows[i-1].At.Less(*list.Rows[i].At), "rows ascend")
			}
		}
	})
}
