package zonelist

import (
	"bytes"
	"strings"
	"testing"

	"diadrom/internal/core/store"
	"diadrom/internal/core/typed"
	"diadrom/internal/tables/sheet"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const settings = `{"format":"diadrom-store/1","store":{"currency":"EUR"},"locations":[{"id":"workshop",
		"name":"Workshop","country":"FI","lat":"60.4674","lon":"22.026"}],"zones":`

func file(t require.TestingT, zones string) *store.File {
	f, faults := store.Read([]byte(settings + zones + "}"))
	require.Empty(t, faults)
	return f
}

func reader(f *store.File) typed.Reader { return typed.For(f, nil) }

func written(t require.TestingT, zones []store.Zone, f *store.File) string {
	var b bytes.Buffer
	require.NoError(t, sheet.Write(&b, Write(zones, reader(f))))
	return b.String()
}

func read(t require.TestingT, table string, f *store.File) ([]store.Zone, []RowError) {
	parsed, err := sheet.Read([]byte(table))
	require.NoError(t, err)
	return Read(parsed, f, reader(f))
}

func TestZonesAsRows(t *testing.T) {
	f := file(
		t,
		`[{"id":"aland","name":"Åland","places":[{"country":"FI","postcodes":["22*","21000 to 21010"]},
		{"country":"AX"}],"except":[{"country":"FI","postcodes":["22999"]}]},
		{"id":"near","name":"=Near","enabled":false,"rank":-1,"only":true,"places":[{"within":{"location":"workshop",
		"distance":"15"}},{"country":"FI","city":"Naantali"},{"country":"FI","city":"Naantali","region":"19"},
		{"country":"US","region":"IL","postcodes":["60601"]}]},
		{"id":"nowhere","name":""},{"id":"rest","name":"Rest","places":[{"world":true},{"group":"EU"},{"group":"150"},
		{"country":"GB","postcodes":["BT","IM1"]},{"country":"FI","region":"FI-01"}]}]`,
	)
	want := `zone,name,on,pinned,only,rule,place
aland,Åland,yes,,no,takes,FI 22*
aland,Åland,yes,,no,takes,FI 21000 to 21010
aland,Åland,yes,,no,takes,AX
aland,Åland,yes,,no,leaves out,FI 22999
near,'=Near,no,-1,yes,takes,within 15 of workshop
near,'=Near,no,-1,yes,takes,FI town Naantali
near,'=Near,no,-1,yes,takes,FI-19 Naantali
near,'=Near,no,-1,yes,takes,"{""country"":""US"",""region"":""US-IL"",""postcodes"":[""60601""]}"
nowhere,,yes,,no,takes,
rest,Rest,yes,,no,takes,everywhere
rest,Rest,yes,,no,takes,EU
rest,Rest,yes,,no,takes,150
rest,Rest,yes,,no,takes,GB BT
rest,Rest,yes,,no,takes,GB IM1
rest,Rest,yes,,no,takes,FI-01
`
	assert.Equal(t, want, written(t, f.Zones, f))
	zones, slips := read(t, want, f)
	require.Empty(t, slips)
	assert.Equal(t, want, written(t, zones, f), "the export of an import is the same file")
	f.Zones, _ = zones, f.Zones
	again, faults := store.Read(f.Write())
	require.Empty(t, faults)
	assert.Equal(t, want, written(t, again.Zones, again))
}

func TestTheDemoShopsZonesGoOutAndIn(t *testing.T) {
	f := storetest.Lauha(t)
	zones, slips := read(t, written(t, f.Zones, f), f)
	require.Empty(t, slips)
	was := f.Write()
	f.Zones = zones
	assert.Equal(t, string(was), string(f.Write()))
}

func TestTablesOfOneselfNeedLittle(t *testing.T) {
	f := file(t, `[]`)
	zones, slips := read(t, "Place;Name\nFinland;Home\n\"SE 10*, SE 11*\";Stockholm\nEstonia;Home\n", f)
	require.Empty(t, slips)
	require.Len(t, zones, 2)
	assert.Equal(t, []string{"home", "stockholm"}, []string{zones[0].ID, zones[1].ID})
	assert.Len(t, zones[0].Places, 2)
	assert.Len(t, zones[1].Places[0].Postcodes, 2)
	assert.True(t, zones[0].Enabled)
}

func TestEveryRowThatCannotBeUsedIsTold(t *testing.T) {
	f := file(t, `[]`)
	_, slips := read(
		t,
		strings.Join([]string{
			"zone,name,on,pinned,only,rule,place",
			"Aland,,,,,,FI 22*",
			",,,,,,FI",
			"a,A,maybe,,,,FI",
			"a,B,,,,,SE",
			"b,,,first,,,FI",
			"c,,,,,refuses,FI",
			"d,,,,,,FI 2110",
			"e,,,,,,Georgia",
			`f,,,,,,"{""country"":""XX""}"`,
			"g,,,,,,not FI 22*",
			"h,,,,,takes,FI 22*",
		}, "\n"),
		f,
	)
	var said []string
	for _, s := range slips {
		said = append(said, s.Error())
	}
	for i, says := range []string{"line 2: \"Aland\" cannot be", "line 3: which zone", "line 4: on is yes or no",
		"line 5: name of a is \"B\" here, but \"A\" in line 4", "line 6: pinned is a whole number",
		"line 7: the rule is", "line 8: 2110 is not a whole postcode", "line 9: Georgia is a country and a region " +
			"of United States: which is meant?: GE", "line 10:", "line 11: a place that is left out"} {
		require.Greater(t, len(said), i)
		assert.Contains(t, said[i], says)
	}
	assert.Len(t, said, 10)
	_, slips = read(t, "zone,colour\na,b\n", f)
	assert.Len(t, slips, 2)
}

func TestAnyZonesReadBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rule := rapid.SampledFrom(
			[]string{
				`{"country":"FI","postcodes":["22*"]}`,
				`{"country":"FI","postcodes":["21100","20100 to 20999"]}`,
				`{"country":"SE"}`,
				`{"world":true}`,
				`{"group":"EU"}`,
				`{"country":"GB","postcodes":["BT1 to BT17","EC1A 1BB"]}`,
				`{"country":"IE","postcodes":["D02*"]}`,
				`{"country":"NZ","city":"Whangārei, North"}`,
				`{"country":"US","region":"US-GA"}`,
				`{"country":"GE"}`,
				`{"country":"CA","region":"ON","city":"London"}`,
				`{"within":{"lat":"60.5","lon":"-22.25","distance":"1.5"}}`,
				`{"country":"FI","within":{"location":"workshop","distance":"3"}}`,
				`{"area":{"type":"Polygon","coordinates":[[[22,60],[23,60],[23,61],[22,60]]]}}`,
				`{"country":"GB","city":"Bath"}`,
				`{"country":"DE","city":"Berlin"}`,
			},
		)
		list := func(name string) string {
			return "[" + strings.Join(rapid.SliceOfN(rule, 0, 5).Draw(t, name), ",") + "]"
		}
		f := file(
			t,
			`[{"id":"a","name":"A","places":`+list("places")+`,"except":`+list(
				"except",
			)+`},{"id":"b","places":`+list("more")+`}]`,
		)
		table := written(t, f.Zones, f)
		zones, slips := read(t, table, f)
		require.Empty(t, slips, table)
		assert.Equal(t, table, written(t, zones, f))
		f.Zones = zones
		_, faults := store.Read(f.Write())
		assert.Empty(t, faults)
	})
}
