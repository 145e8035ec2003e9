package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"github.com/xuri/excelize/v2"
)

// listFile writes a list, and a copy of the demo's store beside it.
func listFile(t *testing.T, name, body string) (list, store string) {
	t.Helper()
	dir := t.TempDir()
	list, store = filepath.Join(dir, name), filepath.Join(dir, "store.json")
	require.NoError(t, os.WriteFile(list, []byte(body), 0o600))
	data, err := os.ReadFile(demoStore)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(store, data, 0o640))
	return list, store
}

// read is the answer of a command that reads a list.
func readList(t *testing.T, args ...string) (answer map[string]any, stderr string, code int) {
	t.Helper()
	out, stderr, code := call(t, args...)
	if out != "" {
		require.NoError(t, json.Unmarshal([]byte(out), &answer), out)
	}
	return answer, stderr, code
}

func TestAPriceListIsReadOnTheCommandLine(t *testing.T) {
	list, store := listFile(t, "prices.csv", "Prices 2027\n\nWeight,Finland,Norway,Days\n0-500 g,6.90,15,2\n"+
		"500 g-2 kg,8.40,on request,2\n")
	got, _, code := readList(t, "prices", list, "--store", store)
	assert.Equal(t, 0, code)
	assert.Equal(t, map[string]any{"id": "list", "name": "Price list", "zones": []any{"finland", "norway"},
		"classes": []any{}, "by": "weight", "edges": "up_to", "graduated": false, "rows": []any{
			map[string]any{"at": "0.5", "charges": []any{"6.9", "15"}},
			map[string]any{"at": "2", "charges": []any{"8.4", nil}},
		}}, got["table"])
	read := got["read"].(map[string]any)
	assert.Equal(t, map[string]any{"band": 1.0, "prices": []any{2.0, 3.0}}, read["columns"])
	assert.Equal(t, []any{3.0, ".", "EUR"}, []any{read["header"], read["decimal"], read["currency"]})
	assert.Equal(t, []any{
		map[string]any{"line": 1.0, "text": "Prices 2027", "why": "a title"},
		map[string]any{"line": 3.0, "text": "Days", "why": "the column is not used"},
	}, read["skipped"])
	zones := got["zones"].([]any)
	require.Len(t, zones, 1)
	assert.Equal(t, "norway", zones[0].(map[string]any)["id"])
	assert.Equal(t, []any{}, got["refused"])
	assert.Equal(t, []any{}, got["asks"])
}

func TestWhatIsAskedOrRefusedIsNotWritten(t *testing.T) {
	list, store := listFile(t, "prices.csv", "kg,Finland\n2,7.10\n5,much\nFuel surcharge 12 %\n")
	before, err := os.ReadFile(store)
	require.NoError(t, err)
	got, _, code := readList(t, "prices", list, "--store", store, "--into", "parcel", "--write")
	assert.Equal(t, 1, code)
	assert.Equal(t, "surcharge", got["asks"].([]any)[0].(map[string]any)["code"])
	assert.Equal(t, map[string]any{"line": 3.0, "text": "5 · much", "reason": `price: "much" is not a number`},
		got["refused"].([]any)[0])
	after, err := os.ReadFile(store)
	require.NoError(t, err)
	assert.Equal(t, string(before), string(after))

	_, _, code = readList(t, "prices", list, "--store", store, "--into", "parcel", "--write", "--yes")
	assert.Equal(t, 1, code)
	after, err = os.ReadFile(store)
	require.NoError(t, err)
	assert.NotEqual(t, string(before), string(after))
	info, err := os.Stat(store)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm(), "the file keeps its rights")
	out, _, code := call(t, "check", "--store", store)
	assert.Equal(t, 0, code, out)
}

func TestAListUpdatesAStoreOrMakesAMethod(t *testing.T) {
	list, store := listFile(t, "Kuura parcels.csv", "kg,Finland,Lapland\n2,7.10,9.90\n5,8.40,11\n")
	got, _, code := readList(t, "prices", list, "--store", store, "--into", "parcel", "--write")
	require.Equal(t, 0, code)
	update := got["updates"].([]any)[0].(map[string]any)
	assert.Equal(t, []any{"aland", "baltic", "eu"}, update["kept"])
	out, _, code := call(t, "diff", demoStore, store)
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "6.90 → 7.10")
	_, _, code = readList(t, "prices", list, "--store", store, "--write")
	require.Equal(t, 0, code)
	data, err := os.ReadFile(store)
	require.NoError(t, err)
	assert.Contains(t, string(data), `"id": "kuura-parcels"`)
}

