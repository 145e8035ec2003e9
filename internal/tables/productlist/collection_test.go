package productlist

import (
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/tables/grid"
	"diadrom/internal/tables/heads"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// collectedList is a list of the collection, with what a careful person reads in it.
type collectedList struct{ name, list, want string }

// collected reads the lists of testdata/collection.
func collected(t *testing.T) (lists []collectedList) {
	t.Helper()
	body, err := os.ReadFile("testdata/collection/products.txt")
	require.NoError(t, err)
	for _, part := range strings.Split(string(body), "\n## ")[1:] {
		name, rest, _ := strings.Cut(part, "\n")
		text, want, ok := strings.Cut(rest, "\n=> ")
		require.True(t, ok, name)
		lists = append(lists, collectedList{name, text + "\n", strings.TrimSpace(want)})
	}
	return lists
}

// Product lists in the shapes of the trade, each with what a careful person reads in it, which was written before the
// reader was run on it: none is read wrongly without a question, and each cell has an account.
func TestTheCollectionOfProductLists(t *testing.T) {
	figures := map[string]int{}
	for _, one := range collected(t) {
		name, text, want := one.name, one.list, one.want
		f := storetest.Lauha(t)
		f.Products = nil
		r, err := Open(grid.Bytes(text), f, Choices{}, func(int) {})
		require.NoError(t, err, name)
		assert.Empty(t, r.Ledger.Left(), name)
		var asks, got []string
		for _, a := range r.Asks {
			asks = append(asks, a.Code)
		}
		plain := func(d *decimal.Decimal) string {
			if d == nil {
				return ""
			}
			return d.String()
		}
		for i := range r.Rows {
			p := &r.Rows[i].Product
			one := fmt.Sprintf("%s %s %s %s", p.SKU, p.Name, p.Price.Fixed(2), plain(p.Weight))
			if p.Weight != nil && p.Weight.Fixed(2) != p.Weight.String() && len(p.Weight.String()) == 3 {
				one = fmt.Sprintf("%s %s %s %s", p.SKU, p.Name, p.Price.Fixed(2), p.Weight.Fixed(2))
			}
			if p.Length != nil {
				one += " " + plain(p.Length) + "x" + plain(p.Width) + "x" + plain(p.Height)
			}
			if p.Class != "" {
				one += " " + p.Class
			}
			got = append(got, one)
		}
		codes, isAsked := strings.CutPrefix(want, "ask ")
		verdict := "WRONG"
		switch {
		case want == "refuse" && r.Missing != "":
			verdict = "refused"
		case isAsked && slices.ContainsFunc(strings.Split(codes, ","), func(c string) bool { return slices.Contains(asks, c) }):
			verdict = "asked"
		case isAsked && len(asks) > 0:
			verdict = "asked beside the point"
		case !isAsked && len(asks) > 0:
			verdict = "asked though clear"
		case !isAsked && strings.Join(got, " | ") == want:
			verdict = "right"
		default:
			assert.Fail(t, verdict, "%s\n%s\nwant %s\ngot  %s %v", name, text, want, strings.Join(got, " | "), r.Missing)
		}
		figures[verdict]++
		if strings.HasPrefix(verdict, "asked ") {
			t.Logf("%s: %s\n%s\nwant %s\ngot %s\n%v", verdict, name, text, want, strings.Join(got, " | "), r.Asks)
		}
	}
	t.Log(figures)
}

// Where a digit of a list changes, a product changes, or a question, or what is refused, unless it is in a column whose
// heading says nothing that delivery depends on.
func TestNoNumberOfAProductListIsPassedOver(t *testing.T) {
	lists := collected(t)
	f := storetest.Lauha(t)
	f.Products = nil
	told := func(r *Reading) string {
		text := fmt.Sprint(r.Asks, r.Missing, r.Currency, r.Ledger.Counts())
		for i := range r.Rows {
			p := r.Rows[i].Product
			text += fmt.Sprint(r.Rows[i].What, p.SKU, p.Name, p.Price, p.Weight, p.Length, p.Width, p.Height, p.Class)
		}
		return text
	}
	open := func(t *rapid.T, text string) *Reading {
		r, err := Open(grid.Bytes(text), f, Choices{}, func(int) {})
		require.NoError(t, err)
		assert.Empty(t, r.Ledger.Left(), text)
		return r
	}
	rapid.Check(t, func(t *rapid.T) {
		c := rapid.SampledFrom(lists).Draw(t, "list")
		var digits []int
		for i := range len(c.list) {
			if c.list[i] >= '0' && c.list[i] <= '9' {
				digits = append(digits, i)
			}
		}
		at := rapid.SampledFrom(digits).Draw(t, "digit")
		to := byte('0' + rapid.IntRange(0, 9).Draw(t, "to"))
		if c.list[at] == to {
			t.Skip("the same")
		}
		was, is := open(t, c.list), open(t, c.list[:at]+string(to)+c.list[at+1:])
		line := 1 + strings.Count(c.list[:at], "\n")
		column := strings.Count(c.list[strings.LastIndexByte(c.list[:at], '\n')+1:at], string(was.Grid.Separator))
		switch account := was.Ledger.At(line, column); account {
		case grid.AskedAbout:
			return
		case grid.SetAside:
			head := heads.Fold(was.Table.Rows[0].Cells[min(column, len(was.Table.Rows[0].Cells)-1)])
			assert.False(t, heads.HoldsAny(head, ofGoods), "%s: %s", c.name, head)
			return
		}
		assert.NotEqual(t, told(was), told(is), "%s: line %d: a digit is %c, and nothing changed", c.name, line, to)
	})
}
