package demo

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"diadrom/internal/core/quote"
	"diadrom/internal/core/store"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var update = flag.Bool("update", false, "write the answers anew: look at what git says is different")

// sentences are the fields of an answer that are written for people; all others are for programs and never
// change unnoticed.
var sentences = map[string]bool{"text": true, "reason": true, "because": true, "message": true, "hint": true}

// facts are a decoded answer without its sentences.
func facts(v any) any {
	switch v := v.(type) {
	case map[string]any:
		out := map[string]any{}
		for key, value := range v {
			if !sentences[key] {
				out[key] = facts(value)
			}
		}
		return out
	case []any:
		out := make([]any, len(v))
		for i := range v {
			out[i] = facts(v[i])
		}
		return out
	}
	return v
}

// made draws the requests once: carts of the demo's products to addresses in and out of its zones.
func made(skus []string) []map[string]any {
	random := rand.New(rand.NewPCG(14, 2026))
	pick := func(list []string) string { return list[random.IntN(len(list))] }
	var list []map[string]any
	for range 200 {
		country, postcode, city := "FI", pick(
			[]string{
				"21100",
				"21160",
				"21660",
				"20100",
				"00100",
				"22100",
				"22270",
				"96100",
				"99980",
				"33100",
				"90100",
				"21999",
			},
		), ""
		if random.IntN(3) == 0 {
			country = pick([]string{"EE", "SE", "LV", "DE", "FR", "NO", "US", "RU", "IE", "GB"})
			postcode = map[string]string{"EE": "10111", "SE": "11122", "LV": "LV-1010", "DE": "10115", "FR": "75001",
				"NO": "0150", "US": "90210", "RU": "101000", "IE": "T12 W8XY", "GB": "SW1A 2AA"}[country]
		}
		if random.IntN(5) == 0 {
			city = pick([]string{"Naantali", "Turku", "Nauvo", "Helsinki"})
		}
		lines := []any{}
		for range random.IntN(4) + 1 {
			if random.IntN(6) == 0 {
				lines = append(
					lines,
					map[string]any{
						"name":     "Made to order",
						"price":    pick([]string{"5.00", "49.90", "0.05"}),
						"weight":   pick([]string{"0.2", "3.333", "40"}),
						"quantity": random.IntN(3) + 1,
					},
				)
				continue
			}
			lines = append(lines, map[string]any{"sku": pick(skus), "quantity": random.IntN(5) + 1})
		}
		request := map[string]any{
			"to":    map[string]any{"country": country, "postcode": postcode, "city": city},
			"lines": lines,
		}
		switch random.IntN(6) {
		case 0:
			request["coupons"] = []string{"LÖYLY"}
		case 1:
			request["customer"] = "C-1007"
		case 2:
			request["at"] = "2026-12-18T13:30:00+02:00"
		case 3:
			request["checkout"] = true
		}
		list = append(list, request)
	}
	return list
}

// Two hundred answers of the demo shop as it was before it had boxes, field by field. A change that means to reword a
// sentence writes them anew with -update.
func TestAnswersStayTheSame(t *testing.T) {
	file, err := os.ReadFile(filepath.Join("testdata", "store.json"))
	require.NoError(t, err)
	f, faults := store.Read(file)
	require.Empty(t, faults)
	g, err := Gazetteer()
	require.NoError(t, err)
	e := quote.Compile(f, g)
	var skus []string
	for _, p := range f.Products {
		skus = append(skus, p.SKU)
	}
	asked, answered := filepath.Join("testdata", "requests.jsonl"), filepath.Join("testdata", "answers.jsonl")
	if *update {
		require.NoError(t, os.MkdirAll("testdata", 0o755))
		if _, err := os.Stat(asked); err != nil {
			var b bytes.Buffer
			for _, request := range made(skus) {
				line, err := json.Marshal(request)
				require.NoError(t, err)
				fmt.Fprintf(&b, "%s\n", line)
			}
			require.NoError(t, os.WriteFile(asked, b.Bytes(), 0o644))
		}
	}
	requests, err := os.ReadFile(asked)
	require.NoError(t, err)
	var got []string
	for _, line := range strings.Split(strings.TrimSpace(string(requests)), "\n") {
		q, _, faults := e.ReadRequest([]byte(line))
		require.Empty(t, faults, line)
		answer, err := json.Marshal(e.Quote(&q[0]))
		require.NoError(t, err)
		got = append(got, string(answer))
	}
	if *update {
		require.NoError(t, os.WriteFile(answered, []byte(strings.Join(got, "\n")+"\n"), 0o644))
	}
	kept, err := os.ReadFile(answered)
	require.NoError(t, err)
	want := strings.Split(strings.TrimSpace(string(kept)), "\n")
	require.Len(t, got, len(want))
	for i := range want {
		var was, is any
		require.NoError(t, json.Unmarshal([]byte(want[i]), &was))
		require.NoError(t, json.Unmarshal([]byte(got[i]), &is))
		require.Equal(t, facts(was), facts(is), "answer %d", i+1)
		assert.Equal(t, want[i], got[i], "answer %d has another sentence", i+1)
	}
}