func TestAFileOfWhichNothingCanBeMade(t *testing.T) {
	for name, body := range map[string]string{"empty.csv": "", "list.pdf": "%PDF-1.7\n", "words.csv": "a,b\nc,d\n",
		"picture.png": "\x89PNG\r\n\x1a\n", "archive.xlsx": "PK\x03\x04nothing"} {
		list, store := listFile(t, name, body)
		for _, command := range []string{"prices", "products"} {
			_, stderr, code := readList(t, command, list, "--store", store)
			assert.Equal(t, 2, code, name)
			assert.Contains(t, stderr, "diadrom: ", name)
		}
	}
	list, store := listFile(t, "prices.csv", "kg,Finland\n2,7.10\n")
	for _, flags := range [][]string{{"--into", "nothing"}, {"--columns", "colour=1"}, {"--columns", "price=0"},
		{"--by", "mood"}, {"--decimal", ";"}, {"--rate", "-1"}, {"--add", "x"}, {"--sheet", "2027"}} {
		_, stderr, code := readList(t, append([]string{"prices", list, "--store", store}, flags...)...)
		if flags[0] != "--sheet" { // a text has no sheets
			assert.Equal(t, 2, code, flags)
			assert.NotEmpty(t, stderr, flags)
		}
	}
}

// Texts that are no prices and no places are answered by flags, as on the screen.
func TestTextsOfAListAreAnswered(t *testing.T) {
	list, store := listFile(t, "prices.csv", "Country;up to kg;Price\nFinland;2;6,90\nFinland;5;quote\nGermnay;2;14,50\n"+
		"Nowhereland;2;9,00\n")
	got, _, code := readList(t, "prices", list, "--store", store)
	assert.Equal(t, 1, code)
	assert.Contains(t, fmt.Sprint(got["asks"]), "“quote” is not a price")
	got, _, code = readList(t, "prices", list, "--store", store, "--price", "quote=12,50", "--zone", "Germnay=Germany",
		"--leave-out", "Nowhereland")
	assert.Equal(t, 0, code, got)
	assert.Contains(t, fmt.Sprint(got["table"]), "12.5")
	assert.Equal(t, map[string]any{"prices": 3.0, "bounds": 6.0, "heads": 3.0, "set_aside": 3.0, "asked": 0.0, "left": 0.0},
		got["read"].(map[string]any)["accounts"])
	_, stderr, code := readList(t, "prices", list, "--store", store, "--price", "quote")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "--price is TEXT=PRICE")
}

func TestASheetAndColumnsAreChosen(t *testing.T) {
	f := excelize.NewFile()
	for _, sheet := range []string{"2026", "2027"} {
		_, err := f.NewSheet(sheet)
		require.NoError(t, err)
		for i, row := range [][]any{{"where", "kilos", "standard", "express"}, {"Finland", 2, 6.9, 9.9},
			{"Finland", 5, 8.4, sheet}} {
			require.NoError(t, f.SetSheetRow(sheet, "A"+string(rune('1'+i)), &row))
		}
	}
	data, err := f.WriteToBuffer()
	require.NoError(t, err)
	list, store := listFile(t, "prices.xlsx", data.String())
	got, _, code := readList(t, "prices", list, "--store", store, "--columns", "zone=1,to=2,price=3", "--sheet", "2027")
	assert.Equal(t, 0, code)
	assert.Equal(t, "2027", got["read"].(map[string]any)["sheet"])
	assert.Equal(t, []any{map[string]any{"at": "2", "charges": []any{"6.9"}},
		map[string]any{"at": "5", "charges": []any{"8.4"}}}, got["table"].(map[string]any)["rows"])
	got, _, code = readList(t, "prices", list, "--store", store, "--columns", "zone=1,to=2,price=3")
	assert.Equal(t, 1, code)
	assert.Equal(t, "sheet", got["asks"].([]any)[0].(map[string]any)["code"])
}

func TestProductsAreReadOnTheCommandLine(t *testing.T) {
	list, store := listFile(t, "goods.csv",
		"Artikelnummer;Bezeichnung;Preis;Gewicht;Maße\nTOWEL-70;Leinentuch;31,00;350;"+
			"300x220x40 mm\nNEU-1;Saunahut;25,00;120;\n")
	got, _, code := readList(t, "products", list, "--store", store, "--write")
	assert.Equal(t, 1, code, "350 kg for what was 0.35 kg is asked about")
	assert.Equal(t, "unit", got["asks"].([]any)[0].(map[string]any)["code"])
	got, _, code = readList(t, "products", list, "--store", store, "--units", "weight=g", "--write")
	require.Equal(t, 0, code)
	products := got["products"].([]any)
	require.Len(t, products, 2)
	assert.Equal(t, "0.12", products[1].(map[string]any)["weight"])
	assert.Equal(t, "new", got["changes"].([]any)[1].(map[string]any)["what"])
	data, err := os.ReadFile(store)
	require.NoError(t, err)
	assert.True(t, strings.Contains(string(data), "NEU-1") && strings.Contains(string(data), "Leinentuch"))
	_, _, code = readList(t, "products", list, "--store", store, "--units", "weight=stone")
	assert.Equal(t, 2, code)
}
