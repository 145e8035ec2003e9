package main

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/decimal"
	"diadrom/internal/shop/demo"

	"github.com/parquet-go/parquet-go"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reratedOf is what rerate prints.
func reratedOf(t *testing.T, out string) (all map[string]any) {
	t.Helper()
	require.NoError(t, json.Unmarshal([]byte(out), &all), out)
	return all
}

func TestPastOrdersAreRatedAnew(t *testing.T) {
	const head = "order,at,country,region,city,postcode,street,sku,quantity,price,customer,group,coupon,method,paid,cost\n"
	name := file(t, head+
		"1,2026-03-02T10:00:00+02:00,FI,,Helsinki,00100,,LADLE-B,1,24.00,,,,parcel,7.90,5.45\n"+
		"1,,,,,,,TOWEL-50,2,,,,,,,\n"+
		"2,2026-03-03T10:00:00+02:00,FI,,Helsinki,00100,,LADLE-B,x,24.00,,,,parcel,7.90,5.45\n"+
		"3,2026-04-03T10:00:00+03:00,FI,,Helsinki,00100,,GONE,1,24.00,,,,parcel,7.90,5.45\n"+
		"4,2026-04-03T10:00:00+03:00,FI,,Helsinki,00100,,LADLE-B,-1,24.00,,,,parcel,-7.90,\n")
	data, err := os.ReadFile(demoStore)
	require.NoError(t, err)
	dearer := file(t, strings.Replace(string(data), `"at": "2",`, `"at": "1.5",`, 1))
	out, stderr, code := call(
		t,
		"rerate",
		"--store",
		demoStore,
		"--against",
		dearer,
		"--orders",
		name,
		"--by",
		"method,month",
	)
	require.Zero(t, code, stderr)
	all := reratedOf(t, out)
	assert.Equal(t, []any{1.0, 2.0}, []any{all["orders"], all["refused_lines"]})
	assert.Equal(
		t,
		map[string]any{
			"line":   4.0,
			"text":   "2,2026-03-03T10:00:00+02:00,FI,,Helsinki,00100,,LADLE-B,x,24.00,,,,parcel,7.90,5.45",
			"reason": `quantity: "x" is not a number`,
		},
		all["refused"].([]any)[0],
	)
	assert.Equal(t, map[string]any{"orders": 1.0, "paid": "-7.90"}, all["refunds"])
	groups := all["groups"].([]any)
	require.Len(t, groups, 1)
	assert.Contains(t, out, `the store has no product \"GONE\", and the line does not say what it weighs`)
	first := groups[0].(map[string]any)
	assert.Equal(t, map[string]any{"method": "parcel", "month": "2026-03"}, first["key"])
	assert.Equal(
		t,
		[]any{1.0, "7.90", "5.45", 0.0},
		[]any{first["orders"], first["paid"], first["cost"], first["cost_unknown"]},
	)
	assert.Contains(t, first, "against")

	for _, args := range [][]string{
		{"--store", demoStore, "--orders", name, "--by", "colour"},
		{"--store", demoStore, "--orders", file(t, "a,b\n")},
		{"--store", demoStore, "--orders", name + "no"},
		{"--store", name, "--orders", name},
		{"--store", demoStore, "--orders", name, "--dates", "year"},
	} {
		_, stderr, code := call(t, append([]string{"rerate"}, args...)...)
		assert.Equal(t, 2, code, args)
		assert.NotEmpty(t, stderr)
	}
}

// The demo's invented orders, also from standard input: the sum of the groups is that of the whole.
func TestTheDemosOrdersAreRated(t *testing.T) {
	var text strings.Builder
	require.NoError(t, demo.WriteOrders(&text, 400, time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)))
	name := file(t, text.String())
	whole, _, code := call(t, "rerate", "--store", demoStore, "--orders", name)
	require.Zero(t, code)
	all := reratedOf(t, whole)
	assert.Equal(t, []any{400.0, 0.0, []any{}}, []any{all["orders"], all["refused_lines"], all["ignored_columns"]})
	total := all["groups"].([]any)[0].(map[string]any)
	parts, _, code := call(
		t,
		"rerate",
		"--store",
		demoStore,
		"--orders",
		name,
		"--by",
		"method,zone,month,country,weight,class",
	)
	require.Zero(t, code)
	orders := 0.0
	for _, g := range reratedOf(t, parts)["groups"].([]any) {
		orders += g.(map[string]any)["orders"].(float64)
	}
	assert.Equal(t, total["orders"], orders)
	again, _, _ := call(t, "rerate", "--store", demoStore, "--against", demoStore, "--orders", name)
	same := reratedOf(t, again)["groups"].([]any)[0].(map[string]any)
	assert.Equal(t, []any{0.0, 0.0, 0.0, 0.0}, []any{same["dearer"], same["cheaper"], same["lost"], same["gained"]})
}

// Each order as it was rated, for those who carry on elsewhere: the sums of the rows are those of the report.
func TestRatedOrdersAreWrittenToAFile(t *testing.T) {
	var text strings.Builder
	require.NoError(t, demo.WriteOrders(&text, 600, time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)))
	name := file(t, text.String())
	table := filepath.Join(t.TempDir(), "rated.csv")
	out, stderr, code := call(
		t,
		"rerate",
		"--store",
		demoStore,
		"--against",
		demoStore,
		"--orders",
		name,
		"--out",
		table,
	)
	require.Zero(t, code, stderr)
	total := reratedOf(t, out)["groups"].([]any)[0].(map[string]any)
	data, err := os.ReadFile(table)
	require.NoError(t, err)
	rows, err := csv.NewReader(bytes.NewReader(data)).ReadAll()
	require.NoError(t, err)
	assert.Equal(t, ratedHead, rows[0])
	require.Len(t, rows, 601)
	sums := map[string]decimal.Decimal{}
	for _, row := range rows[1:] {
		for i, name := range ratedHead {
			if d, err := decimal.Parse(row[i]); err == nil {
				sums[name] = sums[name].Add(d)
			}
		}
		assert.Equal(t, row[4], row[15], "the same store on both sides")
	}
	for _, name := range []string{"paid", "charge", "tax", "cost", "margin"} {
		assert.Equal(t, total[name], sums[name].Fixed(2), name)
	}

	columns := filepath.Join(t.TempDir(), "rated.parquet")
	stdin := exec.Command(binary, "rerate", "--store", demoStore, "--stdin", "--out", columns)
	stdin.Stdin = strings.NewReader(text.String())
	printed, err := stdin.Output()
	require.NoError(t, err)
	assert.Equal(t, 600.0, reratedOf(t, string(printed))["orders"])
	read, err := parquet.ReadFile[ratedRow](columns)
	require.NoError(t, err)
	require.Len(t, read, 600)
	margin := int64(0)
	for i := range read {
		assert.Equal(t, rows[i+1][0], read[i].Order, "in the order of the file")
		if read[i].Margin != nil {
			margin += *read[i].Margin
		}
	}
	assert.Equal(t, total["margin"], decimal.New(margin, 6).Round(2).Fixed(2))
	_, stderr, code = call(t, "rerate", "--store", demoStore, "--orders", name, "--out", "rated.txt")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "neither in .csv nor in .parquet")
}
