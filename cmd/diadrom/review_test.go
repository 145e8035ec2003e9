package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/owenrumney/go-sarif/v3/pkg/report/v210/sarif"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// reviewed is the answer of review about the demo's store with changes of its text.
func reviewed(t *testing.T, args []string, changes ...string) (out, stderr, name string, code int) {
	t.Helper()
	data, err := os.ReadFile(demoStore)
	require.NoError(t, err)
	text := string(data)
	for i := 0; i < len(changes); i += 2 {
		require.Contains(t, text, changes[i])
		text = strings.Replace(text, changes[i], changes[i+1], 1)
	}
	name = filepath.Join(t.TempDir(), "store.json")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	out, stderr, code = call(t, append([]string{"review", "--store", name}, args...)...)
	return out, stderr, name, code
}

func TestAStoreIsReviewedOnTheCommandLine(t *testing.T) {
	out, _, name, code := reviewed(t, nil)
	assert.Equal(t, 1, code, "buyers pay too little tax")
	var list []map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &list))
	require.Len(t, list, 4)
	for _, w := range list {
		keys := []string{}
		for key := range w {
			keys = append(keys, key)
		}
		assert.ElementsMatch(t, []string{"code", "severity", "path", "message", "witness", "mend"}, keys)
	}
	assert.Equal(
		t,
		[]any{"loses", "/store/tax/rates", nil},
		[]any{list[0]["severity"], list[0]["path"], list[0]["mend"]},
	)
	assert.Equal(t, "Remove FI 21710 from Van round: another entry covers it", list[2]["mend"])

	// the witness is a request that shows it
	request := filepath.Join(t.TempDir(), "request.json")
	body, err := json.Marshal(list[0]["witness"])
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(request, body, 0o600))
	quoted, _, code := call(t, "quote", "--store", name, "--request", request)
	assert.Equal(t, 0, code)
	assert.Contains(t, quoted, `"tax": "0.00"`)
	assert.NotContains(t, strings.ReplaceAll(quoted, `"tax": "0.00"`, ""), `"tax"`, "nothing there is taxed")
}

func TestWhatAReviewFailsOnIsChosen(t *testing.T) {
	for limit, want := range map[string]int{"untidy": 1, "deters": 1, "loses": 1, "blocks": 0} {
		_, _, _, code := reviewed(t, []string{"--fail-on", limit})
		assert.Equal(t, want, code, limit)
	}
	_, _, _, code := reviewed(t, nil, `"rates": [`, `"rates": [{"group": "EU", "percent": "20"},`,
		`"12.60"`, `"12.00"`)
	assert.Equal(t, 0, code, "what is left loses nothing")
	_, stderr, _, code := reviewed(t, []string{"--fail-on", "never"})
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "one of blocks, loses, deters and untidy")
	_, stderr, _, code = reviewed(t, []string{"--format", "xml"})
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "json, text or sarif")
	_, stderr, _, code = reviewed(t, nil, `"currency": "EUR"`, `"currency": "XXQ"`)
	assert.Equal(t, 2, code, "a store with faults is not reviewed")
	assert.Contains(t, stderr, "/store/currency")
}

func TestAReviewReadsThePromisesBesideAStore(t *testing.T) {
	_, _, name, _ := reviewed(t, nil)
	promises := strings.TrimSuffix(name, ".json") + ".promises.json"
	require.NoError(t, os.WriteFile(promises, []byte(`{"format": "diadrom-promises/1", "promises": [{"id": "spring",
		"name": "Free in spring", "request": {"to": {"country": "FI", "postcode": "00100"},
		"lines": [{"sku": "TOWEL-70", "quantity": 1}]},
		"holds": "price", "method": "parcel", "amount": "0.00"}]}`), 0o600))
	out, _, code := call(t, "review", "--store", name, "--format", "text")
	assert.Equal(t, 1, code)
	assert.Contains(
		t,
		out,
		"deters  Parcel to the door: “Free in spring” is promised to be free and is 6.90 EUR.\n        free_untrue  "+
			"/methods/1\n",
	)
	assert.Contains(
		t,
		out,
		`        shown by  {"to":{"country":"FI","postcode":"00100"},"lines":[{"sku":"TOWEL-70","quantity":1}]}`,
	)
	assert.Contains(t, out, "        mended by  Remove FI 21710 from Van round: another entry covers it\n")
	_, stderr, code := call(t, "review", "--store", name, "--promises", promises+".none")
	assert.Equal(t, 2, code, "a list that was named must be there")
	assert.Contains(t, stderr, "no such file")
}

// SARIF 2.1.0 (OASIS), read back and judged by the reference of the library that writes it.
func TestAReviewIsWrittenForToolsThatShowIt(t *testing.T) {
	out, _, name, code := reviewed(t, []string{"--format", "sarif"})
	assert.Equal(t, 1, code)
	doc, err := sarif.FromString(out)
	require.NoError(t, err)
	require.NoError(t, doc.Validate())
	run := doc.Runs[0]
	require.Len(t, run.Results, 4)
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	lines := strings.Split(string(data), "\n")
	for i, want := range []struct{ level, line string }{{"error", `"rates"`}, {"error", `"15.50"`}, {"note", "{"}, {"note", `"days"`}} {
		r := run.Results[i]
		assert.Equal(t, want.level, r.Level)
		at := *r.Locations[0].PhysicalLocation.Region.StartLine
		assert.Contains(t, lines[at-1], want.line)
	}
	assert.Equal(t, "/zones/0/places/0", *run.Results[2].Locations[0].LogicalLocations[0].FullyQualifiedName)
	assert.Contains(t, *run.Results[2].Message.Text, "To mend it: Remove FI 21710")
}
