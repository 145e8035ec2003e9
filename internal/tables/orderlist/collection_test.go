package orderlist

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"diadrom/internal/core/decimal"
	"diadrom/internal/core/measure"
	"diadrom/internal/core/past"
	"diadrom/internal/tables/sheet"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// planned makes out how a list is read, and reads it so where nothing is open about it.
func planned(t require.TestingT, text string, c Choices) (p *Plan, orders []string, result *Result) {
	head, sep, rest, err := Open(strings.NewReader(text))
	require.NoError(t, err)
	body, err := io.ReadAll(rest)
	require.NoError(t, err)
	table, err := sheet.ReadAs(bytes.Clone(body), "", rune(sep))
	require.NoError(t, err)
	var rows [][]string
	for i := range table.Rows {
		rows = append(rows, table.Rows[i].Cells)
	}
	c.Weights = "kg"
	p = Make(head, rows, c)
	result = &Result{}
	if len(p.Asks) > 0 {
		return p, nil, result
	}
	o := &Options{Columns: p.Columns, Separator: sep, Numbers: p.Sample.Numbers, Dates: p.Sample.Dates, Currency: "EUR", Skip: 1,
		Export: true, Unit: p.Unit, Weights: "kg", Zeros: c.Zeros, States: c.States, Country: c.Country}
	if c.Decimal != 0 {
		o.Numbers = measure.Column{Decimal: c.Decimal}
	}
	result, err = Each(context.Background(), bytes.NewReader(body), o, []func(*past.Order) error{func(o *past.Order) error {
		orders = append(orders, written(o, p.Totals))
		return nil
	}}, nil)
	require.NoError(t, err)
	return p, orders, result
}

// written is an order as the collection writes it.
func written(o *past.Order, totals bool) string {
	day := ""
	if !o.At.IsZero() {
		day = o.At.Format("2006-01-02")
	}
	var goods []string
	if totals {
		n := int64(0)
		for i := range o.Lines {
			n += o.Lines[i].Quantity
		}
		goods = append(goods, fmt.Sprintf("%d items %s kg %s", n, plain(o.Lines[0].Weight, 2), o.Lines[0].Price.Fixed(2)))
	} else {
		for _, l := range o.Lines {
			of := l.SKU
			var more []string
			if l.Weight != nil {
				more = append(more, plain(l.Weight, 2)+" kg")
			}
			if l.Price != nil {
				more = append(more, l.Price.Fixed(2))
			}
			if more != nil {
				of += "(" + strings.Join(more, " ") + ")"
			}
			goods = append(goods, fmt.Sprintf("%d×%s", l.Quantity, of))
		}
	}
	text := fmt.Sprintf("%s %s %s %s: %s", o.ID, day, o.To.Country, o.To.Postcode, strings.Join(goods, " "))
	if o.Method != "" {
		text += "; " + o.Method
	}
	if o.Paid != nil {
		text += "; paid " + o.Paid.Fixed(2)
	}
	if o.Cost != nil {
		text += "; cost " + o.Cost.Fixed(2)
	}
	return text
}

// plain is a number with at least so many decimals.
func plain(d *decimal.Decimal, digits int) string {
	text := d.String()
	if fixed := d.Fixed(digits); len(fixed) > len(text) {
		return fixed
	}
	return text
}

// Lists in the shapes that shops export, each with what a careful person reads in it, which was written before the reader
// was run on it: none is read wrongly without a question.
func TestTheCollectionOfOrders(t *testing.T) {
	files, err := filepath.Glob("testdata/collection/*.txt")
	require.NoError(t, err)
	figures := map[string]int{}
	for _, file := range files {
		body, err := os.ReadFile(file)
		require.NoError(t, err)
		for _, part := range strings.Split(string(body), "\n## ")[1:] {
			name, rest, _ := strings.Cut(part, "\n")
			text, want, ok := strings.Cut(rest, "\n=> ")
			require.True(t, ok, name)
			want = strings.TrimSpace(want)
			p, orders, result := planned(t, text+"\n", Choices{})
			var asks []string
			for _, a := range p.Asks {
				asks = append(asks, a.Code)
			}
			codes, isAsked := strings.CutPrefix(want, "ask ")
			got := strings.Join(orders, " | ")
			verdict := ""
			switch {
			case isAsked && slices.ContainsFunc(strings.Split(codes, ","), func(c string) bool { return slices.Contains(asks, c) }):
				verdict = "asked"
			case isAsked && len(asks) > 0:
				verdict = "asked beside the point"
			case !isAsked && len(asks) > 0:
				verdict = "asked though clear"
			case !isAsked && got == want:
				verdict = "right"
			default:
				verdict = "WRONG"
				assert.Fail(t, verdict, "%s\n%s\nwant %s\ngot  %s\n%v", name, text, want, got, result.Refused)
			}
			figures[verdict]++
			if strings.HasPrefix(verdict, "asked ") {
				t.Logf("%s: %s\n%s\nwant %s\n%v", verdict, name, text, want, p.Asks)
			}
		}
	}
	t.Log(figures)
}
