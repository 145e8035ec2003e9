package store

import (
	"encoding/json"
	"fmt"
	"runtime"
	"strings"
	"testing"

	"diadrom/internal/core/fault"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// file is a small store without faults; %s is put behind its zones' list.
const sound = `{"format":"diadrom-store/1","store":{"name":"S","currency":"EUR"},
 "locations":[{"id":"w","country":"FI","lat":"60.4","lon":"22.0","ships_from":true}],
 "classes":[{"id":"bulky"}],
 "products":[{"sku":"A","price":"1.00","weight":"2","class":"bulky"}],
 "zones":[{"id":"fi","places":[{"country":"FIN"}]},{"id":"se","places":[{"country":"SE","postcodes":["111 22","12*"]},
		{"country":"FI","region":"19"}]}],
 "methods":[{"id":"m","terms":{"fi":{"minimum":"2.00"}},"tables":[{"id":"t","zones":["fi","se"],"by":"weight",
		"edges":"up_to",
   "rows":[{"at":"2","charges":["1.00",null]},{"at":null,"charges":[{"base":"1","per_weight":{"amount":"1","above":"2",
		"part":"started"}},"5.00"]}]}]}]}`

func TestASoundFileHasNoFaults(t *testing.T) {
	f, faults := Read([]byte(sound))
	require.Empty(t, faults)
	assert.Equal(t, "FI", f.Zones[0].Places[0].Country, "alpha-3 is stored as alpha-2")
	assert.Equal(t, "FI-19", f.Zones[1].Places[1].Region)
	assert.True(
		t,
		f.Zones[0].Enabled && f.Methods[0].Enabled && f.Methods[0].Taxable && f.Products[0].NeedsShipping,
		"true unless said otherwise",
	)
	assert.False(t, f.Products[0].ShipsFree)
}

// change puts a value at a JSON pointer of the sound file.
func change(t *testing.T, pointer, value string) []byte {
	t.Helper()
	var root any
	require.NoError(t, json.Unmarshal([]byte(sound), &root))
	var v any
	if value != "" {
		require.NoError(t, json.Unmarshal([]byte(value), &v))
	}
	parts := strings.Split(pointer, "/")[1:]
	at := root
	for i, p := range parts {
		last := i == len(parts)-1
		switch node := at.(type) {
		case map[string]any:
			if last && value == "" {
				delete(node, p)
			} else if last {
				node[p] = v
			}
			at = node[p]
		case []any:
			var n int
			_, err := fmt.Sscan(p, &n)
			require.NoError(t, err)
			if last {
				node[n] = v
			}
			at = node[n]
		}
	}
	out, err := json.Marshal(root)
	require.NoError(t, err)
	return out
}

const table = "/methods/0/tables/0"

func TestEachFaultHasItsPath(t *testing.T) {
	for _, c := range []struct{ at, value, path, code string }{
		{"/format", `"diadrom-store/2"`, "/format", fault.Choice},
		{"/format", ``, "/format", fault.Missing},
		{"/store/currency", `"EUX"`, "/store/currency", fault.Choice},
		{"/store/currency", `""`, "/store/currency", fault.Missing},
		{"/store/nmae", `"x"`, "/store/nmae", fault.Unknown},
		{"/store/name", `5`, "/store/name", fault.Type},
		{"/store/weight_unit", `"stone"`, "/store/weight_unit", fault.Choice},
		{"/store/assumed_weight", `"-1"`, "/store/assumed_weight", fault.Range},
		{"/store/tax", `{"rates":[{"country":"FI","percent":"x"}]}`, "/store/tax/rates/0/percent", fault.Number},
		{"/locations/0/lat", `"91"`, "/locations/0/lat", fault.Range},
		{"/locations/0/lon", `"180.1"`, "/locations/0/lon", fault.Range},
		{"/locations/0/lon", `""`, "/locations/0/lon", fault.Missing},
		{"/classes/0/id", `"Bulky"`, "/classes/0/id", fault.Choice},
		{"/products/0/class", `"flat"`, "/products/0/class", fault.Reference},
		{"/products/0/price", `1.5`, "/products/0/price", fault.Type},
		{"/products/0/price", `"NaN"`, "/products/0/price", fault.Number},
		{"/products/0/price", `"` + strings.Repeat("9", 40) + `"`, "/products/0/price", fault.Number},
		{"/products/0/weight", `"1e3"`, "/products/0/weight", fault.Number},
		{"/products/0/sku", ``, "/products/0/sku", fault.Missing},
		{"/zones/1/id", `"fi"`, "/zones/1/id", fault.Duplicate},
		{"/zones/0/rank", `1.5`, "/zones/0/rank", fault.Number},
		{"/zones/0/enabled", `"yes"`, "/zones/0/enabled", fault.Type},
		{"/zones/0/places/0/country", `"XX"`, "/zones/0/places/0/country", fault.Place},
		{"/zones/0/places/0", `{"group":"999"}`, "/zones/0/places/0/group", fault.Place},
		{"/zones/0/places/0", `{}`, "/zones/0/places/0", fault.Missing},
		{"/zones/0/places/0", `{"city":"Turku"}`, "/zones/0/places/0/country", fault.Missing},
		{"/zones/0/places/0", `{"country":"FI","region":"FI-99"}`, "/zones/0/places/0/region", fault.Place},
		{"/zones/1/places/0/postcodes/1", `"1*2"`, "/zones/1/places/0/postcodes/1", fault.Place},
		{"/zones/1/places/0/postcodes/1", `12`, "/zones/1/places/0/postcodes/1", fault.Type},
		{"/zones/1/places/0/postcodes/0", `"12345 to 12340"`, "/zones/1/places/0/postcodes/0", fault.Place},
		{"/zones/0/places/0", `{"within":{"location":"q","distance":"1"}}`, "/zones/0/places/0/within/location",
			fault.Reference},
		{"/zones/0/places/0", `{"within":{"location":"w"}}`, "/zones/0/places/0/within/distance", fault.Missing},
		{"/zones/0/places/0", `{"area":{"type":"Point","coordinates":[1,2]}}`, "/zones/0/places/0/area", fault.Place},
		{"/zones/0/places/0", `{"area":{"type":"Polygon","coordinates":[[[0,0],[2,2],[2,0],[0,2],[0,
		0]]]}}`, "/zones/0/places/0/area", fault.Place},
		{"/zones/0/places/0", `{"area":{"type":"Polygon","coordinates":[[[0,0],[0,95],[2,0],[0,
		0]]]}}`, "/zones/0/places/0/area", fault.Place},
		{"/methods/0/kind", `"drone"`, "/methods/0/kind", fault.Choice},
		{"/methods/0/from", `"attic"`, "/methods/0/from", fault.Reference},
		{"/methods/0/terms/no~where", `{}`, "/methods/0/terms/no~0where", fault.Reference},
		{"/methods/0/days", `{"min":5,"max":2}`, "/methods/0/days/max", fault.Range},
		{"/methods/0/needs", `{"weight":{"from":"5","to":"2"}}`, "/methods/0/needs/weight/to", fault.Range},
		{"/methods/0/needs", `{"only_classes":["flat"]}`, "/methods/0/needs/only_classes/0", fault.Reference},
		{"/methods/0/classes", `"sum"`, "/methods/0/classes", fault.Choice},
		{table + "/by", `"volume"`, table + "/by", fault.Choice},
		{table + "/by", ``, table + "/by", fault.Missing},
		{table + "/edges", ``, table + "/edges", fault.Missing},
		{table + "/per", `"box"`, table + "/per", fault.Choice},
		{table + "/zones", `"fi"`, table + "/zones", fault.Type},
		{table + "/zones/1", `"xx"`, table + "/zones/1", fault.Reference},
		{table + "/zones/1", `"fi"`, table + "/zones/1", fault.Duplicate},
		{table + "/classes", `["bulky"]`, table + "/classes", fault.Shape},
		{table + "/rows", `[]`, table + "/rows", fault.Missing},
		{table + "/rows/0/at", `null`, table + "/rows/0/at", fault.Missing},
		{table + "/rows/0/at", `2`, table + "/rows/0/at", fault.Type},
		{table + "/rows/0/charges", `["1.00"]`, table + "/rows/0/charges", fault.Shape},
		{table + "/rows/0/charges/0", `{"per_weight":{"amount":"1","every":"0"}}`, table +
			"/rows/0/charges/0/per_weight/every", fault.Range},
		{table + "/rows/0/charges/0", `{"per_weight":{"above":"1"}}`, table + "/rows/0/charges/0/per_weight/amount",
			fault.Missing},
		{table + "/graduated", `true`, table + "/rows/1/charges/0/per_weight/part", fault.Shape},
		{table + "/rows/1/at", `"2.0"`, table + "/rows/1/at", fault.Order},
		{table + "/rows/1/at", `"1"`, table + "/rows/1/at", fault.Order},
	} {
		_, faults := Read(change(t, c.at, c.value))
		require.NotEmpty(t, faults, "%s %s", c.at, c.value)
		f, ok := faults.At(c.path)
		require.True(t, ok, "%s %.60s: no fault at %s but %v", c.at, c.value, c.path, faults)
		assert.Equal(t, c.path, f.Path)
		assert.Equal(t, c.code, f.Code, "%s %.60s: %s", c.at, c.value, f.Message)
		assert.NotEmpty(t, f.Message)
		if strings.HasSuffix(c.at, "/zones") {
			assert.Len(t, faults, 1, "nor by what stands beside it: %v", faults)
		}
		again := map[string]bool{}
		for _, f := range faults {
			assert.False(
				t,
				again[f.Path],
				"a value at fault is not judged further: %s %.60s: %v",
				c.at,
				c.value,
				faults,
			)
			again[f.Path] = true
		}
	}
}

func TestEveryFaultIsFoundInOnePass(t *testing.T) {
	_, faults := Read([]byte(`{"format":"diadrom-store/1","oops":1,"store":{"currency":"EUR","currency":"SEK"},
	 "zones":[{"id":"A"},{"id":"b","places":[{"country":"FI","postcodes":["2110","22*","*"]}]},{"id":"b"}],
	 "methods":[{"id":"m","classes":"add","terms":{"b":{},"x":{}},"tables":[
	  {"id":"t","zones":["b"],"classes":["k"],"by":"weight","edges":"from","rows":[{"at":"1","charges":["1"]},{"at":"1",
		"charges":["-2"]}]},
	  {"id":"t","zones":["b"],"by":"order","rows":[{"at":"1","charges":[]}]},
	  {"id":"u","zones":["b"],"by":"order","rows":[{"charges":["1"]}]}]}],
	 "agreed":[{"id":"g","amount":"1"}],"surcharges":[{"id":"s","methods":["q"]}]}`))
	var paths []string
	for _, f := range faults {
		paths = append(paths, f.Path)
	}
	assert.ElementsMatch(
		t,
		[]string{
			"/oops",
			"/store/currency",
			"/zones/0/id",
			"/zones/1/places/0/postcodes/0",
			"/zones/1/places/0/postcodes/2",
			"/zones/2/id",
			"/methods/0/terms/x",
			"/methods/0/tables/0/classes/0",
			"/methods/0/tables/0/rows/0/at",
			"/methods/0/tables/0/rows/1/at",
			"/methods/0/tables/0/rows/1/charges/0",
			"/methods/0/tables/1/id",
			"/methods/0/tables/1/rows/0/at",
			"/methods/0/tables/1/rows/0/charges",
			"/methods/0/tables/2/zones/0",
			"/agreed/0",
			"/surcharges/0/methods/0",
		},
		paths,
	)
}

func TestAClassIsPricedOnceInAZone(t *testing.T) {
	f := strings.Replace(sound, `"terms":{"fi":{"minimum":"2.00"}},"tables":[`, `"classes":"add","tables":[
	 {"id":"b1","zones":["fi"],"classes":["bulky"],"by":"order","rows":[{"charges":["1"]}]},{"id":"b2","zones":["se",
		"fi"],"classes":["bulky"],"by":"order","rows":[{"charges":["1","2"]}]},`, 1)
	_, faults := Read([]byte(f))
	require.Len(t, faults, 1)
	assert.Equal(t, "/methods/0/tables/1/classes/0", faults[0].Path)
	assert.Equal(t, fault.Claimed, faults[0].Code)
}

func TestBytesThatAreNoStore(t *testing.T) {
	for _, bytes := range []string{"", " ", "null", "[]", "5", `"x"`, "{", `{"a":`, `{"format":}`, "\xff\xfe",
		`{"zones":[{]}`, sound + "x", sound + sound,
		strings.Repeat("[", 10_000), `{"zones":` + strings.Repeat("[", 10_000) + strings.Repeat("]", 10_000) + "}",
		`{"store":{"name":"` + "\xff" + `"}}`} {
		_, faults := Read([]byte(bytes))
		assert.NotEmpty(t, faults, "%.40q", bytes)
	}
}

func TestALargeFileIsRefusedWithoutReadingIt(t *testing.T) {
	data := make([]byte, 200<<20)
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	_, faults := Read(data)
	runtime.ReadMemStats(&after)
	require.Len(t, faults, 1)
	assert.Equal(t, fault.TooLarge, faults[0].Code)
	assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(1<<20))
}

