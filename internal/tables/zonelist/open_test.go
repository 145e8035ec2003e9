package zonelist

import (
	"strings"
	"testing"

	"diadrom/internal/core/typed"
	"diadrom/internal/tables/grid"
	"diadrom/internal/test/storetest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Lists of zones as carriers and shops have them; common practice, no source. The shop is in Finland.
func TestZoneListsThatPeopleHave(t *testing.T) {
	for _, c := range []struct{ name, list, want, slips string }{
		{"a place each", "Zone;Place\nNordics;Sweden\nNordics;Norway\nIslands;21660\n",
			"nordics Nordics: SE, NO | islands Islands: FI 21660", ""},
		{"countries in one cell", "Zone,Countries,Transit days\n1,\"EE, LV, LT\",3\n2,Germany,4\n",
			"zone-1 Zone 1: EE, LV, LT | zone-2 Zone 2: DE", ""},
		{"a country each, the zone once", "Zones of 2027\n\nZone;Land\nA;Deutschland\n;Österreich\nB;Schweiz\n",
			"a A: DE, AT | b B: CH", ""},
		{"country and codes", "Zone;Country;Postcodes\nNorth;DE;20-25\nNorth;DE;\"27*, 28*\"\nSouth;DE;80000-87999\n",
			"north North: DE 20000 to 25999, DE 27*, DE 28* | south South: DE 80000 to 87999", ""},
		{"codes of the shop's country", "zone,postcodes\nFar,96*\nFar,99xx\n", "far Far: FI 96*, FI 99*", ""},
		{"regions and towns", "zone,country,state,city\nWest,US,California,\nWest,US,TX,Austin\n",
			"west West: US-CA, US-TX Austin", ""},
		{"a zone of the shop", "zone,country\nBaltic neighbours,EE\nBaltic neighbours,LV\n",
			"baltic Baltic neighbours: EE, LV", ""},
		{"the rest", "zone,country\nHome,FI\nElsewhere,*\n", "home Home: FI | elsewhere Elsewhere: everywhere", ""},
		{"no country of that name", "zone,country\nHome,FI\nLost,Atlantis\n", "home Home: FI",
			"Line 3: where is “Atlantis”? We don't know \"Atlantis\". Is it a country, region or town?"},
		{"codes of several countries", "zone,country,postcodes\nHome,\"EE, LV\",10*\n", "",
			"Line 2: where is “EE, LV 10*”? \"EE, LV\" are several countries: codes are of one."},
		{"no place at all", "a,b\n1,2\n", "",
			"No column is known to have the zone and where it is. Choose what the columns hold."},
	} {
		f := storetest.Lauha(t)
		reader := typed.For(f, nil)
		r, err := Open(grid.Bytes([]byte(c.list)), f, reader, Choices{})
		require.NoError(t, err, c.name)
		var zones, slips []string
		for i := range r.Zones {
			z := &r.Zones[i]
			zones = append(zones, z.ID+" "+z.Name+": "+Text(z.Places, z.Except, reader))
		}
		for _, a := range r.Asks {
			if a.Code != AskOverlap { // with the zones of the shop
				slips = append(slips, a.Message)
			}
		}
		assert.Empty(t, r.Slips, c.name)
		assert.Equal(t, c.want, strings.Join(zones, " | "), c.name)
		assert.Equal(t, c.slips, strings.Join(slips, "; "), c.name)
	}
	f := storetest.Lauha(t)
	r, err := Open(grid.Bytes([]byte("zone,country\nx,y\nzone,country\nHome,FI\n")), f, typed.For(f, nil), Choices{Head: 3})
	require.NoError(t, err)
	assert.Len(t, r.Zones, 1)
}
