package main

import (
	"encoding/json"
	"os"
	"strings"
	"testing"
	"time"

	"diadrom/internal/core/rate"
	"diadrom/internal/shop/demo"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAListIsProposedFromPastOrders(t *testing.T) {
	const head = "order,country,postcode,sku,quantity,method,cost\n"
	name := file(t, head+
		"1,FI,00100,LADLE-B,1,parcel,4.00\n"+ // 0.4 kg
		"2,FI,00100,LADLE-B,2,parcel,4.40\n"+ // 0.8 kg
		"3,FI,00100,BUCKET-5,2,parcel,8.00\n"+ // 4.2 kg
		"4,FI,00100,BUCKET-5,1,letter,1.00\n"+ // another method
		"5,SE,111 20,BUCKET-5,1,parcel,20.00\n"+ // another zone
		"6,FI,00100,GIFT-50,1,parcel,1.00\n"+ // nothing to send
		"7,FI,00100,LADLE-B,1,parcel,\n"+ // no cost
		"8,FI,00100,LADLE-B,-1,parcel,\n"+ // a refund
		"9,FI,00100,LADLE-B,1\n")
	data, err := os.ReadFile(demoStore)
	require.NoError(t, err)
	text := strings.Replace(string(data), `"methods": ["parcel"], "per_parcel"`, `"methods": [], "per_parcel"`, 1)
	require.NotEqual(t, string(data), text, "nothing says what parcels cost but the orders")
	args := []string{
		"propose",
		"--store",
		file(t, text),
		"--orders",
		name,
		"--method",
		"parcel",
		"--zone",
		"finland",
		"--rows",
		"2",
		"--margin",
		"10",
		"--endings",
		"0.90",
	}
	out, stderr, code := call(t, args...)
	require.Zero(t, code, stderr)
	var list map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	assert.Equal(t, []any{3.0, 1.0}, []any{list["orders"], list["refused_lines"]})
	assert.Equal(
		t,
		map[string]any{"other_method": 1.0, "other_zone": 1.0, "no_cost": 1.0, "no_measure": 1.0, "refunds": 1.0},
		list["left_out"],
	)
	rows := list["rows"].([]any)
	require.Len(t, rows, 2)
	// 4.20 × 1.10 × 1.255 = 5.80, so 5.90; 8.00 × 1.10 × 1.255 = 11.04, so 11.90
	first, second := rows[0].(map[string]any), rows[1].(map[string]any)
	assert.Equal(
		t,
		[]any{"0.8", "5.90", 2.0, "8.40"},
		[]any{first["at"], first["price"], first["orders"], first["cost"]},
	)
	assert.Equal(
		t,
		[]any{"4.2", "11.90", 1.0, "8.00"},
		[]any{second["at"], second["price"], second["orders"], second["cost"]},
	)
	// 5.90 with 1.20 of tax leaves 4.70: the order of 4.40 has the least margin, 0.30
	assert.Equal(t, "2", list["worst"].(map[string]any)["order"])
	assert.Equal(t, "0.00", list["worst"].(map[string]any)["loss"])
	body, err := json.Marshal(list["table"])
	require.NoError(t, err)
	var table struct{ By rate.By }
	require.NoError(t, json.Unmarshal(body, &table))
	assert.Equal(t, rate.ByWeight, table.By)

	for _, change := range [][2]string{{"parcel", "pigeon"}, {"finland", "narnia"}, {"0.90", "x"}, {"10", "-101"}, {"2", "0"}} {
		bad := strings.Split(strings.Replace(strings.Join(args, "\x00"), "\x00"+change[0], "\x00"+change[1], 1), "\x00")
		_, stderr, code := call(t, bad...)
		assert.Equal(t, 2, code, "%v %s", bad, stderr)
	}
}

// A list that covers the costs of all orders of the demo loses on none of them.
func TestAListThatCoversAll(t *testing.T) {
	var text strings.Builder
	require.NoError(t, demo.WriteOrders(&text, 800, time.Date(2026, 11, 1, 0, 0, 0, 0, time.UTC)))
	name := file(t, text.String())
	for _, by := range []string{"weight", "subtotal", "quantity", "distance"} {
		out, stderr, code := call(
			t,
			"propose",
			"--store",
			demoStore,
			"--orders",
			name,
			"--method",
			"parcel",
			"--by",
			by,
			"--rows",
			"6",
			"--cover",
			"100",
			"--gazetteer",
			demoGazetteer,
		)
		require.Zero(t, code, stderr)
		var list struct {
			Rows  []struct{ Losing int }
			Worst struct{ Loss string }
		}
		require.NoError(t, json.Unmarshal([]byte(out), &list))
		assert.Len(t, list.Rows, 6)
		for _, r := range list.Rows {
			assert.Zero(t, r.Losing)
		}
		assert.Equal(t, "0.00", list.Worst.Loss)
	}
}