// A file of half a million faults, found by the reader and by the checker, is judged in one pass over it, and
// the list ends.
func TestVeryManyFaultsAreBounded(t *testing.T) {
	for _, file := range []string{
		`{"format":"diadrom-store/1","store":{"currency":"EUR"},"products":[` +
			strings.TrimSuffix(strings.Repeat(`{"class":"q"},`, 250_000), ",") + `]}`,
		`{"format":"diadrom-store/1","store":{"currency":"EUR"},"zones":[{"id":"z","places":[{"country":"FI",
		"postcodes":[` + strings.TrimSuffix(strings.Repeat(`"x",`, 500_000), ",") + `]}]}]}`,
	} {
		_, faults := Read([]byte(file))
		require.Len(t, faults, fault.Max+1)
		assert.Equal(t, fault.TooLarge, faults[fault.Max].Code)
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(sound))
	f.Add([]byte(`{"zones":[{"places":[{"area":{"type":"Polygon","coordinates":[[[0,0],[1,1],[0,1],[0,0]]]}}]}]}`))
	f.Add([]byte(`{"methods":[{"terms":{"":{}},"tables":[{"rows":[{}]}]}]}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		file, faults := Read(data)
		if len(faults) > 0 {
			return
		}
		written := file.Write()
		again, faults := Read(written)
		if len(faults) > 0 || string(again.Write()) != string(written) {
			t.Fatalf("written as %s, read with %v", written, faults)
		}
	})
}

// Where the dearest of several lists counts, it is the dearest of a parcel or of the order: lists that share a zone price
// the same. Where they are added, each prices what it says.
func TestListsOfWhichTheDearestCountsPriceTheSame(t *testing.T) {
	list := func(id, zones, per, classes string) string {
		return `{"id":"` + id + `","zones":[` + zones + `],"classes":[` + classes + `],"by":"order","per":"` + per +
			`","graduated":false,"rows":[{"at":null,"charges":["5"]}]}`
	}
	for _, c := range []struct {
		how, first, second, path string
	}{
		{"dearest", "parcel", "order", "/methods/0/tables/1/per"},
		{"dearest", "order", "parcel", "/methods/0/tables/1/per"},
		{"dearest", "order", "order", ""},
		{"dearest", "parcel", "parcel", ""},
		{"add", "parcel", "order", ""},
	} {
		file := `{"format":"diadrom-store/1","store":{"currency":"EUR"},"classes":[{"id":"bulky"}],
			"zones":[{"id":"a","places":[{"country":"FI"}]},{"id":"b","places":[{"country":"SE"}]}],
			"methods":[{"id":"m","classes":"` + c.how + `","tables":[` + list("x", `"a"`, c.first, "") + "," +
			list("y", `"a"`, c.second, `"bulky"`) + `]}]}`
		_, faults := Read([]byte(file))
		if c.path == "" {
			assert.Empty(t, faults, c)
			continue
		}
		require.Len(t, faults, 1, c)
		assert.Equal(t, c.path, faults[0].Path)
		assert.Equal(t, fault.Choice, faults[0].Code)
	}
}
