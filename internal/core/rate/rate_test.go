package rate

import (
	"encoding/json"
	"fmt"
	"testing"

	"diadrom/internal/core/decimal"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func d(s string) *decimal.Decimal {
	v := decimal.MustParse(s)
	return &v
}

// list is a price list of one column.
func list(by By, edges Edges, rows ...Row) *Table {
	return &Table{ID: "t", Zones: []string{"z"}, By: by, Edges: edges, Rows: rows}
}

func row(at string, c *Charge) Row {
	r := Row{Charges: []*Charge{c}}
	if at != "" {
		r.At = d(at)
	}
	return r
}

var euro = Units{Digits: 2, Weight: "kg", Distance: "km"}

// Rows leave no gaps and do not overlap: every measure falls into one row, and the row's words say so.
func TestEveryMeasureLiesInOneRow(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		edges := rapid.SampledFrom([]Edges{From, UpTo}).Draw(t, "edges")
		var rows []Row
		at := int64(0)
		if edges == From {
			rows = append(rows, row("0", &Charge{}))
		}
		for range rapid.IntRange(1, 8).Draw(t, "rows") {
			at += rapid.Int64Range(1, 500).Draw(t, "step")
			rows = append(rows, row(decimal.New(at, 2).String(), &Charge{}))
		}
		if edges == UpTo {
			rows = append(rows, row("", &Charge{}))
		}
		table := list(ByWeight, edges, rows...)
		x := decimal.New(rapid.Int64Range(0, 5000).Draw(t, "x"), 2)
		got, ok := table.Row(x)
		require.True(t, ok)
		covering := 0
		for i, r := range rows {
			var in bool
			if edges == From {
				in = r.At.Cmp(x) <= 0 && (i+1 == len(rows) || x.Less(*rows[i+1].At))
			} else {
				in = (r.At == nil || x.Cmp(*r.At) <= 0) && (i == 0 || rows[i-1].At.Less(x))
			}
			if in {
				covering++
				assert.Equal(t, i, got)
			}
		}
		assert.Equal(t, 1, covering)
	})
}

func TestRowsAreSaidOutLoud(t *testing.T) {
	for _, c := range []struct {
		table *Table
		want  []string
	}{
		{list(ByWeight, UpTo, row("2", nil), row("10", nil), row("", nil)), []string{"up to and including 2 kg",
			"up to and including 10 kg", "above 10 kg"}},
		{list(BySubtotal, From, row("0", nil), row("50", nil), row("100", nil)),
			[]string{"under 50.00", "50.00 to under 100.00", "100.00 and over"}},
		{list(ByQuantity, From, row("0", nil), row("1", nil)), []string{"under 1 item", "1 item and over"}},
		{list(ByDistance, UpTo, row("", nil)), []string{"any distance"}},
		{list(ByWeight, From, row("0", nil)), []string{"any weight"}},
		{list(ByOrder, "", row("", nil)), []string{"every order"}},
	} {
		for i, want := range c.want {
			assert.Equal(t, want, c.table.RowWords(i, euro))
		}
	}
}

func TestAChargeIsWrittenAsTheContractHasIt(t *testing.T) {
	for _, c := range []struct {
		charge *Charge
		want   string
	}{
		{nil, "null"}, {&Charge{Base: d("6.90")}, `"6.9"`}, {&Charge{Base: d("3"), PerItem: d("1")}, `{"base":"3",
		"per_item":"1"}`},
		{&Charge{PerWeight: &PerUnit{Amount: *d("0.80"), Above: d("10"), Started: true}},
			`{"per_weight":{"amount":"0.8","above":"10","part":"started"}}`},
	} {
		out, err := json.Marshal(c.charge)
		require.NoError(t, err)
		assert.JSONEq(t, c.want, string(out))
	}
}

func drawn(segments []Segment) (out []string) {
	for _, s := range segments {
		out = append(out, fmt.Sprintf("%s–%s: %s–%s", s.X1, s.X2, s.Y1.Round(4), s.Y2.Round(4)))
	}
	return out
}

func TestCurvesStepAndSlopeAsTheListDoes(t *testing.T) {
	started := &Charge{Base: d("9.90"), PerWeight: &PerUnit{Amount: *d("0.80"), Above: d("10"), Started: true}}
	table := list(ByWeight, UpTo, row("2", &Charge{Base: d("6.90")}), row("10", nil), row("", started))
	assert.Equal(
		t,
		[]string{"0–2: 6.9–6.9", "10–11: 10.7–10.7", "11–12: 11.5–11.5", "12–12.5: 12.3–12.3"},
		drawn(table.Curve(0, Goods{Quantity: 1}, *d("12.5"))),
	)
	slope := list(
		ByDistance,
		From,
		row("0", &Charge{Base: d("5")}),
		row("10", &Charge{Base: d("5"), PerDistance: &PerUnit{Amount: *d("0.50"), Above: d("10")}}),
	)
	assert.Equal(t, []string{"0–10: 5–5", "10–40: 5–20"}, drawn(slope.Curve(0, Goods{Quantity: 1}, *d("40"))))
	percent := list(BySubtotal, From, row("0", &Charge{Percent: d("5")}))
	assert.Equal(t, []string{"0–200: 0–10"}, drawn(percent.Curve(0, Goods{Quantity: 1}, *d("200"))))
	assert.Empty(t, list(ByOrder, "", row("", &Charge{Base: d("1")})).Curve(0, Goods{}, *d("5")))
	far := list(
		ByWeight,
		UpTo,
		row("999999999999990", nil),
		row("", &Charge{PerWeight: &PerUnit{Amount: *d("1"), Started: true}}),
	)
	assert.Len(
		t,
		far.Curve(0, Goods{}, *d("999999999999993")),
		3,
		"steps are counted from the row's start, not from 0",
	)
	many := list(
		ByWeight,
		UpTo,
		row("", &Charge{PerWeight: &PerUnit{Amount: *d("1"), Every: d("0.001"), Started: true}}),
	)
	assert.Len(t, many.Curve(0, Goods{}, *d("100")), 1, "too many steps are drawn as a slope")
}
